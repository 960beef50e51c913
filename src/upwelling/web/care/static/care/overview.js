// The rules: what a change would touch is said before it is saved.
document.addEventListener("alpine:init", () => {
  Alpine.data("rules", () => ({
    moved: false,
    said: "",
    trouble: "",
    asked: 0,

    init() {
      // A browser that comes back to the page puts the fields back as they were typed.
      this.$root.reset();
    },
    async ask() {
      const number = (this.asked += 1);
      const found = await this.answer(new FormData(this.$root));
      if (number !== this.asked) return;
      this.said = found.said;
      this.trouble = found.trouble;
      this.moved = Boolean(found.said || found.trouble);
    },
    async answer(body) {
      const response = await fetch(this.$root.dataset.touches, { method: "POST", body }).catch(() => null);
      return response && response.ok
        ? response.json()
        : { said: "", trouble: "The server could not say what this touches. Try again." };
    },
    leave() {
      this.asked += 1;
      this.$root.reset();
      this.moved = false;
    },
  }));
});
