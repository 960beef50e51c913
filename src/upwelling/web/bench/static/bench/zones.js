// Zone balance: borders over the picture's stops, and one plane of hue and amount with a puck for each zone.
import { minus } from "../js/numbers.js";
import { bars, make } from "./svg.js";

const ZONES = ["shadows", "mids", "highlights"],
  LETTERS = ["S", "M", "H"],
  BORDERS = ["shadows to mids", "mids to highlights"];
const SPAN = [-8, 8],
  GAIN = 4,
  APART = 0.1,
  LEAST_SOFT = 0.5,
  MOST_SOFT = 8;
const PAD = { left: 10, right: 10, top: 8, bottom: 18 };
const held = (value, low, high) => Math.min(Math.max(value, low), high);
const round = (value, digits) => Number(value.toFixed(digits));

// A drawing as large as it is shown, with places for values across and up.
class Plane {
  constructor(svg, across, up) {
    Object.assign(this, { svg, across, up });
    this.wide = Math.max(svg.clientWidth, 120);
    this.tall = Math.max(svg.clientHeight, 60);
    svg.replaceChildren();
    svg.setAttribute("viewBox", `0 0 ${this.wide} ${this.tall}`);
    make("rect", { class: "paper", width: this.wide, height: this.tall }, svg);
  }
  get foot() {
    return this.tall - PAD.bottom;
  }
  x(value) {
    const [low, high] = this.across;
    return PAD.left + ((value - low) / (high - low)) * (this.wide - PAD.left - PAD.right);
  }
  y(value) {
    const [low, high] = this.up;
    return this.foot - ((value - low) / (high - low)) * (this.foot - PAD.top);
  }
  // How far a pointer moved, in values.
  moved(from, to) {
    const scale = this.svg.getScreenCTM().a,
      [[left, right], [low, high]] = [this.across, this.up];
    return [
      ((to.clientX - from.clientX) / scale / (this.wide - PAD.left - PAD.right)) * (right - left),
      ((from.clientY - to.clientY) / scale / (this.foot - PAD.top)) * (high - low),
    ];
  }
  tick(value, text) {
    make("text", { class: `tick ${value === this.across[1] ? "end" : "middle"}`, x: this.x(value), y: this.tall - 4 }, this.svg).textContent = text;
  }
}

export class ZoneEditor {
  // bench: the page. The values are those of the step in hand there.
  constructor(bench, root) {
    this.bench = bench;
    [this.over, this.plane, this.said] = [...root.children];
    this.before = `steps.${bench.index}.`;
    for (const svg of [this.over, this.plane]) bench.watchSize(() => this.draw()).observe(svg);
  }
  // Each value by itself: a slider that is drawn may be ahead of the settings.
  read(name) {
    const place = this.before + name;
    return this.bench.get(place).map((_, n) => this.bench.get(`${place}.${n}`));
  }
  put(values) {
    this.bench.setAll(Object.entries(values).map(([name, value]) => [this.before + name, value]));
  }

