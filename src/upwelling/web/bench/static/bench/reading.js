// What is read off: the trace and what is measured, beside the same of the picture that is compared with.
const TRACE = [
  ["camera", "Camera code"],
  ["input", "Scene linear"],
  ["trim", "After trim"],
  ["stops", "From mid grey"],
  ["colour", "Hue · saturation"],
  ["rendering", "Displayed, cd/m²"],
  ["display", "Display code"],
  ["signal", "Signal, mean"],
];
const signed = (value, digits, unit) => (value < 0 ? "−" : "+") + Math.abs(value).toFixed(digits) + unit;

export const reading = {
  otherTrace: null,
  otherNumbers: [],
  otherRegion: [],

  get besideTitle() {
    return `and ${this.otherName}`;
  },
  get traceRows() {
    const other = this.hasOther ? this.otherTrace : null;
    const rows = TRACE.map(([key, name]) => ({ name, title: "", value: this.trace[key] || "", other: other ? other[key] : "" }));
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
