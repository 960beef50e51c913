// Marks and history: saved states to return to or compare with.
import { post } from "../js/http.js";
import { copyOf } from "./model/copies.js";

export const marks = {
  tab: "steps",
  marks: [],
  states: [],
  pages: 1,
  moreMarks: 0,
  shelved: "",
  moreStates: 0,
  marksAsked: null,

  start() {
    this.loadMarks();
  },

  get tabs() {
    return Object.fromEntries(["steps", "match", "marks", "history"].map((name) => [name, name === this.tab]));
  },
  get noMarks() {
    return this.marks.length === 0;
  },
  get noStates() {
    return this.states.length === 0;
  },
  showTab(event) {
    this.tab = event.currentTarget.dataset.tab;
    if (this.tab === "marks" || this.tab === "history") this.loadMarks();
    this.placeOverlays();
  },
  // One at a time: an answer asked for before a change would otherwise come after it and bring back what it removed.
  askMarks(change) {
    this.marksAsked = Promise.resolve(this.marksAsked).then(() => this.askMarksNow(change));
    return this.marksAsked;
  },
  async askMarksNow(change) {
    await this.saving;
    this.work(1);
    try {
      const said = await (
        await post(this.data.urls[change ? "change-marks" : "marks"], { settings: this.layers.forShot(), pages: this.pages, ...change })
      ).json();
      Object.assign(this, { marks: said.marks, moreMarks: said.more_marks, moreStates: said.more_states });
      this.states = said.states.map((state) => ({
        ...state,
        current: state.now ? "true" : "false",
        what: state.changed.join(" · "),
      }));
      this.settle("marks");
      return true;
    } catch (error) {
      this.complain("marks", error.message);
      return false;
    } finally {
      this.work(-1);
    }
  },
  older() {
    this.pages += 1;
    return this.loadMarks();
  },
  loadMarks() {
    return this.askMarks(null);
  },
  async setMark() {
    if (!this.data.editable) return;
    const field = this.$refs.markName;
    if (await this.askMarks({ mark: field.value })) field.value = "";
  },
  async shelve() {
    if (!this.data.editable) return;
    const field = this.$refs.markName;
    await this.saving;
    this.work(1);
    try {
      const body = { settings: this.layers.seen(this.outputShown), frame: this.frame, name: field.value },
        said = await (await post(this.data.urls.shelve, body)).json();
      this.forgetAhead();
      this.shelf = said.shelf;
      this.shelved = said.said;
      field.value = "";
      this.settle("marks");
    } catch (error) {
      this.complain("marks", error.message);
    } finally {
      this.work(-1);
    }
  },
  removeMark(event) {
    const pk = Number(event.currentTarget.dataset.mark);
    if (this.against === `mark:${pk}`) {
      this.against = "untrimmed";
      this.setCompare("now");
    }
    this.askMarks({ remove: pk });
  },
  markOf(event) {
    return this.marks.find((mark) => mark.pk === Number(event.currentTarget.dataset.mark));
  },
  async returnToMark(event) {
    const mark = this.markOf(event);
    this.settings = copyOf(mark.settings);
    this.layers.renewed();
    this.rebuild();
    await this.saveShot(`return to ${mark.name}`);
    this.loadMarks();
  },
  compareMark(event) {
    this.against = `mark:${event.currentTarget.dataset.mark}`;
    this.setCompare("wipe");
  },
  async returnToState(event) {
    await this.move(this.data.urls.history, { position: Number(event.currentTarget.dataset.position) });
    this.loadMarks();
  },
};
