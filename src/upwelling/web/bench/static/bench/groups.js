// Groups of steps: folded, switched, named, and mixed in together. The steps of one stand together in the list.
export const groups = {
  folded: [],

  rowsInGroups(rows) {
    const all = [];
    let last = "";
    for (const row of rows) {
      const group = row.group && this.model.group(row.group);
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
    return this.model.group(id);
  },
  foldGroup(event) {
    const { id } = this.groupOf(event);
    this.folded = this.folded.includes(id) ? this.folded.filter((one) => one !== id) : [...this.folded, id];
  },
  switchGroup(id, on) {
    const group = this.model.group(id);
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
  joinGroup(event) {
    const wanted = event.target.value;
    if (this.lockedOrNone || wanted === this.current.group) return;
    const { id } = this.current,
      joined = this.model.join(this.current, wanted);
    this.changed(joined ? "into a group" : "out of a group", id);
  },
};
