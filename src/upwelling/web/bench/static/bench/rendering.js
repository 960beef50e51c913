// The rendering panel: method, fit, output shown, and the tone curve with its handles.
export const rendering = {
  output: "",
  shownMethod: "",

  start() {
    this.output = this.data.outputs[0];
    this.takeMethod();
    this.drawTone(this.data.tone);
  },
  get manyOutputs() {
    return this.data.outputs.length > 1;
  },
  get methodIs() {
    return Object.fromEntries(Object.keys(this.data.methods).map((kind) => [kind, kind === this.shownMethod]));
  },

  // The selects say what is in force.
  takeMethod() {
    const now = this.effective().rendering;
    this.shownMethod = now.kind;
    this.$refs.method.value = now.kind;
    this.$refs.fit.value = now.fit.kind;
  },
  pickMethod(event) {
    if (event.target.value === "lut") return this.inheritRendering();
    this.settings.rendering = { ...this.data.methods[event.target.value], fit: this.effective().rendering.fit };
    this.changedMethod("tone map");
  },
  pickFit(event) {
    this.settings.rendering = { ...this.effective().rendering, fit: { kind: event.target.value } };
    this.changedMethod("gamut fit");
  },
  changedMethod(label) {
    this.takeMethod();
    this.syncControls();
    this.save(label);
  },
  inheritRendering() {
    this.settings.rendering = null;
    this.changedMethod("production's rendering");
  },
  pickOutput(event) {
    this.output = event.target.value;
    this.refresh(true);
  },

  // It comes with the picture while the rendering is in hand.
  drawTone(said) {
    this.tonePlot = said;
    this.$refs.tone.setAttribute("points", said.points);
    this.$refs.slope.setAttribute("points", said.slope);
    const grid = [];
    for (const mark of said.marks)
      grid.push(
        ["line", { class: "grid", x1: mark.x, x2: mark.x, y1: 8, y2: said.bottom }],
        ["text", { class: "tick " + mark.anchor, x: mark.x, y: 145 }, mark.label],
      );
    for (const tick of said.nits)
      grid.push(
        ["line", { class: "grid faint", x1: said.x0, x2: said.x1, y1: tick.y, y2: tick.y }],
        ["text", { class: "tick end", x: said.x0 - 4, y: tick.y + 4 }, tick.label],
      );
    for (const tick of said.side_ticks) grid.push(["text", { class: "tick", x: said.x1 + 4, y: tick.y + 4 }, tick.label]);
    grid.push(
      ["text", { class: "tick", x: 2, y: 145 }, "cd/m²"],
      ["text", { class: "tick", x: said.x1 + 4, y: 11 }, said.side],
    );
    this.fill(this.$refs.toneGrid, grid);
    if (this.toneHand) return;
    const handles = this.data.editable ? said.handles : [];
    this.fill(
      this.$refs.toneHandles,
      handles.map((handle, index) => [
        "circle",
        {
          class: "handle",
          cx: handle.x,
          cy: handle.y,
          r: 6,
          tabindex: 0,
          role: "slider",
          "data-index": index,
          "aria-label": handle.title + ", handle",
          "aria-valuemin": handle.low,
          "aria-valuemax": handle.high,
          "aria-valuenow": this.get(handle.path),
        },
      ]),
    );
    for (const node of this.$refs.toneHandles.children) {
      const handle = handles[Number(node.dataset.index)];
      node.addEventListener("pointerdown", (event) => this.dragTone(event, node, handle));
      node.addEventListener("keydown", (event) => this.nudgeTone(event, handle));
    }
  },
  fill(group, parts) {
    group.replaceChildren(
      ...parts.map(([name, attributes, text]) => {
        const node = document.createElementNS("http://www.w3.org/2000/svg", name);
        for (const [key, value] of Object.entries(attributes)) node.setAttribute(key, value);
        if (text) node.textContent = text;
        return node;
      }),
    );
  },
  // Counts of the frame's scene stops, behind the curve.
  drawTones(counts, low, high) {
    const plot = this.tonePlot,
      most = Math.max(1, ...counts),
      wide = (high - low) / counts.length;
    const bars = counts.map((count, index) => {
      const stops = low + index * wide,
        x = plot.x0 + (stops - plot.low) * plot.unit;
      const height = (count / most) * 70;
      return x < plot.x0 || x > plot.x1 || !count
        ? ""
        : `M${x.toFixed(1)} ${plot.bottom}v${(-height).toFixed(1)}h${(wide * plot.unit).toFixed(2)}v${height.toFixed(1)}z`;
    });
    this.$refs.tones.setAttribute("d", bars.join(""));
  },
  // A handle's parameter for a distance in the plot: some double with every stop, the rest follow in line.
  moved(handle, from, across, up) {
    const distance = handle.axis === "x" ? across * handle.a_unit : up * handle.a_unit;
    const value = handle.doubles ? from * 2 ** distance : from + distance;
    return Number(Math.min(handle.high, Math.max(handle.low, value)).toFixed(handle.doubles ? 1 : 3));
  },
  dragTone(event, node, handle) {
    event.preventDefault();
    node.setPointerCapture(event.pointerId);
    const box = this.$refs.toneHandles.ownerSVGElement.getScreenCTM(),
      from = this.get(handle.path),
      start = { x: event.clientX, y: event.clientY };
    this.toneHand = true;
    const move = (now) => {
      const across = (now.clientX - start.x) / box.a,
        up = (start.y - now.clientY) / box.d;
      if (handle.axis === "x") node.setAttribute("cx", handle.x + across);
      else node.setAttribute("cy", handle.y - up);
      this.set(handle.path, this.moved(handle, from, across, up));
    };
    const end = () => {
      node.removeEventListener("pointermove", move);
      this.toneHand = false;
      this.save(handle.title.toLowerCase());
    };
    node.addEventListener("pointermove", move);
    node.addEventListener("pointerup", end, { once: true });
    node.addEventListener("pointercancel", end, { once: true });
  },
  nudgeTone(event, handle) {
    const way = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[event.key];
    if (!way) return;
    event.preventDefault();
    const size = event.shiftKey ? 0.5 : 4;
    this.set(handle.path, this.moved(handle, this.get(handle.path), way * size, way * size));
    this.saveSoon(handle.title.toLowerCase());
  },
};
