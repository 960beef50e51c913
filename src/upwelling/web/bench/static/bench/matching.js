// Matching the shot to what it is compared with: by itself, or by pairs of places marked on both pictures.
import { copyOf } from "./model/copies.js";
import { post } from "../js/http.js";
import { minus } from "../js/numbers.js";

const GROUP = "match",
  MOST_PAIRS = 24,
  SMALLEST_MARK = 9,
  SOON = 150;

export const matching = {
  matching: "scene",
  pairs: [],
  pairSide: 0.03,
  pairFits: [],
  pairMarks: [],
  matchShown: "",
  matchSaid: "",
  matchRemarks: [],
  apart: { image: "", said: "", rows: [], legend: [] },

  get referenceName() {
    return this.against === "untrimmed" ? "nothing yet: choose under the picture" : this.otherName;
  },
  get byPairs() {
    return this.matching === "pairs";
  },
  get byItself() {
    return this.matching !== "pairs";
  },
  get fullPairs() {
    return this.locked || this.pairs.length >= MOST_PAIRS;
  },
  get noMatch() {
    return this.locked || !(this.settings.groups || []).some((group) => group.id === GROUP);
  },
  // The camera's correction brings the shot there already; what stands in the trim acts after it.
  get matchedTwice() {
    return !this.noMatch && this.hasCorrection && !this.correction.off && this.settings.correction_on;
  },
  get unmatched() {
    return !this.matchSaid;
  },
  get pairRows() {
    return this.pairs.map((pair, index) => {
      const fit = this.pairFits[index];
      return {
        pair: pair.id,
        number: index + 1,
        before: fit ? fit.before.toFixed(2) : "",
        after: fit ? fit.after.toFixed(2) : "",
        hue: fit && fit.hue !== null ? `${minus(fit.hue.toFixed(1))}°` : "",
        says: fit && fit.outlier ? "does not belong" : "",
        look: { outlier: Boolean(fit && fit.outlier) },
      };
    });
  },

  pickMatching(event) {
    this.matching = event.target.value;
    this.matchSaid = "";
    this.matchRemarks = [];
    if (this.byPairs && this.against !== "untrimmed") this.setCompare("beside");
    this.placeOverlays();
  },
  matchNow() {
    return this.solveMatch(true);
  },
  // Drags ask at most every SOON milliseconds; the newest question wins.
  matchSoon() {
    if (this.matchTimer) return;
    this.matchTimer = setTimeout(() => {
      this.matchTimer = null;
      this.solveMatch(false);
    }, SOON);
  },
  async solveMatch(final) {
    if (this.locked) return null;
    const [kind, pk] = this.against.split(":");
    if (!pk)
      return this.complain("match", "Choose a shot, a Mark or a reference under “Compare with” first: it is what this one is matched to.");
    clearTimeout(this.matchTimer);
    this.matchTimer = null;
    const asked = (this.matchAsked = (this.matchAsked || 0) + 1);
    await this.saving;
    this.work(1);
    try {
      const body = {
        settings: this.layers.forShot(),
        frame: this.frame,
        kind,
        pk: Number(pk),
        reference_frame: kind === "shot" ? this.otherAt : null,
        method: this.matching,
        side: this.pairSide,
        pairs: this.pairs.map(({ here, there }) => [here, there]),
      };
      const said = await (await post(this.data.urls.match, body)).json();
      if (asked !== this.matchAsked) return null;
      this.settle("match");
      this.matchSaid = said.sentence;
      this.matchRemarks = said.remarks;
      this.matchShown = said.shown;
      this.pairFits = said.pairs;
      this.settings = said.settings;
      this.placePairs();
      if (!final) return this.refresh(false);
      this.changed(`match to ${said.reference}`, this.step);
      return this.saving;
    } catch (error) {
      if (asked !== this.matchAsked) return null;
      // What a drag showed meanwhile was never saved: the page returns to what is.
      this.matchSaid = "";
      this.matchRemarks = [];
      this.goBack(copyOf(this.saver.lastGood));
      this.complain("match", error.message);
      return null;
    } finally {
      this.work(-1);
    }
  },
  // This shot's own steps are switched off, so that the match stands alone; one undo brings them back.
  setOwnAside() {
    if (this.locked) return;
    for (const step of this.settings.steps) if (step.group !== GROUP && !this.model.rests(step)) step.on = false;
    this.matchShown = "";
    this.changed("own steps set aside", this.step);
  },
  dropMatch() {
    if (this.noMatch) return;
    this.settings.steps = this.settings.steps.filter((step) => step.group !== GROUP);
    this.settings.groups = this.settings.groups.filter((group) => group.id !== GROUP);
    Object.assign(this, { matchSaid: "", matchRemarks: [], pairFits: [] });
    this.changed("without the match", (this.settings.steps[0] || { id: "" }).id);
  },

  get comparedAt() {
    return this.apart.image !== "";
  },
  async showApart() {
    const [kind, pk] = this.against.split(":");
    if (!pk) return this.solveMatch(false);
    await this.saving;
    this.work(1);
    try {
      const body = { settings: this.layers.forShot(), frame: this.frame, kind, pk: Number(pk) };
      if (kind === "shot") body.reference_frame = this.otherAt;
      this.apart = await (await post(this.data.urls.difference, body)).json();
      this.settle("match");
    } catch (error) {
      this.hideApart();
      this.complain("match", error.message);
    } finally {
      this.work(-1);
    }
    return null;
  },
  hideApart() {
    this.apart = { image: "", said: "", rows: [], legend: [] };
  },
  // The match leaves this trim and acts for every shot of the camera, before their trims.
  async giveMatch() {
    const { name, others } = this.data.camera;
    if (this.noMatch) return;
    if (!window.confirm(`All shots of ${name} will follow this match, ${others} beside this one. Give it to the camera?`)) return;
    await this.saving;
    this.work(1);
    try {
      const [kind, pk] = this.against.split(":"),
        body = { version: this.history.version, kind, pk: pk ? Number(pk) : null },
        said = await (await post(this.data.urls["give-match"], body)).json();
      this.settle("match");
      this.take(said);
      Object.assign(this, { matchSaid: said.said, matchRemarks: [], pairFits: [] });
    } catch (error) {
      this.complain("match", error.message);
    } finally {
      this.work(-1);
    }
  },

  // --- pairs --------------------------------------------------------------------------------------------------------
  addPair() {
    if (this.fullPairs) return;
    if (this.against === "untrimmed") return this.solveMatch(false);
    const { width, height } = this.data.frame,
      at = [(this.point.x + 0.5) / width, (this.point.y + 0.5) / height],
      id = Math.max(0, ...this.pairs.map((pair) => pair.id)) + 1;
    this.pairs = [...this.pairs, { id, here: at, there: [...at] }];
    if (this.compare !== "beside") this.setCompare("beside");
    this.placePairs();
    this.matchNow();
  },
  pickPairSide(event) {
    this.pairSide = Number(event.target.value);
    this.placePairs();
    if (this.pairs.length) this.matchNow();
  },
  removePair(event) {
    this.dropPair(Number(event.currentTarget.dataset.pair));
  },
  dropPair(id) {
    this.pairs = this.pairs.filter((pair) => pair.id !== id);
    this.pairFits = [];
    this.placePairs();
    if (this.pairs.length) this.matchNow();
    else this.dropMatch();
  },
  // Where a share of a picture's width and height stands on the stage.
  pairBox(side) {
    const canvas = side === "here" ? this.$refs.picture : this.$refs.other,
      rect = canvas.getBoundingClientRect(),
      stage = this.$refs.stage.getBoundingClientRect();
    if (side === "here") {
      const { scale, left, top, x, y } = this.box(),
        { width, height } = this.data.frame;
      return {
        at: ([px, py]) => [rect.left - stage.left + left + (px * width - x) * scale, rect.top - stage.top + top + (py * height - y) * scale],
        share: (dx, dy) => [dx / (width * scale), dy / (height * scale)],
        tall: height * scale,
      };
    }
    const scale = Math.min(rect.width / canvas.width, rect.height / canvas.height) || 1,
      wide = canvas.width * scale,
      tall = canvas.height * scale,
      left = rect.left - stage.left + (rect.width - wide) / 2,
      top = rect.top - stage.top + (rect.height - tall) / 2;
    // What of its frame the other picture shows, in shares.
    const shot = this.otherShot,
      part = this.otherPart,
      size = shot || this.data.frame,
      [x0, y0] = part ? [part.x / size.width, part.y / size.height] : [0, 0],
      [across, down] = part ? [part.width / size.width, part.height / size.height] : [1, 1];
    return {
      at: ([px, py]) => [left + ((px - x0) / across) * wide, top + ((py - y0) / down) * tall],
      share: (dx, dy) => [(dx / wide) * across, (dy / tall) * down],
      tall: tall / down,
    };
  },
  placePairs() {
    const shown = this.chosen.trim && this.tab === "match" && this.byPairs && this.hasOther && this.compare === "beside";
    if (!shown) {
      if (this.pairMarks.length) this.pairMarks = [];
      return;
    }
    const boxes = { here: this.pairBox("here"), there: this.pairBox("there") };
    this.pairMarks = this.pairs.flatMap((pair, index) =>
      ["here", "there"].map((side) => {
        const [x, y] = boxes[side].at(pair[side]),
          wide = Math.max(this.pairSide * boxes[side].tall, SMALLEST_MARK);
        return {
          key: `${pair.id}-${side}`,
          pair: pair.id,
          side,
          number: index + 1,
          seen: x > -1 && y > -1,
          style: { left: `${x}px`, top: `${y}px`, width: `${wide}px`, height: `${wide}px`, margin: `${-wide / 2}px` },
          look: { outlier: Boolean(this.pairFits[index] && this.pairFits[index].outlier) },
          name: `Pair ${index + 1} in ${side === "here" ? "this picture" : "the other"}: arrow keys move it, Delete removes it`,
        };
      }),
    );
  },
  pairOf(event) {
    const { pair, side } = event.currentTarget.dataset;
    return { pair: this.pairs.find((one) => one.id === Number(pair)), side };
  },
  movePair(pair, side, [x, y]) {
    pair[side] = [Math.min(Math.max(x, 0), 1), Math.min(Math.max(y, 0), 1)];
    this.placePairs();
  },
  dragPair(event) {
    event.preventDefault();
    event.stopPropagation();
    if (this.locked) return;
    const handle = event.currentTarget,
      { pair, side } = this.pairOf(event),
      from = [event.clientX, event.clientY],
      start = [...pair[side]],
      { share } = this.pairBox(side);
    handle.focus();
    handle.setPointerCapture(event.pointerId);
    const move = (next) => {
      const [dx, dy] = share(next.clientX - from[0], next.clientY - from[1]);
      this.movePair(pair, side, [start[0] + dx, start[1] + dy]);
      this.matchSoon();
    };
    const end = () => {
      handle.removeEventListener("pointermove", move);
      this.matchNow();
    };
    handle.addEventListener("pointermove", move);
    handle.addEventListener("pointerup", end, { once: true });
  },
  keyPair(event) {
    const way = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowDown: [0, 1], ArrowUp: [0, -1] }[event.key],
      { pair, side } = this.pairOf(event);
    if (event.key === "Delete") {
      event.preventDefault();
      return this.dropPair(pair.id);
    }
    if (!way || this.locked) return null;
    event.preventDefault();
    event.stopPropagation();
    const by = event.shiftKey ? 0.001 : 0.005;
    this.movePair(pair, side, [pair[side][0] + way[0] * by, pair[side][1] + way[1] * by]);
    clearTimeout(this.pairSoon);
    this.pairSoon = setTimeout(() => this.matchNow(), 350);
    return null;
  },
};
