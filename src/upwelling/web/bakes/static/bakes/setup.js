// Setting a bake up: boundaries on the Column, the receiver's choices, what is left out, and the smallest grid that holds.
document.addEventListener("alpine:init", () => {
  const STAGES = ["camera", "input", "trim", "look", "rendering", "display"];

  Alpine.data("bakeSetup", () => ({
    wish: {}, said: "", title: "", takes: "", gives: "", lost: [], trouble: "", yes: false, rows: [], verdict: "", solving: false, limitY: 0, topLabel: "", canTake: false, checked: false,

    init() {
      this.data = JSON.parse(document.getElementById("bake-data").textContent);
      this.wish = this.data.wish;
      this.check();
    },
    get receiver() { return this.data.receivers[this.wish.receiver]; },
    get formats() { return this.receiver.formats.map((name) => ({ value: name, label: this.data.formats[name].title, chosen: name === this.wish.format })); },
    get isHald() { return this.wish.format === "hald"; },
    get canShape() { return this.data.formats[this.wish.format].shaper && this.wish.dimensions === "3"; },
    get sizeTitle() { return this.wish.dimensions === "1" ? "Entries" : "Grid"; },
    get sizeList() { return this.wish.dimensions === "1" ? this.receiver.entries : this.receiver.sizes[this.wish.format]; },
    get sizes() { return this.sizeList.map((n) => ({ value: String(n), label: this.wish.dimensions === "1" ? `${n} entries` : `${n} points a side`, chosen: String(n) === this.wish.size })); },
    get about() { return `${this.receiver.note} ${this.receiver.said}`; },
    get between() { return this.wish.start !== "camera" || this.wish.end !== "display"; },
    get startIs() { return Object.fromEntries(STAGES.map((s) => [s, s === this.wish.start])); },
    get endIs() { return Object.fromEntries(STAGES.map((s) => [s, s === this.wish.end])); },
    get carried() {
      const [from, to] = [STAGES.indexOf(this.wish.start), STAGES.indexOf(this.wish.end)];
      return Object.fromEntries(STAGES.map((s, k) => [s, { carried: k >= from && k <= to, spared: k < from || k > to }]));
    },
    get asks() { return this.lost.some((one) => one.matters); },
    get nothingLost() { return this.checked && !this.trouble && this.lost.length === 0; },
    get ready() { return this.checked && !this.trouble && (!this.asks || this.yes); },

    preset(event) { this.set({ start: event.currentTarget.dataset.start, end: event.currentTarget.dataset.end }); },
    pickStart(event) { this.set({ start: event.target.value }); },
    pickEnd(event) { this.set({ end: event.target.value }); },
    pick(event) { this.set({ [event.target.dataset.field]: event.target.value }); },
    pickReceiver(event) { this.set({ receiver: event.target.value }); },

    // What the receiver, format and kind do not allow falls back to something they do.
    set(changes) {
      this.wish = { ...this.wish, ...changes };
      if (!this.receiver.formats.includes(this.wish.format)) this.wish.format = this.receiver.formats[0];
      if (this.isHald) this.wish.dimensions = "3";
      if (!this.sizeList.map(String).includes(this.wish.size)) this.wish.size = String(this.sizeList[this.sizeList.length - 1]);
      if (!this.canShape) this.wish.shaper = "none";
      if (!("size" in changes) && !("shaper" in changes)) this.clearPlot();
      this.yes = false;
      this.check();
    },
    clearPlot() { this.rows = []; this.verdict = ""; this.canTake = false; if (this.$refs.points) this.$refs.points.replaceChildren(); },

    async check() {
      const mine = (this.asked = (this.asked || 0) + 1);
      this.checked = false;
      this.$root.dataset.busy = "yes";
      try {
        const found = await (await upwelling.post(this.data.urls.check, this.wish)).json();
        if (mine !== this.asked) return;
        Object.assign(this, { said: found.said, title: found.title, takes: found.takes, gives: found.gives, lost: found.lost, trouble: "", checked: true });
      } catch (error) {
        if (mine === this.asked) Object.assign(this, { trouble: error.message, lost: [], said: "", title: "", takes: "", gives: "" });
      } finally {
        if (mine === this.asked) this.$root.dataset.busy = "no";
      }
    },
    async solve() {
      this.solving = true;
      this.verdict = "Trying …";
      try {
        const found = await (await upwelling.post(this.data.urls.solve, this.wish)).json();
        this.rows = found.rows.map((row) => ({ ...row, style: row.chosen ? "chosen" : "" }));
        Object.assign(this, { verdict: found.said, limitY: found.limit_y, topLabel: `${found.top} ×` });
        this.draw();
        this.set({ size: String(found.size), shaper: found.shaper, dimensions: "3" });
        this.canTake = found.holds;
      } catch (error) {
        this.verdict = "▲ " + error.message;
      } finally {
        this.solving = false;
      }
    },
    draw() {
      this.$refs.points.replaceChildren(...this.rows.flatMap((row) => {
        const mark = document.createElementNS("http://www.w3.org/2000/svg", "path");
        mark.setAttribute("d", row.shaper === "none" ? `M${row.x - 5} ${row.y}a5 5 0 1 0 10 0a5 5 0 1 0 -10 0` : `M${row.x} ${row.y - 6}l6 6l-6 6l-6 -6z`);
        mark.setAttribute("class", "try" + (row.holds ? " holds" : "") + (row.chosen ? " chosen" : ""));
        const name = document.createElementNS("http://www.w3.org/2000/svg", "title");
        name.textContent = row.label;
        mark.append(name);
        const text = document.createElementNS("http://www.w3.org/2000/svg", "text");
        text.setAttribute("class", "tick"); text.setAttribute("x", row.x); text.setAttribute("y", 162); text.textContent = row.size;
        return [mark, text];
      }));
    },
  }));
});
