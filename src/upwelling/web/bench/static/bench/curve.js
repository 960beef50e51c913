// Curves of a step: an SVG whose points are dragged, nudged, added and removed. Which curve it is drawn as comes from the server.
import { post } from "../js/http.js";
import { minus, plain } from "../js/numbers.js";

const SVG = "http://www.w3.org/2000/svg";
const LEAST = [160, 60],
  PAD = { left: 34, right: 8, top: 6, bottom: 18 };

const make = (name, attributes, parent) => {
  const element = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  parent.append(element);
  return element;
};

class CurveEditor {
  constructor(bench, root, curves) {
    this.bench = bench;
    this.curves = curves;
    this.svg = root.querySelector("svg");
    this.pick = root.querySelector(".curvepick.whole");
    this.fields = { x: root.querySelector("[data-axis=x]"), y: root.querySelector("[data-axis=y]") };
    this.units = { x: root.querySelector("[data-unit=x]"), y: root.querySelector("[data-unit=y]") };
    this.help = root.querySelector(".curvehelp");
    this.fit();
    this.buttons = {
      add: root.querySelector("[data-do=add]"),
      remove: root.querySelector("[data-do=remove]"),
      reset: root.querySelector("[data-do=reset]"),
      around: root.querySelector("[data-do=around]"),
    };
    this.axes = Object.fromEntries(["by", "changes"].map((name) => [name, root.querySelector(`[data-curve=${name}]`)]));
    if (this.axes.by)
      for (const select of Object.values(this.axes))
        select.addEventListener("change", () => {
          const { by, changes } = this.axes;
          this.choose(curves.find((one) => one.by === by.value && one.changes === changes.value).path);
        });
    if (this.buttons.around) this.buttons.around.addEventListener("click", () => this.pickColour());
    // A page that makes the editor anew keeps the curve and the point in hand.
    this.at = bench.pointInHand && bench.pointInHand.step === bench.step ? bench.pointInHand.at : 0;
    this.pick.addEventListener("change", () => this.choose(this.pick.value));
    this.buttons.add.addEventListener("click", () => this.addBeside());
    this.buttons.remove.addEventListener("click", () => this.remove());
    this.buttons.reset.addEventListener("click", () =>
      this.write(JSON.parse(JSON.stringify(this.spec.default)), true, "reset a curve"),
    );
    for (const axis of ["x", "y"]) this.fields[axis].addEventListener("change", () => this.typed(axis));
    const bent = curves.find((curve) => this.isBent(curve));
    this.choose(
      bench.curveInHand && curves.some((c) => c.path === bench.curveInHand)
        ? bench.curveInHand
        : (bent || curves[0]).path,
    );
    new ResizeObserver(() => this.refit()).observe(this.svg);
  }

  // The plot is drawn as large as it is shown, and anew when that changes.
  fit() {
    const { clientWidth, clientHeight } = this.svg;
    [this.wide, this.tall] = [Math.max(clientWidth, LEAST[0]), Math.max(clientHeight, LEAST[1])];
  }
  refit() {
    const { wide, tall } = this;
    this.fit();
    if (this.svg.isConnected && (wide !== this.wide || tall !== this.tall)) this.draw();
  }
  read(path) {
    return this.bench.get(`steps.${this.bench.index}.${path}`);
  }
  get points() {
    return this.read(this.spec.path);
  }
  x(value) {
    const [low, high] = this.spec.x;
    return PAD.left + ((value - low) / (high - low)) * (this.wide - PAD.left - PAD.right);
  }
  y(value) {
    const [low, high] = this.spec.y;
    return this.tall - PAD.bottom - ((value - low) / (high - low)) * (this.tall - PAD.top - PAD.bottom);
  }
  label(value) {
    return minus(Number(value.toFixed(this.spec.y[1] - this.spec.y[0] > 20 ? 1 : 3)));
  }

  choose(path) {
    this.spec = this.curves.find((curve) => curve.path === path);
    this.bench.curveInHand = path;
    this.pick.value = path;
    if (this.axes.by) {
      for (const [name, select] of Object.entries(this.axes)) select.value = this.spec[name];
      this.markBent();
    }
    this.at = Math.min(this.at, this.points.length - 1);
    this.units.x.textContent = this.spec.x_unit;
    this.units.y.textContent = this.spec.y_unit;
    this.help.textContent = this.spec.help;
    this.draw();
  }

