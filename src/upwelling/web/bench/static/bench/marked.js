// What the region is: a white, a grey, skin; kept with the shot.
import { post } from "../js/http.js";

const TITLES = { white: "white", grey: "mid grey", skin: "skin" };

export const marked = {
  markedNow: {},

  start() {
    this.markedNow = this.data.marked;
  },
  get hasRegion() {
    return this.region !== null;
  },
  get markShown() {
    return this.hasRegion || Object.keys(this.markedNow).length > 0;
  },
  get markRows() {
    return Object.keys(this.markedNow).map((kind) => ({ kind, title: TITLES[kind], forget: `Forget what is ${TITLES[kind]}` }));
  },
  markRegion(event) {
    const kind = event.target.value;
    event.target.value = "";
    if (kind) this.sendMarked(kind, this.region);
  },
  forgetMarked(event) {
    this.sendMarked(event.currentTarget.dataset.kind, null);
  },
  async sendMarked(kind, region) {
    this.work(1);
    try {
      this.markedNow = (await (await post(this.data.urls["mark-region"], { kind, region, frame: this.frame })).json()).marked;
      this.settle("mark");
    } catch (error) {
      this.complain("mark", error.message);
    } finally {
      this.work(-1);
    }
  },
  // The region is drawn where it was marked, at its frame.
  showMarked(event) {
    const { region, frame } = this.markedNow[event.currentTarget.dataset.kind];
    this.region = { ...region };
    this.regionKind = region.kind;
    this.$refs.regionPick.value = region.kind;
    this.standAt(frame);
    this.placeOverlays();
    this.refresh(true);
  },
};
