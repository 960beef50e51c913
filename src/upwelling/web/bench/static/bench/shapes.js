// Shapes drawn over the picture: dragged by their body and handles, or moved by keys. Lengths are frame heights.
const NAMESPACE = "http://www.w3.org/2000/svg";

function make(name, attributes, parent) {
  const node = document.createElementNS(NAMESPACE, name);
  for (const [key, value] of Object.entries(attributes)) node.setAttribute(key, value);
  parent.append(node);
  return node;
}

// The closed line of an outline in its own axes, as an SVG path; a smooth one is a cubic between each two points.
function outlinePath(points, smooth) {
  const n = points.length,
    at = (i) => points[(i + n) % n];
  let path = `M ${at(0).join(" ")}`;
  for (let i = 0; i < n; i++) {
    const [p, q, r, s] = [at(i - 1), at(i), at(i + 1), at(i + 2)];
    if (!smooth) path += ` L ${r.join(" ")}`;
    else {
      const a = [q[0] + (r[0] - p[0]) / 6, q[1] + (r[1] - p[1]) / 6],
        b = [r[0] - (s[0] - q[0]) / 6, r[1] - (s[1] - q[1]) / 6];
      path += ` C ${a.join(" ")} ${b.join(" ")} ${r.join(" ")}`;
    }
  }
  return `${path} Z`;
}

// The edge, grown by some length, in the shape's own axes.
function edgePath(shape, grown) {
  const wide = Math.max((shape.width * shape.scale) / 2 + grown, 0.001),
    high = Math.max((shape.height * shape.scale) / 2 + grown, 0.001);
  if (shape.kind === "linear") return `M -4 ${grown} L 4 ${grown}`;
  if (shape.kind === "polygon")
    return grown
      ? ""
      : outlinePath(
          shape.points.map(([x, y]) => [x * shape.scale, y * shape.scale]),
          shape.line === "smooth",
        );
  if (shape.kind === "rectangle") {
    const r = Math.min(Math.max(shape.corners * Math.min(wide - grown, high - grown) + grown, 0), Math.min(wide, high));
    return (
      `M ${-wide + r} ${-high} H ${wide - r} A ${r} ${r} 0 0 1 ${wide} ${-high + r} V ${high - r} ` +
      `A ${r} ${r} 0 0 1 ${wide - r} ${high} H ${-wide + r} A ${r} ${r} 0 0 1 ${-wide} ${high - r} V ${-high + r} ` +
      `A ${r} ${r} 0 0 1 ${-wide + r} ${-high} Z`
    );
  }
  return `M ${-wide} 0 A ${wide} ${high} 0 1 1 ${wide} 0 A ${wide} ${high} 0 1 1 ${-wide} 0 Z`;
}

