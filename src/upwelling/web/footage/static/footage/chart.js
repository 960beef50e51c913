// Marking a chart: four corners over the picture, dragged or moved by arrow keys.
import { post } from "../js/http.js";

document.addEventListener("alpine:init", () => {
  Alpine.data("chart", () => ({
    message: "",
    held: -1,
    init() {
      this.data = JSON.parse(document.getElementById("chart-data").textContent);
      this.corners = this.data.corners.map(([x, y]) => [x, y]);
      this.draw();
    },
    point(u, v) {
      const [a, b, c, d] = this.corners;
      const mix = (p, q, k) => [p[0] + (q[0] - p[0]) * k, p[1] + (q[1] - p[1]) * k];
      const [x, y] = mix(mix(a, b, u), mix(d, c, u), v);
      return [x * this.data.width, y * this.data.height];
    },
    draw() {
      const { width, height } = this.data;
      this.$refs.outline.setAttribute("points", this.corners.map(([x, y]) => x * width + "," + y * height).join(" "));
      for (const circle of this.$root.querySelectorAll(".corner")) {
        const [x, y] = this.corners[Number(circle.dataset.corner)];
        circle.setAttribute("cx", x * width);
        circle.setAttribute("cy", y * height);
      }
      const lines = [];
      for (let i = 1; i < 6; i++) lines.push([this.point(i / 6, 0), this.point(i / 6, 1)]);
      for (let i = 1; i < 4; i++) lines.push([this.point(0, i / 4), this.point(1, i / 4)]);
      this.$refs.grid.replaceChildren(
        ...lines.map(([from, to]) => {
          const line = document.createElementNS("http://www.w3.org/2000/svg", "line");
          line.setAttribute("class", "outline");
          line.setAttribute("x1", from[0]);
          line.setAttribute("y1", from[1]);
          line.setAttribute("x2", to[0]);
          line.setAttribute("y2", to[1]);
          return line;
        }),
      );
    },
    move(index, x, y) {
      this.corners[index] = [Math.min(Math.max(x, 0), 0.9999), Math.min(Math.max(y, 0), 0.9999)];
      this.draw();
    },
    grab(event) {
      this.held = Number(event.target.dataset.corner);
      event.target.setPointerCapture(event.pointerId);
    },
    drag(event) {
      if (this.held < 0) return;
      const box = this.$refs.frame.getBoundingClientRect();
      this.move(this.held, (event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height);
    },
    drop() {
      this.held = -1;
    },
    nudge(event) {
      const way = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowDown: [0, 1], ArrowUp: [0, -1] }[event.key];
      if (!way) return;
      event.preventDefault();
      const index = Number(event.target.dataset.corner);
      const step = event.shiftKey ? 10 : 1;
      const [x, y] = this.corners[index];
      this.move(index, x + (way[0] * step) / this.data.width, y + (way[1] * step) / this.data.height);
    },
    async send(corners) {
      this.message = "reading";
      try {
        await post(this.$root.dataset.url, { corners });
        window.location.reload();
      } catch (error) {
        this.message = "▲ " + error.message;
      }
    },
    async find() {
      this.message = "looking";
      try {
        const said = await (await post(this.$root.dataset.find, {})).json();
        this.corners = said.corners;
        this.message = said.said;
        this.draw();
      } catch (error) {
        this.message = "▲ " + error.message;
      }
    },
    save() {
      this.send(this.corners);
    },
    forget() {
      this.send(null);
    },
  }));
});
