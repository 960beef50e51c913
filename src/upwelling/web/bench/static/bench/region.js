// The region that scopes and figures look at, and one of its own for the picture beside: drawn, moved and sized by hand
// and keys.
import { around, between, grown, resized, shifted } from "./model/region.js";

export const region = {
  // That of the picture beside; null: the same place as in this one.
  regionThere: null,

  pickRegion(event) {
    this.regionKind = event.target.value;
    this.regionThere = null;
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
  get regionBeside() {
    return this.regionThere || this.region;
  },
  // Which of the two an outline is of, and where in its own picture the pointer is.
  regionOf(outline) {
    const there = outline === this.$refs.regionThere,
      { width, height } = there ? this.frameThere : this.data.frame,
      spot = (event) => (there ? this.spotThere(event) : this.spot(event));
    return { name: there ? "regionThere" : "region", width, height, spot, now: there ? this.regionBeside : this.region };
  },
  dragRegion(event) {
    event.preventDefault();
    const outline = event.currentTarget,
      { edge } = event.target.dataset,
      { name, width, height, spot, now } = this.regionOf(outline),
      from = spot(event),
      start = { ...now };
    outline.setPointerCapture(event.pointerId);
    const move = (next) => {
      const to = spot(next),
        [dx, dy] = [(to.x - from.x) / width, (to.y - from.y) / height];
      this.putRegion(name, edge ? resized(start, edge, dx, dy) : shifted(start, dx, dy), false);
    };
    outline.addEventListener("pointermove", move);
    outline.addEventListener(
      "pointerup",
      () => {
        outline.removeEventListener("pointermove", move);
        this.putRegion(name, this[name] || start, true);
      },
      { once: true },
    );
  },
  putRegion(name, to, rests) {
    this[name] = to;
    this.placeOverlays();
    if (name === "regionThere") this.refreshOther();
    else this.refresh(rests);
  },
  keyRegion(event) {
    const way = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowDown: [0, 1], ArrowUp: [0, -1] }[event.key],
      { name, now } = this.regionOf(event.currentTarget);
    if (event.key === "Delete") {
      if (name === "regionThere") return this.putRegion(name, null, true);
      this.$refs.regionPick.value = "";
      Object.assign(this, { regionKind: "", region: null, regionThere: null });
      this.placeOverlays();
      return this.refresh(true);
    }
    if (!way) return null;
    event.preventDefault();
    event.stopPropagation();
    const [dx, dy] = way.map((one) => 0.01 * one);
    return this.putRegion(name, event.shiftKey ? grown(now, dx, dy) : shifted(now, dx, dy), true);
  },
  // An outline over the picture that a region is of.
  outline(element, shown, box, frame) {
    element.hidden = !shown;
    if (!shown) return;
    const [x0, y0] = box.at(shown.left * frame.width, shown.top * frame.height),
      [x1, y1] = box.at(shown.right * frame.width, shown.bottom * frame.height);
    element.classList.toggle("ellipse", shown.kind === "ellipse");
    Object.assign(element.style, { left: `${x0}px`, top: `${y0}px`, width: `${x1 - x0}px`, height: `${y1 - y0}px` });
  },
};
