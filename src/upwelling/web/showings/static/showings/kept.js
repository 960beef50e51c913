// The page of a showing: its link copied, its stills counted while they are made.
document.addEventListener("alpine:init", () => {
  Alpine.data("link", () => ({
    said: "Copy the link",
    choose() {
      this.$refs.link.select();
    },
    async copy() {
      this.$refs.link.select();
      try {
        await navigator.clipboard.writeText(this.$refs.link.value);
        this.said = "Copied";
      } catch {
        this.said = "Chosen: copy it by keys";
      }
    },
  }));
  Alpine.data("making", () => ({
    said: "",
    init() {
      this.said = this.$root.querySelector("span").textContent;
      if (this.$root.dataset.goesOn) this.timer = setInterval(() => this.ask(), 1500);
    },
    destroy() {
      clearInterval(this.timer);
    },
    async ask() {
      const response = await fetch(this.$root.dataset.url, { headers: { Accept: "application/json" } });
      if (!response.ok) return;
      const told = await response.json();
      this.said = told.said;
      if (told.over) window.location.reload();
    },
  }));
});
