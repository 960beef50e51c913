// What is seen of the picture: view, zoom, and where the trace stands in it.
export const picture = {
  pickView(event) {
    this.setView(event.target.value);
  },
  setView(view) {
    if (["selection", "over", "matte"].includes(view) && !this.limited)
      return this.complain("view", "The step in hand acts everywhere: it has no matte to show. Give it a selection first.");
    this.view = view;
    this.settle("view");
    return this.refresh(true);
  },
  pickZoom(event) {
    this.setZoom(event.target.value);
  },
  setZoom(zoom) {
    this.zoom = zoom;
    this.setPart();
    this.refresh(true);
  },
  // What is shown of the full frame: pixels of the file for pixels of the page, about the trace.
  setPart() {
    const { width, height } = this.data.frame;
    if (this.zoom === "fit") {
      this.part = null;
      return;
    }
    const stage = this.$refs.stage,
      per = this.zoom === "200" ? 2 : 1,
      two = this.compare === "beside",
      [across, down] = two ? (this.stacked ? [1, 2] : [2, 1]) : [1, 1];
    const wide = Math.min(width, Math.max(16, Math.round(stage.clientWidth / per / across))),
      tall = Math.min(height, Math.max(16, Math.round(stage.clientHeight / per / down)));
    this.part = {
      x: Math.min(Math.max(this.point.x - Math.round(wide / 2), 0), width - wide),
      y: Math.min(Math.max(this.point.y - Math.round(tall / 2), 0), height - tall),
      width: wide,
      height: tall,
    };
  },

  box() {
    const rect = this.$refs.picture.getBoundingClientRect();
    const { width, height } = this.part || this.data.frame,
      x = this.part ? this.part.x : 0,
      y = this.part ? this.part.y : 0;
    const scale = Math.min(rect.width / width, rect.height / height);
    return {
      scale,
      wide: width * scale,
      tall: height * scale,
      left: (rect.width - width * scale) / 2,
      top: (rect.height - height * scale) / 2,
      rect,
      x,
      y,
    };
  },
  // The same of the picture beside.
  get frameThere() {
    return this.otherShot || this.data.frame;
  },
  boxThere() {
    const rect = this.$refs.other.getBoundingClientRect(),
      stage = this.$refs.stage.getBoundingClientRect(),
      { width, height, x = 0, y = 0 } = this.otherPart || this.frameThere,
      scale = Math.min(rect.width / width, rect.height / height);
    const left = (rect.width - width * scale) / 2,
      top = (rect.height - height * scale) / 2;
    const at = (px, py) => [rect.left - stage.left + left + (px - x) * scale, rect.top - stage.top + top + (py - y) * scale];
    return { rect, scale, left, top, x, y, at };
  },
  spotThere(event) {
    const { scale, left, top, rect, x, y } = this.boxThere();
    return { x: x + (event.clientX - rect.left - left) / scale, y: y + (event.clientY - rect.top - top) / scale };
  },
  spot(event) {
    const { scale, left, top, rect, x, y } = this.box();
    return { x: x + (event.clientX - rect.left - left) / scale, y: y + (event.clientY - rect.top - top) / scale };
  },
  place(event) {
    if (event.button) return;
    const canvas = event.currentTarget,
      from = this.spot(event),
      at = [event.clientX, event.clientY];
    let drawing = false;
    canvas.setPointerCapture(event.pointerId);
    const move = (next) => {
      if (!this.regionKind) return;
      if (!drawing && Math.hypot(next.clientX - at[0], next.clientY - at[1]) < 5) return;
      drawing = true;
      const to = this.spot(next);
      this.setRegion(from.x, from.y, to.x, to.y);
      this.refresh(false);
    };
    canvas.addEventListener("pointermove", move);
    canvas.addEventListener(
      "pointerup",
      () => {
        canvas.removeEventListener("pointermove", move);
        if (drawing) this.refresh(true);
        else {
          this.moveTo(Math.floor(from.x), Math.floor(from.y));
          this.clickedAt();
        }
      },
      { once: true },
    );
  },
  nudge(event) {
    const way = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowDown: [0, 1], ArrowUp: [0, -1] }[event.key];
    if (!way) return;
    event.preventDefault();
    const by = event.shiftKey ? 10 : 1;
    this.moveTo(this.point.x + way[0] * by, this.point.y + way[1] * by);
  },
  moveTo(x, y) {
    const { width, height } = this.data.frame;
    this.point = { x: Math.min(Math.max(x, 0), width - 1), y: Math.min(Math.max(y, 0), height - 1) };
    const part = this.part;
    if (part && (x < part.x || y < part.y || x >= part.x + part.width || y >= part.y + part.height)) this.setPart();
    this.placeOverlays();
    this.refresh(true);
  },
};
