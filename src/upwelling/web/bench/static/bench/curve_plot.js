// The drawing of a curve: axes, the picture's distribution behind, the line between the points, and a knot for each.
import { minus } from "../js/numbers.js";
import { bars, make } from "./svg.js";

const LEAST = [160, 60],
  PAD = { left: 34, right: 8, top: 6, bottom: 18 };

export class CurvePlot {
  constructor(svg) {
    this.svg = svg;
    this.fit();
    new ResizeObserver(() => this.refit()).observe(svg);
  }

  // Drawn as large as it is shown, and anew when that changes.
  fit() {
    const { clientWidth, clientHeight } = this.svg;
    [this.wide, this.tall] = [Math.max(clientWidth, LEAST[0]), Math.max(clientHeight, LEAST[1])];
  }
  refit() {
    const { wide, tall } = this;
    this.fit();
    if (this.svg.isConnected && this.again && (wide !== this.wide || tall !== this.tall)) this.again();
  }

  x(value) {
    const [low, high] = this.shown;
    return PAD.left + ((value - low) / (high - low)) * (this.wide - PAD.left - PAD.right);
  }
  y(value) {
    const [low, high] = this.spec.y;
    return this.tall - PAD.bottom - ((value - low) / (high - low)) * (this.tall - PAD.top - PAD.bottom);
  }
  label(value) {
    return minus(Number(value.toFixed(this.spec.y[1] - this.spec.y[0] > 20 ? 1 : 3)));
  }
  // Where a pointer is, in values of the axes; the drawing may stand inside a larger box.
  spot(event) {
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(this.svg.getScreenCTM().inverse()),
      across = (at.x - PAD.left) / (this.wide - PAD.left - PAD.right),
      up = (this.tall - PAD.bottom - at.y) / (this.tall - PAD.top - PAD.bottom),
      [[low, high], [bottom, top]] = [this.shown, this.spec.y];
    return [low + across * (high - low), bottom + up * (top - bottom)];
  }

  // Everything anew; the knots, in order. `again` is called when the plot has another size.
  draw(spec, count, again) {
    if (this.spec !== spec) this.shown = spec.x;
    this.spec = spec;
    this.again = again;
    const { svg } = this;
    svg.replaceChildren();
    svg.setAttribute("viewBox", `0 0 ${this.wide} ${this.tall}`);
    make("rect", { class: "paper", width: this.wide, height: this.tall }, svg);
    this.ground = make("g", {}, svg);
    if (spec.around) this.hues();
    this.upright();
    this.level();
    this.line = make("polyline", { class: "curve" }, svg);
    this.knots = Array.from({ length: count }, (_, i) =>
      make("circle", { class: "knot", r: 5.5, tabindex: 0, role: "slider", "data-knot": i }, svg),
    );
    return this.knots;
  }
  // So many times closer about a place of the axis; below 1 wider, to the whole of it and no further.
  closer(times, about) {
    const [low, high] = this.spec.x,
      wide = Math.max(Math.min((this.shown[1] - this.shown[0]) / times, high - low), (high - low) / 16),
      share = (about - this.shown[0]) / (this.shown[1] - this.shown[0]),
      left = Math.min(Math.max(about - share * wide, low), high - wide);
    this.shown = [left, left + wide];
    this.again();
  }
  get isWhole() {
    return this.shown[1] - this.shown[0] >= this.spec.x[1] - this.spec.x[0];
  }
  isShown(value) {
    return value >= this.shown[0] - 1e-9 && value <= this.shown[1] + 1e-9;
  }
  hues() {
    for (let hue = 0; hue < 360; hue += 10) {
      if (!this.isShown(hue) || !this.isShown(hue + 10)) continue;
      make(
        "rect",
        {
          class: "hue",
          "data-hue": hue,
          x: this.x(hue),
          y: this.tall - PAD.bottom,
          width: this.x(hue + 10) - this.x(hue) + 0.5,
          height: 4,
          fill: `oklch(0.7 0.1 ${hue + 5})`,
        },
        this.svg,
      );
    }
  }
  upright() {
    const [low, high] = this.shown;
    for (let i = 0; i <= 8; i++) {
      const value = low + (i / 8) * (high - low),
        x = this.x(value);
      make("line", { class: "grid", x1: x, x2: x, y1: PAD.top, y2: this.tall - PAD.bottom }, this.svg);
      if (i % 2) continue;
      make("text", { class: "tick middle", x, y: this.tall - 4 }, this.svg).textContent = minus(Number(value.toFixed(2)));
    }
  }
  level() {
    const { spec, svg } = this,
      rest = spec.default[0][1],
      [low, high] = this.shown,
      [bottom, top] = spec.y;
    for (const value of [bottom, spec.identity ? (bottom + top) / 2 : rest, top]) {
      const y = this.y(value);
      make("text", { class: "tick end", x: PAD.left - 4, y: y + 3 }, svg).textContent = minus(value);
      if (spec.identity) continue;
      const kind = value === rest ? "zeroline" : "grid";
      make("line", { class: kind, x1: PAD.left, x2: this.wide - PAD.right, y1: y, y2: y }, svg);
    }
    if (!spec.identity) return;
    make("line", { class: "zeroline", x1: this.x(low), y1: this.y(bottom), x2: this.x(high), y2: this.y(top) }, svg);
  }

  // The knots stand at the points; `at` is the one in hand.
  place(points, at) {
    const { spec } = this;
    points.forEach(([px, py], i) => {
      const says = {
        cx: this.x(px),
        cy: this.y(py),
        "aria-label": `${spec.title}, point ${i + 1} of ${points.length}`,
        "aria-valuenow": py,
        "aria-valuemin": spec.y[0],
        "aria-valuemax": spec.y[1],
        "aria-valuetext": `${this.label(px)} ${spec.x_unit}: ${this.label(py)} ${spec.y_unit}`,
      };
      for (const [name, value] of Object.entries(says)) this.knots[i].setAttribute(name, value);
      this.knots[i].classList.toggle("inhand", i === at);
      this.knots[i].classList.toggle("beyond", !this.isShown(px));
    });
  }
  drawLine({ xs, ys }) {
    const [bottom, top] = this.spec.y;
    const places = xs.flatMap((x, i) =>
      this.isShown(x) ? [`${this.x(x).toFixed(1)},${this.y(Math.min(Math.max(ys[i], bottom), top)).toFixed(1)}`] : [],
    );
    this.line.setAttribute("points", places.join(" "));
    this.svg.classList.remove("refused");
  }
  refuse() {
    this.svg.classList.add("refused");
  }

  // How often each place of the axis occurs in the picture, and where the traced pixel stands.
  behind({ pixel, ...counted }) {
    const [first, last] = this.shown,
      foot = this.tall - PAD.bottom;
    this.ground.replaceChildren();
    if (pixel !== null && pixel >= first && pixel <= last)
      make("line", { class: "tracedplace", x1: this.x(pixel), x2: this.x(pixel), y1: PAD.top, y2: foot }, this.ground);
    bars(this.ground, counted, { x: (value) => this.x(value), first, last, foot, top: PAD.top });
  }
}
