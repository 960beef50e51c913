// Splitting a movie: strengths drawn once; the threshold proposes, a person adds and takes away.
document.addEventListener("alpine:init", () => {
  Alpine.data("split", () => ({
    threshold: 1,
    added: [],
    dropped: [],
    init() {
      this.data = JSON.parse(document.getElementById("split-data").textContent);
      this.threshold = this.data.threshold;
      this.$refs.threshold.value = this.threshold;
      const wide = 1000 / this.data.strengths.length;
      for (const [index, value] of this.data.strengths.entries()) {
        const bar = document.createElementNS("http://www.w3.org/2000/svg", "rect");
        bar.setAttribute("x", index * wide);
        bar.setAttribute("width", Math.max(wide * 0.8, 0.5));
        bar.setAttribute("y", 160 - value * 160);
        bar.setAttribute("height", value * 160);
        this.$refs.bars.prepend(bar);
      }
      this.mark();
    },
    mark() {
      for (const end of ["y1", "y2"]) this.$refs.line.setAttribute(end, 160 - this.threshold * 160);
    },
    moved(event) {
      this.threshold = Number(event.target.value);
      this.dropped = [];
      this.mark();
    },
    get thresholdText() {
      return this.threshold.toFixed(2);
    },
    found() {
      const kept = [];
      this.data.strengths.forEach((value, frame) => {
        if (!frame || value < this.threshold) return;
        const last = kept[kept.length - 1];
        if (last !== undefined && frame - last < this.data.shortest) {
          if (value > this.data.strengths[last]) kept[kept.length - 1] = frame;
        } else kept.push(frame);
      });
      return kept;
    },
    get cuts() {
      const byHand = this.added.map(Number);
      const frames = [...new Set([...this.found().filter((frame) => !this.dropped.includes(frame)), ...byHand])].sort(
        (a, b) => a - b,
      );
      return frames.map((frame) => ({
        frame,
        strength: this.data.strengths[frame].toFixed(2),
        origin: byHand.includes(frame) ? "by hand" : "by the threshold",
        time: this.timeOf(frame),
        label: "Take away the cut at frame " + frame,
      }));
    },
    // The file's own timecode, or how far into it.
    timeOf(frame) {
      const { timecodes, rate } = this.data;
      return timecodes[frame] || (rate ? (frame / rate).toFixed(2) + " s" : "");
    },
    get sent() {
      return JSON.stringify(this.cuts.map((cut) => cut.frame));
    },
    get empty() {
      return this.cuts.length === 0;
    },
    get summary() {
      return this.cuts.length
        ? this.cuts.length + 1 + " shots would be made."
        : "No cut: lower the threshold, or add one by hand.";
    },
    add() {
      const frame = Number(this.$refs.frame.value);
      if (!Number.isInteger(frame) || frame < 1 || frame >= this.data.strengths.length) return;
      this.dropped = this.dropped.filter((other) => other !== frame);
      if (!this.added.includes(frame)) this.added = [...this.added, frame];
      this.$refs.frame.value = "";
    },
    drop(event) {
      const frame = Number(event.currentTarget.dataset.frame);
      this.added = this.added.filter((other) => other !== frame);
      this.dropped = [...this.dropped, frame];
    },
  }));
});
