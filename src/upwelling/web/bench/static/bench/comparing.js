// Finding a shot to compare with among all of the production, by its name.
export const comparing = {
  found: [],
  foundMore: 0,

  openFinding() {
    this.$refs.finding.showModal();
    this.$refs.findWord.value = "";
    this.$refs.findWord.focus();
    this.findOthers();
  },
  closeFinding() {
    this.$refs.finding.close();
  },
  typeWord() {
    clearTimeout(this.findingSoon);
    this.findingSoon = setTimeout(() => this.findOthers(), 200);
  },
  async findOthers() {
    const word = this.$refs.findWord.value.trim(),
      response = await fetch(`${this.data.urls.strip}?word=${encodeURIComponent(word)}`, { headers: { Accept: "application/json" } });
    if (!response.ok || word !== this.$refs.findWord.value.trim()) return;
    const said = await response.json();
    this.found = said.others;
    this.foundMore = said.more;
  },
  get foundRows() {
    return this.found.slice(0, 40).map((one) => ({ pk: one.pk, name: one.name, size: `${one.width} × ${one.height}` }));
  },
  get foundSaid() {
    if (!this.found.length) return "No other shot has that in its name.";
    return this.foundMore > 0 ? `and ${this.foundMore} more: type more of the name` : "";
  },
  findKey(event) {
    event.stopPropagation();
    if (event.key !== "Enter") return;
    event.preventDefault();
    if (this.found.length) this.compareFound(this.found[0].pk);
  },
  pickFound(event) {
    this.compareFound(Number(event.currentTarget.dataset.shot));
  },
  compareFound(pk) {
    const one = this.found.find((other) => other.pk === pk);
    this.offer(one);
    this.closeFinding();
    this.setAgainst(`shot:${pk}`);
  },
  // A shot is among those to compare with, wherever the strip stands.
  offer(one) {
    if (!this.data.others.some((other) => other.pk === one.pk)) this.data.others = [one, ...this.data.others];
  },
};
