// The region that scopes and figures look at: drawn, moved and grown by hand and keys.
import { around, between, grown, shifted } from "./model/region.js";

export const region = {
  pickRegion(event) {
    this.regionKind = event.target.value;
    if (!this.regionKind) this.region = null;
    else if (this.region) this.region = { ...this.region, kind: this.regionKind };
    else this.region = around(this.regionKind, this.point, this.data.frame);
    this.placeOverlays();
    this.refresh(true);
  },
  setRegion(x0, y0, x1, y1) {
    this.region = between(this.regionKind, [x0, y0], [x1, y1], this.data.frame);
    this.placeOverlays();
  },
  dragRegion(event) {
    event.preventDefault();
    const outline = event.currentTarget,
      from = this.spot(event),
      start = { ...this.region },
      { width, height } = this.data.frame;
    outline.setPointerCapture(event.pointerId);
    const move = (next) => {
      const to = this.spot(next);
      this.shiftRegion(start, (to.x - from.x) / width, (to.y - from.y) / height);
      this.refresh(false);
    };
    outline.addEventListener("pointermove", move);
    outline.addEventListener(
      "pointerup",
      () => {
        outline.removeEventListener("pointermove", move);
        this.refresh(true);
      },
      { once: true },
    );
  },
  shiftRegion(start, dx, dy) {
    this.region = shifted(start, dx, dy);
    this.placeOverlays();
  },
  keyRegion(event) {
    const way = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowDown: [0, 1], ArrowUp: [0, -1] }[event.key];
    if (event.key === "Delete") {
      this.$refs.regionPick.value = "";
      this.regionKind = "";
      this.region = null;
      this.placeOverlays();
      return this.refresh(true);
    }
    if (!way) return null;
    event.preventDefault();
    event.stopPropagation();
    const step = 0.01;
    if (event.shiftKey) {
      this.region = grown(this.region, way[0] * step, way[1] * step);
      this.placeOverlays();
    } else this.shiftRegion(this.region, way[0] * step, way[1] * step);
    return this.refresh(true);
  },
};
