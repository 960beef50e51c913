// The steps of a shot and their groups as data: what is added, moved and taken out, and what holds then. The steps of a
// group stand together; a group without steps is gone. Nothing here knows of a page.
import { copyOf, numbered, shortName, unused } from "./copies.js";

export class Steps {
  // settings(): the present settings. vocabulary: `kinds` of steps and of `selections` (title, rest), the fields that
  // every step has (`own`), an empty `matte`.
  constructor(settings, vocabulary) {
    this.settings = settings;
    this.vocabulary = vocabulary;
  }

  get list() {
    return this.settings().steps;
  }
  get groups() {
    return this.settings().groups;
  }
  find(id) {
    return this.list.find((step) => step.id === id) || null;
  }
  indexOf(id) {
    return this.list.findIndex((step) => step.id === id);
  }
  group(id) {
    return this.groups.find((group) => group.id === id);
  }
  title(step) {
    return step.name || this.vocabulary.kinds[step.kind].title;
  }
  // Whether everything that makes a step of its kind act is at rest.
  rests(step) {
    const { rest } = this.vocabulary.kinds[step.kind];
    return Object.keys(rest).every(
      (name) => this.vocabulary.own.includes(name) || JSON.stringify(rest[name]) === JSON.stringify(step[name]),
    );
  }

  // --- adding and taking out ----------------------------------------------------------------------------------------
  add(kind) {
    const step = this.named({ ...copyOf(this.vocabulary.kinds[kind].rest) });
    // What the camera clipped is rebuilt before other steps change the light.
    if (kind === "highlights") this.list.unshift(step);
    else this.list.push(step);
    return this.find(step.id);
  }
  // A copy of a step after it; its shapes are its own.
  duplicate(step) {
    return this.insertAfter(step, copyOf(step));
  }
  // A step from another shot after the one in hand, in its group; null for one that is none here.
  paste(given, after) {
    if (!given || !this.vocabulary.kinds[given.kind]) return null;
    // What was copied before there were shapes lacks what came since.
    const step = { ...copyOf(this.vocabulary.kinds[given.kind].rest), ...copyOf(given) };
    if (step.limit && !step.limit.selections) {
      const range = { ...this.vocabulary.selections.colour_range.rest, ...step.limit, id: "colourrange" };
      step.limit = { ...this.vocabulary.matte, selections: [range] };
    }
    step.group = after ? after.group : "";
    return this.insertAfter(after, step);
  }
  // Takes a step out; the one that is in hand then, or null.
  remove(step) {
    const at = this.indexOf(step.id);
    this.list.splice(at, 1);
    this.dropEmptyGroups();
    return this.list[Math.min(at, this.list.length - 1)] || null;
  }
  // A step as its kind rests; what it is called and where it stands stays.
  reset(step) {
    const { id, name, note, output, group, lut } = step;
    const rest = copyOf(this.vocabulary.kinds[step.kind].rest);
    this.list.splice(this.indexOf(id), 1, { ...rest, id, name, note, output, group, ...(lut && { lut }) });
  }
  insertAfter(before, step) {
    this.named(step);
    for (const one of step.limit ? step.limit.selections : []) one.link = "";
    this.list.splice(before ? this.indexOf(before.id) + 1 : 0, 0, step);
    return this.find(step.id);
  }
  named(step) {
    const taken = this.list.map((one) => one.id);
    step.id = unused(shortName(step.kind), taken);
    return step;
  }

  // --- order and groups ---------------------------------------------------------------------------------------------
  // Moves a step; null where it cannot stand there.
  move(from, to) {
    if (from < 0 || to < 0 || to >= this.list.length) return null;
    const [step] = this.list.splice(from, 1);
    this.list.splice(to, 0, step);
    this.regroup(to);
    return step;
  }
  // A step joins a group at its end, or leaves its own for the place after it; "new group" begins one.
  join(step, wanted) {
    const { list } = this,
      from = this.indexOf(step.id);
    let id = wanted;
    if (wanted === "new group") {
      const taken = this.groups.map((group) => group.id);
      id = numbered("group", taken);
      this.groups.push({ id, name: "", on: true, strength: 1 });
    }
    const [taken] = list.splice(from, 1),
      last = list.map((one) => one.group).lastIndexOf(id || step.group);
    taken.group = id;
    list.splice(last >= 0 ? last + 1 : from, 0, taken);
    if (last < 0 && id) this.leaveRun(from);
    this.dropEmptyGroups();
    return id;
  }
  // A new group must not stand within another one.
  leaveRun(at) {
    const { list } = this,
      before = list[at - 1],
      after = list[at + 1];
    if (!before || !after || !before.group || before.group !== after.group) return;
    const [step] = list.splice(at, 1);
    list.splice(list.map((one) => one.group).lastIndexOf(before.group) + 1, 0, step);
  }
  // A step that was moved belongs to the group that it now stands in, and to none where it left its own.
  regroup(at) {
    const step = this.list[at],
      before = (this.list[at - 1] || { group: "" }).group,
      after = (this.list[at + 1] || { group: "" }).group;
    if (before && before === after) step.group = before;
    else if (step.group && step.group !== before && step.group !== after) step.group = "";
    this.dropEmptyGroups();
  }
  dropEmptyGroups() {
    const used = this.list.map((step) => step.group),
      settings = this.settings();
    settings.groups = settings.groups.filter((group) => used.includes(group.id));
  }
}