export const shapes = {
  shapesShown: true,

  get shapesOver() {
    return this.shapesShown && this.stage === this.layers.hand && this.face === "where" && this.hasStep;
  },
  toggleShapes() {
    this.shapesShown = !this.shapesShown;
    this.placeOverlays();
  },
  middleOf(point) {
    const { width, height } = this.data.frame;
    return [(point.x - width / 2) / height, (point.y - height / 2) / height].map((v) => Number(v.toFixed(4)));
  },
  // A selection as it stands at this frame.
  standingShape(place) {
    const one = this.selections[place],
      now = (this.now.step === this.step && this.now[`limit.selections.${place}`]) || {},
      moving = one.tracks.map((track) => track.parameter);
    return { ...one, ...Object.fromEntries(Object.entries(now).filter(([name]) => moving.includes(name))) };
  },

  drawShapes() {
    const svg = this.$refs.shapes;
    if (!svg) return;
    const focused = svg.contains(document.activeElement);
    svg.replaceChildren();
    svg.toggleAttribute("hidden", !this.shapesOver);
    if (!this.shapesOver) return;
    const { scale, left, top, wide, x, y } = this.box(),
      { width, height } = this.data.frame,
      unit = scale * height;
    this.shapeFrame = { unit, left: left + (width / 2 - x) * scale, top: top + (height / 2 - y) * scale };
    svg.style.clipPath = `inset(0 ${Math.max(svg.clientWidth - left - wide, 0)}px 0 ${Math.max(left, 0)}px)`;
    this.selections.forEach((one, place) => {
      if ("x" in one && one.on) this.drawShape(svg, this.standingShape(place), one.id === this.selection);
    });
    if (focused) svg.querySelector(".shape.chosen")?.focus();
  },
  drawShape(svg, shape, chosen) {
    const { unit, left, top } = this.shapeFrame;
    const group = make(
      "g",
      {
        transform: `translate(${left + shape.x * unit} ${top + shape.y * unit}) rotate(${shape.angle})`,
        class: chosen ? "shape chosen" : "shape",
        "data-shape": shape.id,
      },
      svg,
    );
    const size = `scale(${unit})`;
    const inside = shape.feather_in * shape.scale,
      outside = shape.feather_out * shape.scale;
    if (chosen)
      for (const grown of [-inside, outside])
        if (grown) make("path", { d: edgePath(shape, grown), transform: size, class: "feather" }, group);
    for (const kind of ["under", "edge"]) make("path", { d: edgePath(shape, 0), transform: size, class: kind }, group);
    const body = make("path", { d: edgePath(shape, 0), transform: size, class: "body" }, group);
    body.addEventListener("pointerdown", (event) => this.dragShape(event, shape, "move"));
    if (!chosen) return;
    group.setAttribute("tabindex", "0");
    group.setAttribute("role", "application");
    group.setAttribute(
      "aria-label",
      `${shape.name || shape.kind}: arrow keys move it, with Shift finer, + and − size it, [ and ] turn it, Delete removes it`,
    );
    group.addEventListener("keydown", (event) => this.keyShape(event, shape));
    for (const handle of this.handlesOf(shape, inside, outside)) {
      const dot = make(
        handle.kind === "angle" ? "rect" : "circle",
        handle.kind === "angle"
          ? { x: handle.u * unit - 4, y: handle.v * unit - 4, width: 8, height: 8 }
          : { cx: handle.u * unit, cy: handle.v * unit, r: handle.kind.startsWith("feather") ? 3.5 : 5 },
        group,
      );
      dot.setAttribute("class", `handle ${handle.kind}`);
      dot.setAttribute("data-handle", handle.kind);
      make("title", {}, dot).textContent = handle.title;
      dot.addEventListener("pointerdown", (event) => this.dragShape(event, shape, handle.kind, handle.index));
    }
  },
  handlesOf(shape, inside, outside) {
    const wide = (shape.width * shape.scale) / 2,
      high = (shape.height * shape.scale) / 2;
    if (shape.kind === "linear")
      return [
        { kind: "move", u: 0, v: 0, title: "Move" },
        { kind: "angle", u: 0.3, v: 0, title: "Turn" },
        { kind: "feather_out", u: 0, v: outside, title: "Feather outside" },
        { kind: "feather_in", u: 0, v: -inside, title: "Feather inside" },
      ];
    if (shape.kind === "polygon") {
      const far = Math.max(...shape.points.map(([, v]) => v)) * shape.scale;
      return [
        { kind: "angle", u: 0, v: far + 0.06, title: "Turn" },
        ...shape.points.map(([u, v], index) => ({
          kind: "point",
          index,
          u: u * shape.scale,
          v: v * shape.scale,
          title: "Point: drag it; Alt and click removes it; double-click adds one after it",
        })),
      ];
    }
    return [
      { kind: "width", u: wide, v: 0, title: "Width" },
      { kind: "height", u: 0, v: high, title: "Height" },
      { kind: "angle", u: 0, v: -high - 0.06, title: "Turn" },
      { kind: "feather_out", u: -wide - outside, v: 0, title: "Feather outside" },
      { kind: "feather_in", u: -wide + inside, v: 0, title: "Feather inside" },
    ];
  },

  // --- by hand --------------------------------------------------------------------------------------------------------
  heightsAt(event) {
    const { left, top } = this.shapeFrame,
      rect = this.$refs.picture.getBoundingClientRect();
    return [
      (event.clientX - rect.left - left) / this.shapeFrame.unit,
      (event.clientY - rect.top - top) / this.shapeFrame.unit,
    ];
  },
  dragShape(event, start, kind, index) {
    if (event.button) return;
    event.preventDefault();
    event.stopPropagation();
    const svg = this.$refs.shapes,
      from = this.heightsAt(event),
      at = [event.clientX, event.clientY];
    if (start.id !== this.selection) {
      this.selection = start.id;
      this.buildEditor();
      this.placeOverlays();
    }
    if (kind === "point" && event.altKey) return this.changePoints(start, index, "remove");
    let moved = false;
    svg.setPointerCapture(event.pointerId);
    const move = (next) => {
      if (!moved && Math.hypot(next.clientX - at[0], next.clientY - at[1]) < 3) return;
      if (this.locked) return;
      moved = true;
      this.reshape(start, kind, from, this.heightsAt(next), index);
    };
    const end = (last) => {
      svg.removeEventListener("pointermove", move);
      if (!moved && kind === "point") return this.pressPoint(start, index);
      if (moved) return this.save(`${kind.replace("_", " ")} of ${this.titleOf(start)}`);
      const { x, y } = this.spot(last);
      return kind === "move" ? this.moveTo(Math.floor(x), Math.floor(y)) : null;
    };
    svg.addEventListener("pointermove", move);
    svg.addEventListener("pointerup", end, { once: true });
    return null;
  },
  reshape(start, kind, from, to, index) {
    const turn = (start.angle * Math.PI) / 180,
      dx = to[0] - start.x,
      dy = to[1] - start.y,
      u = Math.cos(turn) * dx + Math.sin(turn) * dy,
      v = Math.cos(turn) * dy - Math.sin(turn) * dx;
    if (kind === "move") return this.setShape({ x: start.x + to[0] - from[0], y: start.y + to[1] - from[1] });
    if (kind === "width") return this.setShape({ width: (2 * Math.abs(u)) / start.scale });
    if (kind === "height") return this.setShape({ height: (2 * Math.abs(v)) / start.scale });
    if (kind === "angle") {
      const rest = { linear: 0, polygon: 90 }[start.kind] ?? -90;
      let angle = (Math.atan2(dy, dx) * 180) / Math.PI - rest;
      angle += 360 * Math.round((start.angle - angle) / 360);
      return this.setShape({ angle });
    }
    if (kind === "point") {
      const points = start.points.map((point) => [...point]);
      points[index] = [u / start.scale, v / start.scale].map((one) => Math.min(Math.max(Number(one.toFixed(4)), -4), 4));
      return this.setShape({ points });
    }
    const across = start.kind === "linear" ? v : Math.abs(u) - (start.width * start.scale) / 2;
    return this.setShape({ [kind]: (kind === "feather_in" ? -across : across) / start.scale });
  },
  // Values of the shape in hand, held to their ranges; each is a key where it has a track.
  setShape(values) {
    const place = `steps.${this.index}.limit.selections.${this.selectionIndex}.`;
    const changes = Object.entries(values).map(([name, value]) => {
      const cell = this.$root.querySelector(`.editor .cell[data-path="${place}${name}"]`);
      const held = cell
        ? Math.min(Math.max(value, Number(cell.dataset.low)), Number(cell.dataset.high))
        : value;
      const rounded = Array.isArray(held) ? held : Number(held.toFixed(name === "angle" ? 2 : 4));
      return [place + name, rounded];
    });
    this.setAll(changes);
  },
  // Pressed twice, a point gets one after it; the captured pointer leaves the browser's own double-click to the picture.
  pressPoint(shape, index) {
    const now = performance.now(),
      twice = this.pressed && this.pressed.index === index && now - this.pressed.at < 500;
    this.pressed = twice ? null : { index, at: now };
    return twice ? this.changePoints(shape, index, "add") : null;
  },
  changePoints(shape, index, how) {
    if (this.locked) return;
    const one = this.inHand;
    if (one.tracks.some((track) => track.parameter === "points"))
      return this.complain("shape", "Its points change along the shot; let them stand still before adding or removing one.");
    const points = one.points.map((point) => [...point]);
    if (how === "remove") {
      if (points.length <= 3) return this.complain("shape", "An outline needs three points.");
      points.splice(index, 1);
    } else {
      const next = points[(index + 1) % points.length];
      points.splice(index + 1, 0, [(points[index][0] + next[0]) / 2, (points[index][1] + next[1]) / 2]);
    }
    this.setShape({ points });
    return this.save(`${how} a point`);
  },
  keyShape(event, shape) {
    const step = event.shiftKey ? 0.001 : 0.01,
      way = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowDown: [0, 1], ArrowUp: [0, -1] }[event.key];
    const size = { "+": 1.02, "=": 1.02, "-": 1 / 1.02, "−": 1 / 1.02 }[event.key],
      turn = { "[": -1, "]": 1 }[event.key];
    if (event.key === "Delete" || event.key === "Backspace") {
      event.preventDefault();
      return this.removeSelection();
    }
    if (this.locked || (!way && !size && !turn)) return null;
    event.preventDefault();
    event.stopPropagation();
    if (way) this.setShape({ x: shape.x + way[0] * step, y: shape.y + way[1] * step });
    if (size) this.setShape({ scale: shape.scale * size });
    if (turn) this.setShape({ angle: shape.angle + turn });
    this.saveSoon(`place of ${this.titleOf(shape)}`);
    return null;
  },
};
