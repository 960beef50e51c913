// The list of steps: choose, add, move, switch, copy, limit; and the editor of the one in hand.
import { post } from "../js/http.js";
import { keeper } from "./kept_rows.js";

const sameRows = keeper();

export const steps = {
  step: "",
  face: "controls",
  says: { tones: [], lut: "", inverse: "", neutral: "", selected: "" },
  solved: "",
  canPaste: false,
  doubted: null,

  start() {
    const list = this.settings.steps;
    const used = list.find((step) => step.on && !this.atRest(step));
    this.step = (used || list[0] || { id: "" }).id;
    this.lastGood = JSON.parse(JSON.stringify(this.settings));
    this.canPaste = Boolean(localStorage.getItem("bench-step"));
    window.addEventListener("storage", () => {
      this.canPaste = Boolean(localStorage.getItem("bench-step"));
    });
    this.buildEditor();
  },

  get index() {
    return this.settings.steps.findIndex((step) => step.id === this.step);
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
      title: (step.name || this.data.kinds[step.kind].title) + (step.output ? ` → ${step.output}` : ""),
      on: step.on,
      switchName: `${step.name || this.data.kinds[step.kind].title} on`,
      style: { chosen: step.id === this.step, rests: this.atRest(step), off: !step.on, ...this.drawnStyle(step.id) },
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
  // Where a step of this kind finds its own numbers in the picture; empty for kinds that do not.
  get pictureUrl() {
    return (this.hasStep && { highlights: this.data.urls.clips, calm_noise: this.data.urls.noise }[this.current.kind]) || "";
  },
  get isBalance() {
    return this.hasStep && this.current.kind === "white_balance";
  },

  // Everything that makes a step of this kind act, as it rests.
  atRest(step) {
    const rest = this.data.kinds[step.kind].rest;
    return Object.keys(rest).every(
      (name) =>
        this.data.own.includes(name) ||
        JSON.stringify(rest[name]) === JSON.stringify(step[name]),
    );
  },
  freshId(kind) {
    const stem = kind.replaceAll("_", "").slice(0, 9),
      taken = this.settings.steps.map((step) => step.id);
    for (let n = 1; ; n++) if (!taken.includes(stem + (n > 1 ? n : ""))) return stem + (n > 1 ? n : "");
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
    const step = this.settings.steps.find((one) => one.id === id);
    step.on = event.target.checked;
    return this.saveSwitch(step);
  },
  saveSwitch(step) {
    return this.save(`${step.name || this.data.kinds[step.kind].title} ${step.on ? "on" : "off"}`);
  },
  listKey(event) {
    const way = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (!way || event.altKey || event.target.matches("input")) return;
    event.preventDefault();
    this.walkSteps(way);
  },
  // The list changed: what is in hand is made anew and the state saved.
  changed(label, id) {
    this.step = id;
    this.settleSelection();
    this.buildEditor();
    this.syncControls();
    this.save(label);
  },
  addStep(kind) {
    if (this.locked) return;
    const step = { ...JSON.parse(JSON.stringify(this.data.kinds[kind].rest)), id: this.freshId(kind) };
    // What the camera clipped is rebuilt before other steps change the light.
    if (kind === "highlights") this.settings.steps.unshift(step);
    else this.settings.steps.push(step);
    this.face = "controls";
    this.changed(`add ${this.data.kinds[kind].title.toLowerCase()}`, step.id);
    if (this.pictureUrl) this.fromPicture();
  },
  duplicateStep() {
    if (this.lockedOrNone) return;
    // A copy's shapes are its own.
    const copy = { ...JSON.parse(JSON.stringify(this.current)), id: this.freshId(this.current.kind) };
    for (const one of copy.limit ? copy.limit.selections : []) one.link = "";
    this.settings.steps.splice(this.index + 1, 0, copy);
    this.changed(`duplicate ${this.kindTitle.toLowerCase()}`, copy.id);
  },
  removeStep() {
    if (this.lockedOrNone) return;
    const title = this.kindTitle.toLowerCase(),
      at = this.index;
    this.settings.steps.splice(at, 1);
    this.dropEmptyGroups();
    const next = this.settings.steps[Math.min(at, this.settings.steps.length - 1)];
    this.changed(`remove ${title}`, next ? next.id : "");
  },
  resetStep() {
    if (this.lockedOrNone) return;
    const { id, name, note, output, group } = this.current;
    this.settings.steps.splice(this.index, 1, {
      ...JSON.parse(JSON.stringify(this.data.kinds[this.current.kind].rest)),
      id,
      name,
      note,
      output,
      group,
    });
    this.changed(`reset ${this.kindTitle.toLowerCase()}`, id);
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
    let step;
    try {
      step = JSON.parse(localStorage.getItem("bench-step"));
    } catch {
      step = null;
    }
    if (!step || !this.data.kinds[step.kind])
      return this.complain("copied", "What was copied is no step this page knows.");
    // What was copied before there were shapes lacks what came since.
    step = { ...JSON.parse(JSON.stringify(this.data.kinds[step.kind].rest)), ...step };
    if (step.limit && !step.limit.selections) {
      const range = { ...this.data.selections.colour_range.rest, ...step.limit, id: "colourrange" };
      step.limit = { ...this.data.matte, selections: [range] };
    }
    step.id = this.freshId(step.kind);
    step.group = this.current ? this.current.group : "";
    for (const one of step.limit ? step.limit.selections : []) one.link = "";
    this.settings.steps.splice(this.index + 1, 0, step);
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
  async solve(url, more) {
    await this.saving;
    this.work(1);
    try {
      const body = {
        settings: this.settings,
        step: this.step,
        region: this.region,
        point: this.point,
        frame: this.frame,
        ...more,
      };
      return await (await post(url, body)).json();
    } catch (error) {
      this.complain("solve", error.message);
      return null;
    } finally {
      this.work(-1);
    }
  },
  async balanceFromPicture() {
    if (this.lockedOrNone) return;
    const said = await this.solve(this.data.urls.neutral);
    if (said) await this.unlessDoubted("trim", said);
  },
  // A patch that looks like no neutral is taken, by the trim or the raw development, when a person says so.
  async unlessDoubted(by, said) {
    this.doubted = said.doubt ? { by, said } : null;
    if (!said.doubt) await this.takenBy(by, said);
  },
  takenBy(by, said) {
    return by === "raw" ? this.takeRawNeutral(said) : this.takeNeutral(said);
  },
  get doubtIn() {
    return Object.fromEntries(["trim", "raw"].map((by) => [by, Boolean(this.doubted && this.doubted.by === by)]));
  },
  async takeDoubted() {
    const { by, said } = this.doubted || {};
    if (by === "raw" ? !this.locked : said && !this.lockedOrNone) await this.takenBy(by, said);
    this.doubted = null;
  },
  leaveDoubted() {
    this.doubted = null;
  },
  get doubtStyle() {
    return { background: this.doubted ? this.doubted.said.swatch : "none" };
  },
  get doubtWords() {
    return this.doubted ? this.doubted.said.doubt : "";
  },
  async takeNeutral(said) {
    const { kelvin, duv, target } = said;
    Object.assign(this.current, { kelvin, duv, target });
    this.syncControls();
    await this.save("neutral patch");
    this.solved = said.sentence;
  },

  // Numbers that the frame, or the region, tells: clips and the light around them, the level of noise.
  async fromPicture() {
    if (this.lockedOrNone) return;
    const { id } = this.current;
    const said = await this.solve(this.pictureUrl);
    if (!said || !this.hasStep || this.current.id !== id) return;
    Object.assign(this.current, said.fields);
    this.syncControls();
    await this.save(`${this.kindTitle.toLowerCase()} from the picture`);
    this.solved = said.sentence;
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
    this.syncControls();
  },
  stepSays(says) {
    if (says.step !== this.step) return;
    this.says = { ...this.says, ...says };
    if (this.curve && says.ground) this.curve.behind(says.ground);
  },
};
