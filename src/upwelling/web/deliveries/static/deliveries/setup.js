// Setting a delivery up: a preset fills the form, and every change asks the server what would be made.
document.addEventListener("alpine:init", () => {
  Alpine.data("delivery", () => ({
    facts: {},
    form: {},
    kind: {},
    fromCut: false,
    shotPattern: "",
    eventPattern: "",
    cannotStart: true,
    asked: 0,
    timer: 0,
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
    addField(event) {
      const field = this.$refs.pattern;
      if (!field.value) field.value = this.pattern;
      field.value += "{" + event.currentTarget.dataset.field + "}";
      field.focus();
      this.later();
    },
    later() {
      this.cannotStart = true;
      clearTimeout(this.timer);
      this.timer = setTimeout(() => this.ask(), 250);
    },
    async ask() {
      const number = ++this.asked;
      try {
        const body = new FormData(this.$root);
        const response = await fetch(this.$root.dataset.plan, { method: "POST", body });
        const text = await response.text();
        if (number !== this.asked) return;
        if (!response.ok) throw new Error("The server could not answer. Try again.");
        this.$refs.plan.innerHTML = text;
        this.cannotStart = this.$refs.plan.querySelector("[data-problem]") !== null;
      } catch (error) {
        if (number === this.asked) this.$refs.plan.textContent = "▲ " + error.message;
      }
    },
  }));
});
