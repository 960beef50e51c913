// Which scopes stand beside the picture, and of what; drawn anew with each picture.
import { drawScope } from "./scopes.js";

export const scopePicks = {
  startScopes() {
    let kept = [];
    try {
      kept = JSON.parse(localStorage.getItem("bench-scopes")) || [];
    } catch {
      kept = [];
    }
    const fallback = [
      { kind: "parade", boundary: "display", scale: "percent", gain: 1, skin: false },
      { kind: "vectorscope", boundary: "display", scale: "percent", gain: 1, skin: false },
      { kind: "waveform", boundary: "display", scale: "percent", gain: 1, skin: false },
      { kind: "histogram", boundary: "look", scale: "percent", gain: 1, skin: false },
    ];
    this.scopes = fallback.map((scope, i) =>
      kept[i] && this.$root.querySelector(`.scope[data-place="${i}"] [data-part=kind] option[value="${kept[i].kind}"]`)
        ? { ...scope, ...kept[i] }
        : scope,
    );
    this.syncScopes();
  },
  syncScopes() {
    this.scopes.forEach((scope, i) => {
      const box = this.$root.querySelector(`.scope[data-place="${i}"]`);
      for (const field of box.querySelectorAll("[data-part]")) {
        if (field.type === "checkbox") field.checked = scope[field.dataset.part];
        else field.value = String(scope[field.dataset.part]);
      }
      const chosen = box.querySelector("[data-part=kind]").selectedOptions[0].dataset,
        levels = chosen.drawing === "levels";
      box.querySelector("[data-part=scale]").hidden = !levels;
      box.querySelector(".unitline label").hidden = !levels || scope.boundary !== "display";
      box.querySelector("[data-part=gain]").hidden = chosen.drawing !== "colour differences";
      box.querySelector("[data-part=boundary]").hidden = "fixed" in chosen;
    });
  },
  pickScope(event) {
    const field = event.target,
      place = Number(field.closest(".scope").dataset.place),
      part = field.dataset.part;
    this.scopes[place][part] = part === "skin" ? field.checked : part === "gain" ? Number(field.value) : field.value;
    localStorage.setItem("bench-scopes", JSON.stringify(this.scopes));
    this.syncScopes();
    this.refresh(true);
  },
  nextScope(place) {
    const options = [...this.$root.querySelector(`.scope[data-place="${place}"] [data-part=kind]`).options].map(
      (option) => option.value,
    );
    this.scopes[place].kind = options[(options.indexOf(this.scopes[place].kind) + 1) % options.length];
    localStorage.setItem("bench-scopes", JSON.stringify(this.scopes));
    this.syncScopes();
    this.refresh(true);
  },
  // A canvas has as many lines as its place in the page asks for; said once a size, as asking lays the page out.
  sizeScope(canvas, { width, height }) {
    const tall = Math.round((height / Math.max(width, 1)) * canvas.width);
    if (tall > 40 && Math.abs(canvas.height - tall) > 1) canvas.height = tall;
  },
  drawScopes() {
    this.shown.forEach((scope, i) => {
      const box = this.$root.querySelector(`.scope[data-place="${i}"]`),
        canvas = box.querySelector("canvas");
      drawScope(canvas, scope, this.hasOther && this.other ? this.other[i] : null);
      const said = `${scope.title} of ${scope.of}, ${scope.unit}`;
      if (canvas.getAttribute("aria-label") !== said) {
        canvas.setAttribute("aria-label", said);
        box.querySelector("[data-unit]").textContent = scope.unit;
      }
      const pick = box.querySelector("[data-part=scale]");
      if (scope.scale && pick.value !== scope.scale) pick.value = scope.scale;
    });
  },
  pickBars(event) {
    this.bars = event.target.checked;
    this.refresh(true);
  },
};
