// Who else has this shot open, and whether it was changed since this page took it.
import { post } from "../js/http.js";

const EVERY = 30000;

export const presence = {
  alsoHere: [],
  newer: false,

  start() {
    this.sayHere();
    const { signal } = this.leaving,
      seen = () => document.visibilityState === "visible" && this.sayHere(),
      again = setInterval(seen, EVERY);
    signal.addEventListener("abort", () => clearInterval(again));
    document.addEventListener("visibilitychange", seen, { signal });
  },
  async sayHere() {
    try {
      await this.saving;
      const said = await (await post(this.data.urls.here, {})).json();
      this.alsoHere = said.others;
      this.newer = said.version > this.history.version;
      // A page that was fetched ahead may have been overtaken, by a change of a layer too: it is fetched again.
      const { fingerprint } = this.data;
      this.data.fingerprint = "";
      if (fingerprint && fingerprint !== said.fingerprint && this.isUntouched) await this.renew();
    } catch {
      // A page that cannot say so is told of it by what it wants to do next.
    }
  },
  get hereSaid() {
    const changed = this.newer ? "changed since this page took it" : "";
    const who = this.alsoHere.length ? `also here: ${this.alsoHere.join(", ")}` : "";
    return [who, changed].filter(Boolean).join(" · ");
  },
  takeNewer() {
    window.location.reload();
  },
};
