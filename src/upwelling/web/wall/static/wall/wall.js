// The wall: shots side by side in sight, chosen by keys and mouse, moved, matched, and opened on the Bench.
import { post } from "../js/http.js";
import { Feed, progress } from "./feed.js";
import { Grid } from "./grid.js";
import { Hand } from "./hand.js";
import { fill } from "./tile.js";

const LOOK = 700;
const FINE = 0.1;
const MOVES = { "+": 1, "=": 1, "-": -1, "−": -1, ".": FINE, ",": -FINE };

document.addEventListener("alpine:init", () => {
  Alpine.data("wall", () => ({
    data: {},
    said: "",
    progress: "",
    trouble: false,
    chosen: [],
    here: 0,
    compared: -1,
    changes: [],
    proposals: {},

    init() {
      this.data = JSON.parse(this.$root.dataset.wall);
      if (!this.data.places.length) return;
      const { places, titles, urls, controls } = this.data;
      this.told = new Map();
      this.grid = new Grid(this.$refs.room, this.$refs.tiles, {
        rows: places.length,
        cells: titles.length,
        size: this.$root.dataset.size,
        fill: (element, row, cell) => this.fillTile(element, row, cell),
      });
      this.hand = new Hand({
        urls,
        controls,
        show: () => this.data.show,
        place: (row) => places[row].slice(0, 2),
        redraw: (row) => this.redraw(row),
        saving: (rows) => this.await(rows),
        awaits: (row) => this.settled.some((one) => one.row === row),
        saved: (answer) => this.changed(answer),
        fail: (error) => this.fail(error),
      });
      this.feed = new Feed(urls, () => this.question(), (answer, body) => this.take(answer, body), (error) => this.fail(error));
      this.markControl();
      this.listen();
      this.grid.draw();
      this.feed.ask();
    },
    destroy() {
      if (this.feed) this.feed.stop();
      this.leaving.abort();
    },
    listen() {
      this.leaving = new AbortController();
      const { signal } = this.leaving,
        { room, tiles } = this.$refs;
      room.addEventListener("scroll", () => this.moveOn(), { signal, passive: true });
      window.addEventListener("resize", () => this.resize(), { signal });
      document.addEventListener("visibilitychange", () => this.feed.ask(), { signal });
      window.addEventListener("pagehide", () => this.hand.save(), { signal });
      document.addEventListener("keydown", (event) => this.key(event), { signal });
      tiles.addEventListener("click", (event) => this.click(event), { signal });
      tiles.addEventListener("focusin", (event) => this.standAt(this.rowOf(event)), { signal });
      if (this.data.changes) this.hand.watch(tiles, (event) => this.rowOf(event), (row) => this.together(row));
    },
    resize() {
      this.grid.measure();
      this.moveOn();
    },
    moveOn() {
      this.grid.draw();
      this.feed.ask();
    },

    // --- what is asked and told --------------------------------------------------------------------------------------
    question() {
      const { from, to } = this.grid.inSight(),
        places = this.data.places.slice(from, to).map((one) => one.slice(0, 2)),
        chosen = this.compared < 0 ? null : this.data.places[this.compared].slice(0, 2);
      return { ...this.data.show, region: this.data.region, places, chosen };
    },
    take(answer) {
      for (const row of answer.rows) this.told.set(`${row.shot}-${row.frame}`, row);
      this.settled = this.settled.filter(({ row, version }) => {
        const now = this.toldOf(row);
        const over = now && now.version !== version && now.cells[0].made;
        if (over) this.hand.forget(row);
        return !over;
      });
      this.grid.draw();
      if (answer.problem) this.fail(new Error(answer.problem));
      this.progress = progress(answer, "pairs");
    },
    settled: [],
    toldOf(row) {
      const [shot, frame] = this.data.places[row];
      return this.told.get(`${shot}-${frame}`);
    },
    say(text) {
      this.said = text;
      this.trouble = false;
    },
    fail(error) {
      this.said = `▲ ${error.message}`;
      this.trouble = true;
    },
    get saidClass() {
      return this.trouble ? "trouble" : "";
    },

    // --- tiles -------------------------------------------------------------------------------------------------------
    fillTile(element, row, cell) {
      const place = this.data.places[row];
      fill(element, place, this.toldOf(row), cell, {
        chosen: this.chosen.includes(row),
        compared: row === this.compared,
        several: this.data.titles.length > 1,
        here: row === this.here,
        href: this.benchOf(row),
        tried: cell === 0 ? this.hand.tried.get(row) : null,
        pending: this.hand.rows.includes(row) ? this.hand.text : "",
        proposal: this.proposals[place[0]],
      });
    },
    redraw(row) {
      for (let cell = 0; cell < this.data.titles.length; cell++) {
        const at = row * this.data.titles.length + cell;
        if (this.grid.shown.has(at)) this.grid.put(at);
      }
    },
    // The Bench at that frame, with the shot before beside it.
    benchOf(row) {
      const [shot, frame, event] = this.data.places[row],
        other = this.besideOf(row),
        cut = this.data.cut ? `&cut=${this.data.cut}&event=${event}` : "",
        beside = other < 0 ? "" : `&beside=${this.data.places[other].slice(0, 2).join(".")}`;
      return `${this.data.bench.replace("/0/", `/${shot}/`)}?frame=${frame}${beside}${cut}`;
    },
    // The nearest row before with another shot, else after.
    besideOf(row) {
      const mine = this.data.places[row][0],
        differs = (one) => one[0] !== mine;
      for (let at = row - 1; at >= 0; at--) if (differs(this.data.places[at])) return at;
      for (let at = row + 1; at < this.data.places.length; at++) if (differs(this.data.places[at])) return at;
      return -1;
    },
    rowOf(event) {
      const tile = event.target.closest(".walltile");
      return tile ? Math.floor(Number(tile.dataset.at) / this.data.titles.length) : -1;
    },
    // What moves with a row: the chosen ones where it is one of them.
    together(row) {
      return this.chosen.includes(row) ? [...this.chosen].sort((a, b) => a - b) : [row];
    },

    // --- choosing ----------------------------------------------------------------------------------------------------
    get someChosen() {
      return this.chosen.length > 0;
    },
    get chosenText() {
      return `Only the ${this.chosen.length} chosen`;
    },
    // The same wall of the chosen shots alone; the address says it.
    onlyChosen() {
      const asked = new URLSearchParams(window.location.search);
      asked.set("only", [...new Set(this.chosen.map((row) => this.data.places[row][0]))].join("."));
      window.location.search = asked.toString();
    },
    choose(rows) {
      this.chosen = rows;
      this.grid.draw();
    },
    toggle(row) {
      this.choose(this.chosen.includes(row) ? this.chosen.filter((one) => one !== row) : [...this.chosen, row]);
    },
    span(from, to) {
      const [low, high] = [Math.min(from, to), Math.max(from, to)];
      this.choose([...new Set([...this.chosen, ...Array.from({ length: high - low + 1 }, (_, n) => low + n)])]);
    },
    click(event) {
      const row = this.rowOf(event);
      if (row < 0) return;
      if (this.hand.dragged) return event.preventDefault();
      if (!event.ctrlKey && !event.metaKey && !event.shiftKey) return;
      event.preventDefault();
      if (event.shiftKey) this.span(this.here, row);
      else this.toggle(row);
      this.standAt(row);
    },
    standAt(row) {
      if (row < 0 || row === this.here) return;
      const before = this.here;
      this.here = row;
      this.redraw(before);
      this.redraw(row);
    },
    go(row, extend) {
      const to = Math.min(Math.max(row, 0), this.data.places.length - 1);
      if (extend) this.span(this.here, to);
      this.standAt(to);
      const tile = this.grid.reveal(to);
      if (tile) tile.querySelector("a").focus({ preventScroll: true });
    },
    sendChosen(event) {
      const form = event.target;
      for (const old of form.querySelectorAll("input[name=shot]")) old.remove();
      for (const shot of new Set(this.chosen.map((row) => this.data.places[row][0]))) {
        const input = Object.assign(document.createElement("input"), { type: "hidden", name: "shot", value: shot });
        form.append(input);
      }
    },

    // --- keys --------------------------------------------------------------------------------------------------------
    key(event) {
      if (["INPUT", "SELECT", "TEXTAREA"].includes(event.target.tagName)) return;
      if (event.key.toLowerCase() === "z" && (event.ctrlKey || event.metaKey)) {
        event.preventDefault();
        return this.undo();
      }
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      if (this.walkKey(event) || (this.data.changes && this.mendKey(event)) || this.lookKey(event)) event.preventDefault();
    },
    walkKey(event) {
      const line = Math.max(this.grid.across / this.data.titles.length, 1),
        by = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -line, ArrowDown: line, Home: -1e6, End: 1e6 }[event.key];
      if (by === undefined) return false;
      this.go(this.here + by, event.shiftKey);
      return true;
    },
    mendKey(event) {
      const onTile = event.target.closest(".walltile") || event.target === document.body,
        names = Object.keys(this.data.controls),
        steps = MOVES[event.key];
      if (steps) this.hand.move(this.together(this.here), steps);
      else if (names[Number(event.key) - 1]) this.putControl(names[Number(event.key) - 1]);
      else if (event.key === "Enter" && onTile) this.enter();
      else return false;
      return true;
    },
    lookKey(event) {
      const onTile = event.target.closest(".walltile") || event.target === document.body;
      if (event.key === " " && onTile) this.toggle(this.here);
      else if (event.key === "Escape") this.escape();
      else if (event.key.toLowerCase() === "b") window.location.assign(this.benchOf(this.here));
      else if (event.key.toLowerCase() === "r") this.compareWith(this.here);
      else return false;
      return true;
    },
    escape() {
      if (this.hand.by) return this.hand.leave();
      const left = this.together(this.here).map((row) => this.data.places[row][0]).filter((shot) => this.proposals[shot]);
      for (const shot of left) delete this.proposals[shot];
      if (!left.length) this.chosen = [];
      this.grid.draw();
    },
    compareWith(row) {
      this.compared = this.compared === row ? -1 : row;
      this.grid.draw();
      this.feed.ask();
    },

    // --- mending -----------------------------------------------------------------------------------------------------
    takeControl(event) {
      this.putControl(event.currentTarget.value);
    },
    putControl(name) {
      this.hand.take(name);
      this.markControl();
    },
    markControl() {
      for (const one of this.$root.querySelectorAll(".hand button[value]"))
        one.setAttribute("aria-pressed", String(one.value === this.hand.control));
    },
    get nothingToUndo() {
      return this.changes.length === 0;
    },
    // What was tried stands on these tiles until their own pictures come.
    await(rows) {
      for (const row of rows) this.settled.push({ row, version: this.toldOf(row) ? this.toldOf(row).version : -1 });
    },
    changed(answer) {
      this.changes = [...this.changes, answer.change];
      this.after(answer);
    },
    after(answer) {
      this.say(answer.said);
      if (answer.left.length) this.fail(new Error(answer.left.join(" ")));
      this.feed.ask();
    },
    async undo() {
      if (this.hand.by) return this.hand.leave();
      const change = this.changes.at(-1);
      if (change === undefined) return;
      try {
        const answer = await (await post(this.data.urls.back, { change })).json();
        this.changes = this.changes.slice(0, -1);
        this.after(answer);
      } catch (error) {
        this.fail(error);
      }
    },
    // A match of what is in hand to the one beside; or what was proposed is taken.
    enter() {
      const rows = this.together(this.here),
        found = rows.map((row) => this.proposals[this.data.places[row][0]]).filter((one) => one && one.state === "found");
      return found.length ? this.accept(found) : this.propose();
    },
    async propose() {
      const rows = this.together(this.here).filter((row) => this.besideOf(row) >= 0),
        pairs = rows.map((row) => [...this.data.places[row].slice(0, 2), ...this.data.places[this.besideOf(row)].slice(0, 2)]);
      try {
        let answer = await (await post(this.data.urls.match, { pairs })).json();
        for (;;) {
          for (const one of answer.proposals) this.proposals[one.shot] = { ...one, run: answer.run };
          this.grid.draw();
          if (!answer.proposals.some((one) => one.state === "waiting") || this.leaving.signal.aborted)
            return this.say(answer.proposals.some((one) => one.state === "found") ? "Enter takes what is proposed, Esc leaves it." : "");
          await new Promise((done) => setTimeout(done, LOOK));
          answer = await (await post(this.data.urls.proposed, { run: answer.run })).json();
        }
      } catch (error) {
        this.fail(error);
      }
    },
    async accept(found) {
      const run = found[0].run,
        proposals = found.filter((one) => one.run === run).map((one) => one.proposal);
      try {
        const answer = await (await post(this.data.urls.accept, { run, proposals })).json();
        for (const one of found) delete this.proposals[one.shot];
        this.changed(answer);
        this.grid.draw();
      } catch (error) {
        this.fail(error);
      }
    },
  }));
});
