// What people say of a frame: written at the region or the trace, shown in the picture at its frame, answered, ticked off.
import { post } from "../js/http.js";

const STATES = { said: "", open: "? open", answered: "answered", done: "✓ ticked off" };
const ACTS = { answered: "Answered", tick: "Tick it off", open: "Open again", remove: "Remove" };
const SMALLEST = 14;

// A point of an outline in shares of the rectangle round it.
function within([x, y], { left, right, top, bottom }) {
  return `${(x - left) / (right - left || 1)},${(y - top) / (bottom - top || 1)}`;
}

export const remarks = {
  remarks: [],
  remarksOpen: false,
  remarkPins: [],

  start() {
    this.takeRemarks(this.data.remarks);
    if (new URLSearchParams(window.location.search).has("remarks")) this.remarksOpen = true;
  },
  get remarksShown() {
    const open = this.remarks.filter((row) => row.state === "open").length;
    return this.remarks.length ? `Remarks${open ? `, ${open} open` : ` ${this.remarks.length}`}` : "Remarks";
  },
  get remarkFrame() {
    return this.timecode ? `${this.timecode}` : `frame ${this.frame}`;
  },
  toggleRemarks() {
    this.remarksOpen = !this.remarksOpen;
    this.pickRemarkPlace();
    if (!this.remarksOpen) return this.$refs.picture.focus();
    if (!this.open.side) this.toggleSide();
    this.$refs.remarkPlace.value = this.region ? "region" : "point";
    return this.$nextTick(() => this.$refs.remarkText.focus());
  },
  takeRemarks(rows) {
    this.remarks = rows.map((row, n) => ({
      ...row,
      number: n + 1,
      framed: row.frame !== null,
      stateSaid: STATES[row.state],
      look: { open: row.state === "open", done: row.state === "done" },
      acts: row.may.map((what) => ({ what, title: ACTS[what] })),
      replying: false,
    }));
    this.placeRemarks();
  },
  async sendRemark(body) {
    this.work(1);
    try {
      this.takeRemarks((await (await post(this.data.urls["remark-at-frame"], body)).json()).remarks);
      this.settle("remark");
      return true;
    } catch (error) {
      this.complain("remark", error.message);
      return false;
    } finally {
      this.work(-1);
    }
  },
  async sayRemark() {
    await this.saving;
    const field = this.$refs.remarkText,
      seen = this.$refs.picture.dataset.fingerprint || "",
      where = { place: this.placeOfRemark, frame: this.frame, seen, output: this.output },
      body = { what: "write", text: field.value, question: this.$refs.remarkAsks.checked, ...where };
    if (!(await this.sendRemark(body))) return;
    field.value = "";
    this.pickRemarkPlace();
  },
  // A rectangle or an ellipse, or the trace as one without size, in shares of the picture.
  get placeOfRemark() {
    const { value } = this.$refs.remarkPlace,
      { width, height } = this.data.frame;
    if (value === "region" && this.region) return { ...this.region };
    if (value === "outline") return this.remarkLine.length > 2 ? { kind: "outline", points: this.remarkLine } : null;
    if (!value || !this.point) return null;
    const [x, y] = [(this.point.x + 0.5) / width, (this.point.y + 0.5) / height];
    return { kind: "rectangle", left: x, right: x, top: y, bottom: y };
  },
  keyRemark(event) {
    event.stopPropagation();
    if (event.key === "Enter" && (event.ctrlKey || event.metaKey)) this.sayRemark();
    if (event.key === "Escape") this.toggleRemarks();
  },
  remarkOf(event) {
    const number = Number(event.target.closest("[data-remark]").dataset.remark);
    return this.remarks.find((row) => row.pk === number);
  },
  showRemark(event) {
    const row = this.remarkOf(event);
    if (this.data.frames.first !== this.data.frames.last) this.standAt(row.frame);
    this.refresh(true);
    this.placeRemarks();
  },
  // From a pin in the picture to what was said there.
  openRemark(event) {
    const { remark } = event.currentTarget.dataset;
    this.remarksOpen = true;
    if (!this.open.side) this.toggleSide();
    this.$nextTick(() => this.$root.querySelector(`article[data-remark="${remark}"]`).scrollIntoView({ block: "nearest" }));
  },
  settleRemark(event) {
    this.sendRemark({ what: event.currentTarget.dataset.what, remark: this.remarkOf(event).pk });
  },
  replyTo(event) {
    this.remarkOf(event).replying = true;
    const field = event.target.closest("article").querySelector("input[type=text]");
    this.$nextTick(() => field.focus());
  },
  sendReply(event) {
    const field = event.target.querySelector("input");
    this.sendRemark({ what: "reply", remark: this.remarkOf(event).pk, text: field.value });
  },
  // Whether the picture has changed since depends on what was saved meanwhile.
  async renewRemarks() {
    if (!this.remarks.some((row) => row.framed && row.state !== "done")) return;
    const response = await fetch(this.data.urls["remark-at-frame"], { headers: { Accept: "application/json" } });
    if (!response.ok || this.left || this.remarks.some((row) => row.replying)) return;
    this.takeRemarks((await response.json()).remarks);
  },
  // Places of what was said of this frame and is not done.
  placeRemarks() {
    const here = this.remarks.filter((row) => row.place && row.frame === this.frame && row.state !== "done");
    if (!here.length || !this.point) {
      if (this.remarkPins.length) this.remarkPins = [];
      return;
    }
    const { at } = this.pairBox("here");
    this.remarkPins = here.map((row) => {
      const [x0, y0] = at([row.place.left, row.place.top]),
        [x1, y1] = at([row.place.right, row.place.bottom]),
        [wide, tall] = [Math.max(x1 - x0, SMALLEST), Math.max(y1 - y0, SMALLEST)],
        [left, top] = [(x0 + x1 - wide) / 2, (y0 + y1 - tall) / 2];
      return {
        pk: row.pk,
        number: row.number,
        title: row.text,
        name: `Remark ${row.number}: ${row.text}`,
        style: { left: `${left}px`, top: `${top}px`, width: `${wide}px`, height: `${tall}px` },
        look: { ellipse: row.place.kind === "ellipse", point: x1 - x0 < 1, outline: row.place.kind === "outline" },
        outline: (row.place.points || []).map((point) => within(point, row.place)).join(" "),
      };
    });
  },
};
