// Help beside the work: opened by ? or its button, fetched when it is first opened; the page under it goes on working.
import { meantElsewhere } from "./typing.js";

document.addEventListener("alpine:init", () => {
  Alpine.data("beside", () => ({
    shown: false,
    fetched: false,

    init() {
      const button = document.getElementById("open-help");
      if (button && this.$root.dataset.address)
        button.addEventListener("click", (event) => {
          event.preventDefault();
          this.toggle();
        });
    },
    key(event) {
      if (event.key === "Escape" && this.shown) this.close();
      if (event.key !== "?" || !this.$root.dataset.address) return;
      if (meantElsewhere(event)) return;
      event.preventDefault();
      this.toggle();
    },
    async toggle() {
      this.shown = !this.shown;
      if (!this.shown || this.fetched) return;
      this.fetched = true;
      const answer = await fetch(this.$root.dataset.address).catch(() => null);
      const text = this.$refs.text;
      if (answer && answer.ok) text.innerHTML = await answer.text();
      else {
        this.fetched = false;
        text.textContent = "The server cannot be reached. Try again.";
      }
    },
    close() {
      this.shown = false;
      const button = document.getElementById("open-help");
      if (button) button.focus();
    },
  }));
});
