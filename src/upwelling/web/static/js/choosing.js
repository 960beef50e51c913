// Choosing shots of a long list: found by words, all of the found at once, a span by Shift; they keep the order in
// which they were chosen, and each can be given the frames it begins and ends at.
const SHOWN = 200;

document.addEventListener("alpine:init", () => {
  Alpine.data("choosing", () => ({
    rows: [],
    chosen: [],
    words: "",
    last: null,
    init() {
      const given = JSON.parse(document.getElementById(this.$root.dataset.rows).textContent);
      this.rows = given.rows;
      this.chosen = given.chosen.filter((pk) => this.rows.some((row) => row.pk === pk));
      this.spans = given.spans;
      this.beyond = given.beyond ? `; ${given.beyond} more shots of the production are not offered here` : "";
      if (this.chosen.length) this.changed();
    },
    spans: {},
    beyond: "",
    get found() {
      const words = this.words.toLowerCase().split(/\s+/).filter(Boolean);
      return this.rows.filter((row) => words.every((word) => row.text.includes(word)));
    },
    get shown() {
      const first = this.found.slice(0, SHOWN);
      return first.map((row) => ({ ...row, ticked: this.chosen.includes(row.pk) }));
    },
    get said() {
      const many = this.found.length;
      return (many > SHOWN ? `${many} found, the first ${SHOWN} shown` : `${many} found`) + this.beyond;
    },
    get none() {
      return this.chosen.length === 0;
    },
    get count() {
      return this.chosen.length;
    },
    get taken() {
      const known = new Map(this.rows.map((row) => [row.pk, row]));
      return this.chosen.map((pk, at) => ({
        ...known.get(pk),
        place: at + 1,
        first: this.spans[pk]?.[0] ?? "",
        last: this.spans[pk]?.[1] ?? "",
        names: [`first.${pk}`, `last.${pk}`],
        says: [`${known.get(pk).name}, first frame`, `${known.get(pk).name}, last frame`],
      }));
    },
    seek(event) {
      this.words = event.currentTarget.value;
      this.last = null;
    },
    tick(event) {
      const pk = Number(event.currentTarget.value);
      const on = event.currentTarget.checked;
      const order = this.found.map((row) => row.pk);
      const from = order.indexOf(this.last);
      const here = order.indexOf(pk);
      const span = event.shiftKey && from >= 0;
      this.last = pk;
      this.set(span ? order.slice(Math.min(from, here), Math.max(from, here) + 1) : [pk], on);
    },
    // A tick is told to the page when the list has it, not before.
    hush() {},
    set(numbers, on) {
      const others = this.chosen.filter((pk) => !numbers.includes(pk));
      const added = numbers.filter((pk) => !this.chosen.includes(pk));
      this.chosen = on ? [...this.chosen, ...added] : others;
      this.changed();
    },
    all() {
      this.set(
        this.found.map((row) => row.pk),
        true,
      );
    },
    clear() {
      this.set(this.chosen, false);
    },
    drop(event) {
      this.set([Number(event.currentTarget.dataset.pk)], false);
    },
    rise(event) {
      const at = this.chosen.indexOf(Number(event.currentTarget.dataset.pk));
      if (at < 1) return;
      const order = [...this.chosen];
      [order[at - 1], order[at]] = [order[at], order[at - 1]];
      this.chosen = order;
      this.changed();
    },
    span(event) {
      const { pk, end } = event.currentTarget.dataset;
      const now = this.spans[pk] ?? ["", ""];
      this.spans[pk] = end === "first" ? [event.currentTarget.value, now[1]] : [now[0], event.currentTarget.value];
    },
    changed() {
      this.$nextTick(() => this.$root.dispatchEvent(new Event("input", { bubbles: true })));
    },
  }));
});
