// Layers on the Bench: which is in hand, the band that says whom a change touches, saving it for all, moving a step.
import { post } from "../js/http.js";
import { TRIMS } from "./model/layers.js";

export const layers = {
  touches: { follow: 0, apart: 0, rows: [] },
  trial: null,

  // --- which is in hand ---------------------------------------------------------------------------------------------
  // A stage of the Column is picked: a layer of steps comes in hand with it.
  takeStage(stage) {
    this.stage = stage;
    this.takeLayer(TRIMS.includes(stage) ? stage : "trim");
    this.placeOverlays();
    this.refresh(true);
  },
  takeLayer(kind) {
    if (kind === this.layers.hand) return;
    this.layers.take(kind);
    if (this.layers.hand !== "trim") this.tab = "steps";
    this.endTrial();
    this.handChanged();
  },
  handChanged() {
    this.step = (this.settings.steps[0] || { id: "" }).id;
    this.solved = "";
    this.face = "controls";
    this.settleSelection();
    this.rebuild();
  },
  get handHeld() {
    return this.layers.held(this.layers.hand);
  },
  get handIs() {
    const { hand } = this.layers,
      isShared = this.layers.isShared();
    return { other: hand !== "trim", trim: hand === "trim", shared: isShared, own: hand !== "trim" && !isShared, finish: hand === "finish" };
  },
  // Which panel is in view: that of steps, whichever layer they are of, or that of Looks.
  get inSteps() {
    return TRIMS.includes(this.stage);
  },
  get inStepsNow() {
    return this.inSteps && !this.walking;
  },
  get inLooks() {
    return this.stage === "look" || this.stage === "group_look";
  },
  get panelStyle() {
    return { banded: this.handIs.other, insteps: this.tab === "steps" };
  },
  get handTitle() {
    if (this.handIs.own) return "Changes this shot’s own copy";
    if (!this.handIs.shared) return "";
    const { follow, of, title } = this.handHeld;
    if (this.locked) return `${title}: ${follow === 1 ? "1 shot follows" : `${follow} shots follow`} it`;
    return `Changes ${follow === 1 ? "1 shot" : `${follow} shots`} ${of}`;
  },
  get handSaid() {
    const { apart, acts_for: actsFor } = this.handHeld || { apart: 0, acts_for: [] };
    if (this.handIs.finish && !actsFor.includes(this.outputShown)) return "not for the output shown";
    return apart ? `${apart} of them otherwise` : "";
  },
  get outputShown() {
    return this.output || this.data.outputs[0];
  },
  get isDraft() {
    return this.handIs.shared && this.layers.isDirty(this.layers.hand);
  },
  get canCopyOwn() {
    return this.handIs.shared && !this.isDraft;
  },
  get noDraft() {
    return this.locked || !this.isDraft;
  },
  get lightsOf() {
    return this.handIs.finish ? "display" : "scene";
  },
  get finishChoices() {
    return (this.data.layers.finish || []).map((one) => ({
      value: one.output,
      label: one.title.replace("Finish, ", "") + (one.content.steps.length ? " ●" : ""),
      chosen: one.output === this.layers.outputs.finish,
    }));
  },
  pickFinish(event) {
    if (!this.layers.pickOutput(event.target.value)) {
      event.target.value = this.layers.outputs.finish;
      return this.complain("layer", "The finish in hand has changes that are not saved. Save or drop them first.");
    }
    this.settle("layer");
    this.handChanged();
    return this.refresh(true);
  },

  // The shot is put into a group, a scene's, whose layers it follows then; the page is opened anew with them.
  async pickGroup(event) {
    let { value } = event.target;
    if (value === "new") value = `new:${window.prompt("Name of the new group, such as a scene’s") || ""}`;
    if (value === "new:") return this.complain("layer", "A group needs a name.");
    const done = await this.askLayer("change", { shots: [this.data.pk], verb: "group", value });
    if (done) window.location.reload();
    return done;
  },

  // --- strength and exceptions --------------------------------------------------------------------------------------
  get layerStrength() {
    const { hand } = this.layers;
    return hand === "trim" ? 100 : Math.round(100 * this.layers.content(hand).strength);
  },
  slideLayer(event) {
    this.layers.content(this.layers.hand).strength = Number(event.target.value) / 100;
    this.refresh(false);
  },
  restLayer(event) {
    const strength = Number(event.target.value) / 100;
    if (this.handIs.shared) this.layers.note("strength", { strength });
    else this.saveShot(`strength of its copy of ${this.handHeld.title}`);
    this.refresh(true);
  },
  get useText() {
    const { hand } = this.layers;
    const own = hand === "trim" ? null : this.settings[hand].strength;
    return own === null ? "" : String(Math.round(100 * own));
  },
  // This shot takes the layer at a strength of its own; an empty field takes it as it is.
  typeUse(event) {
    const { hand } = this.layers,
      text = event.target.value.trim(),
      value = Number(text);
    if (text && !(value >= 0 && value <= 100)) {
      this.complain("layer", "Type how much of the layer this shot takes, from 0 to 100 %, or nothing for as it is.");
      event.target.value = this.useText;
      return;
    }
    this.settings[hand].strength = text ? value / 100 : null;
    this.settle("layer");
    this.saveShot(text ? `${this.handHeld.title} at ${value} %` : `${this.handHeld.title} as it is`);
  },
  copyOwn() {
    const { hand } = this.layers;
    this.layers.put();
    this.settings[hand].own = this.layers.content(hand);
    this.layers.drop(hand);
    this.handChanged();
    this.saveShot(`a copy of ${this.handHeld.title}`);
  },
  returnToShared() {
    const { hand } = this.layers;
    this.settings[hand].own = null;
    this.layers.drop(hand);
    this.handChanged();
    this.saveShot(`${this.handHeld.title} as it is`);
  },

  // --- saving for all -----------------------------------------------------------------------------------------------
  // Before it is saved the page says whom it touches, and shows some of them before and after.
  async askTouches() {
    if (this.noDraft) return;
    this.touches = { follow: this.handHeld.follow, apart: this.handHeld.apart, rows: [] };
    this.$refs.touches.showModal();
    const said = await this.askLayer("layer-touches", this.layers.saving());
    if (said) this.touches = said;
  },
  get touchesSaid() {
    const { follow, apart } = this.touches;
    const rest = apart ? ` ${apart} of them take it otherwise: left out, at another strength, or as a copy of their own.` : "";
    return `${follow === 1 ? "1 shot follows" : `${follow} shots follow`} it.${rest}`;
  },
  get saveAllText() {
    return this.touches.follow === 1 ? "Save for this shot" : `Save for ${this.touches.follow} shots`;
  },
  closeTouches() {
    this.$refs.touches.close();
  },
  async saveForAll() {
    this.closeTouches();
    if (this.noDraft) return;
    const sent = this.layers.saving(),
      said = await this.askLayer("save-layer", sent, (theirs) => this.layers.drop(sent.kind) || this.takeLayers(theirs));
    if (!said) return;
    this.layers.drop(sent.kind);
    this.takeLayers(said);
    if (said.together) this.complain("layer", "Someone else changed it meanwhile, in other steps. Both changes are in force.");
  },
  dropDraft() {
    this.layers.drop();
    this.handChanged();
    this.refresh(true);
  },
  // What the server has of the layers, and of the shot, now.
  takeLayers(said) {
    this.data.layers = said.layers;
    this.layers.know(said.layers);
    this.take(said);
  },
  async askLayer(name, body, overtaken) {
    await this.saving;
    this.work(1);
    try {
      const said = await (await post(this.data.urls[name], body)).json();
      this.settle("layer");
      return said;
    } catch (error) {
      const { status } = error.response || {};
      if (status === 409 && overtaken) {
        const theirs = await error.response.json();
        overtaken(theirs);
        this.complain("layer", theirs.error);
      } else this.complain("layer", error.message);
      return null;
    } finally {
      this.work(-1);
    }
  },
  async undoLayer(name) {
    const { hand } = this.layers,
      said = await this.askLayer(name, { kind: hand, output: this.layers.outputs[hand] || "" });
    if (said) this.takeLayers(said);
  },

  // --- a step moved between the shot and what it shares -------------------------------------------------------------
  get moveChoices() {
    if (!this.hasStep || !this.data.editable) return [];
    const { lights } = this.data.kinds[this.current.kind];
    if (this.layers.hand !== "trim") return [{ value: "trim", label: "back to this shot’s trim" }];
    return TRIMS.filter((kind) => kind !== "trim" && this.layers.offers(kind) && this.layers.isShared(kind))
      .filter((kind) => lights.includes(kind === "finish" ? "display" : "scene"))
      .map((kind) => ({ value: kind, label: `into ${this.layers.held(kind).title}` }));
  },
  get canTry() {
    if (!this.hasStep || !this.layers.offers("finish")) return false;
    return ["trim", "finish"].includes(this.layers.hand) && this.data.kinds[this.current.kind].lights.length > 1;
  },
  get tryText() {
    return this.layers.hand === "finish" ? "Before the rendering?" : "After the rendering?";
  },
  pickMove(event) {
    const to = event.target.value;
    event.target.value = "";
    if (to === "others") window.location.href = this.data.urls.share;
    else if (to) this.moveStepTo(to);
  },
  async moveStepTo(to) {
    const from = this.layers.hand,
      kind = to === "trim" ? from : to;
    if (this.layers.isDirty(kind)) return this.complain("layer", `${this.layers.held(kind).title} has changes that are not saved. Save or drop them first.`);
    const { history, output } = this.layers.held(kind),
      step = this.step;
    this.endTrial();
    await this.saving;
    const body = { from, to, output, step, version: this.history.version, number: history.number },
      said = await this.askLayer("move-step", body);
    if (!said) return null;
    this.takeLayers(said);
    this.takeStage(kind);
    return this.complain("layer", `${said.sentence} ${this.handHeld.follow - 1} more follow ${said.moved_to}. Undo takes both back.`);
  },

  // --- a step tried on the other side of the rendering --------------------------------------------------------------
  tryStep() {
    this.trial = { step: this.step, from: this.layers.hand };
    this.setAgainst("elsewhere");
    this.setCompare("beside");
  },
  get trialText() {
    return this.trial && this.trial.from === "finish" ? "before the rendering" : "after the rendering";
  },
  // The settings with the step on the other side, last of what stands there.
  trialSettings() {
    const settings = this.layers.seen(this.outputShown),
      { step, from } = this.trial,
      finish = settings.finish.own || this.layers.content("finish"),
      [here, there] = from === "trim" ? [settings.steps, finish.steps] : [finish.steps, settings.steps],
      moved = here.find((one) => one.id === step),
      left = here.filter((one) => one.id !== step),
      come = moved ? [...there, { ...moved, id: "tried", group: "" }] : there,
      [trim, after] = from === "trim" ? [left, come] : [come, left];
    const used = (list, groups) => groups.filter((group) => list.some((one) => one.group === group.id));
    return {
      ...settings,
      steps: trim,
      groups: used(trim, settings.groups),
      finish: { ...settings.finish, own: { ...finish, steps: after, groups: used(after, finish.groups) } },
    };
  },
  get trying() {
    return this.trial !== null && this.against === "elsewhere" && this.hasOther;
  },
  takeTrial() {
    const { from } = this.trial;
    this.endTrial();
    this.moveStepTo(from === "trim" ? "finish" : "trim");
  },
  endTrial() {
    if (!this.trial) return;
    this.trial = null;
    this.against = "untrimmed";
    this.setCompare("now");
  },
};
