// What a guest sees of a showing: one frame after the other, in its states, as a movie, with what is said of it.
import { merged } from "../bench/merged.js";
import { along } from "./along.js";
import { compare } from "./compare.js";
import { movie } from "./movie.js";
import { saying } from "./saying.js";

const NOTHING = { picture: "", hdr: "", problem: "", name: "", width: 16, height: 9 };

const base = {
  items: [],
  at: 0,

  init() {
    this.own = this;
    const data = JSON.parse(this.$root.dataset.showing);
    this.address = data.remarks;
    this.says = data.says;
    this.takeItems(data.items);
    this.fillStates();
    if (this.says) this.$refs.name.value = this.$root.dataset.name;
    this.alongAddress = data.along;
    this.followAlong();
    this.ask();
    this.timer = setInterval(() => this.ask(), 15000);
  },
  destroy() {
    this.left = true;
    clearInterval(this.timer);
  },
  takeItems(items) {
    this.items = items.map((one) => ({ ...one, open: 0 }));
  },
  get item() {
    return this.items[this.at] || { states: [], movie: "", name: "", at: "", changes: [] };
  },
  get whereSaid() {
    return this.movieOn ? "" : this.item.at;
  },
  get sinceSaid() {
    return this.item.changes.length ? "Changed since it was last shown" : "As it was last shown";
  },
  get first() {
    return this.item.states[this.held ? this.two : this.one] || NOTHING;
  },
  get second() {
    return this.item.states[this.two] || NOTHING;
  },
  get firstSaid() {
    return `${this.item.name}, ${this.first.name}`;
  },
  get secondSaid() {
    return `${this.item.name}, ${this.second.name}`;
  },
  get shape() {
    const { width, height } = this.first.width ? this.first : NOTHING;
    return { "--wide": width, "--tall": height };
  },
  get saving() {
    return `${this.first.picture}?save=1`;
  },
  get savingMovie() {
    return `${this.item.movie}?save=1`;
  },
  choose(one) {
    this.at = this.items.indexOf(one);
    this.fillStates();
    this.forgetOutline();
    this.placeRemarks();
    if (this.movieOn) this.cue();
  },
  step(by) {
    const to = this.at + by;
    if (to >= 0 && to < this.items.length) this.choose(this.items[to]);
  },
  previous() {
    this.step(-1);
  },
  next() {
    this.step(1);
  },
  key(event) {
    if (event.target.closest("input, textarea, select, video") || event.ctrlKey || event.metaKey || event.altKey) return;
    const acts = { ArrowLeft: "previous", ArrowRight: "next", v: "hold", w: "toggleWipe", s: "toggleBeside" };
    const act = acts[event.key] || (event.key === " " && this.item.movie && !event.target.closest("button, a, summary") && "toggleMovie");
    if (!act) return;
    event.preventDefault();
    if (!(event.repeat && act.startsWith("toggle"))) this[act]();
  },
  keyUp(event) {
    if (event.key === "v") this.letGo();
  },
};

document.addEventListener("alpine:init", () => Alpine.data("showing", () => merged([base, compare, movie, saying, along])));
