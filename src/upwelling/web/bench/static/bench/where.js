// Where a step acts: the selections of its matte, joined in order, and what is done to the whole.
import { borrowed, putSelection, removeSelection, spread } from "./model/matte.js";
import { copyOf } from "./model/copies.js";

const JOINS = { and: "and", or: "or", without: "without" };

export const where = {
  selection: "",

  get matte() {
    return this.hasStep ? this.current.limit : null;
  },
  get limited() {
    return Boolean(this.matte && this.matte.selections.some((one) => one.on));
  },
  get selections() {
    return this.matte ? this.matte.selections : [];
  },
  get selectionIndex() {
    return this.selections.findIndex((one) => one.id === this.selection);
  },
  get inHand() {
    return this.selections[this.selectionIndex] || null;
  },
  get whereRows() {
    return this.selections.map((one, place) => ({
      id: one.id,
      title: (one.name || this.data.selections[one.kind].title) + (one.link ? " ⚭" : ""),
      on: one.on,
      first: place === 0,
      join: one.join,
      invert: one.invert,
      mark: one.id === this.selection ? "true" : "false",
      style: { chosen: one.id === this.selection, off: !one.on },
      says: { on: `${one.name || one.kind} on`, join: `${one.name || one.kind} joins by`, not: `Invert ${one.name || one.kind}` },
    }));
  },
  get hasMatte() {
    return this.selections.length > 0;
  },
  get mattesShown() {
    return this.face === "where" && this.limited;
  },
  get viewing() {
    return Object.fromEntries(["over", "selection", "matte"].map((name) => [name, name === this.view]));
  },
  get whereMark() {
    return this.limited ? "Where ●" : "Where";
  },
  get wholeMark() {
    return this.selection === "" ? "true" : "false";
  },
  get wholeStyle() {
    return { chosen: this.selection === "" };
  },
  get fullMatte() {
    return this.locked || !this.hasStep || this.selections.length >= this.data.most_selections;
  },
  get isRange() {
    return Boolean(this.inHand && this.inHand.kind === "colour_range");
  },
  get selectionName() {
    return this.inHand ? this.inHand.name : "";
  },
  get isLinked() {
    return Boolean(this.inHand && this.inHand.link);
  },
  // Shapes of the trim's other steps, to be used here as well.
  get otherShapes() {
    return this.settings.steps
      .filter((step) => step.id !== this.step && step.limit)
      .flatMap((step) =>
        step.limit.selections.map((one) => ({
          value: `${step.id}/${one.id}`,
          label: `${one.name || this.data.selections[one.kind].title} of ${this.model.title(step)}`,
        })),
      );
  },
  get hasOtherShapes() {
    return this.otherShapes.length > 0;
  },

  showWhere() {
    this.face = "where";
    if (!this.inHand) this.selection = (this.selections[0] || { id: "" }).id;
    this.buildEditor();
    this.placeOverlays();
  },
  // The step in hand changed: a selection of another step means nothing here.
  settleSelection() {
    if (!this.inHand) this.selection = (this.selections[0] || { id: "" }).id;
    if (!this.limited && ["selection", "over", "matte"].includes(this.view)) this.view = "picture";
  },
  pickSelection(event) {
    this.selection = event.currentTarget.closest("[data-selection]").dataset.selection;
    this.buildEditor();
    this.placeOverlays();
  },
  selectionOf(event) {
    return this.selections.find((one) => one.id === event.target.closest("[data-selection]").dataset.selection);
  },
  switchSelection(event) {
    if (this.locked) return;
    const one = this.selectionOf(event);
    one.on = event.target.checked;
    this.reshaped(`${this.titleOf(one)} ${one.on ? "on" : "off"}`);
  },
  joinSelection(event) {
    if (this.locked || !JOINS[event.target.value]) return;
    const one = this.selectionOf(event);
    one.join = event.target.value;
    this.reshaped(`${this.titleOf(one)}: ${one.join}`);
  },
  invertSelection(event) {
    if (this.locked) return;
    const one = this.selectionOf(event);
    one.invert = event.target.checked;
    this.reshaped(`invert ${this.titleOf(one)}`);
  },
  get wholeInverted() {
    return Boolean(this.matte && this.matte.inverted);
  },
  // All that is not selected, instead of what is.
  invertWhole() {
    if (this.locked || !this.hasMatte) return;
    this.matte.inverted = !this.matte.inverted;
    this.reshaped(this.matte.inverted ? "invert the matte" : "the matte as selected");
  },
  nameSelection(event) {
    if (this.locked || !this.inHand) return;
    this.inHand.name = event.target.value.trim().slice(0, 60);
    this.spread();
    this.save("name of a selection");
  },
  titleOf(one) {
    return (one.name || this.data.selections[one.kind].title).toLowerCase();
  },
  reshaped(label) {
    this.settleSelection();
    this.placeOverlays();
    this.save(label);
  },

  putSelection(one, label) {
    this.selection = putSelection(this.current, one, this.data.matte);
    this.face = "where";
    this.changed(label, this.step);
    this.placeOverlays();
  },
  addSelection(event) {
    const value = event.target.value;
    event.target.value = "";
    if (!value || this.fullMatte) return;
    if (this.data.selections[value]) {
      const one = copyOf(this.data.selections[value].rest);
      // A new shape stands where the trace is.
      if ("x" in one && value !== "linear") [one.x, one.y] = this.middleOf(this.point);
      return this.putSelection(one, `add ${this.data.selections[value].title.toLowerCase()}`);
    }
    const [how, from] = value.split(":"),
      one = borrowed(this.settings.steps, ...from.split("/"), how === "link");
    return this.putSelection(one, how === "link" ? "link a shape" : "copy a shape");
  },
  unlinkSelection() {
    if (this.locked || !this.isLinked) return;
    this.inHand.link = "";
    this.save("unlink the shape");
  },
  removeSelection() {
    if (this.locked || !this.inHand) return;
    const title = this.titleOf(this.inHand);
    this.selection = removeSelection(this.current, this.selection);
    this.settleSelection();
    this.changed(`remove ${title}`, this.step);
    this.placeOverlays();
  },
  spread() {
    spread(this.settings.steps, this.inHand);
  },
  async rangeFromPicture() {
    if (this.lockedOrNone) return;
    const said = await this.solve(this.data.urls["colour-range"]);
    if (!said) return;
    if (this.isRange) {
      const { id, name, join, invert, on, link } = this.inHand;
      Object.assign(this.inHand, said.range, { id, name, join, invert, on, link });
      this.spread();
      this.changed("colour range from the picture", this.step);
    } else this.putSelection(said.range, "colour range from the picture");
  },
  sampleMore() {
    return this.sample("more");
  },
  sampleLess() {
    return this.sample("less");
  },
  // On shapes and curves these keys are about them.
  sampleByKey(event, how) {
    if (this.face === "where" && this.stage === this.layers.hand && !event.target.closest("svg")) this.sample(how);
  },
  // One more place is taken in, or away: by the range in hand where that can be, else by a range joined to it.
  async sample(how) {
    if (this.lockedOrNone || this.fullMatte) return;
    const known = this.isRange ? this.inHand : null,
      said = await this.solve(this.data.urls["colour-range"], { how, range: known });
    if (!said) return;
    const label = how === "more" ? "take a colour in" : "take a colour away";
    if (said.join) this.putSelection({ ...said.range, join: said.join }, label);
    else {
      Object.assign(this.inHand, said.range);
      this.spread();
      this.changed(label, this.step);
    }
    this.solved = said.sentence;
  },
  viewMatte(event) {
    const view = event.currentTarget.dataset.view;
    this.setView(this.view === view ? "picture" : view);
  },
};
