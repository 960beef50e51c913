// A form beside which stands what it would make: every change asks the server.
const PAUSE = 250;

export const planning = () => ({
  cannotStart: true,
  asked: 0,
  timer: 0,
  init() {
    this.$nextTick(() => this.ask());
  },
  addField(event) {
    const field = this.$refs.pattern;
    if (!field.value) field.value = field.placeholder;
    field.value += "{" + event.currentTarget.dataset.field + "}";
    field.focus();
    this.later();
  },
  later() {
    this.cannotStart = true;
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.ask(), PAUSE);
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
});

document.addEventListener("alpine:init", () => {
  Alpine.data("planning", planning);
});
