// Chooses all shots of a camera that can take the steps, or none of them again.
document.addEventListener("alpine:init", () => {
  Alpine.data("chooseAll", () => ({
    choose() {
      const table = [...document.querySelectorAll("table[data-camera]")].find(
          (one) => one.dataset.camera === this.$el.dataset.of,
        ),
        boxes = [...table.querySelectorAll("input[name=shot]:not(:disabled)")],
        all = boxes.every((box) => box.checked);
      for (const box of boxes) box.checked = !all;
    },
  }));
});
