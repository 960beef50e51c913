// The Bench: holds the settings, asks for previews while a hand moves, saves when it rests.
document.addEventListener("alpine:init", () => {
  const STAGES = ["camera", "input", "trim", "look", "rendering", "display"];
  const minus = (text) => String(text).replace("-", "−");
  const plain = (text) => Number(String(text).replace("−", "-").replace(",", ".").trim());
  const percent = (share) => {
    const value = share * 100;
    if (value === 0) return "0 %";
    return (value < 0.05 ? "<0.1" : value.toFixed(1)) + " %";
  };

  Alpine.data("bench", () => ({
    settings: {},
    history: {},
    lines: {},
    values: {},
    trace: {},
    traceTitle: "Trace",
    counts: "",
    countsTitle: "",
    fits: "",
    trouble: "",
    stage: "trim",
    compare: "now",
    held: false,
    point: null,
    frame: 0,
    stood: 0,
    scope: "parade",
    bars: false,

    init() {
      this.data = JSON.parse(document.getElementById("bench-data").textContent);
      this.settings = this.data.settings;
      this.history = this.data.history;
      this.fits = (this.$root.querySelector(".fits") || {}).textContent || "";
      for (const stage of STAGES) {
        this.lines[stage] = this.$root.querySelector(`.stratum[data-stage=${stage}] p`).textContent;
        this.values[stage] = { a: "", b: "", c: "" };
      }
      if (!this.data.settled || !this.data.managed) this.stage = "input";
      this.frame = this.stood = this.data.frames.stands;
      const kept = localStorage.getItem("bench-scope");
      if (kept && [...this.$refs.scope.options].some((option) => option.value === kept)) this.scope = this.$refs.scope.value = kept;
      const { width, height } = this.data.frame;
      this.point = { x: Math.floor(width / 2), y: Math.floor(height / 2) };
      this.previews = new upwelling.Previews(this.data.urls.preview, (head) => this.show(head), (error) => this.complain("preview", error.message));
      const here = this.$root.querySelector(".strip [aria-current]");
      if (here) here.parentElement.scrollLeft = here.offsetLeft - here.parentElement.offsetLeft - here.parentElement.clientWidth / 2 + here.clientWidth / 2;
      this.bindControls();
      this.syncControls();
      this.refresh(true);
      new ResizeObserver(() => this.moveCross()).observe(this.$refs.stage);
    },

    get chosen() { return Object.fromEntries(STAGES.map((stage) => [stage, stage === this.stage])); },
    get strata() {
      return Object.fromEntries(STAGES.map((stage) => [stage, { chosen: stage === this.stage, off: this.settings[stage + "_on"] === false }]));
    },
    get comparing() {
      const now = this.held ? "untrimmed" : this.compare;
      return { now: now === "now", untrimmed: now === "untrimmed" };
    },
    get canUndo() { return this.data.editable && this.history.undo !== null; },
    get canRedo() { return this.data.editable && this.history.redo !== null; },
    get undoTitle() { return this.history.undo ? "Undo: " + this.history.undo + " (Ctrl Z)" : "Nothing to undo"; },
    get redoTitle() { return this.history.redo ? "Redo: " + this.history.redo + " (Ctrl Shift Z)" : "Nothing to redo"; },
    get ownDevelopment() { return this.settings.development !== null; },
    get developmentFrom() { return this.ownDevelopment ? "this shot's own" : "the camera's, until a control is moved"; },
    get frameText() { return this.frame + " of " + this.data.frames.first + "…" + this.data.frames.last; },
    get stands() { return !this.data.editable || this.frame === this.stood; },
    get ownRendering() { return this.settings.rendering !== null; },
    get renderingFrom() { return this.ownRendering ? "this shot's own" : "the production's"; },
    get renderingText() {
      return this.ownRendering
        ? "This shot has its own rendering."
        : "This shot follows the production's rules; moving a control makes the rendering its own.";
    },

    // One sentence stands over the picture; an answer that comes late clears only a complaint of its own kind.
    complain(kind, sentence) { this.trouble = sentence; this.troubleKind = kind; },
    settle(kind) { if (this.troubleKind === kind) this.trouble = ""; },

    // --- controls -------------------------------------------------------------------------------------------------
    bindControls() {
      for (const cell of this.$root.querySelectorAll(".cell")) {
        const { path, low, high, fine } = cell.dataset;
        const slider = cell.querySelector("input[type=range]");
        const number = cell.querySelector(".number");
        const reset = () => { this.set(path, Number(cell.dataset.default)); this.commit(cell); };
        const share = (Number(cell.dataset.default) - low) / (high - low);
        cell.querySelector(".zero").style.left = `calc(${share} * (100% - 9px) + 4px)`;
        slider.addEventListener("input", () => this.set(path, this.rested(Number(slider.value), cell.dataset)));
        slider.addEventListener("change", () => this.commit(cell));
        slider.addEventListener("dblclick", reset);
        slider.addEventListener("keydown", (event) => {
          const way = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[event.key];
          if (event.key === "Delete" || event.key === "Backspace") { event.preventDefault(); return reset(); }
          if (!way) return;
          event.preventDefault();
          const step = Number(fine) * (event.shiftKey ? 0.1 : 1);
          this.set(path, Math.min(high, Math.max(low, this.get(path) + way * step)));
          this.commitSoon(cell);
        });
        number.addEventListener("change", () => {
          const value = plain(number.value);
          if (!Number.isFinite(value) || value < low || value > high) {
            this.complain("typed", `${number.getAttribute("aria-label")}: type a number from ${minus(low)} to ${minus(high)}.`);
            return this.syncControls();
          }
          this.set(path, value);
          this.commit(cell);
        });
      }
      for (const choice of this.$root.querySelectorAll(".choice")) {
        choice.addEventListener("change", () => { this.set(choice.dataset.path, choice.value); this.commit(choice); });
      }
    },

    // A hand stops at fifths of the smallest step, and at the resting value when it comes near it.
    rested(value, { low, high, fine, "default": rest }) {
      if (Math.abs(value - rest) < (high - low) * 0.008) return Number(rest);
      const step = fine / 5;
      return Number((Math.round(value / step) * step).toFixed(6));
    },
    effective() {
      return {
        ...this.settings, rendering: this.settings.rendering || this.data.production_rendering,
        development: this.settings.development || this.data.shared_development,
      };
    },
    get(path) { return path.split(".").reduce((place, key) => place[key], this.effective()); },
    set(path, value) {
      if (!this.data.editable) return;
      this.settle("typed");
      const keys = path.split(".");
      const shared = { rendering: this.data.production_rendering, development: this.data.shared_development }[keys[0]];
      if (shared && this.settings[keys[0]] === null) this.settings[keys[0]] = { ...shared };
      const last = keys.pop();
      keys.reduce((place, key) => place[key], this.settings)[last] = value;
      this.syncControls();
      this.refresh(false);
      if (path.startsWith("rendering")) this.redrawTone();
    },
    syncControls() {
      for (const cell of this.$root.querySelectorAll(".cell")) {
        const value = this.get(cell.dataset.path);
        cell.querySelector("input[type=range]").value = value;
        const number = cell.querySelector(".number");
        if (document.activeElement !== number || this.$root.contains(number)) {
          const digits = Math.max(Number(cell.dataset.digits), Math.min(4, (String(value).split(".")[1] || "").length));
          number.value = minus(value.toFixed(Math.min(digits, Number(cell.dataset.digits) + 1)));
        }
        cell.classList.toggle("moved", value !== Number(cell.dataset.default));
      }
      for (const choice of this.$root.querySelectorAll(".choice")) choice.value = this.get(choice.dataset.path);
      for (const input of this.$root.querySelectorAll(".switch")) input.checked = this.settings[input.dataset.switch];
    },
    commitSoon(cell) {
      clearTimeout(this.soon);
      this.soon = setTimeout(() => this.commit(cell), 350);
    },
    commit(cell) {
      const [step] = (cell.dataset.path || "").split(".");
      const name = cell.querySelector ? cell.querySelector(".number") : null;
      const label = name ? name.getAttribute("aria-label").split(",")[0].toLowerCase() : step.replaceAll("_", " ");
      return this.save(label);
    },
    async save(label) {
      clearTimeout(this.soon);
      if (!this.data.editable) return;
      this.refresh(true);
      // Copied now: when an earlier save is slow, each state must still be the one its hand left.
      const sent = JSON.parse(JSON.stringify(this.settings));
      this.saving = (this.saving || Promise.resolve()).then(async () => {
        try {
          const response = await upwelling.post(this.data.urls.save, { settings: sent, version: this.history.version, label });
          const said = await response.json();
          this.history = said.history;
          this.$refs.thumb.src = said.thumbnail;
          this.settle("save");
        } catch (error) {
          this.complain("save", error.message);
        }
      });
      return this.saving;
    },
    async move(url) {
      await this.saving;
      try {
        const said = await (await upwelling.post(url)).json();
        this.settings = said.settings;
        this.history = said.history;
        this.$refs.thumb.src = said.thumbnail;
        this.trouble = "";
        this.syncControls();
        this.redrawTone();
        this.refresh(true);
      } catch (error) {
        this.complain("save", error.message);
      }
    },
    undo() { if (this.canUndo) this.move(this.data.urls.undo); },
    redo() { if (this.canRedo) this.move(this.data.urls.redo); },
    toggle(event) {
      const name = event.target.dataset.switch;
      this.settings[name] = event.target.checked;
      this.save(name.replace("_on", "") + (event.target.checked ? " on" : " off"));
    },
    inheritRendering() {
      this.settings.rendering = null;
      this.syncControls();
      this.redrawTone();
      this.save("production's rendering");
    },
    inheritDevelopment() {
      this.settings.development = null;
      this.syncControls();
      this.save("camera's development");
    },
    get scopeUnit() { return this.scope === "vectorscope" ? "Pb across, Pr up" : "display signal, %"; },
    get scopeLabel() {
      return { parade: "RGB parade of the display signal", waveform: "Waveform of the display signal's luma", vectorscope: "Vectorscope of the display signal" }[this.scope];
    },
    pickScope(event) {
      this.scope = event.target.value;
      localStorage.setItem("bench-scope", this.scope);
      this.refresh(true);
    },
    pickBars(event) { this.bars = event.target.checked; this.refresh(true); },
    scrub(event) { this.frame = Number(event.target.value); this.refresh(false); },
    scrubbed() { this.refresh(true); },
    async standFor() {
      try {
        const said = await (await upwelling.post(this.data.urls.stand, { frame: this.frame })).json();
        this.stood = said.frame;
        this.$refs.thumb.src = said.thumbnail;
        this.settle("stand");
      } catch (error) {
        this.complain("stand", error.message);
      }
    },
    async redrawTone() {
      try {
        const said = await (await upwelling.post(this.data.urls.tone, { settings: this.settings })).json();
        this.$refs.tone.setAttribute("points", said.points);
        const peak = said.marks.find((mark) => mark.label === "peak");
        if (peak && this.$refs.peakLine) {
          this.$refs.peakLine.setAttribute("x1", peak.x);
          this.$refs.peakLine.setAttribute("x2", peak.x);
          this.$refs.peakText.setAttribute("x", peak.x);
        }
      } catch { /* the preview says what is wrong with the settings */ }
    },

    // --- picture --------------------------------------------------------------------------------------------------
    refresh(lossless) {
      this.previews.ask({ settings: this.settings, compare: this.held ? "untrimmed" : this.compare, lossless, point: this.point, frame: this.frame,
        scope: this.scope, bars: this.bars });
    },
    show(head) {
      const canvas = this.$refs.picture;
      if (canvas.width !== head.width || canvas.height !== head.height) {
        canvas.width = head.width;
        canvas.height = head.height;
      }
      canvas.getContext("2d").drawImage(head.bitmap, 0, 0);
      head.bitmap.close();
      canvas.dataset.fingerprint = head.fingerprint;
      upwelling.drawScope(this.$refs.parade, head.shades, head.scope);
      upwelling.drawHistogram(this.$refs.histogram, head.histogram);
      for (const row of head.column) this.lines[row.stage] = row.line;
      this.fits = head.fits;
      const shares = head.shares;
      const camera = shares.camera ? `camera clip ${percent(shares.camera)}` : "no camera clip";
      this.counts = `above white ${percent(shares.above_white)} · at peak ${percent(shares.at_peak)} · at black ${percent(shares.at_black)} · ${camera}`;
      this.countsTitle = "Shares of pixels: luminance above diffuse white 1.0; any channel at the display's peak; at its black; "
        + `at the file's highest code, ${shares.camera_code}.`;
      if (head.trace) this.showTrace(head.trace);
      this.moveCross();
      this.settle("preview");
    },
    showTrace(trace) {
      this.traceTitle = `Trace at ${trace.x}, ${trace.y}`;
      for (const stage of STAGES) {
        const [a, b, c] = trace[stage];
        this.values[stage] = { a, b, c };
      }
      this.trace = Object.fromEntries(Object.entries(trace).map(([key, value]) => [key, Array.isArray(value) ? value.join("  ") : value]));
    },
    box() {
      const rect = this.$refs.picture.getBoundingClientRect();
      const { width, height } = this.data.frame;
      const scale = Math.min(rect.width / width, rect.height / height);
      return { scale, left: (rect.width - width * scale) / 2, top: (rect.height - height * scale) / 2, rect };
    },
    place(event) {
      const { scale, left, top, rect } = this.box();
      const x = Math.floor((event.clientX - rect.left - left) / scale);
      const y = Math.floor((event.clientY - rect.top - top) / scale);
      this.moveTo(x, y);
    },
    nudge(event) {
      const way = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowDown: [0, 1], ArrowUp: [0, -1] }[event.key];
      if (!way) return;
      event.preventDefault();
      const by = event.shiftKey ? 10 : 1;
      this.moveTo(this.point.x + way[0] * by, this.point.y + way[1] * by);
    },
    moveTo(x, y) {
      const { width, height } = this.data.frame;
      this.point = { x: Math.min(Math.max(x, 0), width - 1), y: Math.min(Math.max(y, 0), height - 1) };
      this.moveCross();
      this.refresh(true);
    },
    moveCross() {
      const { scale, left, top } = this.box();
      const cross = this.$refs.cross;
      cross.hidden = false;
      cross.style.left = left + (this.point.x + 0.5) * scale + "px";
      cross.style.top = top + (this.point.y + 0.5) * scale + "px";
    },
    compareWith(event) {
      this.compare = event.currentTarget.dataset.compare;
      this.refresh(true);
    },
    select(event) { this.stage = event.currentTarget.dataset.stage; },

    // --- keys -----------------------------------------------------------------------------------------------------
    key(event) {
      if (event.ctrlKey || event.metaKey) {
        if (event.key.toLowerCase() !== "z") return;
        event.preventDefault();
        return event.shiftKey ? this.redo() : this.undo();
      }
      if (event.altKey || event.target.matches("input[type=text], select, textarea")) return;
      const letter = event.key.toLowerCase();
      if (letter === "b" && !this.held) {
        this.held = true;
        this.refresh(false);
      } else if (letter === "p" && this.data.neighbours.previous) {
        window.location.href = this.data.neighbours.previous;
      } else if (letter === "n" && this.data.neighbours.next) {
        window.location.href = this.data.neighbours.next;
      }
    },
    keyUp(event) {
      if (event.key.toLowerCase() === "b" && this.held) {
        this.held = false;
        this.refresh(true);
      }
    },
  }));
});
