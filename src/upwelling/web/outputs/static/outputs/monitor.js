// The simulated monitor: its faults, the picture on it, and what a probe reads.
import { post } from "../js/http.js";
import { Fields } from "./fields.js";

document.addEventListener("alpine:init", () => {
  Alpine.data("monitor", () => ({
    shown: "",
    wanted: "",
    readings: [],
    said: "",
    trouble: "",

    init() {
      this.data = JSON.parse(document.getElementById("monitor-data").textContent);
      this.output = this.data.output;
      this.values = { ...this.data.rest };
      this.fields = new Fields(
        this.$root.querySelector(".fieldsof"),
        (path, value) => {
          this.values[path] = value;
          this.fields.show(this.values);
          this.ask();
        },
        (sentence) => {
          this.trouble = sentence;
        },
      );
      this.fields.show(this.values);
      this.ask();
    },
    async ask() {
      this.again = true;
      if (this.asked) return;
      this.asked = true;
      this.$root.dataset.busy = "yes";
      while (this.again) {
        this.again = false;
        try {
          const got = await (await post(this.data.url, { monitor: this.values, output: this.output })).json();
          Object.assign(this, {
            shown: got.shown,
            wanted: got.wanted,
            readings: got.readings,
            said: got.said,
            trouble: "",
          });
        } catch (error) {
          this.trouble = error.message;
        }
      }
      this.asked = false;
      this.$root.dataset.busy = "no";
    },
    pickPreset(event) {
      this.values = { ...this.data.presets[event.target.value] };
      this.fields.show(this.values);
      this.ask();
    },
    pickOutput(event) {
      this.output = event.target.value;
      this.ask();
    },
    go(event) {
      window.location.assign(event.target.value);
    },
  }));
});
