// The Look panel: which Look the shot has, of its own or inherited, and its strength.
export const look = {
  get ownLook() {
    return this.settings.look !== null;
  },
  get hasLook() {
    return this.effective().look.look !== 0;
  },
  get lookFrom() {
    return this.ownLook ? "this shot's own" : this.data.look_origin;
  },

  // The select says what is in force.
  takeLook() {
    this.$refs.look.value = this.settings.look === null ? "inherit" : String(this.settings.look.look);
  },
  pickLook(event) {
    const strength = this.effective().look.strength;
    this.settings.look = event.target.value === "inherit" ? null : { look: Number(event.target.value), strength };
    this.syncControls();
    this.save("look");
  },
  inheritLook() {
    this.settings.look = null;
    this.takeLook();
    this.syncControls();
    this.save("inherited look");
  },
};
