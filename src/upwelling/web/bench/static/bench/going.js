// Going to another shot without loading a page: what lies beside is fetched ahead, its page and its still, and is put
// in place of this one. Where that cannot be, the browser goes there as everywhere.
import { post } from "../js/http.js";
import { narrow } from "../js/narrowing.js";
import { parsed } from "./preview.js";

const GOOD_FOR = 60000;
const REST = 150;
const MOST = 8;
// What was fetched, by address, the newest last; it outlives the shot's own component.
const ahead = new Map();

const painted = () => new Promise((done) => requestAnimationFrame(() => setTimeout(done, 0)));

export const going = {
  leaving: null,
  left: false,
  came: "",
  arriving: false,

  start() {
    const { signal } = this.leaving;
    this.$root.addEventListener("click", (event) => this.goByLink(event), { signal });
    document.addEventListener("click", (event) => this.leaveByLink(event), { capture: true, signal });
    this.$root.addEventListener("pointerover", (event) => this.expect(this.shotLink(event)), { signal });
    window.addEventListener("popstate", () => this.goBackBy(), { signal });
    this.came = this.address;
  },
  get address() {
    return window.location.href;
  },
  // Called by Alpine when another shot takes the page's place: nothing of this one acts any more.
  destroy() {
    clearTimeout(this.restSoon);
    this.left = true;
    this.previews.stop();
    this.others.stop();
    this.leaving.abort();
  },

  // --- which way ----------------------------------------------------------------------------------------------------
  // The shot before or after; in a cut, its events until one leaves it.
  neighbour(way) {
    const event = this.$root.querySelector(`.cutline a[rel=${way === "next" ? "next" : "prev"}]`);
    if (event) return event.href;
    const address = this.walk && this.walk[way] !== undefined ? this.walk[way] : this.data.neighbours[way];
    return address ? new URL(address, window.location.href).href : "";
  },
  goTo(way) {
    const address = this.neighbour(way);
    if (address) this.go(address);
    return Boolean(address);
  },
  // What an element's size changes to, until another shot takes the page's place.
  watchSize(act) {
    const watching = new ResizeObserver(act);
    this.leaving.signal.addEventListener("abort", () => watching.disconnect());
    return watching;
  },
  // A link to another shot of this production, pressed as a link that opens here.
  shotLink(event) {
    const link = event.target.closest && event.target.closest(".strip a, .cutline a");
    return link && link.href.includes(this.placeOf(this.data.urls.preview)) ? link.href : "";
  },
  goByLink(event) {
    const address = this.shotLink(event);
    if (!address || event.button || event.ctrlKey || event.metaKey || event.shiftKey || event.altKey) return;
    event.preventDefault();
    if (address !== this.came) this.go(address);
  },
  // A link that leads away waits until all that the hand did is saved.
  async leaveByLink(event) {
    const link = event.target.closest && event.target.closest("a[href]");
    if (!link || !this.saver.waiting || link.target || link.hasAttribute("download") || this.shotLink(event)) return;
    if (event.button || event.ctrlKey || event.metaKey || event.shiftKey || event.altKey) return;
    event.preventDefault();
    event.stopPropagation();
    await this.saver.done;
    if (!this.saver.unsaved) window.location.href = link.href;
  },
  // Back and forward of the browser: the address has changed already.
  goBackBy() {
    const asked = this.address;
    if (!this.mayLeave) {
      history.pushState(null, "", this.came);
      return this.complain("layer", "Changes of this shot are not saved yet. Save or drop them first.");
    }
    return this.go(asked, false);
  },
  get mayLeave() {
    return !this.saver.unsaved && !this.layers.dirty.length;
  },

  // --- fetching ahead -----------------------------------------------------------------------------------------------
  // The hand is at rest: the shots beside are fetched, the next first.
  lookAhead() {
    clearTimeout(this.restSoon);
    this.restSoon = setTimeout(async () => {
      for (const way of ["next", "previous"]) {
        const found = this.expect(this.neighbour(way));
        if (found) await found.still;
      }
    }, REST);
  },
  expect(address) {
    if (!address || this.left || address === this.came) return null;
    const known = ahead.get(address);
    if (known && Date.now() - known.since < GOOD_FOR) return known.shown || known.waits ? known : this.withStill(known);
    const found = this.withStill({ since: Date.now(), shown: null, page: this.pageOf(address) });
    ahead.delete(address);
    ahead.set(address, found);
    if (ahead.size > MOST) ahead.delete(ahead.keys().next().value);
    return found;
  },
  withStill(found) {
    found.waits = true;
    const done = () => {
      found.waits = false;
    };
    found.still = found.page.then((page) => this.stillOf(page, found)).then(done, done);
    return found;
  },
  async pageOf(address) {
    const response = await fetch(address, { headers: { Purpose: "prefetch" } });
    const text = response.ok && !response.redirected ? await response.text() : "";
    return new DOMParser().parseFromString(text, "text/html");
  },
  // As it will be shown, but for what depends on the steps of the shot. A part of the picture is not fetched ahead.
  async stillOf(page, found) {
    const held = page.getElementById("bench-data");
    if (!held || this.zoom !== "fit" || this.left) return;
    const { urls, frames } = JSON.parse(held.textContent),
      view = this.viewRides;
    // It gives way to what this page asks next: a hand that moves is not kept waiting for it.
    const { page: own, number } = this.previews,
      wish = { lossless: true, raw: this.isHere, frame: frames.asked, view, viewing: this.viewingSent, page: own, number };
    const response = await post(urls.preview, wish);
    if (response.status === 200) found.shown = await parsed(await response.arrayBuffer());
  },
  // Something was changed that other shots may have a part in.
  forgetAhead() {
    ahead.clear();
  },

  // --- going --------------------------------------------------------------------------------------------------------
  async go(address, adds = true) {
    if (this.arriving) return;
    this.arriving = true;
    this.putComing();
    this.work(1);
    this.stop();
    await this.saving;
    const found = this.mayLeave ? this.expect(address) : null,
      page = found ? await found.page.catch(() => null) : null;
    if (!page || !page.querySelector(".bench")) {
      this.arriving = false;
      this.work(-1);
      window.location.href = address;
      return;
    }
    this.packRide(true);
    if (found.shown && this.zoom === "fit") {
      this.paint(this.$refs.picture, found.shown.bitmap);
      await painted();
    }
    if (adds) history.pushState(null, "", address);
    this.replaceBy(page);
  },
  // Nothing was changed here since the page was made.
  get isUntouched() {
    return this.mayLeave && JSON.stringify(this.settings) === JSON.stringify(this.data.settings);
  },
  async renew() {
    this.forgetAhead();
    const page = await this.pageOf(this.address);
    if (!this.left && this.isUntouched && page.querySelector(".bench")) {
      this.packRide(true);
      this.replaceBy(page);
    }
  },
  // The page of the other shot takes the place of this one, which ends with it. Its picture shows what this one's does
  // until its own has come.
  replaceBy(page) {
    const main = document.getElementById("main"),
      next = document.adoptNode(page.getElementById("main")),
      { thumb, picture } = this.$refs,
      fromStrip = this.$root.querySelector(".strip").contains(document.activeElement);
    ahead.delete(this.address);
    document.title = page.title;
    document.querySelector(".crumb").replaceWith(document.adoptNode(page.querySelector(".crumb")));
    for (const note of document.querySelectorAll(".notes")) note.remove();
    for (const link of thumb ? next.querySelectorAll(".strip a") : [])
      if (link.href === thumb.parentElement.href) link.querySelector("img").src = thumb.src;
    const canvas = next.querySelector("canvas.picture");
    canvas.width = picture.width;
    canvas.height = picture.height;
    canvas.getContext("2d").drawImage(picture, 0, 0);
    Alpine.destroyTree(main);
    Alpine.mutateDom(() => main.replaceWith(next));
    Alpine.initTree(next);
    narrow(next);
    if (fromStrip) next.querySelector(".strip [aria-current]").focus();
  },
};
