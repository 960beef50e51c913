// One row of the shots table: saves the encoding and range as soon as they are chosen.
document.addEventListener("alpine:init", () => {
  Alpine.data("settle", () => ({
    message: "",
    async save() {
      this.message = "saving";
      const body = new URLSearchParams({ encoding: this.$refs.encoding.value, range: this.$refs.range.value });
      try {
        const response = await fetch(this.$root.dataset.url, {
          method: "POST", body, headers: { "X-CSRFToken": upwelling.token(), Accept: "application/json" },
        });
        if (!response.ok) throw new Error(await upwelling.sentence(response));
        const said = await response.json();
        this.$refs.picture.src = said.thumbnail;
        this.message = "saved";
      } catch (error) {
        this.message = "▲ " + error.message;
      }
    },
  }));
});