  draw() {
    if (!this.over.isConnected) return;
    this.drawBorders();
    this.drawPushes();
    this.place();
    this.show(this.zones);
    this.behind(this.ground);
  }
  drawBorders() {
    const plot = new Plane(this.over, SPAN, [-GAIN, GAIN]),
      { svg } = plot;
    this.stops = plot;
    this.tones = make("g", {}, svg);
    this.areas = ZONES.map((name) => make("path", { class: `zone ${name}` }, svg));
    for (let stop = -8; stop <= 8; stop += 2) plot.tick(stop, stop === 8 ? "stops" : minus(stop));
    make("line", { class: "zeroline", x1: plot.x(-8), x2: plot.x(8), y1: plot.y(0), y2: plot.y(0) }, svg);
    this.line = make("polyline", { class: "curve" }, svg);
    this.bars = BORDERS.map(() => make("line", { class: "border", y1: PAD.top, y2: plot.foot }, svg));
    this.spans = BORDERS.map(() => make("line", { class: "softspan", y1: PAD.top + 4, y2: PAD.top + 4 }, svg));
    this.softs = BORDERS.map((name, n) => this.handle(svg, `Softness, ${name}`, "soft", (from, by, fine) => this.soften(n, from, by, fine)));
    this.grips = BORDERS.map((name, n) => this.handle(svg, `Border, ${name}`, "grip", (from, by, fine) => this.moveBorder(n, from, by, fine)));
  }
  drawPushes() {
    const plot = new Plane(this.plane, [0, 360], [0, 1]),
      { svg } = plot;
    this.pushes = plot;
    for (let hue = 0; hue < 360; hue += 12)
      make("rect", { x: plot.x(hue), y: plot.foot, width: plot.x(12) - plot.x(0) + 0.5, height: 4, fill: `hsl(${hue + 6} 45% 55%)` }, svg);
    for (const [hue, text] of [[0, "R"], [60, "Ye"], [120, "G"], [180, "Cy"], [240, "B"], [300, "Mg"]]) plot.tick(hue, text);
    for (const push of [0.25, 0.5, 0.75, 1]) make("line", { class: "grid", x1: plot.x(0), x2: plot.x(360), y1: plot.y(push), y2: plot.y(push) }, svg);
    this.pucks = ZONES.map((name, n) => this.handle(svg, `Push, ${name}`, `puck ${name}`, (from, by, fine) => this.push(n, from, by, fine)));
    this.letters = LETTERS.map((letter) => {
      const text = make("text", { class: "puckname" }, svg);
      text.textContent = letter;
      return text;
    });
  }
  // A handle: dragged, with Shift a tenth as far; arrows move it, with Shift a tenth. `move` takes the values it had,
  // what was moved across and up, and whether finely.
  handle(svg, name, look, move) {
    const node = make("circle", { class: `knot ${look}`, r: 6, tabindex: 0, role: "slider", "aria-label": name }, svg),
      values = () => Object.fromEntries(["borders", "softness", "push", "hue"].map((key) => [key, [...this.read(key)]]));
    node.addEventListener("pointerdown", (event) => {
      if (!this.bench.data.editable) return;
      event.preventDefault();
      node.focus();
      node.setPointerCapture(event.pointerId);
      const from = values(),
        plot = svg === this.over ? this.stops : this.pushes;
      let last = event,
        gone = [0, 0];
      const onMove = (next) => {
        const share = next.shiftKey ? 0.1 : 1,
          [across, up] = plot.moved(last, next);
        last = next;
        gone = [gone[0] + across * share, gone[1] + up * share];
        move(from, gone, next.shiftKey);
      };
      node.addEventListener("pointermove", onMove);
      node.addEventListener("lostpointercapture", () => {
        node.removeEventListener("pointermove", onMove);
        if (gone[0] || gone[1]) this.bench.save(name.toLowerCase());
      }, { once: true });
    });
    node.addEventListener("keydown", (event) => {
      const way = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key];
      if (!way || !this.bench.data.editable) return;
      event.preventDefault();
      const by = (look.startsWith("puck") ? [5, 0.02] : [0.1, 0.1]).map((size, axis) => size * way[axis] * (event.shiftKey ? 0.1 : 1));
      move(values(), by, event.shiftKey);
      this.bench.saveSoon(name.toLowerCase());
    });
    return node;
  }
  // A border stops short of the other one.
  moveBorder(n, from, [across], fine) {
    const borders = [...from.borders],
      asked = borders[n] + across;
    borders[n] = round(n ? held(asked, borders[0] + APART, SPAN[1]) : held(asked, SPAN[0], borders[1] - APART), fine ? 2 : 1);
    this.put({ [`borders.${n}`]: borders[n] });
  }
  soften(n, from, [across, up], fine) {
    this.put({ [`softness.${n}`]: round(held(from.softness[n] + 2 * (across || up), LEAST_SOFT, MOST_SOFT), fine ? 2 : 1) });
  }
  push(n, from, [across, up], fine) {
    const hue = (((from.hue[n] + across) % 360) + 360) % 360;
    this.put({ [`hue.${n}`]: round(hue, fine ? 1 : 0), [`push.${n}`]: round(held(from.push[n] + up, 0, 1), fine ? 3 : 2) });
  }

  // The handles stand at the values.
  place() {
    if (!this.stops) return;
    const [borders, softness, hue, push] = ["borders", "softness", "hue", "push"].map((name) => this.read(name)),
      { stops, pushes } = this;
    const put = (node, x, y, value, text) => {
      const says = { cx: x, cy: y, "aria-valuenow": value, "aria-valuetext": text };
      for (const [name, said] of Object.entries(says)) node.setAttribute(name, said);
    };
    borders.forEach((border, n) => {
      const x = stops.x(border),
        half = softness[n] / 2,
        [left, right] = [stops.x(border - half), stops.x(border + half)].map((at) => held(at, PAD.left, stops.wide - PAD.right));
      for (const end of ["x1", "x2"]) this.bars[n].setAttribute(end, x);
      this.spans[n].setAttribute("x1", left);
      this.spans[n].setAttribute("x2", right);
      put(this.grips[n], x, stops.foot - 6, border, `${minus(border)} stops`);
      put(this.softs[n], right, PAD.top + 4, softness[n], `${softness[n]} stops`);
    });
    hue.forEach((angle, n) => {
      const x = pushes.x(angle),
        y = pushes.y(push[n]);
      put(this.pucks[n], x, y, push[n], `${push[n]} to ${angle}°`);
      this.letters[n].setAttribute("x", x);
      this.letters[n].setAttribute("y", y + 3);
    });
  }
  // What the server says of them: how much of each zone lies where, and the gain.
  show(zones) {
    this.zones = zones;
    if (!zones || !this.stops) return;
    const { stops } = this,
      step = (zones.high - zones.low) / (zones.gain.length - 1),
      at = (i) => stops.x(zones.low + i * step).toFixed(1),
      share = (value) => (stops.foot - value * (stops.foot - PAD.top)).toFixed(1);
    zones.shares.forEach((row, n) => {
      const places = row.map((value, i) => `${at(i)} ${share(value)}`).join("L");
      this.areas[n].setAttribute("d", `M${at(0)} ${stops.foot}L${places}L${at(row.length - 1)} ${stops.foot}z`);
    });
    this.line.setAttribute("points", zones.gain.map((gain, i) => `${at(i)},${stops.y(held(gain, -GAIN, GAIN)).toFixed(1)}`).join(" "));
    this.said.textContent = zones.said;
  }
  behind(ground) {
    this.ground = ground;
    if (!ground || !this.stops) return;
    const { stops } = this,
      [first, last] = SPAN;
    this.tones.replaceChildren();
    bars(this.tones, ground.stops, { x: (value) => stops.x(value), first, last, foot: stops.foot, top: PAD.top });
  }
}

export const zones = {
  zoneEditor: null,

  startZones(place) {
    const root = place.querySelector(".zones");
    this.zoneEditor = root ? new ZoneEditor(this, root) : null;
  },
};
