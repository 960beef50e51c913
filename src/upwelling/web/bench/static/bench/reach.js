// The Bench without a pointer: stages of the Column, steps of the trim, fields of the panel, shots of the strip.
export const STAGES = [
  ...["camera", "input", "camera_trim", "group_trim", "trim", "look", "group_look"],
  ...["rendering", "finish", "display"],
];
const FIELDS = [
  ".panel input[type=range]",
  ".panel .facebody select",
  ".panel .choice",
  ".panel svg [tabindex]",
  ".panel .step select",
  ".panel .step a",
].join(", ");

export const reach = {
  start() {
    this.rove(this.$root.querySelector(".strip [aria-current]"));
  },

  walkStages(way) {
    const there = STAGES.filter((stage) => this.$root.querySelector(`.pick[data-stage=${stage}]`)),
      next = there[there.indexOf(this.stage) + way];
    if (!next) return;
    this.takeStage(next);
    const picked = this.$root.querySelector(`.pick[data-stage=${next}]`);
    picked.focus();
    picked.closest(".stratum").scrollIntoView({ block: "nearest" });
  },
  // From a key the step taken in hand has the focus, so that the next key is about it.
  walkSteps(way) {
    this.stage = this.layers.hand;
    this.tab = "steps";
    const next = this.settings.steps[this.index + way];
    if (next) this.takeInHand(next.id);
    this.focusStep();
  },
  focusStep() {
    this.$nextTick(() => {
      const name = this.$root.querySelector(`.steplist [data-step="${this.step}"] .stepname`);
      if (name) name.focus();
    });
  },
  switchInHand() {
    if (this.lockedOrNone) return;
    this.current.on = !this.current.on;
    this.saveSwitch(this.current);
  },

  // The fields of the panel in view, one after the other, and from its end to its beginning.
  reachField(way) {
    const all = [...this.$root.querySelectorAll(FIELDS)].filter(
      (one) => one.offsetParent !== null || (one.ownerSVGElement && one.ownerSVGElement.clientWidth),
    );
    const fields = all.filter((one) => !one.disabled && !one.closest(".stepfaces, .steplist, fieldset[disabled]"));
    if (!fields.length) return;
    const at = fields.indexOf(document.activeElement),
      next = fields[at < 0 ? (way > 0 ? 0 : fields.length - 1) : (at + way + fields.length) % fields.length];
    next.focus();
    next.scrollIntoView({ block: "nearest" });
  },

  // --- the strip is one stop of the Tab key -------------------------------------------------------------------------
  get stripLinks() {
    return [...this.$root.querySelectorAll(".strip .groups a")].filter((link) => !link.hidden);
  },
  rove(to) {
    const links = this.stripLinks,
      stop = links.includes(to) ? to : links.find((link) => link.ariaCurrent) || links[0];
    for (const link of links) link.tabIndex = link === stop ? 0 : -1;
    return stop;
  },
  stripKey(event) {
    const links = this.stripLinks,
      at = links.indexOf(event.target.closest("a"));
    const to = { ArrowRight: at + 1, ArrowLeft: at - 1, Home: 0, End: links.length - 1 }[event.key];
    if (at < 0 || !links[to]) return;
    event.preventDefault();
    this.rove(links[to]).focus();
  },
};
