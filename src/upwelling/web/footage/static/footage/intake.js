// The table of files: selection by mouse and keys, one change to many shots.
import { post } from "../js/http.js";

const ASKED = {
  camera: "Name of the new camera, such as C-cam",
  group: "Name of the new group, such as a scene’s",
  rate: "Frames a second, such as 24, 23.976 or 25",
  runs: "Run at so many frames a second, such as 24, 23.976 or 25",
};

document.addEventListener("alpine:init", () => {
  Alpine.data("intake", () => ({
    selected: 0,
    trouble: "",
    asked: "",
    get askedSaid() {
      return ASKED[this.asked] || "";
    },
    get bulkShown() {
      return { idle: this.none };
    },
    // What a menu cannot say is typed beside it.
    ask(verb) {
      this.asked = verb;
      this.$refs.asked.value = "";
      this.$nextTick(() => this.$refs.asked.focus());
    },
    leaveAsked() {
      this.asked = "";
    },
    sayAsked() {
      const value = this.$refs.asked.value.trim(),
        verb = this.asked;
      if (!value) return;
      this.asked = "";
      this.change(this.chosen(), verb, verb === "camera" || verb === "group" ? `new:${value}` : value);
    },
    get none() {
      return this.selected === 0;
    },
    get selectedText() {
      return this.selected ? this.selected + " selected" : "none selected";
    },
    ticks() {
      return [...this.$root.querySelectorAll(".tick")];
    },
    rows() {
      return [...this.$root.querySelectorAll("tbody tr")];
    },
    chosen() {
      return this.rows()
        .filter((row) => row.querySelector(".tick").checked)
        .map((row) => Number(row.dataset.shot));
    },
    count() {
      this.selected = this.chosen().length;
      for (const row of this.rows()) row.classList.toggle("chosen", row.querySelector(".tick").checked);
      this.$refs.all.checked = this.selected > 0 && this.selected === this.rows().length;
      this.$refs.all.indeterminate = this.selected > 0 && this.selected < this.rows().length;
    },
    all(event) {
      for (const tick of this.ticks()) tick.checked = event.target.checked;
      this.count();
    },
    async change(shots, verb, value) {
      this.trouble = "";
      try {
        const said = await (await post(this.$root.dataset.url, { shots, verb, value })).json();
        if (said.refused.length && !said.changed) this.trouble = "▲ " + said.refused.join(" ");
        else {
          if (said.refused.length) sessionStorage.setItem("intake-trouble", "▲ " + said.refused.join(" "));
          sessionStorage.setItem("intake-chosen", JSON.stringify(verb === "remove" ? [] : this.chosen()));
          window.location.reload();
        }
      } catch (error) {
        this.trouble = "▲ " + error.message;
      }
    },
    init() {
      const kept = JSON.parse(sessionStorage.getItem("intake-chosen") || "[]");
      this.trouble = sessionStorage.getItem("intake-trouble") || "";
      sessionStorage.removeItem("intake-chosen");
      sessionStorage.removeItem("intake-trouble");
      if (!this.$refs.table) return;
      for (const row of this.rows()) row.querySelector(".tick").checked = kept.includes(Number(row.dataset.shot));
      this.count();
    },
    give(event) {
      const { verb } = event.target.dataset;
      const { value } = event.target;
      event.target.value = "-";
      if (value === "-") return;
      if (value === "new") {
        this.ask(verb);
        return;
      }
      this.change(this.chosen(), verb, value);
    },
    press(event) {
      this.change(this.chosen(), event.currentTarget.dataset.verb, "");
    },
    more(event) {
      const [verb, value] = event.target.value.split(":");
      event.target.value = "-";
      if (verb === "-") return;
      if (value === "ask") {
        this.ask(verb);
        return;
      }
      if (
        verb === "remove" &&
        !window.confirm("Remove the selected shots from the production? They can be had back for 14 days.")
      )
        return;
      this.change(this.chosen(), verb, value || "");
    },
    use(event) {
      const { shot, verb, value } = event.currentTarget.dataset;
      this.change([Number(shot)], verb, value || "");
    },
    key(event) {
      const row = event.target.closest("tbody tr");
      if (!row || event.target !== row || event.ctrlKey || event.metaKey || event.altKey) return;
      const rows = this.rows();
      const here = rows.indexOf(row);
      const way = { ArrowDown: 1, ArrowUp: -1 }[event.key];
      const tick = row.querySelector(".tick");
      const may = this.$root.dataset.may === "change";
      if (way) {
        event.preventDefault();
        const next = rows[here + way];
        if (!next) return;
        if (event.shiftKey) {
          tick.checked = true;
          next.querySelector(".tick").checked = true;
          this.count();
        }
        row.tabIndex = -1;
        next.tabIndex = 0;
        next.focus();
      } else if (event.key === " ") {
        event.preventDefault();
        tick.checked = !tick.checked;
        this.count();
      } else if (event.key === "Enter") {
        window.location.href = row.dataset.bench;
      } else if (may && event.key.toLowerCase() === "a") {
        this.change(this.selected ? this.chosen() : [Number(row.dataset.shot)], "accept", "");
      } else if (may && event.key.toLowerCase() === "e") {
        event.preventDefault();
        if (this.none) {
          tick.checked = true;
          this.count();
        }
        this.$nextTick(() => this.$refs.encoding.focus());
      }
    },
  }));
});
