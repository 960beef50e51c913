// Adding a step by its name: a list that narrows while one types, Enter takes the one in hand.
export const adding = {
  openAdding() {
    if (this.locked) return;
    if (this.$refs.help.open) return;
    this.stage = this.layers.hand;
    this.tab = "steps";
    this.$refs.addWord.value = "";
    this.findKinds();
    this.$refs.adding.showModal();
    this.$refs.addWord.focus();
  },
  closeAdding() {
    this.$refs.adding.close();
  },
  get kindRows() {
    return [...this.$refs.adding.querySelectorAll("[role=option]")];
  },
  get kindsFound() {
    return this.kindRows.filter((row) => !row.hidden);
  },
  // A name that begins so comes before one that has it within; what a step is for is searched too, after the names.
  findKinds() {
    const word = this.$refs.addWord.value.trim().toLowerCase();
    const rank = (row) => {
      const title = row.dataset.title.toLowerCase();
      if (title.startsWith(word)) return 0;
      if (title.split(/[ ·]+/).some((part) => part.startsWith(word))) return 1;
      return title.includes(word) ? 2 : row.dataset.words.toLowerCase().includes(word) ? 3 : 4;
    };
    let best = null;
    for (const row of this.kindRows) {
      row.hidden = rank(row) > 3 || !this.data.kinds[row.dataset.kind].lights.includes(this.lightsOf);
      if (!row.hidden && (!best || rank(row) < rank(best))) best = row;
    }
    this.$refs.noKind.hidden = Boolean(best);
    this.takeKindInHand(best);
  },
  takeKindInHand(row) {
    for (const one of this.kindRows) one.setAttribute("aria-selected", String(one === row));
    this.$refs.addWord.setAttribute("aria-activedescendant", row ? row.id : "");
    if (row) row.scrollIntoView({ block: "nearest" });
  },
  addKey(event) {
    const found = this.kindsFound,
      at = found.findIndex((row) => row.getAttribute("aria-selected") === "true");
    const to = { ArrowDown: at + 1, ArrowUp: at - 1 }[event.key];
    if (to !== undefined && found[to]) this.takeKindInHand(found[to]);
    if (event.key === "Enter" && found[at]) this.addKind(found[at].dataset.kind);
    if (["ArrowDown", "ArrowUp", "Enter"].includes(event.key)) event.preventDefault();
    event.stopPropagation();
  },
  addPicked(event) {
    this.addKind(event.currentTarget.dataset.kind);
  },
  addKind(kind) {
    this.closeAdding();
    this.addStep(kind);
    this.$nextTick(() => this.reachField(1));
  },
};
