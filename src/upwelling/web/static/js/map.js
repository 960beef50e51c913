// The map of a production: opened by 0 or its button from any page, gone through by the first letters of a name.
import { meantElsewhere } from "./typing.js";

document.addEventListener("alpine:init", () => {
  Alpine.data("map", () => ({
    typed: "",
    at: 0,

    init() {
      const button = document.getElementById("open-map");
      if (button) button.addEventListener("click", () => this.show());
    },
    open(event) {
      if (event.key !== "0" || event.ctrlKey || event.metaKey || event.altKey) return;
      if (meantElsewhere(event)) return;
      event.preventDefault();
      this.show();
    },
    show() {
      this.$root.showModal();
      (this.$root.querySelector("a[aria-current]") || this.$root.querySelector("a")).focus();
    },
    close() {
      this.$root.close();
    },
    key(event) {
      const links = [...this.$root.querySelectorAll("a")],
        here = links.indexOf(document.activeElement),
        way = { ArrowDown: 1, ArrowRight: 1, ArrowUp: -1, ArrowLeft: -1 }[event.key];
      event.stopPropagation();
      if (way) {
        event.preventDefault();
        links[(here + way + links.length) % links.length].focus();
      } else if (event.key.length === 1 && event.key !== " " && !event.ctrlKey && !event.metaKey && !event.altKey) {
        this.find(links, event.key.toLowerCase(), event.timeStamp);
      }
    },
    // Letters typed within a second of each other are one word.
    find(links, letter, now) {
      this.typed = now - this.at < 1000 ? this.typed + letter : letter;
      this.at = now;
      const found = links.find((link) => link.querySelector("b").textContent.toLowerCase().startsWith(this.typed));
      if (found) found.focus();
    },
  }));
});
