// One-click solves: the patch, region or trace, is brought to a level of the display or to the skin-tone line.
import { post } from "../js/http.js";
import { minus, plain } from "../js/numbers.js";

export const solving = {
  aim: "black",
  levels: {},
  aimSaid: "",
  wantsHue: false,
  hueClicked: false,

  start() {
    this.levels = { ...this.data.levels, hue: 40 };
  },
  get hasLevel() {
    return this.aim in this.levels;
  },
  get level() {
    return this.hasLevel ? minus(this.levels[this.aim]) : "";
  },
  get levelUnit() {
    return this.aim === "hue" ? "°" : "%";
  },
  get levelName() {
    return this.aim === "hue" ? "Hue wanted, °" : "Level, % of the display's signal";
  },
  get aimsAtHue() {
    return this.aim === "hue";
  },
  // The next click in the picture says what hue is wanted.
  pickHue() {
    this.wantsHue = true;
    this.complain("hue", "Click the colour whose hue is wanted.");
  },
  takeHue(hue) {
    if (!this.wantsHue || !this.hueClicked) return;
    this.wantsHue = false;
    this.hueClicked = false;
    this.settle("hue");
    if (hue === null) return this.complain("hue", "That colour has no hue to speak of. Click a more saturated one.");
    this.levels = { ...this.levels, hue };
  },
  pickAim(event) {
    this.aim = event.target.value;
    this.aimSaid = "";
  },
  typeLevel(event) {
    const value = plain(event.target.value),
      most = this.aim === "hue" ? 360 : 110;
    if (!Number.isFinite(value) || value < 0 || value > most) {
      this.complain("aim", most === 360 ? "Type a hue from 0 to 360°." : "Type a level from 0 to 110 % of the display's signal.");
      event.target.value = this.level;
      return;
    }
    this.levels = { ...this.levels, [this.aim]: value };
    this.settle("aim");
  },
  async solveAim() {
    if (this.locked) return;
    await this.saving;
    this.work(1);
    try {
      const body = {
        settings: this.layers.seen(this.outputShown),
        stage: this.layers.hand,
        aim: this.aim,
        level: this.hasLevel ? this.levels[this.aim] : null,
        region: this.region,
        point: this.point,
        frame: this.frame,
        output: this.output,
      };
      const said = await (await post(this.data.urls.solve, body)).json();
      this.settings.steps = said.steps;
      this.stage = this.layers.hand;
      this.face = "controls";
      this.changed(this.$refs.aim.selectedOptions[0].textContent.trim().toLowerCase(), said.step);
      this.aimSaid = said.sentence;
      this.settle("aim");
    } catch (error) {
      this.complain("aim", error.message);
    } finally {
      this.work(-1);
    }
  },
};
