// The list of steps: choose, add, move, switch, copy, limit; and the editor of the one in hand.
import { keeper } from "./kept_rows.js";

const sameRows = keeper();

export const steps = {
  step: "",
  face: "controls",
  says: { tones: [], lut: "", inverse: "", neutral: "", selected: "" },
  canPaste: false,

  start() {
    const list = this.settings.steps;
    const used = list.find((step) => step.on && !this.model.rests(step));
    this.step = (used || list[0] || { id: "" }).id;
    this.canPaste = Boolean(localStorage.getItem("bench-step"));
    const copied = () => {
      this.canPaste = Boolean(localStorage.getItem("bench-step"));
    };
    window.addEventListener("storage", copied, { signal: this.leaving.signal });
    this.buildEditor();
  },

  get index() {
    return this.model.indexOf(this.step);
  },
  get current() {
    return this.settings.steps[this.index] || null;
  },
  get hasStep() {
    return this.index >= 0;
  },
  get stepRows() {
    return sameRows(this.rowsInGroups(this.settings.steps.map((step) => this.stepRow(step))));
  },
  stepRow(step) {
    return {
      id: step.id,
      group: step.group,
      isStep: true,
      isGroup: false,
      shown: !this.folded.includes(step.group),
      title: this.model.title(step) + (step.output ? ` → ${step.output}` : ""),
      on: step.on,
      switchName: `${this.model.title(step)} on`,
      style: { chosen: step.id === this.step, rests: this.model.rests(step), off: !step.on, ...this.drawnStyle(step.id) },
      limited: step.limit !== null && step.limit.selections.some((one) => one.on),
      moves: step.tracks.length > 0 || (step.limit !== null && step.limit.selections.some((one) => one.tracks.length > 0)),
      mark: step.id === this.step ? "true" : "false",
    };
  },
  get faces() {
    return Object.fromEntries(["controls", "where", "note"].map((name) => [name, this.face === name]));
  },
  get strengthText() {
    return this.hasStep ? Math.round(this.current.strength * 100) : 100;
  },
  get kindTitle() {
    return this.hasStep ? this.data.kinds[this.current.kind].title : "";
  },
  get stepTitle() {
    return this.stepName ? `${this.kindTitle}: ${this.stepName}` : this.kindTitle;
  },
  get stepName() {
    return this.hasStep ? this.current.name : "";
  },
  get stepNote() {
    return this.hasStep ? this.current.note : "";
  },
  get stepOutput() {
    return this.hasStep ? this.current.output : "";
  },
  get noteMark() {
    const { note, output, mix } = this.current || {};
    return note || output || (mix && mix !== "replace") ? "More ●" : "More";
  },
  get stepMix() {
    return this.hasStep ? this.current.mix : "replace";
  },
  get isFirst() {
    return this.index <= 0;
  },
  get isLast() {
    return this.index < 0 || this.index === this.settings.steps.length - 1;
  },
  get locked() {
    return !this.data.editable;
  },
  get lockedOrNone() {
    return this.locked || !this.hasStep;
  },
  get cannotPaste() {
    return this.locked || !this.canPaste;
  },
  get cannotMoveUp() {
    return this.locked || this.isFirst;
  },
  get cannotMoveDown() {
    return this.locked || this.isLast;
  },

  // A step that was drawn to another place was not clicked.
  pickStep(event) {
    if (!this.wasDrawn) this.takeInHand(event.currentTarget.closest("[data-step]").dataset.step);
    this.wasDrawn = false;
  },
  takeInHand(id) {
    this.step = id;
    this.solved = "";
    this.settleSelection();
    this.buildEditor();
    this.placeOverlays();
    this.refresh(true);
  },
  switchStep(event) {
    const id = event.target.closest("[data-step]").dataset.step;
    if (id.startsWith("group:")) return this.switchGroup(id.slice(6), event.target.checked);
    const step = this.model.find(id);
    step.on = event.target.checked;
    return this.saveSwitch(step);
  },
  saveSwitch(step) {
    return this.save(`${this.model.title(step)} ${step.on ? "on" : "off"}`);
  },
  listKey(event) {
    const way = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (!way || event.altKey || event.target.matches("input")) return;
    event.preventDefault();
    this.walkSteps(way);
  },
  // Which table a LUT step runs, and between which codes.
  get tableSaid() {
    const lut = this.current?.lut;
    if (!lut) return "";
    const range = (name) => (name === "legal" ? ", legal codes" : "");
    return `${lut.table.name}: ${lut.expects}${range(lut.expects_range)} → ${lut.gives}${range(lut.gives_range)}`;
  },
  // The list changed: what is in hand is made anew and the state saved.
  changed(label, id) {
    if (id !== this.step) this.solved = "";
    this.step = id;
    this.settleSelection();
    this.buildEditor();
    this.syncControls();
    this.save(label);
  },
  addStep(kind) {
    if (this.locked) return;
    const step = this.model.add(kind);
    this.face = "controls";
    this.changed(`add ${this.data.kinds[kind].title.toLowerCase()}`, step.id);
    if (this.pictureUrl) this.fromPicture();
  },
  duplicateStep() {
    if (this.lockedOrNone) return;
    const copy = this.model.duplicate(this.current);
    this.changed(`duplicate ${this.kindTitle.toLowerCase()}`, copy.id);
  },
  removeStep() {
    if (this.lockedOrNone) return;
    const title = this.kindTitle.toLowerCase(),
      next = this.model.remove(this.current);
    this.changed(`remove ${title}`, next ? next.id : "");
  },
  resetStep() {
    if (this.lockedOrNone) return;
    this.model.reset(this.current);
    this.changed(`reset ${this.kindTitle.toLowerCase()}`, this.step);
  },
  // Every step as its kind rests, in one go; one undo brings them all back.
  resetAll() {
    if (this.locked) return;
    for (const step of [...this.settings.steps]) this.model.reset(step);
    this.changed("reset all steps", this.step);
  },
  copyStep() {
    if (!this.hasStep) return;
    localStorage.setItem("bench-step", JSON.stringify(this.current));
    this.canPaste = true;
    this.complain(
      "copied",
      `${this.current.name || this.kindTitle} is copied. Paste puts it after the step in hand, ` +
        "here or in another shot; “Give …” puts it into many.",
    );
  },
  pasteStep() {
    if (this.cannotPaste) return;
    let given = null;
    try {
      given = JSON.parse(localStorage.getItem("bench-step"));
    } catch {
      // What is no JSON is no step either.
    }
    const step = this.model.paste(given, this.current);
    if (!step) return this.complain("copied", "What was copied is no step this page knows.");
    this.changed(`paste ${this.data.kinds[step.kind].title.toLowerCase()}`, step.id);
  },

  // --- name, note, strength, mixing --------------------------------------------------------------------------------
  nameStep(event) {
    this.setOwn("name", event.target.value.trim().slice(0, 60), "name of a step");
  },
  giveOutput(event) {
    this.setOwn("output", event.target.value, "output of the step");
  },
  noteStep(event) {
    this.setOwn("note", event.target.value.trim().slice(0, 500), "note");
  },
  setOwn(field, value, label) {
    if (this.lockedOrNone || this.current[field] === value) return;
    this.current[field] = value;
    this.save(label);
  },
  slideStrength(event) {
    if (this.lockedOrNone) return;
    this.current.strength = Number(event.target.value) / 100;
    this.refresh(false);
  },
  pickMix(event) {
    this.setOwn("mix", event.target.value, "how it is mixed in");
  },
  restStrength() {
    if (!this.lockedOrNone) this.save("strength");
  },
  showControls() {
    this.face = "controls";
    this.buildEditor();
    this.placeOverlays();
  },
  showNote() {
    this.face = "note";
    this.placeOverlays();
  },
  // --- the editor ---------------------------------------------------------------------------------------------------
  rebuild() {
    if (!this.hasStep) this.step = (this.settings.steps[0] || { id: "" }).id;
    this.buildEditor();
    this.syncControls();
  },
  // The step in hand is in view in the list.
  showInList() {
    this.$nextTick(() => {
      const row = this.$root.querySelector(`.steplist [data-step="${this.step}"]`);
      if (row) row.scrollIntoView({ block: "nearest" });
    });
  },
  buildEditor() {
    this.showInList();
    const place = this.$refs.editor;
    place.replaceChildren();
    this.curve = null;
    this.zoneEditor = null;
    if (!this.hasStep || this.face === "note") return;
    const inWhere = this.face === "where",
      name = !inWhere ? this.current.kind : this.inHand ? `selection-${this.inHand.kind}` : this.hasMatte ? "matte" : null;
    const template = name && this.$root.querySelector(`template[data-editor="${name}"]`);
    if (!template) return;
    place.append(template.content.cloneNode(true));
    const within = inWhere && this.inHand ? `limit.selections.${this.selectionIndex}.` : "";
    this.bindControls(place, `steps.${this.index}.${within}`);
    this.bindTracks(place);
    this.startCurves(place);
    this.startZones(place);
    this.syncControls();
  },
  stepSays(says) {
    if (says.step !== this.step) return;
    this.says = { ...this.says, ...says };
    if (this.curve && says.ground) this.curve.behind(says.ground);
    if (this.zoneEditor && says.ground) this.zoneEditor.behind(says.ground);
  },
};
