// Curves of a step: points that are dragged, nudged, added and removed. Which curve it is drawn as comes from the server.
import { post } from "../js/http.js";
import { minus, plain } from "../js/numbers.js";
import { CurvePlot } from "./curve_plot.js";
import { copyOf } from "./model/copies.js";
import { around, beside, hasRoom, held, inserted, resting } from "./model/curve_points.js";

class CurveEditor {
  constructor(bench, root, curves) {
    this.bench = bench;
    this.curves = curves;
    this.plot = new CurvePlot(root.querySelector("svg"));
    this.plot.svg.ondblclick = (event) => this.addAt(event);
    this.pick = root.querySelector(".curvepick.whole");
    this.fields = { x: root.querySelector("[data-axis=x]"), y: root.querySelector("[data-axis=y]") };
    this.units = { x: root.querySelector("[data-unit=x]"), y: root.querySelector("[data-unit=y]") };
    this.help = root.querySelector(".curvehelp");
    const doing = ["add", "remove", "reset", "around", "closer", "wider"].map((name) => [name, root.querySelector(`[data-do=${name}]`)]);
    this.buttons = Object.fromEntries(doing);
    this.axes = Object.fromEntries(["by", "changes"].map((name) => [name, root.querySelector(`[data-curve=${name}]`)]));
    this.listen();
    // A page that makes the editor anew keeps the curve and the point in hand.
    const { pointInHand, curveInHand } = bench;
    this.at = pointInHand && pointInHand.step === bench.step ? pointInHand.at : 0;
    const kept = curves.find((curve) => curve.path === curveInHand),
      bent = curves.find((curve) => this.isBent(curve));
    this.choose((kept || bent || curves[0]).path);
  }

  listen() {
    const { by, changes } = this.axes,
      { add, remove, reset, around: picking } = this.buttons;
    const chosen = () => this.curves.find((one) => one.by === by.value && one.changes === changes.value).path;
    if (by) for (const select of [by, changes]) select.addEventListener("change", () => this.choose(chosen()));
    if (picking) picking.addEventListener("click", () => this.pickColour());
    this.pick.addEventListener("change", () => this.choose(this.pick.value));
    add.addEventListener("click", () => this.addBeside());
    remove.addEventListener("click", () => this.remove());
    reset.addEventListener("click", () => this.write(copyOf(this.spec.default), "reset a curve"));
    const { closer, wider } = this.buttons;
    closer.addEventListener("click", () => this.look(2));
    wider.addEventListener("click", () => this.look(0.5));
    const wheel = (event) => {
      event.preventDefault();
      this.look(event.deltaY < 0 ? 1.25 : 0.8, this.plot.spot(event)[0]);
    };
    this.plot.svg.addEventListener("wheel", wheel, { passive: false });
    for (const axis of ["x", "y"]) this.fields[axis].addEventListener("change", () => this.typed(axis));
  }

  read(path) {
    return this.bench.get(`steps.${this.bench.index}.${path}`);
  }
  get points() {
    return this.read(this.spec.path);
  }
  get name() {
    return this.spec.title.toLowerCase();
  }

  choose(path) {
    this.spec = this.curves.find((curve) => curve.path === path);
    this.bench.curveInHand = path;
    this.pick.value = path;
    if (this.axes.by) for (const [name, select] of Object.entries(this.axes)) select.value = this.spec[name];
    this.at = Math.min(this.at, this.points.length - 1);
    this.units.x.textContent = this.spec.x_unit;
    this.units.y.textContent = this.spec.y_unit;
    this.help.textContent = this.spec.help;
    this.draw();
  }
  draw() {
    const focused = this.plot.svg.contains(document.activeElement);
    this.dots = this.plot.draw(this.spec, this.points.length, () => this.draw());
    this.dots.forEach((dot, i) => {
      dot.addEventListener("pointerdown", (event) => this.drag(event, i));
      dot.addEventListener("keydown", (event) => this.key(event, i));
      dot.addEventListener("focus", () => this.choosePoint(i));
      dot.addEventListener("dblclick", (event) => {
        event.stopPropagation();
        this.at = i;
        this.toRest();
      });
    });
    this.place();
    this.askLine();
    if (this.grounds) this.behind(this.grounds);
    if (focused) this.focus();
  }
  // Closer to a place of the axis, or to the point in hand.
  look(times, about = this.points[this.at][0]) {
    this.plot.closer(times, about);
    this.buttons.wider.disabled = this.plot.isWhole;
  }
  focus() {
    if (this.dots[this.at]) this.dots[this.at].focus();
  }
  place() {
    this.bench.pointInHand = { step: this.bench.step, at: this.at };
    this.plot.place(this.points, this.at);
    if (this.axes.by) this.markBent();
    const [px, py] = this.points[this.at];
    this.fields.x.value = this.plot.label(px);
    this.fields.y.value = this.plot.label(py);
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
    if (said.curve !== this.spec.path) return;
    this.lineNow = said;
    this.plot.drawLine(said);
  }
  refuse() {
    this.plot.refuse();
  }
  behind(grounds) {
    this.grounds = grounds;
    const ground = grounds[this.spec.x_unit];
    if (!ground) return;
    this.plot.behind(ground);
    this.traced = ground.pixel;
    if (this.buttons.around) this.buttons.around.disabled = this.bench.locked || this.traced === null;
    if (!this.bench.pickingColour || this.traced === null) return;
    this.bench.pickingColour = false;
    this.showPicking();
    this.aroundPixel();
  }

