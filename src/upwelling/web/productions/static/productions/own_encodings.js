// Shows the fields of the chosen way to define an encoding.
document.addEventListener("alpine:init", () => {
  Alpine.data("definition", () => ({
    kind: "log",
    primaries: "",
    init() {
      this.kind = this.$root.dataset.kind;
      this.primaries = this.$root.dataset.primaries;
    },
    get shows() {
      return Object.fromEntries(["log", "table", "curve", "lut"].map((kind) => [kind, kind === this.kind]));
    },
    get spaced() {
      return this.kind !== "lut";
    },
    get byhand() {
      return this.primaries === "own";
    },
    pick(event) {
      this.kind = event.target.value;
    },
    space(event) {
      this.primaries = event.target.value;
    },
  }));
});
