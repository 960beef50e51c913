// Frames of a movie or sequence: the scrubber, stepping, playing at reduced size.
import { post } from "../js/http.js";

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
  async standFor() {
    try {
      const said = await (await post(this.data.urls.stand, { frame: this.frame })).json();
      this.stood = said.frame;
      this.$refs.thumb.src = said.thumbnail;
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
  // Runs of frames are fetched ahead of the one that is shown; what cannot come in time is waited for, and the real rate is printed.
  async play() {
    const { first, last } = this.data.frames;
    if (last === first) return;
    this.playing = true;
    const rate = this.data.rate || 24,
      run = Math.min(12, Math.ceil(rate / 2));
    let ahead = this.fetchRun(this.frame >= last ? first : this.frame, run),
      due = performance.now(),
      shown = 0;
    const begun = performance.now();
    try {
      while (this.playing) {
        const { start, pictures } = await ahead;
        const following = start + pictures.length > last ? first : start + pictures.length;
        ahead = this.fetchRun(following, run);
        ahead.catch(() => {});
        for (let i = 0; i < pictures.length && this.playing; i++) {
          const bitmap = await createImageBitmap(pictures[i]);
          const wait = due - performance.now();
          if (wait > 1) await new Promise((done) => setTimeout(done, wait));
          due = Math.max(due + 1000 / rate, performance.now() - 250);
          if (!this.playing) {
            bitmap.close();
            break;
          }
          this.frame = start + i;
          if (this.$refs.frame) this.$refs.frame.value = this.frame;
          this.paint(this.$refs.picture, bitmap);
          shown += 1;
          const seconds = (performance.now() - begun) / 1000;
          if (shown % 6 === 0)
            this.playText = `${(shown / seconds).toFixed(1)} of ${Number(rate.toFixed(2))} frames a second, reduced`;
        }
      }
    } catch (error) {
      this.complain("play", error.message);
      this.stop();
    }
  },
  async fetchRun(start, count) {
    const response = await post(this.data.urls.motion, { settings: this.settings, first: start, count, viewing: this.viewingSent });
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
    return { start, pictures };
  },
};