  // --- points from the picture: the next click there sets three around the colour it meets -------------------------
  pickColour() {
    this.bench.pickingColour = !this.bench.pickingColour;
    this.showPicking();
  }
  showPicking() {
    if (this.buttons.around) this.buttons.around.setAttribute("aria-pressed", String(Boolean(this.bench.pickingColour)));
  }
  aroundPixel() {
    if (this.bench.locked || this.traced === null || !this.lineNow) return;
    const { points, at } = around(this.spec, this.points, this.lineNow, this.traced);
    if (points.length > this.bench.data.most_points)
      return this.bench.complain("typed", "This curve has no room for three points more: remove some first.");
    this.at = at;
    this.write(points, `points of ${this.name}`);
    this.focus();
  }

  // The two choices say by a dot which curves are bent.
  markBent() {
    const { by, changes } = this.axes,
      bent = (test) => (this.curves.some((curve) => test(curve) && this.isBent(curve)) ? " ●" : "");
    for (const option of changes.options)
      option.textContent = option.value + bent((one) => one.by === by.value && one.changes === option.value);
    for (const option of by.options) option.textContent = option.value + bent((one) => one.by === option.value);
  }
  isBent(curve) {
    return JSON.stringify(this.read(curve.path)) !== JSON.stringify(curve.default);
  }

  // --- one point ----------------------------------------------------------------------------------------------------
  choosePoint(i) {
    this.at = i;
    this.place();
  }
  moved(i, px, py) {
    this.points[i] = held(this.spec, this.points, i, px, py);
    this.place();
  }
  drag(event, i) {
    if (this.bench.locked || event.button) return;
    event.preventDefault();
    const dot = event.currentTarget,
      [bottom, top] = this.spec.y,
      rest = this.spec.identity ? null : this.spec.default[0][1];
    dot.focus();
    dot.setPointerCapture(event.pointerId);
    // With Shift the point goes a tenth as far as the hand, with Alt up and down alone.
    let last = this.plot.spot(event),
      at = [...this.points[i]];
    const move = (next) => {
      const spot = this.plot.spot(next),
        share = next.shiftKey ? 0.1 : 1;
      at = [at[0] + share * (next.altKey ? 0 : spot[0] - last[0]), at[1] + share * (spot[1] - last[1])];
      last = spot;
      const atRest = rest !== null && !next.shiftKey && Math.abs(at[1] - rest) < (top - bottom) * 0.02;
      this.moved(i, at[0], atRest ? rest : at[1]);
      this.bench.refresh(false);
    };
    const end = () => {
      dot.removeEventListener("pointermove", move);
      this.bench.save(this.name);
    };
    dot.addEventListener("pointermove", move);
    dot.addEventListener("pointerup", end, { once: true });
  }
  key(event, i) {
    const acts = { Delete: "remove", Backspace: "remove", Home: "toRest", Insert: "addBeside", "+": "addBeside" }[event.key],
      way = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key];
    if (acts) {
      event.preventDefault();
      this.at = i;
      return this[acts]();
    }
    if (!way || this.bench.locked) return;
    event.preventDefault();
    const [across, up] = [this.spec.x, this.spec.y].map(([low, high]) => ((high - low) / 100) * (event.shiftKey ? 0.1 : 1)),
      [px, py] = this.points[i];
    this.moved(i, px + way[0] * across, py + way[1] * up);
    this.bench.refresh(false);
    this.bench.saveSoon(this.name);
  }
  typed(axis) {
    const value = plain(this.fields[axis].value),
      [low, high] = this.spec[axis];
    if (!Number.isFinite(value) || value < low || value > high) {
      this.bench.complain("typed", `${this.spec.title}: type a number from ${minus(low)} to ${minus(high)}.`);
      return this.place();
    }
    const [px, py] = this.points[this.at];
    this.moved(this.at, axis === "x" ? value : px, axis === "y" ? value : py);
    this.bench.settle("typed");
    const got = this.points[this.at][axis === "x" ? 0 : 1];
    if (Math.abs(got - value) > 1e-3)
      this.bench.complain("typed", `${this.spec.title}: held at ${this.plot.label(got)}; beyond it the curve would fold over, or pass its neighbour.`);
    this.bench.save(this.name);
  }
  toRest() {
    if (this.bench.locked) return;
    const [px] = this.points[this.at];
    this.moved(this.at, px, resting(this.spec, px));
    this.bench.save(this.name);
  }

  // --- their number -------------------------------------------------------------------------------------------------
  write(points, label) {
    if (this.bench.locked) return;
    this.points.splice(0, this.points.length, ...points);
    this.at = Math.min(this.at, points.length - 1);
    this.draw();
    this.bench.save(label);
  }
  insert(px, py) {
    if (this.bench.locked || this.points.length >= this.bench.data.most_points) return;
    const { at, points } = inserted(this.points, px, py);
    this.at = at;
    this.write(points, `point of ${this.name}`);
    this.focus();
  }
  addBeside() {
    this.insert(...beside(this.points, this.at));
  }
  addAt(event) {
    const [px, py] = this.plot.spot(event),
      [bottom, top] = this.spec.y;
    if (hasRoom(this.spec, this.points, px)) this.insert(px, Math.min(Math.max(py, bottom), top));
  }
  remove() {
    if (this.bench.locked || this.points.length <= 2) return;
    const left = this.points.filter((_, i) => i !== this.at);
    this.write(left, `point of ${this.name}`);
    this.focus();
  }
}

export const curve = {
  startCurves(place) {
    const root = place.querySelector(".curves");
    if (root) this.curve = new CurveEditor(this, root, this.data.kinds[this.current.kind].curves);
  },
};
