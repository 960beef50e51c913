// The joins of a cut: both frames with their parades; those of like things by ΔE, then the others by luma.
import { Feed, progress } from "./feed.js";
import { show } from "./tile.js";

document.addEventListener("alpine:init", () => {
  Alpine.data("joins", () => ({
    said: "",
    init() {
      this.data = JSON.parse(this.$root.dataset.joins);
      const show = { by: "shots", column: [""], output: "", strength: "100", region: "", chosen: null, joins: true },
        places = this.data.joins.flatMap((one) => one.places);
      this.feed = new Feed(
        this.data.urls,
        () => ({ ...show, places }),
        (answer) => this.take(answer),
        (error) => (this.said = `▲ ${error.message}`),
      );
      this.feed.ask();
    },
    destroy() {
      this.feed.stop();
    },
    take(answer) {
      const rows = this.data.joins.map((join, n) => this.rowOf(join, answer.rows[2 * n], answer.rows[2 * n + 1]));
      rows.sort((a, b) => b.delta - a.delta || b.luma - a.luma || a.join.numbers[0] - b.join.numbers[0]);
      const list = this.$refs.list,
        template = document.getElementById("join").content.firstElementChild;
      rows.forEach((row, n) => {
        const element = list.children[n] || list.appendChild(template.cloneNode(true));
        this.fill(element, row);
      });
      this.said = progress(answer, "joins") || `${rows.length} joins`;
    },
    rowOf(join, before, after) {
      const near = after && after.neighbour,
        lumas = [before, after].map((one) => (one ? one.luma : null)),
        known = lumas.every((one) => one !== null);
      return {
        join,
        before,
        after,
        delta: near && near.delta_e !== undefined ? near.delta_e : -1,
        luma: known ? Math.abs(lumas[1] - lumas[0]) : -1,
        lumas: known ? lumas.map((one) => (100 * one).toFixed(1)).join(" → ") : "",
        why: near ? near.why : "",
      };
    },
    fill(element, { join, before, after, delta, lumas, why }) {
      element.dataset.join = join.numbers.join("-");
      for (const [side, told] of [["before", before], ["after", after]]) {
        const [picture, scope] = element.querySelectorAll(`img.${side}`),
          cell = told && told.cells[0].made ? told.cells[0] : {};
        show(picture, cell.picture);
        show(scope, cell.parade);
      }
      element.querySelector(".names").textContent = join.names.join("  →  ");
      element.querySelector(".size").textContent =
        delta >= 0 ? `ΔE ${delta.toFixed(1)} of what both show` : why ? "nothing alike to compare" : "…";
      element.querySelector(".size").title = why || "";
      element.querySelector(".jump").textContent = [after && after.jump, lumas && `luma ${lumas} %`].filter(Boolean).join(" · ");
      element.querySelector(".played").href = `${this.data.play}?join=${join.numbers[1]}`;
      element.querySelector(".worked").href = join.bench;
    },
  }));
});
