// Sliders, typed values and choices, bound to paths of the settings.
import { meanOf, movedTogether } from "./model/triples.js";
import { minus, plain } from "../js/numbers.js";

// What each cell and choice shows; written into the page only where that changes: to set a slider asks for a layout.
const shows = new WeakMap();

// What a drawn slider asked for while a picture is under way, by path.
const coming = new Map();

export const controls = {
  start() {
    coming.clear();
    // Whatever a pointer does next finds the settings as the hand left them, and so does a key (keys.js).
    this.$root.addEventListener("pointerdown", () => this.putComing(), { capture: true, signal: this.leaving.signal });
  },
  // Binds what lies in `root`. Paths there may be given within a thing: `prefix` says which.
  bindControls(root, prefix) {
    for (const cell of root.querySelectorAll(".cell")) {
      cell.dataset.path = prefix + cell.dataset.path;
      const { path, low, high, fine } = cell.dataset;
      const slider = cell.querySelector("input[type=range]");
      const number = cell.querySelector(".number");
      const reset = () => {
        this.set(path, Number(cell.dataset.default));
        this.commit(cell);
      };
      const share = (Number(cell.dataset.default) - low) / (high - low);
      cell.querySelector(".zero").style.left = `calc(${share} * (100% - 9px) + 4px)`;
      slider.addEventListener("input", () => {
        shows.delete(cell);
        this.slide(path, this.rested(Number(slider.value), cell.dataset));
      });
      slider.addEventListener("change", () => this.commit(cell));
      slider.addEventListener("dblclick", reset);
      slider.addEventListener("keydown", (event) => {
        const way = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[event.key];
        if (event.key === "Delete" || event.key === "Backspace") {
          event.preventDefault();
          return reset();
        }
        if (!way) return;
        event.preventDefault();
        const step = Number(fine) * (event.shiftKey && !cell.dataset.whole ? 0.1 : 1);
        this.set(path, Math.min(high, Math.max(low, this.get(path) + way * step)));
        this.commitSoon(cell);
      });
      // Digits half typed are the hand's until it is done with them; answers that arrive meanwhile leave them alone.
      number.addEventListener("input", () => number.toggleAttribute("data-typing", true));
      number.addEventListener("blur", () => number.removeAttribute("data-typing"));
      number.addEventListener("keydown", (event) => this.endTyping(event, number));
      number.addEventListener("change", () => {
        number.removeAttribute("data-typing");
        shows.delete(cell);
        const times = Number(cell.dataset.times),
          typed = plain(number.value) / times,
          value = cell.dataset.whole ? Math.round(typed) : typed;
        if (!Number.isFinite(value) || value < low || value > high) {
          this.complain(
            "typed",
            `${number.getAttribute("aria-label")}: type a number from ${minus(low * times)} to ${minus(high * times)}.`,
          );
          return this.syncControls();
        }
        this.set(path, value);
        this.commit(cell);
      });
    }
    for (const master of root.querySelectorAll(".master")) this.bindMaster(master);
    for (const choice of root.querySelectorAll(".choice")) {
      choice.dataset.path = prefix + choice.dataset.path;
      choice.addEventListener("change", () => {
        this.set(choice.dataset.path, choice.value);
        this.commit(choice);
      });
    }
  },

  // The three channels of a row moved together, keeping what is between them.
  bindMaster(master) {
    const slider = master.querySelector("input"),
      cells = [...master.parentElement.querySelectorAll(".cell")],
      { together, low, high, fine } = master.dataset,
      values = () => cells.map((cell) => this.get(cell.dataset.path));
    const put = (mean) => {
      const moved = movedTogether(values(), mean, together, Number(low), Number(high));
      this.setAll(cells.map((cell, n) => [cell.dataset.path, moved[n]]));
    };
    slider.addEventListener("input", () => shows.delete(master));
    slider.addEventListener("input", () => put(this.rested(Number(slider.value), { low, high, fine, default: cells[0].dataset.default })));
    slider.addEventListener("change", () => this.save(slider.getAttribute("aria-label").split(",")[0].toLowerCase()));
    slider.addEventListener("dblclick", () => {
      put(Number(cells[0].dataset.default));
      this.save(slider.getAttribute("aria-label").split(",")[0].toLowerCase());
    });
    slider.addEventListener("keydown", (event) => {
      const way = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[event.key];
      if (!way) return;
      event.preventDefault();
      put(meanOf(values()) + way * Number(fine) * (event.shiftKey ? 0.1 : 1));
      this.commitSoon(slider);
    });
  },

  // Enter keeps what was typed, Escape puts the old value back; either way the keys are the Bench's again.
  endTyping(event, number) {
    if (event.key !== "Enter" && event.key !== "Escape") return;
    event.preventDefault();
    event.stopPropagation();
    if (event.key === "Escape") {
      number.removeAttribute("data-typing");
      shows.delete(number.closest(".cell"));
      this.syncControls();
    }
    number.blur();
  },

  // A hand stops at fifths of the smallest step, and at the resting value when it comes near it.
  rested(value, { low, high, fine, whole, default: rest }) {
    if (whole) return Math.round(value);
    if (Math.abs(value - rest) < (high - low) * 0.008) return Number(rest);
    const step = fine / 5;
    return Number((Math.round(value / step) * step).toFixed(6));
  },
  effective(settings = this.settings) {
    const { production_rendering, shared_development, inherited_look } = this.data;
    return {
      ...settings,
      rendering: settings.rendering || production_rendering,
      development: settings.development || shared_development,
      look: settings.look || inherited_look,
    };
  },
  // `from`: the settings in force, where many are read in a row.
  get(path, from = this.effective()) {
    if (coming.has(path)) return coming.get(path);
    if (path.startsWith("pass.")) {
      if (!this.walk) return undefined;
      const within = this.passPath(path);
      return within ? this.get(within, from) : this.passRest(path);
    }
    const standing = this.standing(path) ?? this.inForce(path);
    if (standing !== undefined) return standing;
    return path.split(".").reduce((place, key) => (place === null || place === undefined ? place : place[key]), from);
  },
  set(path, value) {
    this.setAll([[path, value]]);
  },
  // Several values of one move: the picture is asked for once, as it is with all of them.
  setAll(changes) {
    if (!this.data.editable) return;
    this.putComing();
    this.putAll(changes);
  },
  // A slider that is drawn: while a picture of a moving hand is under way only the controls follow; the value is put in
  // when it has come, so that the page does for each picture what it would have done for each move.
  slide(path, value) {
    if (!this.data.editable) return;
    if (!this.previews.isMoving) return this.setAll([[path, value]]);
    coming.set(path, value);
    this.syncControls();
  },
  putAll(changes) {
    this.settle("typed");
    for (const [path, value] of changes) this.putValue(path, value);
    this.syncControls();
    this.drawShapes();
    this.refresh(false);
  },
  // What the hand has asked for meanwhile is put in now.
  putComing() {
    if (!coming.size) return;
    const changes = [...coming];
    coming.clear();
    this.putAll(changes);
  },
  dropComing() {
    coming.clear();
  },
  putValue(asked, value) {
    const path = asked.startsWith("pass.") ? this.passPut(asked) : asked,
      keys = path.split(".");
    const shared = {
      rendering: this.data.production_rendering,
      development: this.data.shared_development,
      look: this.data.inherited_look,
    }[keys[0]];
    if (shared && this.settings[keys[0]] === null) this.settings[keys[0]] = { ...shared };
    this.ownBalance(path);
    this.firstMove(keys);
    if (!this.putKey(path, value)) {
      const last = keys.pop();
      keys.reduce((place, key) => place[key], this.settings)[last] = value;
    }
    if (path.includes(".limit.selections.")) this.spread();
  },
  // A resting step takes what its kind says of a first move; a person's own choice comes after and stands.
  firstMove(keys) {
    const step = keys[0] === "steps" && keys.length === 3 ? this.settings.steps[keys[1]] : null;
    if (step && this.model.rests(step)) Object.assign(step, this.data.kinds[step.kind].first_move);
  },
  syncControls() {
    const from = this.effective(Alpine.raw(this.settings));
    for (const cell of this.$root.querySelectorAll(".cell")) {
      const value = this.get(cell.dataset.path, from);
      if (typeof value !== "number") continue;
      const rests = this.inForce(cell.dataset.path) !== undefined,
        said = `${value} ${rests}`;
      if (shows.get(cell) === said) continue;
      shows.set(cell, said);
      cell.querySelector("input[type=range]").value = value;
      const shown = Number((value * cell.dataset.times).toFixed(6)),
        digits = Math.max(Number(cell.dataset.digits), Math.min(4, (String(shown).split(".")[1] || "").length));
      const number = cell.querySelector(".number");
      if (number.hasAttribute("data-typing")) shows.delete(cell);
      else number.value = minus(shown.toFixed(Math.min(digits, Number(cell.dataset.digits) + 1)));
      cell.classList.toggle("moved", !rests && value !== Number(cell.dataset.default));
    }
    for (const master of this.$root.querySelectorAll(".master")) {
      const held = [...master.parentElement.querySelectorAll(".cell")].map((cell) => this.get(cell.dataset.path, from));
      if (!held.every((value) => typeof value === "number")) continue;
      const mean = meanOf(held);
      if (shows.get(master) === mean) continue;
      shows.set(master, mean);
      master.querySelector("input").value = mean;
    }
    for (const choice of this.$root.querySelectorAll(".choice")) {
      const value = this.get(choice.dataset.path, from);
      if (value !== undefined && choice.value !== value) choice.value = value;
    }
    if (this.zoneEditor) this.zoneEditor.place();
    this.takeLook();
    const at = (path) => path.split(".").reduce((place, key) => place[key], this.settings);
    for (const input of this.$root.querySelectorAll(".switch")) {
      const on = at(input.dataset.switch);
      if (input.checked !== on) input.checked = on;
    }
  },
  commitSoon(cell) {
    this.saveSoon(this.labelOf(cell));
  },
  commit(cell) {
    return this.save(this.labelOf(cell));
  },
  // What a change of a control is called in the history.
  labelOf(cell) {
    const name = cell.querySelector(".number");
    return name
      ? name.getAttribute("aria-label").split(",")[0].toLowerCase()
      : (cell.getAttribute("aria-label") || "change").toLowerCase();
  },
};
