// Who else has this shot open, and whether it was changed since this page took it.
import { post } from "../js/http.js";

const EVERY = 30000;

export const presence = {
  alsoHere: [],
  newer: false,

  start() {
    this.sayHere();
    setInterval(() => document.visibilityState === "visible" && this.sayHere(), EVERY);
    document.addEventListener("visibilitychange", () => document.visibilityState === "visible" && this.sayHere());
  },
  async sayHere() {
    try {
      await this.saving;
      const said = await (await post(this.data.urls.here, {})).json();
      this.alsoHere = said.others;
      this.newer = said.version > this.history.version;
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
