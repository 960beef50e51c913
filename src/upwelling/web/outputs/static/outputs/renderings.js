// Renderings side by side: each cell asks the server for its own picture, scope and numbers; one cell is in hand.
import { post } from "../js/http.js";
import { Fields } from "./fields.js";

document.addEventListener("alpine:init", () => {
  const MOST = 8,
    BLANK = "data:image/gif;base64,R0lGODlhAQABAIAAAHZ2dgAAACwAAAAAAQABAAACAkQBADs=";

  Alpine.data("renderings", () => ({
    cells: [],
    mode: "methods",
    scope: "waveform",
    output: "",
    heldId: 0,
    said: "",
    progress: "",
    method: "",
    next: 1,

    init() {
      this.data = JSON.parse(document.getElementById("renderings-data").textContent);
      this.output = this.data.output;
      this.fields = {};
      for (const root of this.$root.querySelectorAll(".fieldsof"))
        this.fields[root.dataset.method] = new Fields(
          root,
          (path, value, resting) => this.change(path, value, resting),
          (sentence) => {
            this.said = sentence;
          },
        );
      this.fillMethods();
    },
    get isMode() {
      return { methods: this.mode === "methods", outputs: this.mode === "outputs" };
    },
    get held() {
      return this.cells.find((cell) => cell.id === this.heldId) || this.cells[0];
    },
    get heldTitle() {
      return this.held ? `${this.held.letter} in hand` : "";
    },
    get methodIs() {
      return Object.fromEntries(
        Object.keys(this.data ? this.data.methods : {}).map((kind) => [kind, kind === this.method]),
      );
    },
    get full() {
      return this.cells.length >= MOST;
    },
    get last() {
      return this.cells.length < 2;
    },
    get forMain() {
      return Boolean(this.held) && this.held.output === this.data.output;
    },
    get forFurther() {
      return Boolean(this.held) && this.held.output !== this.data.output;
    },
    get useText() {
      return this.held ? `Make it that of ${this.held.output}` : "";
    },

    make(rendering, output) {
      const id = this.next;
      this.next += 1;
      return {
        id,
        rendering: JSON.parse(JSON.stringify(rendering)),
        output,
        picture: BLANK,
        scope: BLANK,
        said: "",
        trouble: "",
        numbers: [],
        letter: "",
        title: "",
        fit: "",
        look: {},
        held: false,
      };
    },
    fillMethods() {
      const now = this.data.now;
      const others = Object.values(this.data.methods).filter((one) => one.kind !== now.kind);
      this.take([now, ...others].slice(0, MOST).map((one) => this.make(one, this.output)));
    },
    fillOutputs() {
      this.take(this.data.outputs.map((one) => this.make(one.rendering, one.name)));
    },
    take(cells) {
      this.cells = cells;
      this.heldId = cells[0].id;
      this.name();
      this.askAll();
    },
    // Letters, titles and what is in hand, after any change of the list.
    name() {
      this.cells.forEach((cell, index) => {
        cell.letter = String.fromCharCode(65 + index);
        const now = index === 0 && this.mode === "methods" ? " (now)" : "";
        cell.title =
          this.mode === "outputs"
            ? `${cell.letter} ${cell.output}`
            : `${cell.letter} ${this.data.titles[cell.rendering.kind]}${now}`;
        cell.fit =
          (this.mode === "outputs" ? this.data.titles[cell.rendering.kind] + ", " : "") +
          this.data.fits[cell.rendering.fit.kind].toLowerCase();
        cell.held = cell.id === this.heldId;
        cell.look = { inhand: cell.held, working: Boolean(cell.asked) };
      });
      if (!this.held) return;
      this.method = this.held.rendering.kind;
      this.$refs.method.value = this.method;
      this.$refs.fit.value = this.held.rendering.fit.kind;
      this.fields[this.method].show(this.held.rendering);
    },
    async askAll() {
      const started = performance.now(),
        asked = [...this.cells];
      this.busy(1);
      let done = 0;
      const work = async (part) => {
        for (const cell of part) {
          await this.ask(cell);
          done += 1;
          this.progress = `${done} of ${asked.length}`;
        }
      };
      await Promise.all([
        work(asked.filter((_, index) => index % 2 === 0)),
        work(asked.filter((_, index) => index % 2 === 1)),
      ]);
      this.progress = `${asked.length} rendered in ${((performance.now() - started) / 1000).toFixed(1)} s`;
      this.busy(-1);
    },
    busy(by) {
      this.waiting = (this.waiting || 0) + by;
      this.$root.dataset.busy = this.waiting > 0 ? "yes" : "no";
    },
    // The newest settings of a cell win; at most one request of a cell is under way.
    async ask(cell) {
      cell.again = true;
      if (cell.asked) return;
      cell.asked = true;
      cell.look = { inhand: cell.held, working: true };
      this.busy(1);
      while (cell.again) {
        cell.again = false;
        try {
          const got = await (
            await post(this.data.urls.cell, { rendering: cell.rendering, output: cell.output, scope: this.scope })
          ).json();
          Object.assign(cell, {
            picture: got.picture,
            scope: got.scope,
            numbers: got.numbers,
            said: got.note ? `${got.said}. ${got.note}` : got.said,
            trouble: "",
          });
        } catch (error) {
          cell.trouble = error.message;
        }
      }
      cell.asked = false;
      cell.look = { inhand: cell.held, working: false };
      this.busy(-1);
    },
    hold(event) {
      this.heldId = Number(event.currentTarget.dataset.cell);
      this.said = "";
      this.name();
    },
    change(path, value) {
      this.held.rendering[path] = value;
      this.said = "";
      this.fields[this.method].show(this.held.rendering);
      this.ask(this.held);
    },
    pickMethod(event) {
      this.replace({ ...this.data.methods[event.target.value], fit: this.held.rendering.fit });
    },
    pickFit(event) {
      this.replace({ ...this.held.rendering, fit: { kind: event.target.value } });
    },
    replace(rendering) {
      this.held.rendering = JSON.parse(JSON.stringify(rendering));
      this.name();
      this.ask(this.held);
    },
    add() {
      const copy = this.make(this.held.rendering, this.held.output);
      this.cells.push(copy);
      this.heldId = copy.id;
      this.name();
      this.ask(this.cells[this.cells.length - 1]);
    },
    remove() {
      this.cells = this.cells.filter((cell) => cell.id !== this.heldId);
      this.heldId = this.cells[0].id;
      this.name();
    },
    pickMode(event) {
      this.mode = event.currentTarget.dataset.mode;
      if (this.mode === "outputs") this.fillOutputs();
      else this.fillMethods();
    },
    pickOutput(event) {
      this.output = event.target.value;
      for (const cell of this.cells) cell.output = this.output;
      this.name();
      this.askAll();
    },
    pickScope(event) {
      this.scope = event.target.value;
      this.askAll();
    },
    go(event) {
      window.location.assign(event.target.value);
    },
    async use(event) {
      try {
        const body = {
          rendering: this.held.rendering,
          output: this.held.output,
          whose: event.currentTarget.dataset.whose,
        };
        this.said = (await (await post(this.data.urls.use, body)).json()).said;
        if (body.whose !== "output") this.data.now = JSON.parse(JSON.stringify(body.rendering));
        const one = this.data.outputs.find((output) => output.name === body.output);
        if (one) one.rendering = JSON.parse(JSON.stringify(body.rendering));
      } catch (error) {
        this.said = error.message;
      }
    },
  }));
});
