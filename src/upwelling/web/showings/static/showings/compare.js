// Two states of a frame: held, wiped, side by side.
export const compare = {
  one: 0,
  two: 1,
  held: false,
  wiping: false,
  beside: false,

  get comparable() {
    return this.item.states.length > 1 && !this.movieOn;
  },
  get look() {
    const two = this.comparable;
    return { wiping: two && this.wiping, beside: two && this.beside, playing: this.movieOn, drawing: this.drawing };
  },
  // Names of states, which differ from frame to frame; what was chosen stays where there is one of that name.
  fillStates() {
    const names = this.item.states.map((state) => state.name);
    const keep = (at, otherwise) => Math.min(at < names.length ? at : otherwise, Math.max(names.length - 1, 0));
    this.one = keep(this.one, 0);
    this.two = keep(this.two, 1);
    for (const [field, chosen] of [[this.$refs.one, this.one], [this.$refs.two, this.two]]) {
      field.replaceChildren(...names.map((name, at) => new Option(name, String(at))));
      field.value = String(chosen);
    }
  },
  pickStates() {
    this.one = Number(this.$refs.one.value);
    this.two = Number(this.$refs.two.value);
  },
  hold() {
    if (this.comparable) this.held = true;
  },
  letGo() {
    this.held = false;
  },
  toggleWipe() {
    this.wiping = this.comparable && !this.wiping;
    this.beside = false;
  },
  toggleBeside() {
    this.beside = this.comparable && !this.beside;
    this.wiping = false;
  },
  wipe() {
    this.$refs.shown.style.setProperty("--wipe", `${this.$refs.wipe.value}%`);
  },
  wipeTo(share) {
    this.$refs.wipe.value = String(Math.round(share * 100));
    this.wipe();
  },
};
