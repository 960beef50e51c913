// Shots whose numbers are not known yet are worked out one after the other, each by a request of its own, so that the
// page is there at once; it is drawn anew when all are known.
import { post } from "../js/http.js";

document.addEventListener("alpine:init", () => {
  Alpine.data("cdlRows", () => ({
    left: 0,
    trouble: "",
    get working() {
      return this.left > 0;
    },
    async init() {
      const waiting = [...this.$root.querySelectorAll("[data-pending]")].map((cell) => Number(cell.dataset.pending));
      this.left = waiting.length;
      if (!waiting.length) return;
      try {
        for (const shot of waiting) {
          await post(this.$root.dataset.measure, { shot });
          this.left -= 1;
        }
        window.location.reload();
      } catch (error) {
        this.trouble = "▲ " + error.message;
      }
    },
  }));
});
