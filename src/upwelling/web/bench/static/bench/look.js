// The Look panel: which Look the shot has, of its own or inherited, and its strength; and the Look of the display.
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
  // --- the Look of the display, over the rendering ------------------------------------------------------------------
  get ownOver() {
    return this.settings.display_look_strength !== null;
  },
  get overText() {
    return Math.round(100 * (this.settings.display_look_strength ?? this.data.display_look_strength));
  },
  slideOver(event) {
    this.settings.display_look_strength = Number(event.target.value) / 100;
    this.refresh(false);
  },
  restOver() {
    this.save("strength of the Look of the display");
  },
  inheritOver() {
    this.settings.display_look_strength = null;
    this.save("the production's Look of the display");
  },

  // How much this shot takes of the Look that its group has over the first one; empty: as it is.
  get secondText() {
    const { strength } = this.settings.group_look;
    return strength === null ? "" : String(Math.round(100 * strength));
  },
  typeSecond(event) {
    const text = event.target.value.trim(),
      value = Number(text);
    if (text && !(value >= 0 && value <= 100)) {
      this.complain("layer", "Type how much of the Look this shot takes, from 0 to 100 %, or nothing for as it is.");
      event.target.value = this.secondText;
      return;
    }
    this.settings.group_look.strength = text ? value / 100 : null;
    this.settle("layer");
    this.save("strength of the group's Look");
  },

  inheritLook() {
    this.settings.look = null;
    this.takeLook();
    this.syncControls();
    this.save("inherited look");
  },
};
