// Looking along: what the leader of a joint look has on the Bench, with the pointer and the comparison.
import { beyond } from "../bench/model/wipe.js";

const NEAR = 330;
const FAR = 3000;
const EMPTY = { address: "", said: "", width: 16, height: 9 };

export const along = {
  joint: null,
  alone: false,
  here: EMPTY,
  there: EMPTY,

  get looksAlong() {
    return Boolean(this.joint) && !this.alone;
  },
  get jointSaid() {
    if (!this.joint) return "";
    const { who, compare, against } = this.joint;
    const how = { wipe: "wiped with", beside: "side by side with" }[compare];
    const beside = against && how ? `, ${how}: ${against}` : "";
    return `${who} shows ${this.here.said}${compare === "untrimmed" ? ", without trim" : beside}`;
  },
  get seenAs() {
    return { along: this.looksAlong };
  },
  get alongSaid() {
    return this.alone ? "Look along" : "Look by myself";
  },
  get alongLook() {
    const compare = this.joint ? this.joint.compare : "now";
    return { beside: compare === "beside", wiping: compare === "wipe" };
  },
  get alongShape() {
    return { "--wide": this.here.width, "--tall": this.here.height };
  },
  get pointerStyle() {
    const [x, y] = (this.joint && this.joint.pointer) || [0, 0];
    return { left: `${100 * x}%`, top: `${100 * y}%` };
  },
  get pointerOn() {
    return Boolean(this.joint && this.joint.pointer);
  },
  // The corners of what lies beyond the wipe, in shares of the picture.
  get wipeCorners() {
    if (!this.joint || this.joint.compare !== "wipe") return [];
    const { width, height } = this.here;
    const wipe = { wide: width, tall: height, share: this.joint.wipe, angle: this.joint.angle };
    return beyond(wipe).map(([x, y]) => [x / width, y / height]);
  },
  get wipeStyle() {
    if (!this.joint || this.joint.compare !== "wipe") return { "clip-path": "none" };
    const corners = this.wipeCorners.map(([x, y]) => `${100 * x}% ${100 * y}%`);
    return { "clip-path": `polygon(${corners.join(", ") || "0 0"})` };
  },
  get wipeLine() {
    return this.wipeCorners.map((corner) => corner.join()).join(" ");
  },
  toggleAlong() {
    this.alone = !this.alone;
  },
  async followAlong() {
    while (!this.left) {
      const took = document.hidden ? false : await this.askAlong();
      await new Promise((done) => setTimeout(done, took && !this.alone ? NEAR : FAR));
    }
  },
  async askAlong() {
    const { joint } = this;
    const asked = joint ? `?number=${joint.number}${this.alone ? "" : "&looks=1"}` : "";
    try {
      const response = await fetch(this.alongAddress + asked, { headers: { Accept: "application/json" } });
      const told = response.ok ? await response.json() : { on: false };
      if (!told.on) this.joint = null;
      else if (!joint || told.number !== joint.number) await this.takeAlong(told);
      return told.on;
    } catch {
      return Boolean(joint); // the server may be slow for a moment: the picture stays
    }
  },
  // Both pictures are there before either is shown.
  async takeAlong(told) {
    const compared = told.compare === "wipe" || told.compare === "beside";
    const [here, there] = [told.here || EMPTY, (compared && told.other) || EMPTY];
    await Promise.all([this.fetched(here, this.here), this.fetched(there, this.there)]);
    Object.assign(this, { here, there, joint: told });
  },
  async fetched(one, before) {
    if (!one.address || one.address === before.address) return;
    const picture = new Image();
    picture.src = one.address;
    await picture.decode().catch(() => {});
  },
};
