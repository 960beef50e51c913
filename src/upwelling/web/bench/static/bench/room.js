// Room for the picture: Column and scopes fold away, or the picture stands alone; wide screens have four scopes.
const WIDE = window.matchMedia("(min-width: 1700px)");

export const room = {
  open: { column: true, side: true, large: false },
  whole: false,

  start() {
    try {
      this.open = { ...this.open, ...JSON.parse(localStorage.getItem("bench-room")) };
    } catch {
      localStorage.removeItem("bench-room");
    }
    WIDE.addEventListener("change", () => this.refresh(true), { signal: this.leaving.signal });
  },
  get room() {
    return { nocolumn: !this.open.column || this.whole, noside: !this.open.side || this.whole, whole: this.whole, large: this.open.large };
  },
  // How many scopes are in view: none of those that are folded away is worked out.
  get scopesInView() {
    return this.open.side && !this.whole ? (WIDE.matches ? 4 : 2) : 0;
  },
  fold(name) {
    this.open = { ...this.open, [name]: !this.open[name] };
    this.whole = false;
    localStorage.setItem("bench-room", JSON.stringify(this.open));
    this.roomChanged();
  },
  toggleColumn() {
    this.fold("column");
  },
  toggleSide() {
    this.fold("side");
  },
  toggleLarge() {
    this.fold("large");
  },
  toggleWhole() {
    this.whole = !this.whole;
    this.roomChanged();
  },
  leaveWhole() {
    if (this.whole) this.toggleWhole();
  },
  roomChanged() {
    this.$nextTick(() => {
      this.placeOverlays();
      this.refresh(true);
    });
  },
};
