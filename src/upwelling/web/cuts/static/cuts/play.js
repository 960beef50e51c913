// A cut played over its joins: runs of frames are asked of each event's shot ahead of time and shown at the cut's rate.
import { post, token } from "../js/http.js";

const RUN = 12;
const AHEAD = 36;
const KEPT = 240;
// How often, and after how many milliseconds, parades are asked for again that are being made.
const SCOPE_TURNS = 40;
const SCOPE_WAIT = 250;

document.addEventListener("alpine:init", () => {
  Alpine.data("cut", () => ({
    events: [],
    rate: 24,
    at: 0,
    last: 0,
    playing: false,
    joins: false,
    trouble: "",
    get label() {
      return this.playing ? "Stop" : "Play";
    },
    get noJoins() {
      return !this.joins;
    },
    get event() {
      return this.eventAt(this.at);
    },
    get bench() {
      return this.event ? this.event.bench : "";
    },
    get text() {
      const one = this.event;
      if (!one) return "";
      const where = "event " + one.number + " · " + one.name + " · frame " + (one.first + this.at - one.begin);
      return where + (this.trouble ? " · ▲ " + this.trouble : "");
    },
    init() {
      const events = JSON.parse(this.$root.dataset.events);
      this.rate = Number(this.$root.dataset.rate);
      let begin = 0;
      for (const one of events) {
        one.begin = begin;
        begin += one.frames;
      }
      this.events = events;
      this.last = Math.max(begin - 1, 0);
      const joined = events.find((one) => String(one.number) === new URLSearchParams(window.location.search).get("join"));
      if (joined) [this.at, this.joins] = [joined.begin, joined.begin > 0];
      this.frames = new Map();
      this.asked = new Set();
      this.show();
    },
    destroy() {
      this.playing = false;
    },
    eventAt(frame) {
      return this.events.find((one) => frame >= one.begin && frame < one.begin + one.frames);
    },
    // Asks for the run that a frame is in, once.
    async fetchRun(frame) {
      const one = this.eventAt(frame);
      if (!one) return;
      const first = one.begin + Math.floor((frame - one.begin) / RUN) * RUN;
      if (this.asked.has(first)) return;
      this.asked.add(first);
      const count = Math.min(RUN, one.begin + one.frames - first);
      try {
        const response = await fetch(one.motion, {
          method: "POST",
          headers: { "X-CSRFToken": token(), "Content-Type": "application/json", Accept: "application/octet-stream" },
          body: JSON.stringify({ first: one.first + first - one.begin, count }),
        });
        if (!response.ok) throw new Error("event " + one.number + " cannot be shown");
        await this.keep(await response.arrayBuffer(), first);
        this.trouble = "";
      } catch (error) {
        this.trouble = error.message;
        setTimeout(() => this.asked.delete(first), 2000);
      }
    },
    async keep(buffer, first) {
      const view = new DataView(buffer);
      const count = view.getUint32(0, true);
      let offset = 4 * (count + 1);
      for (let n = 0; n < count; n++) {
        const size = view.getUint32(4 * (n + 1), true);
        const picture = await createImageBitmap(new Blob([buffer.slice(offset, offset + size)], { type: "image/jpeg" }));
        this.frames.set(first + n, picture);
        offset += size;
      }
      this.drop();
      if (!this.playing) this.draw();
    },
    // What lies far from here is let go, farthest first.
    drop() {
      const far = [...this.frames.keys()].sort((a, b) => Math.abs(b - this.at) - Math.abs(a - this.at));
      for (const frame of far.slice(0, Math.max(0, far.length - KEPT))) {
        this.frames.get(frame).close();
        this.frames.delete(frame);
        const one = this.eventAt(frame);
        if (one) this.asked.delete(one.begin + Math.floor((frame - one.begin) / RUN) * RUN);
      }
    },
    show() {
      this.$refs.at.value = this.at;
      this.fetchRun(this.at);
      if (this.joins && this.event.begin > 0) this.fetchRun(this.event.begin - 1);
      this.draw();
      this.showScopes();
    },
    // The parades of both frames of a join, while the first one is on the screen; else none.
    async showScopes() {
      const one = this.event,
        before = one && this.joins && this.at === one.begin ? this.eventAt(one.begin - 1) : null,
        asked = (this.scopesAsked = (this.scopesAsked || 0) + 1),
        images = [this.$refs.scopeBefore, this.$refs.scopeHere];
      for (const image of images) image.hidden = true;
      if (!before) return;
      const places = [[before.shot, before.first + before.frames - 1], [one.shot, one.first]];
      for (let turn = 0; turn < SCOPE_TURNS && asked === this.scopesAsked; turn++) {
        const answer = await (await post(this.$root.dataset.tiles, { places, by: "shots", column: [""], joins: true })).json();
        if (asked !== this.scopesAsked) return;
        answer.rows.forEach((row, n) => {
          if (row.cells[0].made) Object.assign(images[n], { src: row.cells[0].parade, hidden: false });
        });
        if (!answer.missing) return;
        await new Promise((done) => setTimeout(done, SCOPE_WAIT));
      }
    },
    draw() {
      const drawn = this.put(this.$refs.picture, this.at);
      if (this.joins) this.put(this.$refs.before, this.event.begin - 1);
      if (drawn) this.$refs.picture.dataset.frame = this.at;
      return drawn;
    },
    put(canvas, frame) {
      const picture = this.frames.get(frame);
      if (!picture) return false;
      if (canvas.width !== picture.width || canvas.height !== picture.height) {
        canvas.width = picture.width;
        canvas.height = picture.height;
      }
      canvas.getContext("2d").drawImage(picture, 0, 0);
      return true;
    },
    toggle() {
      this.playing = !this.playing;
      if (this.playing) {
        if (this.at >= this.last) this.at = 0;
        this.run();
      }
    },
    // Shows each frame in its turn; one that has not come is waited for, and the clock with it.
    run() {
      let due = performance.now();
      const step = (now) => {
        if (!this.playing) return;
        for (let frame = this.at; frame < this.at + AHEAD; frame += RUN) this.fetchRun(Math.min(frame, this.last));
        this.fetchRun(Math.min(this.at + AHEAD, this.last));
        if (now >= due && this.draw()) {
          this.$refs.at.value = this.at;
          if (this.at >= this.last) this.playing = false;
          else this.at += 1;
          due = Math.max(due + 1000 / this.rate, now - 1000 / this.rate);
        }
        requestAnimationFrame(step);
      };
      requestAnimationFrame(step);
    },
    go(frame) {
      this.at = Math.min(Math.max(frame, 0), this.last);
      this.show();
    },
    seek(event) {
      this.playing = false;
      this.go(Number(event.target.value));
    },
    previous() {
      const one = this.event;
      if (this.at > one.begin) return this.go(one.begin);
      this.go((this.eventAt(one.begin - 1) || one).begin);
    },
    next() {
      this.go(this.event.begin + this.event.frames);
    },
    pick(event) {
      this.go(this.events[Number(event.currentTarget.dataset.at)].begin);
    },
    // From join to join, with both of its frames in sight.
    nextJoin() {
      this.joins = true;
      this.playing = false;
      this.next();
    },
    previousJoin() {
      this.joins = true;
      this.playing = false;
      const one = this.event;
      this.go(this.at > one.begin && one.begin > 0 ? one.begin : (this.eventAt(one.begin - 1) || one).begin);
    },
    toggleJoins() {
      this.joins = !this.joins;
      this.show();
    },
    key(event) {
      const typing = ["INPUT", "SELECT", "BUTTON", "A"].includes(event.target.tagName);
      if (event.key === " " && !typing) this.toggle();
      else if (event.key === "PageUp") this.previous();
      else if (event.key === "PageDown") this.next();
      else if (event.key === "j") this.nextJoin();
      else if (event.key === "J") this.previousJoin();
      else if (event.key === "ArrowLeft" && !typing) this.go(this.at - 1);
      else if (event.key === "ArrowRight" && !typing) this.go(this.at + 1);
      else return;
      event.preventDefault();
    },
  }));
});
