// The table's cube in three dimensions: points where the grid lands, joined to their neighbours; turned by dragging or with the arrow keys.
document.addEventListener("alpine:init", () => {
  Alpine.data("lutCube", () => ({
    turn: 0.72,
    tilt: 0.5,
    zoom: 1,

    init() {
      this.data = JSON.parse(document.getElementById("lut-cube").textContent);
      this.canvas = this.$refs.cube;
      this.canvas.addEventListener("pointerdown", (event) => this.grab(event));
      this.canvas.addEventListener(
        "wheel",
        (event) => {
          event.preventDefault();
          this.scale(event.deltaY < 0 ? 1.1 : 1 / 1.1);
        },
        { passive: false },
      );
      this.draw();
    },
    grab(event) {
      this.canvas.setPointerCapture(event.pointerId);
      let [x, y] = [event.clientX, event.clientY];
      const move = (now) => {
        this.turn += (now.clientX - x) * 0.01;
        this.tilt = Math.max(-1.5, Math.min(1.5, this.tilt + (now.clientY - y) * 0.01));
        [x, y] = [now.clientX, now.clientY];
        this.draw();
      };
      this.canvas.addEventListener("pointermove", move);
      const end = () => this.canvas.removeEventListener("pointermove", move);
      this.canvas.addEventListener("pointerup", end, { once: true });
      this.canvas.addEventListener("pointercancel", end, { once: true });
    },
    key(event) {
      const ways = { ArrowLeft: [-0.1, 0], ArrowRight: [0.1, 0], ArrowUp: [0, -0.1], ArrowDown: [0, 0.1] };
      if (event.key === "+" || event.key === "-") {
        this.scale(event.key === "+" ? 1.1 : 1 / 1.1);
        return event.preventDefault();
      }
      if (!ways[event.key]) return;
      event.preventDefault();
      this.turn += ways[event.key][0];
      this.tilt = Math.max(-1.5, Math.min(1.5, this.tilt + ways[event.key][1]));
      this.draw();
    },
    scale(by) {
      this.zoom = Math.max(0.5, Math.min(4, this.zoom * by));
      this.draw();
    },
    again() {
      this.turn = 0.72;
      this.tilt = 0.5;
      this.zoom = 1;
      this.draw();
    },

    // Place on the canvas, and how near, of a point in the unit cube.
    project([r, g, b]) {
      const [x, y, z] = [r - 0.5, b - 0.5, g - 0.5];
      const across = x * Math.cos(this.turn) - y * Math.sin(this.turn),
        back = x * Math.sin(this.turn) + y * Math.cos(this.turn);
      const up = z * Math.cos(this.tilt) - back * Math.sin(this.tilt),
        depth = z * Math.sin(this.tilt) + back * Math.cos(this.tilt);
      const size = this.zoom * 0.5 * Math.min(this.canvas.width, this.canvas.height);
      return [this.canvas.width / 2 + across * size, this.canvas.height / 2 - up * size, depth];
    },
    draw() {
      const pen = this.canvas.getContext("2d"),
        { size, places, levels } = this.data;
      pen.fillStyle = "#767676";
      pen.fillRect(0, 0, this.canvas.width, this.canvas.height);
      this.frame(pen);
      const at = places.map((place) => this.project(place)),
        lines = [];
      const index = (r, g, b) => (r * size + g) * size + b;
      for (let r = 0; r < size; r++)
        for (let g = 0; g < size; g++)
          for (let b = 0; b < size; b++) {
            const here = index(r, g, b),
              colour = `rgb(${levels[r]} ${levels[g]} ${levels[b]})`;
            for (const [dr, dg, db] of [
              [1, 0, 0],
              [0, 1, 0],
              [0, 0, 1],
            ]) {
              if (r + dr < size && g + dg < size && b + db < size)
                lines.push([here, index(r + dr, g + dg, b + db), colour]);
            }
          }
      lines.sort((p, q) => at[q[0]][2] + at[q[1]][2] - at[p[0]][2] - at[p[1]][2]);
      pen.lineWidth = 1.4;
      for (const [from, to, colour] of lines) {
        pen.strokeStyle = colour;
        pen.beginPath();
        pen.moveTo(at[from][0], at[from][1]);
        pen.lineTo(at[to][0], at[to][1]);
        pen.stroke();
      }
    },
    // The cube of codes 0…1, with its corners named.
    frame(pen) {
      const corners = [0, 1].flatMap((r) => [0, 1].flatMap((g) => [0, 1].map((b) => [r, g, b])));
      pen.strokeStyle = "#4a4a4a";
      pen.lineWidth = 1;
      for (const from of corners)
        for (const to of corners) {
          if (from.reduce((sum, v, k) => sum + Math.abs(v - to[k]), 0) !== 1) continue;
          const [a, b] = [this.project(from), this.project(to)];
          pen.beginPath();
          pen.moveTo(a[0], a[1]);
          pen.lineTo(b[0], b[1]);
          pen.stroke();
        }
      pen.fillStyle = "#fff";
      pen.font = "12px SplineMono, monospace";
      for (const [corner, name] of [
        [[0, 0, 0], "0"],
        [[1, 0, 0], "R"],
        [[0, 1, 0], "G"],
        [[0, 0, 1], "B"],
        [[1, 1, 1], "1"],
      ]) {
        const [x, y] = this.project(corner.map((v) => (v - 0.5) * 1.12 + 0.5));
        pen.fillText(name, x - 4, y + 4);
      }
    },
  }));
});
