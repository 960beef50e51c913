// How far a card is read, asked for until it is over; then the report is drawn whole.
document.addEventListener("alpine:init", () => {
  Alpine.data("card", () => ({
    said: "",
    share: 0,
    get shareText() {
      return String(this.share);
    },
    init() {
      this.said = this.$root.querySelector("[role=status]").textContent;
      this.ask(this.$root.dataset.over === "yes");
    },
    async ask(wasOver) {
      try {
        const response = await fetch(this.$root.dataset.progress, { headers: { Accept: "application/json" } });
        if (response.ok) {
          const { said, share, over } = await response.json();
          Object.assign(this, { said, share });
          if (over && !wasOver) window.location.reload();
          if (over) return;
        }
      } catch {
        /* the server may be restarting: ask again */
      }
      setTimeout(() => this.ask(wasOver), 1000);
    },
  }));
});
