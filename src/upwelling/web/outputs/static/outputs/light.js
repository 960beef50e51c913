// MaxCLL and MaxFALL over all shots, a few frames with each request, with progress and a way to stop.
import { post } from "../js/http.js";

document.addEventListener("alpine:init", () => {
  Alpine.data("light", () => ({
    running: false,
    share: 0,
    said: "",

    async measure() {
      const { shots, output, url } = JSON.parse(document.getElementById("outputs-data").textContent);
      const found = { cll: 0, fall: 0, frames: 0, brightest: "" };
      this.running = true;
      this.stopped = false;
      for (let index = 0; index < shots.length && !this.stopped; index += 1) {
        let start = null;
        do {
          this.said = `${shots[index].name} (${index + 1} of ${shots.length})`;
          try {
            const got = await (await post(url.replace("/0/", `/${shots[index].pk}/`), { output, start })).json();
            if (got.max_cll > found.cll) found.brightest = shots[index].name;
            found.cll = Math.max(found.cll, got.max_cll);
            found.fall = Math.max(found.fall, got.max_fall);
            found.frames += got.frames;
            start = got.next;
          } catch (error) {
            this.said = `${shots[index].name}: ${error.message}`;
            this.running = false;
            return;
          }
        } while (start !== null && !this.stopped);
        this.share = (index + 1) / shots.length;
      }
      this.running = false;
      const partly = this.stopped ? " (stopped: so far)" : "";
      this.said = `MaxCLL ${Math.ceil(found.cll - 1e-6)} cd/m², MaxFALL ${Math.ceil(found.fall - 1e-6)} cd/m² ` +
        `over ${found.frames} frames${partly}; brightest in ${found.brightest}`;
    },
    stop() {
      this.stopped = true;
    },
  }));
});
