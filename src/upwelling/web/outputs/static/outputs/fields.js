// Sliders, typed values and choices of one model: a change goes to `changed(path, value, resting)`, `show(values)` fills them.
export class Fields {
  constructor(root, changed, complain) {
    this.root = root;
    for (const slider of root.querySelectorAll("[data-field]")) {
      slider.addEventListener("input", () => changed(slider.dataset.field, Number(slider.value), false));
      slider.addEventListener("change", () => changed(slider.dataset.field, Number(slider.value), true));
      slider.addEventListener("dblclick", () => changed(slider.dataset.field, this.rest(slider.dataset.field), true));
      slider.addEventListener("keydown", (event) => {
        if (event.key !== "Delete" && event.key !== "Backspace") return;
        event.preventDefault();
        changed(slider.dataset.field, this.rest(slider.dataset.field), true);
      });
    }
    for (const typed of root.querySelectorAll("[data-typed]"))
      typed.addEventListener("change", () => {
        const value = Number(typed.value.replace("−", "-").replace(",", ".").trim()),
          { low, high } = typed.dataset;
        if (typed.value.trim() === "" || !Number.isFinite(value) || value < Number(low) || value > Number(high)) {
          complain(
            `${typed.getAttribute("aria-label")}: type a number from ${low.replace("-", "−")} to ${high.replace("-", "−")}.`,
          );
          return this.show(this.values);
        }
        changed(typed.dataset.typed, value, true);
      });
    for (const choice of root.querySelectorAll("[data-choice]"))
      choice.addEventListener("change", () => changed(choice.dataset.choice, choice.value, true));
  }
  rest(path) {
    return Number(this.root.querySelector(`[data-typed='${path}']`).dataset.default);
  }
  show(values) {
    this.values = values;
    for (const slider of this.root.querySelectorAll("[data-field]"))
      if (values[slider.dataset.field] !== undefined) slider.value = values[slider.dataset.field];
    for (const typed of this.root.querySelectorAll("[data-typed]")) {
      const value = values[typed.dataset.typed];
      if (value !== undefined) typed.value = value.toFixed(Number(typed.dataset.digits)).replace("-", "−");
    }
    for (const choice of this.root.querySelectorAll("[data-choice]"))
      if (values[choice.dataset.choice] !== undefined) choice.value = values[choice.dataset.choice];
  }
}
