// What is read off: the trace and what is measured, beside the same of the picture that is compared with.
const TRACE = [
  ["camera", "Camera code", ""],
  ["input", "Scene linear", ""],
  ["trim", "After trim", ""],
  ["stops", "From mid grey", "scene"],
  ["colour", "Hue · saturation", "scene"],
  ["negative", "Negative’s density", ""],
  ["print", "Print’s density", ""],
  ["rendering", "Displayed, cd/m²", ""],
  ["display", "Display code", ""],
  ["signal", "Signal, mean", "display"],
];
// A row: name, value and the value of the picture beside. It is written by hand: lists change with every picture of a
// hand that moves, and only words that differ are put into the page.
function rowOf() {
  const row = document.createElement("div"),
    dd = document.createElement("dd"),
    beside = document.createElement("span");
  row.className = "fact";
  dd.className = "mono";
  beside.className = "beside";
  dd.append(document.createElement("span"), beside);
  const dt = document.createElement("dt");
  dt.append(document.createElement("span"), document.createElement("small"));
  row.append(dt, dd);
  return row;
}
function say(element, text) {
  if (element.textContent !== text) element.textContent = text;
}
const signed = (value, digits, unit) => (value < 0 ? "−" : "+") + Math.abs(value).toFixed(digits) + unit;

export const reading = {
  otherTrace: null,
  otherNumbers: [],
  otherRegion: [],

  // Rows of facts into a list of the page.
  write(list, rows) {
    while (list.children.length > rows.length) list.lastElementChild.remove();
    rows.forEach(({ name, title, value, other, at = "" }, i) => {
      const row = list.children[i] || list.appendChild(rowOf()),
        [dt, dd] = row.children;
      if (row.title !== title) row.title = title;
      say(dt.firstElementChild, name);
      say(dt.lastElementChild, at && ` ${at}`);
      say(dd.firstElementChild, value);
      say(dd.lastElementChild, other);
      dd.lastElementChild.hidden = !other;
    });
  },

  get besideTitle() {
    return `and ${this.otherName}`;
  },
  get traceRows() {
    const other = this.hasOther ? this.otherTrace : null;
    // Film's rows stand only where a path has film.
    const has = ([key]) => !["negative", "print"].includes(key) || this.trace[key];
    const rows = TRACE.filter(has).map(([key, name, at]) => ({ name, at, title: "", value: this.trace[key] || "", other: other ? other[key] : "" }));
    return other ? [...rows, ...this.differenceRows(other)] : rows;
  },
  // This picture less the other.
  differenceRows(other) {
    const here = this.trace.values || {},
      there = other.values,
      known = (name) => typeof here[name] === "number" && typeof there[name] === "number";
    const said = [
      known("stops") ? signed(here.stops - there.stops, 2, " stops") : "",
      known("signal") ? signed(here.signal - there.signal, 1, " %") : "",
    ];
    return [{ name: "Difference", title: "This picture less the other", value: said.filter(Boolean).join("  "), other: "" }];
  },
  get regionRows() {
    return this.beside(this.regionNumbers, this.otherRegion);
  },
  get numberRows() {
    return this.beside(this.numbers, this.otherNumbers);
  },
  beside(rows, others) {
    if (!this.hasOther) return rows.map((row) => ({ ...row, other: "" }));
    return rows.map((row) => ({ ...row, other: (others.find((one) => one.name === row.name) || { value: "–" }).value }));
  },
  // A trace with each boundary's three values as one text.
  printed(trace) {
    return Object.fromEntries(
      Object.entries(trace).map(([key, value]) => [key, Array.isArray(value) ? value.join("  ") : value]),
    );
  },
  takeOther(head) {
    this.otherTrace = head.trace && this.printed(head.trace);
    this.otherNumbers = head.numbers;
    this.otherRegion = head.region;
  },
};