  draw() {
    const { svg, spec } = this;
    const focused = svg.contains(document.activeElement);
    svg.replaceChildren();
    svg.setAttribute("viewBox", `0 0 ${this.wide} ${this.tall}`);
    make("rect", { class: "paper", width: this.wide, height: this.tall }, svg);
    this.ground = make("g", {}, svg);
    if (spec.around)
      for (let hue = 0; hue < 360; hue += 10) {
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
          svg,
        );
      }
    const [low, high] = spec.x;
    for (let i = 0; i <= 8; i++) {
      const value = low + (i / 8) * (high - low);
      make("line", { class: "grid", x1: this.x(value), x2: this.x(value), y1: PAD.top, y2: this.tall - PAD.bottom }, svg);
      if (i % 2 === 0)
        make("text", { class: "tick middle", x: this.x(value), y: this.tall - 4 }, svg).textContent = minus(
          Number(value.toFixed(2)),
        );
    }
    const rest = spec.default[0][1],
      [bottom, top] = spec.y;
    const level = spec.identity ? [bottom, (bottom + top) / 2, top] : [bottom, rest, top];
    for (const value of level) {
      make("text", { class: "tick end", x: PAD.left - 4, y: this.y(value) + 3 }, svg).textContent = minus(value);
      if (!spec.identity)
        make(
          "line",
          {
            class: value === rest ? "zeroline" : "grid",
            x1: PAD.left,
            x2: this.wide - PAD.right,
            y1: this.y(value),
            y2: this.y(value),
          },
          svg,
        );
    }
    if (spec.identity)
      make("line", { class: "zeroline", x1: this.x(low), y1: this.y(bottom), x2: this.x(high), y2: this.y(top) }, svg);
    this.line = make("polyline", { class: "curve" }, svg);
    this.dots = this.points.map((_, i) => {
      const dot = make("circle", { class: "knot", r: 5.5, tabindex: 0, role: "slider", "data-knot": i }, svg);
      dot.addEventListener("pointerdown", (event) => this.drag(event, i));
      dot.addEventListener("keydown", (event) => this.key(event, i));
      dot.addEventListener("focus", () => this.choosePoint(i));
      dot.addEventListener("dblclick", (event) => {
        event.stopPropagation();
        this.at = i;
        this.toRest();
      });
      return dot;
    });
    svg.ondblclick = (event) => this.addAt(event);
    this.place();
    this.askLine();
    if (this.grounds) this.behind(this.grounds);
    if (focused && this.dots[this.at]) this.dots[this.at].focus();
  }

  place() {
    this.bench.pointInHand = { step: this.bench.step, at: this.at };
    this.points.forEach(([px, py], i) => {
      const dot = this.dots[i];
      dot.setAttribute("cx", this.x(px));
      dot.setAttribute("cy", this.y(py));
      dot.setAttribute("aria-label", `${this.spec.title}, point ${i + 1} of ${this.points.length}`);
      dot.setAttribute("aria-valuenow", py);
      dot.setAttribute("aria-valuemin", this.spec.y[0]);
      dot.setAttribute("aria-valuemax", this.spec.y[1]);
      dot.setAttribute(
        "aria-valuetext",
        `${this.label(px)} ${this.spec.x_unit}: ${this.label(py)} ${this.spec.y_unit}`,
      );
      dot.classList.toggle("inhand", i === this.at);
    });
    if (this.axes.by) this.markBent();
    const [px, py] = this.points[this.at];
    this.fields.x.value = this.label(px);
    this.fields.y.value = this.label(py);
    this.buttons.remove.disabled = this.bench.locked || this.points.length <= 2;
    this.buttons.add.disabled = this.bench.locked || this.points.length >= this.bench.data.most_points;
  }

  // The curve between the points is the server's. It comes with the picture; a plot that is drawn anew asks for it, by
  // its newest points only.
  async askLine() {
    this.again = true;
    if (this.asking) return;
    this.asking = true;
    while (this.again) {
      this.again = false;
      try {
        const body = { points: this.points, kind: this.bench.current.kind, curve: this.spec.path };
        this.drawLine(await (await post(this.bench.data.urls.curve, body)).json());
      } catch (error) {
        this.refuse();
      }
    }
    this.asking = false;
  }

  drawLine(said) {
    const { spec } = this;
    if (said.curve !== spec.path) return;
    this.lineNow = said;
    const held = (y) => Math.min(Math.max(y, spec.y[0]), spec.y[1]);
    const places = said.xs.map((x, i) => `${this.x(x).toFixed(1)},${this.y(held(said.ys[i])).toFixed(1)}`);
    this.line.setAttribute("points", places.join(" "));
    this.svg.classList.remove("refused");
  }
  refuse() {
    this.svg.classList.add("refused");
  }

  // How often each place of the axis occurs in the picture, and where the traced pixel stands.
  behind(grounds) {
    this.grounds = grounds;
    const ground = grounds[this.spec.x_unit];
    if (!ground || !this.ground) return;
    const { counts, low, width, pixel } = ground,
      most = Math.max(1, ...counts.slice(1, -1)),
      tall = this.tall - PAD.top - PAD.bottom;
    this.ground.replaceChildren();
    this.traced = pixel;
    if (this.buttons.around) this.buttons.around.disabled = this.bench.locked || pixel === null;
    if (pixel !== null && pixel >= this.spec.x[0] && pixel <= this.spec.x[1])
      make(
        "line",
        { class: "tracedplace", x1: this.x(pixel), x2: this.x(pixel), y1: PAD.top, y2: this.tall - PAD.bottom },
        this.ground,
      );
    counts.forEach((count, i) => {
      const place = low + i * width;
      if (place < this.spec.x[0] || place >= this.spec.x[1] || !count) return;
      const height = Math.sqrt(count / most) * tall;
      make(
        "rect",
        {
          class: "tones",
          x: this.x(place),
          y: this.tall - PAD.bottom - height,
          width: this.x(place + width) - this.x(place) + 0.3,
          height,
        },
        this.ground,
      );
    });
    if (this.bench.pickingColour && pixel !== null) {
      this.bench.pickingColour = false;
      this.showPicking();
      this.aroundPixel();
    }
  }

  // --- points from the picture: the next click there sets three around the colour it meets -------------------------
  pickColour() {
    this.bench.pickingColour = !this.bench.pickingColour;
    this.showPicking();
  }
  showPicking() {
    if (this.buttons.around) this.buttons.around.setAttribute("aria-pressed", String(Boolean(this.bench.pickingColour)));
  }
  // The curve's value at a place, read off the line the server drew.
  valueAt(px) {
    const { xs, ys } = this.lineNow,
      after = Math.max(1, xs.findIndex((x) => x >= px)),
      share = Math.min(Math.max((px - xs[after - 1]) / (xs[after] - xs[after - 1]), 0), 1);
    return ys[after - 1] + share * (ys[after] - ys[after - 1]);
  }
  aroundPixel() {
    if (this.bench.locked || this.traced === null || !this.lineNow) return;
    const [low, high] = this.spec.x,
      reach = (high - low) / 12,
      turn = high - low;
    const wrap = (px) => (this.spec.around ? low + ((((px - low) % turn) + turn) % turn) : px);
    const away = (px) => {
      const straight = Math.abs(px - this.traced);
      return this.spec.around ? Math.min(straight, turn - straight) : straight;
    };
    const three = [-reach, 0, reach]
      .map((by) => wrap(this.traced + by))
      .filter((px) => px >= low && px <= high)
      .map((px) => [Number(px.toFixed(4)), Number(this.valueAt(px).toFixed(4))]);
    const kept = this.points.filter(([px]) => away(px) > reach * 1.2);
    const points = [...kept, ...three].sort((a, b) => a[0] - b[0]);
    if (points.length > this.bench.data.most_points)
      return this.bench.complain("typed", "This curve has no room for three points more: remove some first.");
    this.at = points.findIndex(([px]) => Math.abs(px - this.traced) < 0.001);
    this.write(points, true, `points of ${this.spec.title.toLowerCase()}`);
    if (this.dots[this.at]) this.dots[this.at].focus();
  }

  // Where a pointer is, as shares of the plot from its lower left; the drawing may stand inside a larger box.
  spot(event) {
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(this.svg.getScreenCTM().inverse());
    return [
      (at.x - PAD.left) / (this.wide - PAD.left - PAD.right),
      (this.tall - PAD.bottom - at.y) / (this.tall - PAD.top - PAD.bottom),
    ];
  }

  // The two choices say by a dot which curves are bent.
  markBent() {
    for (const option of this.axes.changes.options) {
      const one = this.curves.find((curve) => curve.by === this.axes.by.value && curve.changes === option.value);
      option.textContent = option.value + (this.isBent(one) ? " ●" : "");
    }
    for (const option of this.axes.by.options)
      option.textContent =
        option.value + (this.curves.some((curve) => curve.by === option.value && this.isBent(curve)) ? " ●" : "");
  }
  isBent(curve) {
    return JSON.stringify(this.read(curve.path)) !== JSON.stringify(curve.default);
  }

  choosePoint(i) {
    this.at = i;
    this.place();
  }

  // Keeps a point between its neighbours and inside the plot.
  held(i, px, py) {
    const { spec, points } = this,
      room = (spec.x[1] - spec.x[0]) / 500;
    const low = i > 0 ? points[i - 1][0] + room : spec.x[0],
      high = i < points.length - 1 ? points[i + 1][0] - room : spec.x[1] - (spec.around ? room : 0);
    return [Math.min(Math.max(px, low), high), Math.min(Math.max(py, spec.y[0]), spec.y[1])].map((value) =>
      Number(value.toFixed(4)),
    );
  }

  drag(event, i) {
    if (this.bench.locked || event.button) return;
    event.preventDefault();
    const dot = event.currentTarget;
    dot.focus();
    dot.setPointerCapture(event.pointerId);
    const rest = this.spec.identity ? null : this.spec.default[0][1];
    const move = (next) => {
      const [px, py] = this.spot(next);
      const [low, high] = this.spec.x,
        [bottom, top] = this.spec.y;
      let value = bottom + py * (top - bottom);
      if (rest !== null && Math.abs(value - rest) < (top - bottom) * 0.02) value = rest;
      this.points[i] = this.held(i, next.shiftKey ? this.points[i][0] : low + px * (high - low), value);
      this.place();
      this.bench.refresh(false);
    };
    const end = () => {
      dot.removeEventListener("pointermove", move);
      this.bench.save(this.spec.title.toLowerCase());
    };
    dot.addEventListener("pointermove", move);
    dot.addEventListener("pointerup", end, { once: true });
  }

  key(event, i) {
    const way = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key];
    if (event.key === "Delete" || event.key === "Backspace") {
      event.preventDefault();
      this.at = i;
      return this.remove();
    }
    if (event.key === "Home") {
      event.preventDefault();
      this.at = i;
      return this.toRest();
    }
    if (event.key === "Insert" || event.key === "+") {
      event.preventDefault();
      this.at = i;
      return this.addBeside();
    }
    if (!way || this.bench.locked) return;
    event.preventDefault();
    const fine = event.shiftKey ? 0.1 : 1,
      [px, py] = this.points[i];
    const dx = ((this.spec.x[1] - this.spec.x[0]) / 100) * fine,
      dy = ((this.spec.y[1] - this.spec.y[0]) / 100) * fine;
    this.points[i] = this.held(i, px + way[0] * dx, py + way[1] * dy);
    this.place();
    this.bench.refresh(false);
    clearTimeout(this.soon);
    this.soon = setTimeout(() => this.bench.save(this.spec.title.toLowerCase()), 350);
  }

  typed(axis) {
    const value = plain(this.fields[axis].value),
      bounds = this.spec[axis];
    if (!Number.isFinite(value) || value < bounds[0] || value > bounds[1]) {
      this.bench.complain(
        "typed",
        `${this.spec.title}: type a number from ${minus(bounds[0])} to ${minus(bounds[1])}.`,
      );
      return this.place();
    }
    const [px, py] = this.points[this.at];
    this.points[this.at] = this.held(this.at, axis === "x" ? value : px, axis === "y" ? value : py);
    this.place();
    this.bench.settle("typed");
    this.bench.save(this.spec.title.toLowerCase());
  }

  toRest() {
    if (this.bench.locked) return;
    const [px] = this.points[this.at];
    this.points[this.at] = this.held(this.at, px, this.spec.identity ? px : this.spec.default[0][1]);
    this.place();
    this.bench.save(this.spec.title.toLowerCase());
  }

  write(points, redraw, label) {
    if (this.bench.locked) return;
    this.points.splice(0, this.points.length, ...points);
    this.at = Math.min(this.at, points.length - 1);
    if (redraw) this.draw();
    this.bench.save(label || this.spec.title.toLowerCase());
  }

  insert(px, py) {
    if (this.bench.locked || this.points.length >= this.bench.data.most_points) return;
    const after = this.points.findIndex(([x]) => x > px);
    const place = after < 0 ? this.points.length : after;
    const points = [...this.points.slice(0, place), [px, py], ...this.points.slice(place)];
    this.at = place;
    this.write(points, true, `point of ${this.spec.title.toLowerCase()}`);
    this.dots[place].focus();
  }

  addBeside() {
    const [a, b] = [this.points[this.at], this.points[this.at + 1] || this.points[this.at - 1]];
    this.insert(Number(((a[0] + b[0]) / 2).toFixed(4)), Number(((a[1] + b[1]) / 2).toFixed(4)));
  }

  addAt(event) {
    const [low, high] = this.spec.x,
      [bottom, top] = this.spec.y,
      [across, up] = this.spot(event);
    const px = low + across * (high - low),
      py = bottom + up * (top - bottom);
    const room = (high - low) / 250;
    if (px < low || px >= high || this.points.some(([x]) => Math.abs(x - px) < room)) return;
    this.insert(Number(px.toFixed(4)), Number(Math.min(Math.max(py, bottom), top).toFixed(4)));
  }

  remove() {
    if (this.bench.locked || this.points.length <= 2) return;
    this.write(
      this.points.filter((_, i) => i !== this.at),
      true,
      `point of ${this.spec.title.toLowerCase()}`,
    );
    this.dots[this.at].focus();
  }
}

export const curve = {
  startCurves(place) {
    const root = place.querySelector(".curves");
    if (root) this.curve = new CurveEditor(this, root, this.data.kinds[this.current.kind].curves);
  },
};
