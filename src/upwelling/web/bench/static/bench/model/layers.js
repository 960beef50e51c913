// The layer of steps in hand: the shot's own trim, or one that it shares with others. Of a shared one the page holds a
// draft, each state as the hand left it, until a person has seen what it touches and saves it. Nothing here knows of a
// page: `settings()` are those of the shot, whose `steps` and `groups` are always the ones of the layer in hand.
import { copyOf } from "./copies.js";

export const TRIMS = ["camera_trim", "group_trim", "trim", "finish"];

export class Layers {
  // shared: by kind, the layers that the shot shares (`content`, `output`, `acts_for`, `history`). raw(thing): it without
  // what a page wraps around it to watch it; a hand that moves sends it many times a second.
  constructor(settings, shared, raw = (thing) => thing) {
    this.settings = settings;
    this.raw = raw;
    this.hand = "trim";
    this.aside = null;
    this.drafts = {};
    this.outputs = {};
    this.know(shared);
  }
  // What the server has of them now; drafts stay.
  know(shared) {
    this.shared = shared;
    if (!("finish" in this.outputs) && shared.finish) this.outputs.finish = this.heldFinish(shared.finish).output;
    for (const kind of Object.keys(this.drafts)) if (!this.isDirty(kind)) this.drop(kind);
  }
  // The finish that is shown first: one that holds steps, else the one for the main output's kind.
  heldFinish(list) {
    return list.find((one) => one.content.steps.length) || list.find((one) => one.acts_for.length) || list[0];
  }

  // --- which is in hand ---------------------------------------------------------------------------------------------
  offers(kind) {
    return kind === "trim" || (TRIMS.includes(kind) && Boolean(this.shared[kind]));
  }
  // The shared layer of a kind, as the server has it.
  held(kind) {
    const list = this.shared[kind] || [];
    return list.find((one) => one.output === (this.outputs[kind] || "")) || list[0] || null;
  }
  isShared(kind = this.hand) {
    return kind !== "trim" && !this.settings()[kind].own;
  }
  // Takes another layer in hand: its steps are those of the settings from now on.
  take(kind) {
    if (kind === this.hand || !this.offers(kind)) return;
    this.put();
    const content = kind === "trim" ? this.aside : this.content(kind);
    if (kind === "trim") this.aside = null;
    else if (!this.aside) this.aside = this.listed();
    this.hand = kind;
    Object.assign(this.settings(), { steps: content.steps, groups: content.groups });
    if (this.isShared()) this.draft(kind);
  }
  // The steps in hand go back to where they are held.
  put() {
    if (this.hand === "trim") return;
    const kind = this.hand,
      content = { ...this.content(kind), ...this.listed() };
    if (this.isShared(kind)) this.draft(kind).now = content;
    else this.settings()[kind].own = content;
  }
  listed() {
    const { steps, groups } = this.raw(this.settings());
    return { steps, groups };
  }
  // What a layer holds here: the shot's own copy, the draft, or what the server has.
  content(kind) {
    const { own } = this.settings()[kind];
    if (own) return own;
    if (this.drafts[kind]) return this.drafts[kind].now;
    const held = this.held(kind);
    return copyOf(held ? held.content : { steps: [], groups: [], strength: 1, on: true });
  }
  // The shot's settings came anew from the server: the layer in hand stays in hand.
  renewed() {
    const kind = this.hand;
    if (kind === "trim") return;
    this.hand = "trim";
    this.aside = null;
    this.take(kind);
  }

  // --- drafts -------------------------------------------------------------------------------------------------------
  isDirty(kind) {
    return Boolean(this.drafts[kind] && this.drafts[kind].past.length);
  }
  get dirty() {
    return Object.keys(this.drafts).filter((kind) => this.isDirty(kind));
  }
  draft(kind) {
    if (!this.drafts[kind]) {
      const now = this.content(kind),
        held = this.held(kind);
      this.drafts[kind] = { base: copyOf(held.content), number: held.history.number, now, past: [], next: [] };
    }
    return this.drafts[kind];
  }
  // The hand came to rest: the state is one of the draft.
  note(label, more = {}) {
    const draft = this.draft(this.hand),
      now = copyOf({ ...draft.now, ...more, ...this.listed() }),
      before = draft.past.length ? draft.past[draft.past.length - 1].state : draft.base;
    if (JSON.stringify(now) === JSON.stringify(before)) return;
    draft.past.push({ label, state: copyOf(now) });
    draft.next = [];
    draft.now = { ...now, ...this.listed() };
  }
  undo() {
    const draft = this.draft(this.hand);
    if (!draft.past.length) return;
    draft.next.push(draft.past.pop());
    this.show(draft.past.length ? draft.past[draft.past.length - 1].state : draft.base);
  }
  redo() {
    const draft = this.draft(this.hand);
    if (!draft.next.length) return;
    const entry = draft.next.pop();
    draft.past.push(entry);
    this.show(entry.state);
  }
  show(state) {
    const now = copyOf(state);
    this.draft(this.hand).now = now;
    Object.assign(this.settings(), { steps: now.steps, groups: now.groups });
  }
  // Drops what is not saved of the layer in hand.
  drop(kind = this.hand) {
    delete this.drafts[kind];
    if (kind !== this.hand) return;
    const content = this.content(kind);
    Object.assign(this.settings(), { steps: content.steps, groups: content.groups });
    if (this.isShared()) this.draft(kind);
  }
  // Another finish is meant: its steps come in hand.
  pickOutput(output) {
    if (this.isDirty("finish")) return false;
    this.outputs.finish = output;
    this.drop("finish");
    return true;
  }
  // What is sent to be saved: the content, what it was made from, and what was done in a few words.
  saving(kind = this.hand) {
    const draft = this.draft(kind),
      labels = [...new Set(draft.past.map((one) => one.label))];
    this.put();
    return {
      kind,
      output: this.outputs[kind] || "",
      content: draft.now,
      base: draft.base,
      number: draft.number,
      label: labels.slice(-4).join(", ").slice(0, 120),
    };
  }

  // --- what is sent -------------------------------------------------------------------------------------------------
  // The shot's own settings, to be saved: no draft of a shared layer is in them.
  forShot() {
    this.put();
    const settings = this.raw(this.settings());
    return this.hand === "trim" ? settings : { ...settings, ...this.raw(this.aside) };
  }
  // The settings as they are seen: drafts come as copies of the shot's own. Of a finish, only where it acts.
  seen(output) {
    const settings = { ...this.forShot() };
    for (const kind of this.draftsSeen(output)) settings[kind] = { ...settings[kind], own: this.raw(this.drafts[kind].now) };
    return settings;
  }
  draftsSeen(output) {
    const acts = (kind) => !output || (this.held(kind) || { acts_for: [] }).acts_for.includes(output);
    return Object.keys(this.drafts).filter((kind) => this.isShared(kind) && acts(kind));
  }
}
