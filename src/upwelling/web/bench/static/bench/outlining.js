// An outline drawn by hand over the picture, for what is said of it.
const MOST = 300;
const APART = 0.004;

export const outlining = {
  remarkLine: [],
  remarkDraws: false,

  start() {
    const { stage } = this.$refs,
      { signal } = this.leaving;
    // Before the trace, the region and the zoom, which act where nothing is drawn.
    stage.addEventListener("pointerdown", (event) => this.beginOutline(event), { capture: true, signal });
    stage.addEventListener("pointermove", (event) => this.goOnOutline(event), { capture: true, signal });
    stage.addEventListener("pointerup", (event) => this.endOutline(event), { capture: true, signal });
  },
  pickRemarkPlace() {
    this.remarkLine = [];
    this.drawRemark(this.$refs.remarkPlace.value === "outline");
  },
  drawRemark(is) {
    this.remarkDraws = is;
    this.$refs.stage.classList.toggle("outlining", is);
  },
  // The outline as it lies in the stage, in its pixels.
  get remarkPath() {
    if (this.remarkLine.length < 2) return "";
    const { at } = this.pairBox("here");
    return `M${this.remarkLine.map((point) => at(point).join(" ")).join("L")}Z`;
  },
  shareInFrame({ clientX, clientY }) {
    const { rect, left, top, scale, x, y } = this.box(),
      { width, height } = this.data.frame,
      held = (share) => Math.min(Math.max(share, 0), 1);
    return [held(((clientX - rect.left - left) / scale + x) / width), held(((clientY - rect.top - top) / scale + y) / height)];
  },
  beginOutline(event) {
    if (!this.remarkDraws || event.button || event.target.closest("button, input, select")) return;
    event.preventDefault();
    event.stopPropagation();
    this.$refs.stage.setPointerCapture(event.pointerId);
    this.remarkLine = [this.shareInFrame(event)];
  },
  goOnOutline(event) {
    if (!this.remarkDraws || !this.remarkLine.length) return;
    event.stopPropagation();
    const next = this.shareInFrame(event),
      last = this.remarkLine[this.remarkLine.length - 1];
    if (this.remarkLine.length < MOST && Math.hypot(next[0] - last[0], next[1] - last[1]) > APART)
      this.remarkLine = [...this.remarkLine, next];
  },
  endOutline(event) {
    if (!this.remarkDraws || !this.remarkLine.length) return;
    event.stopPropagation();
    this.drawRemark(false);
    if (this.remarkLine.length < 3) this.pickRemarkPlace();
  },
};
