// Raw development: fields show the light and the exposure index in force, and typing one makes the balance the shot's own.
import { minus } from "../js/numbers.js";

export const raw = {
  developed: "",

  get development() {
    return this.settings.development || this.data.shared_development;
  },
  // What a field of the development stands at while a named balance or the recorded index is in force.
  inForce(path) {
    if (!this.data.raw_lights || !path.startsWith("development.")) return undefined;
    const { balance, exposure_index } = this.development,
      light = this.data.raw_lights.lights[balance];
    if (path === "development.exposure_index" && exposure_index === 0) return this.data.raw_lights.index;
    if (!light) return undefined;
    return { "development.kelvin": light[0], "development.duv": light[1] }[path];
  },
  // Before kelvin or tint is moved: the balance is the shot's own from here on, beginning at the light in force.
  ownBalance(path) {
    if (!["development.kelvin", "development.duv"].includes(path) || !this.settings.development) return;
    const light = this.data.raw_lights.lights[this.settings.development.balance];
    if (light) Object.assign(this.settings.development, { balance: "own", kelvin: light[0], duv: this.reachable(light[1]) });
  },
  // Within what the field takes.
  reachable(duv) {
    const { low, high } = this.$root.querySelector("[data-path='development.duv']").dataset;
    return Math.min(Number(high), Math.max(Number(low), duv));
  },
  get lightNow() {
    if (!this.data.raw_lights) return "";
    const { balance, kelvin, duv } = this.development,
      [k, d] = this.data.raw_lights.lights[balance] || [kelvin, duv];
    return `${k.toFixed(0)} K, Duv ${minus(d.toFixed(4))}`;
  },

  developFromPicture() {
    if (!this.locked) this.waitFor("raw", () => this.developAt());
  },
  async developAt() {
    if (this.locked) return;
    const said = await this.solve(this.data.urls["raw-neutral"]);
    if (!said) return;
    this.developed = "";
    await this.unlessDoubted("raw", said);
  },
  async takeRawNeutral(said) {
    const light = { balance: "own", kelvin: said.kelvin, duv: said.duv };
    this.settings.development = { ...this.development, ...light };
    this.syncControls();
    this.developed = said.sentence;
    await this.save("neutral patch");
  },
};
