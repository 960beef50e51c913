// Frames of a movie or sequence: the scrubber, stepping, playing at reduced size.
import { post } from "../js/http.js";

// One frame in so many is shown at least, however slow the machine is.
const MOST_LEFT_OUT = 8;

export const motion = {
  frame: 0,
  stood: 0,
  playing: false,
  playText: "",
  timecode: "",

  start() {
    this.stood = this.data.frames.stands;
    this.standAt(this.data.frames.asked);
  },

  get frameText() {
    return this.frame + " of " + this.data.frames.first + "…" + this.data.frames.last;
  },
  // Only of the frame that is shown: none is better than that of another.
  get frameTimecode() {
    return this.framed === this.frame ? this.timecode : "";
  },
  get stands() {
    return !this.data.editable || this.frame === this.stood;
  },
  get playLabel() {
    return this.playing ? "Stop" : "Play";
  },
  standAt(frame) {
    this.frame = frame;
    if (this.$refs.frame) this.$refs.frame.value = frame;
  },
  scrub(event) {
    this.stop();
    this.frame = Number(event.target.value);
    this.refresh(false);
  },
  scrubbed() {
    this.refresh(true);
  },
  stepFrame(by) {
    this.stop();
    const { first, last } = this.data.frames,
      next = Math.min(Math.max(this.frame + by, first), last);
    if (next === this.frame) return;
    this.frame = next;
    if (this.$refs.frame) this.$refs.frame.value = next;
    this.refresh(true);
  },
  // The strip may be filtered so that the open shot is not in it.
  showThumbnail(address) {
    if (this.$refs.thumb) this.$refs.thumb.src = address;
  },
  async standFor() {
    try {
      const said = await (await post(this.data.urls.stand, { frame: this.frame })).json();
      this.stood = said.frame;
      this.showThumbnail(said.thumbnail);
      this.settle("stand");
    } catch (error) {
      this.complain("stand", error.message);
    }
  },

  togglePlay() {
    if (this.playing) this.stop();
    else this.play();
  },
  stop() {
    if (!this.playing) return;
    this.playing = false;
    this.playText = "";
    if (this.$refs.frame) this.$refs.frame.value = this.frame;
    this.refresh(true);
  },
  // Runs of frames are fetched ahead of the one that is shown. Where they take longer than they last, only every second, third …
  // is made, so that the shot keeps its pace and what is left out is left out evenly; the real rate is printed.
  async play() {
    const { first, last } = this.data.frames;
    if (last === first) return;
    this.playing = true;
    const rate = this.data.rate || 24,
      lasts = Math.min(12, Math.ceil(rate / 2));
    let every = 1,
      ahead = this.fetchRun(this.frame >= last ? first : this.frame, lasts, 1),
      due = performance.now(),
      shown = 0,
      begun = performance.now();
    try {
      while (this.playing) {
        const { start, pictures, step, took } = await ahead,
          after = start + pictures.length * step,
          needed = Math.min(MOST_LEFT_OUT, Math.max(1, Math.ceil(((took / pictures.length) * rate) / 1000 - 0.05)));
        // The pace is changed at once when it is too fast, and only when there is room when it is too slow.
        if (needed > every || needed < every - 1) [every, shown, begun] = [needed, 0, performance.now()];
        ahead = this.fetchRun(after > last ? first : after, Math.max(3, Math.ceil(lasts / every)), every);
        ahead.catch(() => {});
        for (let i = 0; i < pictures.length && this.playing; i++) {
          const bitmap = await createImageBitmap(pictures[i]);
          const wait = due - performance.now();
          if (wait > 1) await new Promise((done) => setTimeout(done, wait));
          due = Math.max(due + (1000 * step) / rate, performance.now() - 250);
          if (!this.playing) {
            bitmap.close();
            break;
          }
          this.frame = start + i * step;
          if (this.$refs.frame) this.$refs.frame.value = this.frame;
          this.paint(this.$refs.picture, bitmap);
          shown += 1;
          const seconds = (performance.now() - begun) / 1000;
          if (shown % 6 === 0) this.playText = this.saidOfPace(shown / seconds, rate, step);
        }
      }
    } catch (error) {
      this.complain("play", error.message);
      this.stop();
    }
  },
  saidOfPace(shown, rate, step) {
    const pace = `${shown.toFixed(1)} of ${Number(rate.toFixed(2))} frames a second, reduced`;
    return step > 1 ? `${pace}, one in ${step}` : pace;
  },
  async fetchRun(start, count, step) {
    const asked = performance.now(),
      wish = { settings: this.layers.seen(this.outputShown), first: start, count, every: step, viewing: this.viewingSent };
    const response = await post(this.data.urls.motion, wish);
    const buffer = await response.arrayBuffer(),
      view = new DataView(buffer),
      found = view.getUint32(0, true);
    let place = 4 * (found + 1);
    const pictures = [];
    for (let i = 0; i < found; i++) {
      const size = view.getUint32(4 * (i + 1), true);
      pictures.push(new Blob([new Uint8Array(buffer, place, size)], { type: "image/jpeg" }));
      place += size;
    }
    return { start, pictures, step, took: performance.now() - asked };
  },
};
