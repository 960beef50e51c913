// What a step, or the raw development, finds in the picture: a neutral's light, clips, noise. A person is asked where a
// patch looks like no neutral.
import { post } from "../js/http.js";

export const fromPicture = {
  solved: "",
  doubted: null,
  awaited: null,
  tinted: false,

  // Where a step of this kind finds its own numbers in the picture; empty for kinds that do not.
  get pictureUrl() {
    return (this.hasStep && { highlights: this.data.urls.clips, calm_noise: this.data.urls.noise }[this.current.kind]) || "";
  },
  get isBalance() {
    return this.hasStep && this.current.kind === "white_balance";
  },

  async solve(url, more) {
    await this.saving;
    this.work(1);
    try {
      const body = {
        settings: this.layers.seen(this.outputShown),
        stage: this.layers.hand,
        output: this.output,
        step: this.step,
        region: this.region,
        point: this.point,
        frame: this.frame,
        ...more,
      };
      return await (await post(url, body)).json();
    } catch (error) {
      this.complain("solve", error.message);
      return null;
    } finally {
      this.work(-1);
    }
  },
  // Without a region the next click in the picture says which patch is meant; the same button, or Escape, leaves it.
  waitFor(by, take) {
    if (this.region) return take();
    this.awaited = this.awaited && this.awaited.by === by ? null : { by, take };
    return null;
  },
  // The trace stands where it was clicked.
  clickedAt() {
    const awaited = this.awaited;
    this.awaited = null;
    if (awaited) awaited.take();
    this.hueClicked = this.wantsHue;
  },
  get awaits() {
    return { any: this.awaited !== null, trim: Boolean(this.awaited && this.awaited.by === "trim"), raw: Boolean(this.awaited && this.awaited.by === "raw") };
  },
  balanceFromPicture() {
    if (!this.lockedOrNone) this.waitFor("trim", () => this.balanceAt());
  },
  async balanceAt() {
    if (this.lockedOrNone || !this.isBalance) return;
    const said = await this.solve(this.data.urls.neutral);
    if (said) await this.unlessDoubted("trim", said);
  },
  // A patch that looks like no neutral is taken, by the trim or the raw development, when a person says so.
  async unlessDoubted(by, said) {
    this.doubted = said.doubt ? { by, said } : null;
    if (!said.doubt) await this.takenBy(by, said);
  },
  takenBy(by, said) {
    return by === "raw" ? this.takeRawNeutral(said) : this.takeNeutral(said);
  },
  get doubtIn() {
    return Object.fromEntries(["trim", "raw"].map((by) => [by, Boolean(this.doubted && this.doubted.by === by)]));
  },
  async takeDoubted() {
    const { by, said } = this.doubted || {};
    if (by === "raw" ? !this.locked : said && !this.lockedOrNone) await this.takenBy(by, said);
    this.doubted = null;
  },
  leaveDoubted() {
    this.doubted = null;
  },
  get doubtStyle() {
    return { background: this.doubted ? this.doubted.said.swatch : "none" };
  },
  get doubtWords() {
    return this.doubted ? this.doubted.said.doubt : "";
  },
  async takeNeutral(said) {
    const { kelvin, duv, target } = said;
    Object.assign(this.current, { kelvin, duv, target });
    this.syncControls();
    await this.save("neutral patch");
    this.solved = said.sentence;
    this.tinted = said.above;
  },
  // The same patch, neutral through the Look and the rendering.
  neutralAsDisplayed() {
    this.tinted = false;
    this.aim = "neutral";
    this.$refs.aim.value = "neutral";
    return this.solveAim();
  },

  // What was said of a change goes with it when the change is taken back.
  forgetSaid() {
    Object.assign(this, { tinted: false, solved: "", aimSaid: "", developed: "", doubted: null, matchShown: "" });
    if (this.noMatch) Object.assign(this, { matchSaid: "", matchRemarks: [], pairFits: [] });
  },

  // Numbers that the frame, or the region, tells: clips and the light around them, the level of noise.
  async fromPicture() {
    if (this.lockedOrNone) return;
    const { id } = this.current;
    const said = await this.solve(this.pictureUrl);
    if (!said || !this.hasStep || this.current.id !== id) return;
    Object.assign(this.current, said.fields);
    this.syncControls();
    await this.save(`${this.kindTitle.toLowerCase()} from the picture`);
    this.solved = said.sentence;
  },
};
