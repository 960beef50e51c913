// Keys of the Bench, the overlay that lists them, and the strip's filter.
export const keys = {
  filter: "",
  finding: 0,

  openHelp() {
    this.$refs.help.showModal();
  },
  closeHelp() {
    this.$refs.help.close();
  },
  start() {
    const here = this.$root.querySelector(".strip [aria-current]");
    const strip = this.$root.querySelector(".strip .shots");
    if (here) strip.scrollLeft = here.offsetLeft - strip.offsetLeft - strip.clientWidth / 2 + here.clientWidth / 2;
  },
  filterStrip(event) {
    const words = event.target.value.trim().toLowerCase();
    for (const link of this.$root.querySelectorAll(".strip a"))
      link.hidden = Boolean(words) && !link.title.toLowerCase().includes(words);
    for (const group of this.$root.querySelectorAll(".strip .group"))
      group.hidden = !group.querySelector("a:not([hidden])");
    const none = !this.$root.querySelector(".strip a:not([hidden])");
    this.$refs.noShots.hidden = !none || this.data.more > 0;
    this.rove(null);
    // Where the strip does not show all shots, the server finds those that it does not.
    if (this.data.more > 0) {
      clearTimeout(this.finding);
      this.finding = setTimeout(() => this.findShots(words), 250);
    }
  },
  async findShots(words) {
    const url = `${this.data.urls.strip}?word=${encodeURIComponent(words)}`;
    const response = await fetch(url, { headers: { Accept: "application/json" } });
    if (!response.ok) return;
    const found = await response.json();
    this.$refs.groups.innerHTML = found.html;
    this.rove(null);
    // What is compared with stays in the list, whatever is searched for.
    const kept = this.against.startsWith("shot:") ? this.otherShot : null,
      gone = kept && !found.others.some((one) => one.pk === kept.pk);
    this.data.others = gone ? [kept, ...found.others] : found.others;
    this.$refs.noShots.hidden = Boolean(this.$root.querySelector(".strip a"));
  },

  key(event) {
    this.putComing();
    if (this.$root.querySelector("dialog[open]")) return null;
    if (event.ctrlKey || event.metaKey) {
      if (event.key.toLowerCase() !== "z") return null;
      event.preventDefault();
      return event.shiftKey ? this.redo() : this.undo();
    }
    if (event.target.matches("input[type=text], input[type=search], input[type=number], select, textarea")) return null;
    if (event.altKey) {
      const way = { ArrowUp: -1, ArrowDown: 1 }[event.key];
      if (!way || this.stage !== this.layers.hand || this.tab !== "steps") return null;
      event.preventDefault();
      return this.moveStep(way);
    }
    const letter = event.key.toLowerCase();
    const does = {
      b: () => {
        if (!this.held) {
          this.held = true;
          this.refresh(false);
        }
      },
      p: () => this.goTo("previous"),
      n: () => this.goTo("next"),
      w: () => this.setCompare(this.compare === "wipe" ? "now" : "wipe"),
      s: () => this.setCompare(this.compare === "beside" ? "now" : "beside"),
      f: () => this.stepFrame(event.shiftKey ? -1 : 1),
      z: () => this.setZoom({ fit: "100", 100: "200", 200: "fit" }[this.zoom]),
      e: () => this.setView(this.view === "stops" ? "picture" : "stops"),
      o: () => this.toggleShapes(),
      i: () => this.invertWhole(),
      k: () => this.handIs.trim && this.data.frames.last > this.data.frames.first && this.toggleKey(),
      c: () => this.setView(this.view === "clip" ? "picture" : "clip"),
      1: () => this.toggleColumn(),
      2: () => this.toggleSide(),
      g: () => this.toggleLarge(),
      l: () => this.walking && this.sayLater(),
      enter: () => this.walking && !event.target.matches("button, a, summary, [role=button]") && this.sayGood(),
      x: () => this.toggleWhole(),
      escape: () => (this.awaited ? (this.awaited = null) : this.leaveWhole()),
      q: () => {
        event.preventDefault();
        this.toggleRemarks();
      },
      y: () => this.toggleViewing(),
      ",": () => this.brightenView(-0.5),
      ".": () => this.brightenView(0.5),
      v: () => this.nextScope(event.shiftKey ? 1 : 0),
      m: () => {
        this.takeStage("trim");
        this.tab = "marks";
        this.loadMarks();
        this.$nextTick(() => this.$refs.markName && this.$refs.markName.focus());
      },
      "+": () => this.sampleByKey(event, "more"),
      "-": () => this.sampleByKey(event, "less"),
      a: () => this.openAdding(),
      d: () => this.walkSteps(1),
      u: () => this.walkSteps(-1),
      t: () => this.switchInHand(),
      r: () => this.reachField(event.shiftKey ? -1 : 1),
      pageup: () => this.walkStages(1),
      pagedown: () => this.walkStages(-1),
      h: () => this.openHelp(),
      " ": () => {
        if (!event.target.matches("button, a, [role=switch], summary, input[type=checkbox]")) {
          event.preventDefault();
          this.togglePlay();
        }
      },
    }[letter];
    if (does) {
      // The letter is not typed into the field that it opens, and the page does not scroll.
      if (["m", "a", "pageup", "pagedown"].includes(letter)) event.preventDefault();
      does();
    }
    return null;
  },
  keyUp(event) {
    if (event.key.toLowerCase() === "b" && this.held) {
      this.held = false;
      this.refresh(true);
    }
  },
};
