// The viewing layer: what only the eyes see. It lives in this page alone and is gone when the page is left.
import { TRIMS } from "./model/layers.js";

const REST = { stops: 0, grey: false, without: [], until: "", table: 0, monitor: "" };

export const viewing = {
  layer: { ...REST },
  viewingOpen: false,
  viewingSaid: "",

  // What is sent with a preview: nothing where nothing is laid over.
  get viewingSent() {
    return this.viewingActs ? this.layer : null;
  },
  get viewingActs() {
    return JSON.stringify(this.layer) !== JSON.stringify(REST);
  },
  get viewingStops() {
    const stops = this.layer.stops;
    return (stops > 0 ? "+" : stops < 0 ? "−" : "") + Math.abs(stops).toFixed(1);
  },
  get viewedWithout() {
    return Object.fromEntries([...TRIMS, "look", "group_look", "rendering"].map((stage) => [stage, this.layer.without.includes(stage)]));
  },
  get viewedUntil() {
    return this.layer.until !== "" && this.layer.until === this.step;
  },

  toggleViewing() {
    this.viewingOpen = !this.viewingOpen;
    if (this.viewingOpen) this.$nextTick(() => this.$refs.viewStops.focus());
    else this.$refs.picture.focus();
  },
  closeViewing(event) {
    if (event.key !== "Escape" || !this.viewingOpen) return;
    event.stopPropagation();
    this.toggleViewing();
  },
  setViewing(change, lossless) {
    this.layer = { ...this.layer, ...change };
    this.refresh(lossless);
  },
  dropViewing() {
    this.setViewing({ ...REST }, true);
  },
  brightenView(by) {
    this.setViewing({ stops: Math.min(Math.max(this.layer.stops + by, -8), 8) }, true);
  },
  slideView(event) {
    this.setViewing({ stops: Number(event.target.value) }, event.type === "change");
  },
  pickGrey(event) {
    this.setViewing({ grey: event.target.checked }, true);
  },
  pickWithout(event) {
    const stage = event.target.value,
      others = this.layer.without.filter((one) => one !== stage);
    this.setViewing({ without: event.target.checked ? [...others, stage] : others }, true);
  },
  pickUntil(event) {
    this.setViewing({ until: event.target.checked ? this.step : "" }, true);
  },
  pickViewTable(event) {
    this.setViewing({ table: Number(event.target.value) }, true);
  },
  pickMonitor(event) {
    this.setViewing({ monitor: event.target.value }, true);
  },
};
