// Setting a bake up: boundaries on the Column, the receiver's choices, what is left out, and the smallest grid that holds.
import { lines, post } from "../js/http.js";

document.addEventListener("alpine:init", () => {
  const STAGES = ["camera", "input", "trim", "look", "rendering", "display"];

  Alpine.data("bakeSetup", () => ({
    wish: {},
    said: "",
    title: "",
    takes: "",
    gives: "",
    file: "",
    lost: [],
    trouble: "",
    yes: false,
    rows: [],
    verdict: "",
    solving: false,
    share: 0,
    canTake: false,
    checked: false,
    dropped: "",
    lines: {},

    init() {
      this.data = JSON.parse(document.getElementById("bake-data").textContent);
      this.wish = this.data.wish;
      this.lines = this.data.lines;
      this.check();
    },
    get receiver() {
      return this.data.receivers[this.wish.receiver];
    },
    get formats() {
      return this.receiver.formats.map((name) => ({
        value: name,
        label: this.data.formats[name].title,
        chosen: name === this.wish.format,
      }));
    },
    get canFit() {
      return this.wish.dimensions === "3" && Number(this.wish.size) <= this.data.fitted_up_to;
    },
    get isHald() {
      return this.wish.format === "hald";
    },
    get canShape() {
      return this.data.formats[this.wish.format].shaper && this.wish.dimensions === "3";
    },
    get sizeTitle() {
      return this.wish.dimensions === "1" ? "Entries" : "Grid";
    },
    get sizeList() {
      return this.wish.dimensions === "1" ? this.receiver.entries : this.receiver.sizes[this.wish.format];
    },
    get sizes() {
      return this.sizeList.map((n) => ({
        value: String(n),
        label: this.wish.dimensions === "1" ? `${n} entries` : `${n} points a side`,
        chosen: String(n) === this.wish.size,
      }));
    },
    get about() {
      return `${this.receiver.note} ${this.receiver.said}`;
    },
    get between() {
      return this.wish.start !== "camera" || this.wish.end !== "display";
    },
    get startIs() {
      return Object.fromEntries(STAGES.map((s) => [s, s === this.wish.start]));
    },
    get endIs() {
      return Object.fromEntries(STAGES.map((s) => [s, s === this.wish.end]));
    },
    get carried() {
      const [from, to] = [STAGES.indexOf(this.wish.start), STAGES.indexOf(this.wish.end)];
      return Object.fromEntries(
        STAGES.map((s, k) => [s, { carried: k >= from && k <= to, spared: k < from || k > to }]),
      );
    },
    get asks() {
      return this.lost.some((one) => one.matters);
    },
    get nothingLost() {
      return this.checked && !this.trouble && this.lost.length === 0;
    },
    get ready() {
      return this.checked && !this.trouble && (!this.asks || this.yes);
    },

    preset(event) {
      this.set({ start: event.currentTarget.dataset.start, end: event.currentTarget.dataset.end });
    },
    pickStart(event) {
      this.set({ start: event.target.value });
    },
    pickEnd(event) {
      this.set({ end: event.target.value });
    },
    pick(event) {
      this.stop();
      this.set({ [event.target.dataset.field]: event.target.value });
    },
    pickReceiver(event) {
      this.set({ receiver: event.target.value });
    },

    // What the receiver, format and kind do not allow falls back to something they do. A shaper that was found belongs to the settings it was found
    // for: where another of them changes it is let go of, and the page says so.
    set(changes) {
      const found = (this.wish.density || []).length > 0,
        couldFit = this.canFit;
      this.wish = { ...this.wish, ...changes };
      if (!this.receiver.formats.includes(this.wish.format)) this.wish.format = this.receiver.formats[0];
      if (this.isHald) this.wish.dimensions = "3";
      if (!this.sizeList.map(String).includes(this.wish.size))
        this.wish.size = String(this.sizeList[this.sizeList.length - 1]);
      if (!this.canShape) this.wish.shaper = "none";
      if (!this.canFit) this.wish.entries = "sampled";
      else if (!couldFit) this.wish.entries = "fitted";
      if (!("density" in changes) && Object.keys(changes).some((name) => name !== "entries" && name !== "shaper"))
        this.wish.density = [];
      this.dropped =
        found && this.wish.density.length === 0 && !("density" in changes)
          ? "The shaper that was found belongs to the settings before. “Try every grid” finds the one for these."
          : "";
      if (!("density" in changes) && Object.keys(changes).some((name) => !["entries", "shaper", "size"].includes(name)))
        this.clearPlot();
      this.yes = false;
      this.check();
    },
    clearPlot() {
      this.stop();
      this.search = null;
      this.solving = false;
      this.rows = [];
      this.verdict = "";
      this.canTake = false;
      if (this.$refs.points) this.$refs.points.replaceChildren();
    },
    get density() {
      return this.wish.shaper === "adapted" ? (this.wish.density || []).join(",") : "";
    },
    get shaperTitle() {
      return (this.wish.density || []).length ? "found by the search" : "adapted to the path";
    },
    get asked_for() {
      return { ...this.wish, density: this.density };
    },

    async check() {
      const mine = (this.asked = (this.asked || 0) + 1);
      this.checked = false;
      this.$root.dataset.busy = "yes";
      try {
        const found = await (await post(this.data.urls.check, this.asked_for)).json();
        if (mine !== this.asked) return;
        Object.assign(this, {
          lines: found.lines,
          said: found.said,
          title: found.title,
          takes: found.takes,
          gives: found.gives,
          file: found.file,
          lost: found.lost,
          trouble: "",
          checked: true,
        });
      } catch (error) {
        if (mine === this.asked)
          Object.assign(this, { trouble: error.message, lost: [], said: "", title: "", takes: "", gives: "" });
      } finally {
        if (mine === this.asked) this.$root.dataset.busy = "no";
      }
    },
    // Candidates come one by one; what was asked for meanwhile counts, so a change of the wish stops the search.
    async solve() {
      this.clearPlot();
      const mine = (this.search = new AbortController());
      Object.assign(this, { solving: true, share: 0, verdict: "Trying …" });
      try {
        for await (const line of lines(await post(this.data.urls.solve, this.wish, mine.signal))) {
          if (line.error) throw new Error(line.error);
          this.share = line.done;
          this.verdict = line.said;
          if (line.row) this.rows = [...this.rows, { ...line.row, style: "" }];
          if (line.wish) {
            this.rows = this.rows.map((row, k) => ({ ...row, style: k === line.chosen ? "chosen" : "" }));
            this.set(line.wish);
            this.canTake = line.holds;
          }
          this.draw();
        }
      } catch (error) {
        if (error.name !== "AbortError") this.verdict = "▲ " + error.message;
        else if (this.search === mine) this.verdict = "Stopped.";
      } finally {
        if (this.search === mine) this.solving = false;
      }
    },
    stop() {
      if (this.search) this.search.abort();
    },
    draw() {
      this.$refs.points.replaceChildren(
        ...this.rows.flatMap((row) => {
          const mark = document.createElementNS("http://www.w3.org/2000/svg", "path");
          mark.setAttribute(
            "d",
            {
              sampled: `M${row.x - 5} ${row.y}a5 5 0 1 0 10 0a5 5 0 1 0 -10 0`,
              fitted: `M${row.x - 5} ${row.y - 5}h10v10h-10z`,
              formulas: `M${row.x} ${row.y - 6}l6 11h-12z`,
              shaper: `M${row.x} ${row.y - 6}l6 6l-6 6l-6 -6z`,
            }[row.mark],
          );
          mark.setAttribute("class", "try" + (row.holds ? " holds" : "") + (row.style ? " chosen" : ""));
          const name = document.createElementNS("http://www.w3.org/2000/svg", "title");
          name.textContent = row.label;
          mark.append(name);
          const text = document.createElementNS("http://www.w3.org/2000/svg", "text");
          text.setAttribute("class", "tick");
          text.setAttribute("x", row.middle);
          text.setAttribute("y", 178);
          text.textContent = row.size;
          return [mark, text];
        }),
      );
    },
  }));
});
