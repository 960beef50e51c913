// Setting a delivery up: a preset fills the form, and every change asks the server what would be made.
import { planning } from "../js/planning.js";

document.addEventListener("alpine:init", () => {
  Alpine.data("delivery", () => ({
    ...planning(),
    facts: {},
    form: {},
    kind: {},
    fromCut: false,
    shotPattern: "",
    eventPattern: "",
    get fromShots() {
      return !this.fromCut;
    },
    get pattern() {
      return this.fromCut ? this.eventPattern : this.shotPattern;
    },
    get isScene() {
      return this.form.boundary !== "display";
    },
    get isFinished() {
      return !this.isScene;
    },
    get ownSize() {
      return this.form.sizing === "source";
    },
    get legalOnly() {
      return this.kind.legal_only;
    },
    get ungrouped() {
      return !this.kind.grouped;
    },
    get noQuality() {
      return this.ungrouped || this.form.held !== "quality";
    },
    get noBitRate() {
      return this.ungrouped || this.form.held !== "rate";
    },
    init() {
      this.facts = JSON.parse(this.$root.dataset.facts);
      this.shotPattern = this.$root.dataset.pattern;
      this.eventPattern = this.$root.dataset.eventPattern;
      this.pickSource();
      this.pickPreset();
      Object.assign(this.form, JSON.parse(this.$root.dataset.given));
      this.$nextTick(() => this.ask());
    },
    pickSource() {
      this.fromCut = this.$root.elements.cut.value !== "";
    },
    pickPreset() {
      const facts = this.facts[this.$root.elements.preset.value];
      this.kind = facts;
      this.form = { ...facts, encoding: facts.encoding || "ACEScct/AP1" };
    },
  }));
});
