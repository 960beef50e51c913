// One-click solves: the patch, region or trace, is brought to a level of the display or to the skin-tone line.
import { post } from "../js/http.js";
import { minus, plain } from "../js/numbers.js";

export const solving = {
  aim: "black",
  levels: {},
  aimSaid: "",

  start() {
    this.levels = { ...this.data.levels };
  },
  get hasLevel() {
    return this.aim in this.levels;
  },
  get level() {
    return this.hasLevel ? minus(this.levels[this.aim]) : "";
  },
  pickAim(event) {
    this.aim = event.target.value;
    this.aimSaid = "";
  },
  typeLevel(event) {
    const value = plain(event.target.value);
    if (!Number.isFinite(value) || value < 0 || value > 110) {
      this.complain("aim", "Type a level from 0 to 110 % of the display's signal.");
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
