// Groups of steps: folded, switched, named, and mixed in together. The steps of one stand together in the list.
export const groups = {
  folded: [],

  rowsInGroups(rows) {
    const all = [];
    let last = "";
    for (const row of rows) {
      const group = row.group && this.settings.groups.find((one) => one.id === row.group);
      if (group && row.group !== last) all.push(this.groupRow(group));
      last = row.group;
      row.style.grouped = Boolean(group);
      row.style.quietgroup = Boolean(group && (!group.on || group.strength === 0));
      all.push(row);
    }
    return all;
  },
  groupRow(group) {
    const open = !this.folded.includes(group.id),
      name = group.name || "the group",
      percent = Math.round(100 * group.strength);
    return {
      id: `group:${group.id}`,
      isGroup: true,
      isStep: false,
      shown: true,
      title: group.name,
      on: group.on,
      open: String(open),
      foldMark: open ? "▾" : "▸",
      foldName: `${open ? "Fold" : "Unfold"} ${name}`,
      switchName: `${name} on`,
      nameName: "Name of the group",
      strengthName: `Strength of ${name}: ${percent} %`,
      percent,
      style: { group: true, off: !group.on },
      limited: false,
      moves: false,
      mark: "false",
    };
  },
  get stepGroup() {
    return this.hasStep ? this.current.group : "";
  },
  get groupChoices() {
    return this.settings.groups.map((group) => ({ value: group.id, label: group.name || group.id }));
  },
  groupOf(event) {
    const id = event.target.closest("[data-step]").dataset.step.slice(6);
    return this.settings.groups.find((one) => one.id === id);
  },
  foldGroup(event) {
    const { id } = this.groupOf(event);
    this.folded = this.folded.includes(id) ? this.folded.filter((one) => one !== id) : [...this.folded, id];
  },
  switchGroup(id, on) {
    const group = this.settings.groups.find((one) => one.id === id);
    group.on = on;
    return this.save(`${group.name || "group"} ${on ? "on" : "off"}`);
  },
  nameGroup(event) {
    const group = this.groupOf(event);
    group.name = event.target.value.trim().slice(0, 60);
    this.save("name of a group");
  },
  slideGroup(event) {
    if (this.locked) return;
    this.groupOf(event).strength = Number(event.target.value) / 100;
    this.refresh(false);
  },
  restGroup() {
    if (!this.locked) this.save("strength of a group");
  },
  // A step joins a group at its end, or leaves it for the place after it.
  joinGroup(event) {
    const wanted = event.target.value;
    if (this.lockedOrNone || wanted === this.current.group) return;
    const list = this.settings.steps,
      step = this.current,
      from = this.index;
    let id = wanted;
    if (wanted === "new group") {
      const taken = this.settings.groups.map((one) => one.id);
      for (let n = 1; ; n++) if (!taken.includes((id = `group${n}`))) break;
      this.settings.groups.push({ id, name: "", on: true, strength: 1 });
    }
    list.splice(from, 1);
    const of = id || step.group,
      last = list.map((one) => one.group).lastIndexOf(of);
    step.group = id;
    list.splice(last >= 0 ? last + 1 : from, 0, step);
    if (last < 0 && id) this.leaveRun(from);
    this.dropEmptyGroups();
    this.changed(id ? "into a group" : "out of a group", step.id);
  },
  // A new group must not stand within another one.
  leaveRun(at) {
    const list = this.settings.steps,
      before = list[at - 1],
      after = list[at + 1];
    if (!before || !after || !before.group || before.group !== after.group) return;
    const [step] = list.splice(at, 1);
    list.splice(list.map((one) => one.group).lastIndexOf(before.group) + 1, 0, step);
  },
  // A step that was moved belongs to the group that it now stands in, and to none where it left its own.
  regroup(at) {
    const list = this.settings.steps,
      step = list[at],
      before = (list[at - 1] || { group: "" }).group,
      after = (list[at + 1] || { group: "" }).group;
    if (before && before === after) step.group = before;
    else if (step.group && step.group !== before && step.group !== after) step.group = "";
    this.dropEmptyGroups();
  },
  dropEmptyGroups() {
    const used = this.settings.steps.map((step) => step.group);
    this.settings.groups = this.settings.groups.filter((group) => used.includes(group.id));
  },
};
