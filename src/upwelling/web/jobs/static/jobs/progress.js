// A job's progress: asks twice a second, reloads the page when it is over.
import { post } from "../js/http.js";

document.addEventListener("alpine:init", () => {
  Alpine.data("job", () => ({
    done: 0,
    message: "",
    init() {
      if (this.$root.dataset.url) this.ask();
    },
    async ask() {
      try {
        const response = await fetch(this.$root.dataset.url, { headers: { Accept: "application/json" } });
        if (response.ok) {
          const job = await response.json();
          this.done = job.progress;
          this.message = job.message + (job.remaining_seconds ? ", about " + job.remaining_seconds + " s left" : "");
          if (job.over) return window.location.reload();
        }
      } catch {
        /* the server may be restarting: ask again */
      }
      setTimeout(() => this.ask(), 500);
    },
    async cancel() {
      try {
        await post(this.$root.dataset.cancel);
        this.message = "cancelling";
      } catch (error) {
        this.message = "▲ " + error.message;
      }
    },
  }));
});
