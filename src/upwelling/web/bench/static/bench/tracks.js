// Values that change along the shot: keys of the step or shape in hand, and the lane under the picture that shows them.
// Between keys the server says what stands; the page only puts keys.
import * as keys from "./model/keys.js";

export const tracks = {
  now: {},

  holderOf(path) {
    return keys.holderOf(this.settings.steps, path);
  },
  trackAt(path) {
    const found = this.holderOf(path);
    return found && keys.trackOf(found.holder, found.name);
  },
  // The value as it stands now, for a parameter that has a track.
  standing(path) {
    const found = this.holderOf(path);
    if (!found || !keys.trackOf(found.holder, found.name)) return undefined;
    const values = this.now.step === this.step && this.now[found.place];
    return values ? values[found.name] : undefined;
  },
  // A value moved by hand while it has a track becomes the key of this frame.
  putKey(path, value) {
    const found = this.holderOf(path);
    if (!found || !keys.put(found.holder, found.name, this.frame, value)) return false;
    if (this.now.step === this.step && this.now[found.place]) this.now[found.place][found.name] = value;
    return true;
  },
  // While a hand moves, what nothing but that hand moves is left as it is drawn.
  takeNow(now, still) {
    if (now) this.now = now;
    if (!still && !this.keysInStep) return;
    if (now) this.syncControls();
    this.placeOverlays();
  },
  get keysInStep() {
    if (!this.hasStep) return false;
    const { tracks, limit } = this.current;
    return tracks.length > 0 || (limit !== null && limit.selections.some((one) => one.tracks && one.tracks.length > 0));
  },

  // --- the holder in hand -------------------------------------------------------------------------------------------
  get keyHolder() {
    if (!this.hasStep) return null;
    return this.face === "where" && this.inHand ? this.inHand : this.current;
  },
  get keyPlace() {
    return this.keyHolder && this.keyHolder !== this.current
      ? `steps.${this.index}.limit.selections.${this.selectionIndex}.`
      : `steps.${this.index}.`;
  },
  get keyable() {
    const holder = this.keyHolder;
    if (!holder) return [];
    return (holder === this.current ? this.data.kinds : this.data.selections)[holder.kind].keyed;
  },
  get keyFrames() {
    const holder = this.keyHolder;
    if (!holder || !holder.tracks) return [];
    return keys.framesOf(holder);
  },
  get keyMarks() {
    const { first, last } = this.data.frames,
      span = Math.max(last - first, 1),
      byHand = (this.keyHolder && this.keyHolder.by_hand) || this.keyFrames;
    // Numbered by order: a mark that is dragged to another frame stays the same mark under the hand.
    return this.keyFrames.map((frame, number) => ({
      number,
      frame,
      style: { left: `${(100 * (frame - first)) / span}%` },
      name: `Key at frame ${frame}${byHand.includes(frame) ? ", set by hand" : ""}`,
      kind: { followed: !byHand.includes(frame) },
      here: frame === this.frame ? "true" : "false",
    }));
  },
  get keyTitle() {
    const holder = this.keyHolder;
    if (!holder) return "";
    const kinds = holder === this.current ? this.data.kinds : this.data.selections;
    return holder.name || kinds[holder.kind].title;
  },
  get keyText() {
    const holder = this.keyHolder;
    if (!holder || !this.keyable.length) return "nothing of it can change along the shot";
    if (!holder.tracks.length) return "stands still";
    return holder.tracks.map((track) => `${track.parameter.replaceAll("_", " ")} ${track.keys.length}`).join(" · ") + " keys";
  },
  get hasKeys() {
    return this.keyFrames.length > 0;
  },
  get noKeys() {
    return this.keyFrames.length === 0;
  },
  get cannotKey() {
    return !this.handIs.trim || this.locked || !this.keyHolder || this.keyable.length === 0;
  },
  get keyHere() {
    return this.keyFrames.includes(this.frame);
  },
  get keyLabel() {
    return this.keyHere ? "Remove key" : "Key here";
  },
  get heldBetween() {
    const holder = this.keyHolder;
    return Boolean(holder && holder.tracks.length && holder.tracks.every((track) => track.between === "held"));
  },

  // One parameter begins or ends changing along the shot.
  toggleTrack(path) {
    if (this.locked) return;
    const found = this.holderOf(path);
    if (!found) return;
    const { holder, name } = found,
      moves = keys.trackOf(holder, name);
    if (moves) keys.end(holder, name, this.standing(path) ?? holder[name]);
    else keys.begin(holder, name, this.frame);
    this.keyed(moves ? "stands still" : "changes along the shot", name);
  },
  keyed(what, name) {
    this.spread();
    this.markTracks();
    this.save(`${name.replaceAll("_", " ")} ${what}`);
  },
  // A key of everything that changes, or of place, size and angle where nothing does yet.
  toggleKey() {
    if (this.cannotKey) return;
    const holder = this.keyHolder;
    if (this.keyHere) return this.dropKeys(this.frame);
    if (!holder.tracks.length) {
      const begins = "scale" in holder ? ["x", "y", "scale", "angle"] : this.keyable.slice(0, 1);
      begins.forEach((name) => keys.begin(holder, name, this.frame));
    } else
      for (const track of holder.tracks) {
        const path = this.keyPlace + track.parameter;
        this.putKey(path, this.standing(path) ?? holder[track.parameter]);
      }
    return this.keyed("key", this.keyTitle.toLowerCase());
  },
  dropKeys(frame) {
    const holder = this.keyHolder;
    keys.drop(holder, frame, (name) => this.standing(this.keyPlace + name) ?? holder[name]);
    return this.keyed("without a key", this.keyTitle.toLowerCase());
  },
  moveKeys(from, to) {
    const { first, last } = this.data.frames,
      stands = keys.move(this.keyHolder, from, Math.min(Math.max(to, first), last));
    if (stands !== from) this.spread();
    return stands;
  },
  toggleBetween() {
    if (this.cannotKey || this.noKeys) return;
    const between = this.heldBetween ? "smooth" : "held";
    for (const track of this.keyHolder.tracks) track.between = between;
    this.keyed(`${between} between keys`, this.keyTitle.toLowerCase());
  },
  previousKey() {
    this.toFrame(this.keyFrames.filter((frame) => frame < this.frame).pop());
  },
  nextKey() {
    this.toFrame(this.keyFrames.find((frame) => frame > this.frame));
  },
  toFrame(frame) {
    if (frame === undefined) return;
    this.stop();
    this.standAt(frame);
    this.refresh(true);
  },
  dragKey(event) {
    event.preventDefault();
    const mark = event.currentTarget,
      lane = mark.parentElement.getBoundingClientRect(),
      { first, last } = this.data.frames;
    let frame = Number(mark.dataset.frame),
      moved = false;
    mark.setPointerCapture(event.pointerId);
    const move = (next) => {
      if (this.locked) return;
      const to = Math.round(first + ((next.clientX - lane.left) / lane.width) * (last - first));
      const now = this.moveKeys(frame, to);
      moved = moved || now !== frame;
      frame = now;
    };
    const end = () => {
      mark.removeEventListener("pointermove", move);
      if (moved) this.save("move a key");
      else this.toFrame(frame);
    };
    mark.addEventListener("pointermove", move);
    mark.addEventListener("pointerup", end, { once: true });
  },
  keyOnKey(event) {
    const frame = Number(event.currentTarget.dataset.frame),
      way = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (event.key === "Enter") return this.toFrame(frame);
    if (this.locked) return null;
    if (event.key === "Delete") {
      event.preventDefault();
      return this.dropKeys(frame);
    }
    if (!way) return null;
    event.preventDefault();
    event.stopPropagation();
    const to = this.moveKeys(frame, frame + way);
    if (to === frame) return null;
    this.save("move a key");
    return this.$nextTick(() => this.$root.querySelector(`.keymark[data-frame="${to}"]`).focus());
  },

  // --- marks beside the controls ------------------------------------------------------------------------------------
  bindTracks(root) {
    for (const button of root.querySelectorAll(".along"))
      button.addEventListener("click", () => this.toggleTrack(button.closest(".control").querySelector(".cell").dataset.path));
    this.markTracks();
  },
  markTracks() {
    for (const button of this.$root.querySelectorAll(".editor .along")) {
      const track = this.trackAt(button.closest(".control").querySelector(".cell").dataset.path);
      button.setAttribute("aria-pressed", String(Boolean(track)));
      button.disabled = this.locked;
    }
  },
};
