// The picture: trace, zoom, region, views, and comparing it with another state or shot.
import { Previews } from "./preview.js";

export const compare = {
  compare: "now",
  against: "untrimmed",
  held: false,
  wipe: 0.5,
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
    new ResizeObserver(() => {
      this.shownWide = Math.round(this.box().wide * window.devicePixelRatio);
    }).observe(this.$refs.picture);
    new ResizeObserver(() => {
      this.stacked = this.isLargerStacked();
      if (this.zoom !== "fit") this.setPart();
      this.placeOverlays();
    }).observe(this.$refs.stage);
    for (const box of this.$root.querySelectorAll(".scope canvas"))
      new ResizeObserver(([seen]) => {
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
    this.setAgainst(event.target.value);
  },
  setAgainst(value) {
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
    const wish = { ...this.wish(true), step: "", viewing: layer, view };
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
    return this.others.ask(this.data.urls.preview, {
      ...wish,
      settings: mark ? mark.settings : this.settings,
      untrimmed: kind === "untrimmed",
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
    const move = (next) => {
      const { left, wide, rect } = this.box();
      this.setWipe((next.clientX - rect.left - left) / wide);
    };
    handle.addEventListener("pointermove", move);
    handle.addEventListener("pointerup", () => handle.removeEventListener("pointermove", move), { once: true });
  },
  keyWipe(event) {
    const way = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    if (!way) return;
    event.preventDefault();
    event.stopPropagation();
    this.setWipe(this.wipe + way * (event.shiftKey ? 0.002 : 0.02));
  },
  setWipe(share) {
    this.wipe = Math.min(Math.max(share, 0), 1);
    this.placeOverlays();
  },
  get wipePercent() {
    return Math.round(this.wipe * 100);
  },

  // --- views, zoom ------------------------------------------------------------------------------------------------
  pickView(event) {
    this.setView(event.target.value);
  },
  setView(view) {
    if (["selection", "over", "matte"].includes(view) && !this.limited)
      return this.complain("view", "The step in hand acts everywhere: it has no matte to show. Give it a selection first.");
    this.view = view;
    this.settle("view");
    return this.refresh(true);
  },
  pickZoom(event) {
    this.setZoom(event.target.value);
  },
  setZoom(zoom) {
    this.zoom = zoom;
    this.setPart();
    this.refresh(true);
  },
  // What is shown of the full frame: pixels of the file for pixels of the page, about the trace.
  setPart() {
    const { width, height } = this.data.frame;
    if (this.zoom === "fit") {
      this.part = null;
      return;
    }
    const stage = this.$refs.stage,
      per = this.zoom === "200" ? 2 : 1,
      two = this.compare === "beside",
      [across, down] = two ? (this.stacked ? [1, 2] : [2, 1]) : [1, 1];
    const wide = Math.min(width, Math.max(16, Math.round(stage.clientWidth / per / across))),
      tall = Math.min(height, Math.max(16, Math.round(stage.clientHeight / per / down)));
    this.part = {
      x: Math.min(Math.max(this.point.x - Math.round(wide / 2), 0), width - wide),
      y: Math.min(Math.max(this.point.y - Math.round(tall / 2), 0), height - tall),
      width: wide,
      height: tall,
    };
  },

  // --- trace ------------------------------------------------------------------------------------------------------
  box() {
    const rect = this.$refs.picture.getBoundingClientRect();
    const { width, height } = this.part || this.data.frame,
      x = this.part ? this.part.x : 0,
      y = this.part ? this.part.y : 0;
    const scale = Math.min(rect.width / width, rect.height / height);
    return {
      scale,
      wide: width * scale,
      tall: height * scale,
      left: (rect.width - width * scale) / 2,
      top: (rect.height - height * scale) / 2,
      rect,
      x,
      y,
    };
  },
  spot(event) {
    const { scale, left, top, rect, x, y } = this.box();
    return { x: x + (event.clientX - rect.left - left) / scale, y: y + (event.clientY - rect.top - top) / scale };
  },
  place(event) {
    if (event.button) return;
    const canvas = event.currentTarget,
      from = this.spot(event),
      at = [event.clientX, event.clientY];
    let drawing = false;
    canvas.setPointerCapture(event.pointerId);
    const move = (next) => {
      if (!this.regionKind) return;
      if (!drawing && Math.hypot(next.clientX - at[0], next.clientY - at[1]) < 5) return;
      drawing = true;
      const to = this.spot(next);
      this.setRegion(from.x, from.y, to.x, to.y);
      this.refresh(false);
    };
    canvas.addEventListener("pointermove", move);
    canvas.addEventListener(
      "pointerup",
      () => {
        canvas.removeEventListener("pointermove", move);
        if (drawing) this.refresh(true);
        else this.moveTo(Math.floor(from.x), Math.floor(from.y));
      },
      { once: true },
    );
  },
  nudge(event) {
    const way = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowDown: [0, 1], ArrowUp: [0, -1] }[event.key];
    if (!way) return;
    event.preventDefault();
    const by = event.shiftKey ? 10 : 1;
    this.moveTo(this.point.x + way[0] * by, this.point.y + way[1] * by);
  },
  moveTo(x, y) {
    const { width, height } = this.data.frame;
    this.shelf = this.data.shelf;
    this.point = { x: Math.min(Math.max(x, 0), width - 1), y: Math.min(Math.max(y, 0), height - 1) };
    const part = this.part;
    if (part && (x < part.x || y < part.y || x >= part.x + part.width || y >= part.y + part.height)) this.setPart();
    this.placeOverlays();
    this.refresh(true);
  },

  // --- region -----------------------------------------------------------------------------------------------------
  pickRegion(event) {
    this.regionKind = event.target.value;
    if (!this.regionKind) this.region = null;
    else if (this.region) this.region = { ...this.region, kind: this.regionKind };
    else {
      const { x, y } = this.point,
        { width, height } = this.data.frame,
        reach = height * 0.08;
      this.setRegion(x - reach, y - reach, x + reach, y + reach);
      this.region = {
        ...this.region,
        right: Math.min(this.region.right, 1),
        bottom: Math.min(this.region.bottom, 1),
        kind: this.regionKind,
      };
      void width;
    }
    this.placeOverlays();
    this.refresh(true);
  },
  setRegion(x0, y0, x1, y1) {
    const { width, height } = this.data.frame,
      hold = (value) => Number(Math.min(Math.max(value, 0), 1).toFixed(5));
    this.region = {
      kind: this.regionKind,
      left: hold(Math.min(x0, x1) / width),
      right: hold(Math.max(x0, x1) / width),
      top: hold(Math.min(y0, y1) / height),
      bottom: hold(Math.max(y0, y1) / height),
    };
    this.placeOverlays();
  },
  dragRegion(event) {
    event.preventDefault();
    const outline = event.currentTarget,
      from = this.spot(event),
      start = { ...this.region },
      { width, height } = this.data.frame;
    outline.setPointerCapture(event.pointerId);
    const move = (next) => {
      const to = this.spot(next);
      this.shiftRegion(start, (to.x - from.x) / width, (to.y - from.y) / height);
      this.refresh(false);
    };
    outline.addEventListener("pointermove", move);
    outline.addEventListener(
      "pointerup",
      () => {
        outline.removeEventListener("pointermove", move);
        this.refresh(true);
      },
      { once: true },
    );
  },
  shiftRegion(start, dx, dy) {
    const x = Math.min(Math.max(dx, -start.left), 1 - start.right),
      y = Math.min(Math.max(dy, -start.top), 1 - start.bottom);
    this.region = {
      ...start,
      left: start.left + x,
      right: start.right + x,
      top: start.top + y,
      bottom: start.bottom + y,
    };
    this.placeOverlays();
  },
  keyRegion(event) {
    const way = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowDown: [0, 1], ArrowUp: [0, -1] }[event.key];
    if (event.key === "Delete") {
      this.$refs.regionPick.value = "";
      this.regionKind = "";
      this.region = null;
      this.placeOverlays();
      return this.refresh(true);
    }
    if (!way) return null;
    event.preventDefault();
    event.stopPropagation();
    const step = 0.01;
    if (event.shiftKey) {
      const grown = {
        ...this.region,
        right: this.region.right + way[0] * step,
        bottom: this.region.bottom + way[1] * step,
      };
      if (grown.right > grown.left + step && grown.bottom > grown.top + step && grown.right <= 1 && grown.bottom <= 1)
        this.region = grown;
      this.placeOverlays();
    } else this.shiftRegion(this.region, way[0] * step, way[1] * step);
    return this.refresh(true);
  },

  // Cross, region and wipe stand where the picture stands.
  placeOverlays() {
    if (!this.point) return;
    const { scale, left, top, wide, tall, x, y, rect } = this.box();
    const at = (px, py) => [left + (px - x) * scale, top + (py - y) * scale];
    const inside = (px, py) => px >= left - 1 && px <= left + wide + 1 && py >= top - 1 && py <= top + tall + 1;
    const cross = this.$refs.cross,
      [cx, cy] = at(this.point.x + 0.5, this.point.y + 0.5);
    cross.hidden = !inside(cx, cy);
    cross.style.left = cx + "px";
    cross.style.top = cy + "px";
    const outline = this.$refs.region;
    outline.hidden = !this.region;
    if (this.region) {
      const { width, height } = this.data.frame,
        [x0, y0] = at(this.region.left * width, this.region.top * height),
        [x1, y1] = at(this.region.right * width, this.region.bottom * height);
      outline.classList.toggle("ellipse", this.region.kind === "ellipse");
      Object.assign(outline.style, { left: x0 + "px", top: y0 + "px", width: x1 - x0 + "px", height: y1 - y0 + "px" });
    }
    this.drawShapes();
    this.placePairs();
    const edge = left + wide * this.wipe,
      handle = this.$refs.wipe;
    handle.style.left = edge + "px";
    handle.style.top = top + "px";
    handle.style.height = tall + "px";
    this.$refs.other.style.clipPath =
      this.compare === "wipe" ? `inset(0 0 0 ${(edge / Math.max(rect.width, 1)) * 100}%)` : "none";
  },
};
