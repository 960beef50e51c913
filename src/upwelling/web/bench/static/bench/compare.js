// The picture: trace, zoom, region, views, and comparing it with another state or shot.
import { angleAt, beyond, middleOf, nearlyStraight, shareAt, turned } from "./model/wipe.js";
import { Previews } from "./preview.js";

export const compare = {
  compare: "now",
  against: "untrimmed",
  held: false,
  wipe: 0.5,
  wipeAngle: 0,
  shelf: [],
  linked: true,
  otherFrame: null,
  otherPart: null,
  view: "picture",
  zoom: "fit",
  part: null,
  point: null,
  region: null,
  regionKind: "",
  scopes: [],
  shown: [],
  bars: false,
  stacked: false,
  shownWide: 0,

  start() {
    const { width, height } = this.data.frame;
    this.shelf = this.data.shelf;
    this.point = { x: Math.floor(width / 2), y: Math.floor(height / 2) };
    this.others = new Previews(
      (head, body) => this.showOther(head, body),
      (error) => this.complain("other", error.message),
      (by) => this.work(by),
    );
    this.startScopes();
    this.watchSize(() => {
      this.shownWide = Math.round(this.box().wide * window.devicePixelRatio);
    }).observe(this.$refs.picture);
    this.watchSize(() => {
      this.stacked = this.isLargerStacked();
      if (this.zoom !== "fit") this.setPart();
      this.placeOverlays();
    }).observe(this.$refs.stage);
    for (const box of this.$root.querySelectorAll(".scope canvas"))
      this.watchSize(([seen]) => {
        this.sizeScope(box, seen.contentRect);
        this.drawScopes();
      }).observe(box);
  },

  get comparing() {
    const now = this.held ? "untrimmed" : this.compare;
    return Object.fromEntries(["now", "untrimmed", "wipe", "beside"].map((name) => [name, name === now]));
  },
  get hasOther() {
    return !this.held && (this.compare === "wipe" || this.compare === "beside");
  },
  get stageStyle() {
    const beside = this.hasOther && this.compare === "beside";
    return { beside, stacked: beside && this.stacked, wiping: this.hasOther && this.compare === "wipe" };
  },
  // Two wide pictures are larger above each other than side by side.
  isLargerStacked() {
    const { clientWidth, clientHeight } = this.$refs.stage,
      { width, height } = this.data.frame;
    const fits = (wide, tall) => Math.min(wide / width, tall / height);
    return fits(clientWidth, clientHeight / 2) > 1.02 * fits(clientWidth / 2, clientHeight);
  },
  get otherChoices() {
    const marks = (this.marks || []).map((mark) => ({ value: `mark:${mark.pk}`, label: `Mark: ${mark.name}` }));
    const shelf = this.shelf.map((one) => ({ value: `shelf:${one.pk}`, label: `Shelf: ${one.name}` }));
    return [
      { value: "untrimmed", label: "Without trim" },
      { value: "find", label: "Find a shot …" },
      ...(this.trial ? [{ value: "elsewhere", label: `With the step ${this.trialText}` }] : []),
      ...this.data.compared,
      ...marks,
      ...shelf,
      ...this.data.others.map((shot) => ({ value: `shot:${shot.pk}`, label: shot.name })),
    ];
  },
  get otherName() {
    return (this.otherChoices.find((choice) => choice.value === this.against) || { label: "" }).label;
  },

  // The shot or reference that is compared with; null for a state of this shot.
  get otherShot() {
    const [kind, pk] = this.against.split(":"),
      list = { shot: this.data.others, shelf: this.shelf }[kind] || [];
    return list.find((one) => String(one.pk) === pk) || null;
  },
  get otherMoves() {
    return this.hasOther && Boolean(this.otherShot) && this.otherShot.last > this.otherShot.first;
  },
  get otherAt() {
    if (!this.otherShot) return 0;
    return this.otherFrame === null ? this.otherShot.frame : this.otherFrame;
  },
  get otherFirst() {
    return this.otherShot ? this.otherShot.first : 0;
  },
  get otherLast() {
    return this.otherShot ? this.otherShot.last : 0;
  },
  get zoomedOther() {
    return this.hasOther && Boolean(this.otherShot) && this.zoom !== "fit";
  },
  pickOtherFrame(event) {
    const asked = Math.round(Number(event.target.value));
    if (!this.otherShot || !Number.isFinite(asked)) return;
    this.otherFrame = Math.min(Math.max(asked, this.otherShot.first), this.otherShot.last);
    event.target.value = this.otherFrame;
    this.refresh(true);
  },
  pickLinked(event) {
    this.linked = event.target.checked;
    this.refresh(true);
  },
  // The same share of the other's frame as is shown of this one.
  sharedPart(one) {
    if (!this.part || !this.linked) return null;
    const { width, height } = this.data.frame,
      { x, y } = this.part;
    return {
      x: Math.round((x / width) * one.width),
      y: Math.round((y / height) * one.height),
      width: Math.round((this.part.width / width) * one.width),
      height: Math.round((this.part.height / height) * one.height),
    };
  },

  // The same place of the other's frame as the trace has in this one.
  sharedPoint(one) {
    const { width, height } = this.data.frame;
    return {
      x: Math.min(Math.round(((this.point.x + 0.5) / width) * one.width - 0.5), one.width - 1),
      y: Math.min(Math.round(((this.point.y + 0.5) / height) * one.height - 0.5), one.height - 1),
    };
  },

  // --- what is compared -------------------------------------------------------------------------------------------
  compareWith(event) {
    this.setCompare(event.currentTarget.dataset.compare);
  },
  setCompare(mode) {
    this.compare = mode;
    if (!this.hasOther) this.other = null;
    this.drawScopes();
    this.refresh(true);
  },
  pickAgainst(event) {
    if (event.target.value === "find") {
      event.target.value = this.against;
      return this.openFinding();
    }
    return this.setAgainst(event.target.value);
  },
  setAgainst(value) {
    if (value !== this.against) this.regionThere = null;
    this.against = value;
    this.otherFrame = null;
    if (!this.hasOther) this.compare = "wipe";
    this.refresh(true);
  },
  refreshOther() {
    if (!this.hasOther) return;
    const [kind, pk] = this.against.split(":");
    const layer = this.viewingSent && { ...this.viewingSent, until: "" };
    const view = ["selection", "over", "matte"].includes(this.view) ? "picture" : this.view;
    const wish = { ...this.wish(true), step: "", viewing: layer, view, region: this.regionBeside, role: "other" };
    const one = this.otherShot;
    if (one) {
      this.otherPart = this.sharedPart(one);
      return this.others.ask(one.url, {
        ...wish,
        point: this.sharedPoint(one),
        settings: null,
        frame: this.otherAt,
        part: this.otherPart,
      });
    }
    if (kind === "shelf") return this.setAgainst("untrimmed");
    this.otherPart = this.part;
    const mark = (this.marks || []).find((one) => String(one.pk) === pk);
    if (kind === "mark" && !mark) return this.setAgainst("untrimmed");
    if (kind === "elsewhere" && !this.trial) return this.setAgainst("untrimmed");
    const now = kind === "elsewhere" ? this.trialSettings() : this.layers.seen(this.outputShown);
    return this.others.ask(this.data.urls.preview, {
      ...wish,
      settings: mark ? mark.settings : now,
      untrimmed: kind === "untrimmed",
      without: kind === "without" ? [pk] : [],
      unmanaged: kind === "unmanaged",
    });
  },
  showOther(head) {
    if (!this.hasOther) return head.bitmap.close && head.bitmap.close();
    this.paint(this.$refs.other, head.bitmap);
    this.$refs.other.dataset.fingerprint = head.fingerprint;
    this.other = head.scopes;
    this.takeOther(head);
    this.drawScopes();
    this.placeOverlays();
    return this.settle("other");
  },
  dragWipe(event) {
    event.preventDefault();
    const handle = event.currentTarget;
    handle.setPointerCapture(event.pointerId);
    const turns = event.target.classList.contains("turn");
    const move = (next) => {
      const { left, top, rect } = this.box(),
        at = [next.clientX - rect.left - left, next.clientY - rect.top - top];
      if (turns) this.turnWipe(nearlyStraight(angleAt(this.wipeNow, ...at)));
      else this.setWipe(shareAt(this.wipeNow, ...at));
    };
    handle.addEventListener("pointermove", move);
    handle.addEventListener("pointerup", () => handle.removeEventListener("pointermove", move), { once: true });
  },
  keyWipe(event) {
    const way = { ArrowRight: 1, ArrowLeft: -1 }[event.key],
      turn = { ArrowUp: -1, ArrowDown: 1 }[event.key];
    if (!way && !turn) return;
    event.preventDefault();
    event.stopPropagation();
    if (turn) this.turnWipe(Math.round(this.wipeAngle) + turn * (event.shiftKey ? 1 : 5));
    else this.setWipe(this.wipe + way * (event.shiftKey ? 0.002 : 0.02));
  },
  get wipeNow() {
    const { wide, tall } = this.box();
    return { wide, tall, share: this.wipe, angle: this.wipeAngle };
  },
  turnWipe(angle) {
    this.wipeAngle = turned(angle);
    this.placeOverlays();
  },
  setWipe(share) {
    this.wipe = Math.min(Math.max(share, 0), 1);
    this.placeOverlays();
  },
  get wipePercent() {
    return Math.round(this.wipe * 100);
  },

  // Cross, region and wipe stand where the picture stands.
  placeOverlays() {
    if (!this.point) return;
    const { scale, left, top, wide, tall, x, y } = this.box();
    const at = (px, py) => [left + (px - x) * scale, top + (py - y) * scale];
    const inside = (px, py) => px >= left - 1 && px <= left + wide + 1 && py >= top - 1 && py <= top + tall + 1;
    const cross = this.$refs.cross,
      [cx, cy] = at(this.point.x + 0.5, this.point.y + 0.5);
    cross.hidden = !inside(cx, cy);
    cross.style.left = cx + "px";
    cross.style.top = cy + "px";
    this.outline(this.$refs.region, this.region, { at }, this.data.frame);
    const beside = this.hasOther && this.compare === "beside" && this.regionBeside;
    this.outline(this.$refs.regionThere, beside, beside && this.boxThere(), this.frameThere);
    this.drawShapes();
    this.placePairs();
    this.placeRemarks();
    const wiping = this.wipeNow,
      [mx, my] = middleOf(wiping),
      long = Math.abs(tall * Math.cos((this.wipeAngle * Math.PI) / 180)) + Math.abs(wide * Math.sin((this.wipeAngle * Math.PI) / 180)),
      corners = beyond(wiping).map(([px, py]) => `${left + px}px ${top + py}px`);
    Object.assign(this.$refs.wipe.style, {
      left: `${left + mx}px`,
      top: `${top + my - long / 2}px`,
      height: `${long}px`,
      transform: `rotate(${this.wipeAngle}deg)`,
    });
    this.$refs.other.style.clipPath = this.compare === "wipe" ? `polygon(${corners.join(", ") || "0 0"})` : "none";
  },
};
