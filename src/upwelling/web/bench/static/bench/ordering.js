// The order of steps by hand: a name is drawn to another place in the list; a line shows where it would stand.
const STARTS = 5;

export const ordering = {
  drawn: null,
  wasDrawn: false,

  get orderStyle() {
    return { dragging: this.drawn !== null };
  },
  // How a row of the list looks while one is drawn.
  drawnStyle(id) {
    if (!this.drawn) return { dragged: false, before: false, after: false };
    const list = this.settings.steps,
      { from, to } = this.drawn;
    return { dragged: list[from].id === id, before: to < from && list[to].id === id, after: to > from && list[to].id === id };
  },
  drawStep(event) {
    if (event.button !== 0 || this.locked) return;
    const id = event.currentTarget.closest("[data-step]").dataset.step,
      from = this.model.indexOf(id),
      startedAt = event.clientY,
      list = event.currentTarget.closest("ol");
    this.wasDrawn = false;
    const move = (moved) => {
      if (!this.drawn && Math.abs(moved.clientY - startedAt) < STARTS) return;
      const to = this.placeAt(list, moved.clientY);
      if (!this.drawn || to !== this.drawn.to) this.drawn = { from, to };
      this.wasDrawn = true;
    };
    const end = (ended) => {
      window.removeEventListener("pointermove", move);
      window.removeEventListener("pointerup", end);
      window.removeEventListener("pointercancel", end);
      window.removeEventListener("keydown", leave, true);
      const drawn = this.drawn;
      this.drawn = null;
      if (drawn && drawn.to !== from && ended && ended.type === "pointerup") this.putStep(from, drawn.to);
    };
    const leave = (pressed) => {
      if (pressed.key !== "Escape") return;
      pressed.stopPropagation();
      end(null);
    };
    window.addEventListener("pointermove", move);
    window.addEventListener("pointerup", end);
    window.addEventListener("pointercancel", end);
    window.addEventListener("keydown", leave, true);
  },
  // The step whose row lies nearest to a height in the window.
  placeAt(list, y) {
    const rows = [...list.querySelectorAll("li[data-step]")].filter((row) => row.offsetParent);
    let best = 0,
      least = Infinity;
    for (const row of rows) {
      const at = this.model.indexOf(row.dataset.step),
        box = row.getBoundingClientRect(),
        away = Math.abs(box.top + box.height / 2 - y);
      if (at >= 0 && away < least) [best, least] = [at, away];
    }
    return best;
  },
  moveUp() {
    this.moveStep(-1);
  },
  moveDown() {
    this.moveStep(1);
  },
  moveStep(way) {
    this.putStep(this.index, this.index + way);
    this.focusStep();
  },
  putStep(from, to) {
    const step = this.locked ? null : this.model.move(from, to);
    if (step) this.changed(`move ${this.model.title(step).toLowerCase()} ${to < from ? "earlier" : "later"}`, step.id);
  },
};
