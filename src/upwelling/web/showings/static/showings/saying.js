// What guests say: outlines drawn by hand, remarks and what came of them.
import { post, sentence } from "../js/http.js";

const STANDS = { open: "not answered yet", answered: "answered", done: "✓ ticked off", said: "" };
const ACTS = { tick: "Tick it off", open: "Open again", remove: "Take it back" };
const MOST_POINTS = 300;
const APART = 0.004;

const path = (points) => (points.length > 1 ? `M${points.map(([x, y]) => `${x} ${y}`).join("L")}Z` : "");

// The line round a place: of an outline its points, of a rectangle its corners.
function around({ kind, points, left, top, right, bottom }) {
  return kind === "outline" ? points : [[left, top], [right, top], [right, bottom], [left, bottom]];
}

export const saying = {
  remarks: [],
  pins: [],
  drawing: false,
  line: [],
  stroke: false,
  trouble: "",

  get drawSaid() {
    if (this.line.length > 2) return "Draw it anew";
    return this.drawing ? "Draw in the picture" : "Draw an outline";
  },
  get countSaid() {
    const open = this.remarks.filter((row) => row.state === "open").length;
    return open ? `${open} not answered yet` : "";
  },
  get outlines() {
    return this.pins.map((pin) => path(pin.points)).join("") + path(this.line);
  },
  toggleDrawing() {
    if (!this.drawable) {
      this.trouble = "The movie shows this in another shape than its still. Draw in the still.";
      return;
    }
    this.trouble = "";
    this.line = [];
    this.drawing = !this.drawing;
    this.$refs.video.pause();
  },
  forgetOutline() {
    this.line = [];
    this.drawing = false;
  },
  shareOf(event) {
    const box = this.$refs.shown.getBoundingClientRect();
    const held = (value) => Math.min(Math.max(value, 0), 1);
    return [held((event.clientX - box.left) / box.width), held((event.clientY - box.top) / box.height)];
  },
  press(event) {
    if (!this.drawing && !this.wiping) return;
    event.preventDefault();
    this.stroke = true;
    this.$refs.shown.setPointerCapture(event.pointerId);
    if (this.drawing) this.line = [this.shareOf(event)];
    else this.wipeTo(this.shareOf(event)[0]);
  },
  drag(event) {
    if (!this.stroke) return;
    const [x, y] = this.shareOf(event);
    if (!this.drawing) return void this.wipeTo(x);
    const [lastX, lastY] = this.line[this.line.length - 1];
    if (this.line.length < MOST_POINTS && Math.hypot(x - lastX, y - lastY) > APART) this.line = [...this.line, [x, y]];
  },
  release() {
    if (this.stroke && this.drawing) {
      this.drawing = false;
      if (this.line.length < 3) this.line = [];
    }
    this.stroke = false;
  },
  async ask() {
    if (document.hidden) return;
    try {
      const response = await fetch(this.address, { headers: { Accept: "application/json" } });
      if (!response.ok) throw new Error(await sentence(response));
      this.take(await response.json());
    } catch (error) {
      this.trouble = error.message;
    }
  },
  take({ remarks, items }) {
    // Stills that were being made; an item in hand keeps its place.
    if (JSON.stringify(items) !== this.itemsWere) {
      this.itemsWere = JSON.stringify(items);
      this.takeItems(items);
      this.fillStates();
    }
    this.remarks = remarks.map((row, at) => ({
      ...row,
      number: remarks.length - at,
      where: this.whereOf(row),
      stands: [row.state === "answered" ? "" : STANDS[row.state], row.answered, row.carried && `said of ${row.carried}`].filter(Boolean).join(" · "),
      acts: this.says ? row.may.map((what) => ({ what, title: ACTS[what] })) : [],
    }));
    for (const one of this.items) one.open = this.remarks.filter((row) => row.item === one.pk && row.state === "open").length;
    this.placeRemarks();
  },
  whereOf(row) {
    const item = this.items.find((one) => one.pk === row.item);
    return item ? `${item.name}, ${row.at}` : row.at;
  },
  placeRemarks() {
    const { item } = this;
    const here = this.remarks.filter((row) => row.item === item.pk && row.place && row.state !== "done" && !this.movieOn);
    this.pins = here.map((row) => ({
      pk: row.pk,
      number: row.number,
      points: around(row.place),
      style: { left: `${100 * row.place.right}%`, top: `${100 * row.place.top}%` },
    }));
  },
  goTo(row) {
    const item = this.items.find((one) => one.pk === row.item);
    if (this.movieOn) this.toggleStill();
    if (item) this.choose(item);
    this.$refs.shown.scrollIntoView({ block: "nearest" });
  },
  keySay(event) {
    if (event.key === "Enter" && (event.ctrlKey || event.metaKey)) this.say();
  },
  async send(body) {
    this.trouble = "";
    try {
      this.take(await (await post(this.address, { name: this.$refs.name.value, ...body })).json());
      return true;
    } catch (error) {
      this.trouble = error.message;
      return false;
    }
  },
  async say() {
    const { text } = this.$refs;
    const place = this.line.length > 2 ? { kind: "outline", points: this.line } : null;
    const moment = this.movieOn ? this.moment : null;
    const body = { what: "write", item: this.item.pk, state: this.item.states[this.one].pk, text: text.value, place, moment };
    if (!(await this.send(body))) return;
    text.value = "";
    this.forgetOutline();
  },
  settle(row, what) {
    this.send({ what, remark: row.pk });
  },
};
