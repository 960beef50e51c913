// A first pass: a row of chosen controls under the hand, “good, next” and “later” by a key, and what is left at the end.
import { post } from "../js/http.js";

// What the last answer said, newer than a page that was fetched ahead; and whether the row is folded away.
let newest = null,
  folded = false;

export const firstPass = {
  walk: null,
  walkFolded: false,
  passEnd: { headline: "", parts: [] },

  start() {
    this.walk = this.data.walk;
    if (!this.walk) return;
    this.walkFolded = folded;
    if (newest) Object.assign(this.walk, { good: newest.good, later: newest.later });
    if (!this.data.hand || this.data.hand === "input") this.data.hand = "trim";
  },
  get walking() {
    return Boolean(this.walk) && !this.walkFolded && this.stage === "trim";
  },
  get walkText() {
    return this.walk ? `${this.walk.at} of ${this.walk.of}` : "";
  },
  get walkSaid() {
    if (!this.walk) return "";
    const { good, later, said } = this.walk;
    return `${good} good · ${later} later` + (said ? ` · this one ${said}` : "");
  },
  foldWalk() {
    folded = true;
    this.walkFolded = true;
    this.rebuild();
  },
  unfoldWalk() {
    folded = false;
    this.walkFolded = false;
    this.takeStage("trim");
  },
  get walkHidden() {
    return Boolean(this.walk) && !this.walking;
  },

  // --- the controls: each moves a value of the first step of its kind that acts everywhere -------------------------
  passTarget(path) {
    return this.walk.targets[path.slice("pass.".length)];
  },
  // The path of a control of the pass within the settings; null while no such step is there.
  passPath(path) {
    const { kind, path: within } = this.passTarget(path),
      wholly = (step) => step.on && step.strength === 1 && !step.limit && !step.output,
      at = this.settings.steps.findIndex((step) => step.kind === kind && wholly(step));
    return at < 0 ? null : `steps.${at}.${within}`;
  },
  passRest(path) {
    const { kind, path: within } = this.passTarget(path);
    return within.split(".").reduce((place, key) => place[key], this.data.kinds[kind].rest);
  },
  passPut(path) {
    if (!this.passPath(path)) {
      this.model.add(this.passTarget(path).kind);
      this.rebuild();
    }
    return this.passPath(path);
  },

  // --- what is said of a shot --------------------------------------------------------------------------------------
  sayGood() {
    return this.sayOf("good");
  },
  sayLater() {
    return this.sayOf("later");
  },
  async sayOf(said) {
    if (!this.walking || this.arriving || this.saying) return;
    this.saying = true;
    this.work(1);
    try {
      await this.saving;
      if (this.saver.unsaved) return;
      newest = await (await post(this.walk.urls.say, { said })).json();
      Object.assign(this.walk, newest);
      if (newest.next) await this.go(new URL(newest.next, window.location.href).href);
      else await this.showPassEnd();
    } catch (error) {
      this.complain("pass", error.message);
    } finally {
      this.saying = false;
      this.work(-1);
    }
  },
  async showPassEnd() {
    const said = await (await fetch(this.walk.urls["pass-summary"], { headers: { Accept: "application/json" } })).json();
    const parts = [
      ["Put off", said.later],
      ["Nothing said of", said.left],
      ["Could not be worked at", said.cannot],
    ];
    this.passEnd = {
      headline: `${said.good} good, ${said.later.length} later`,
      parts: parts.filter(([, rows]) => rows.length).map(([title, rows]) => ({ title, rows })),
    };
    this.$refs.passEnd.showModal();
  },
  closePassEnd() {
    this.$refs.passEnd.close();
  },
  async endWalk() {
    this.closePassEnd();
    await this.leaveWalk();
  },
  async leaveWalk() {
    try {
      await post(this.walk.urls["leave-pass"], {});
      this.walk = null;
      newest = null;
      this.forgetAhead();
      this.rebuild();
    } catch (error) {
      this.complain("pass", error.message);
    }
  },
};
