// Following a shape over the frames: keys come one by one while the server looks, and are saved when it is over.
import { lines, post } from "../js/http.js";
import { copyOf } from "./model/copies.js";
import { newTrack, setKey, trackOf } from "./model/keys.js";

export const following = {
  following: false,
  followSaid: "",
  sure: {},

  get isShape() {
    return Boolean(this.inHand && "x" in this.inHand);
  },
  get followLocked() {
    return !this.handIs.trim || this.locked || this.following || !this.isShape;
  },
  get sureMarks() {
    const { first, last } = this.data.frames,
      span = Math.max(last - first, 1),
      found = this.sure[`${this.step}/${this.selection}`] || {};
    return Object.entries(found).map(([frame, confidence]) => ({
      frame,
      style: {
        left: `${(100 * (frame - first)) / span}%`,
        width: `${100 / (span + 1)}%`,
        height: `${Math.max(Math.round(14 * confidence), 1)}px`,
      },
      title: `Frame ${frame}: ${Math.round(100 * confidence)} % sure`,
    }));
  },

  followOn() {
    this.follow(false);
  },
  followBack() {
    this.follow(true);
  },
  stopFollowing() {
    if (this.search) this.search.abort();
  },
  async follow(backwards) {
    if (this.followLocked) return;
    await this.saving;
    const shape = this.inHand,
      owner = `${this.step}/${shape.id}`,
      body = {
        settings: copyOf(this.layers.forShot()),
        step: this.step,
        selection: shape.id,
        frame: this.frame,
        model: this.$refs.followModel.value,
        backwards,
      };
    Object.assign(this, { following: true, followSaid: "Looking …", search: new AbortController() });
    const known = { ...(this.sure[owner] || {}) };
    let found = 0;
    this.work(1);
    try {
      for await (const line of lines(await post(this.data.urls.follow, body, this.search.signal))) {
        if (line.error) throw new Error(line.error);
        if (line.frame !== undefined) {
          const now = this.followedShape(body);
          if (!now) break;
          this.takeFollowed(now, line);
          known[line.frame] = line.confidence;
          this.sure = { ...this.sure, [owner]: { ...known } };
          found += 1;
          this.followSaid = `Frame ${line.frame}, ${Math.round(100 * line.done)} %`;
        }
        if (line.said) this.followSaid = line.said;
        if (line.lost !== undefined) {
          known[line.lost] = line.confidence;
          this.sure = { ...this.sure, [owner]: { ...known } };
          this.toFrame(line.lost);
        }
      }
    } catch (error) {
      if (error.name === "AbortError") this.followSaid = "Stopped; the keys found until then stay.";
      else this.complain("follow", error.message);
    } finally {
      this.work(-1);
      this.following = false;
    }
    if (found > 1) {
      this.spread();
      this.markTracks();
      await this.save(`follow ${this.titleOf(shape)}`);
    }
  },
  followedShape({ step, selection }) {
    const { limit } = this.model.find(step) || {};
    return limit ? limit.selections.find((one) => one.id === selection) : null;
  },
  takeFollowed(shape, line) {
    for (const name of ["x", "y", "scale", "angle"]) {
      if (line[name] === undefined) continue;
      setKey(trackOf(shape, name) || newTrack(shape, name), line.frame, line[name]);
    }
  },
};
