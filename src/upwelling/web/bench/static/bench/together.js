// A joint look that this page leads: who looks along at a showing sees its picture, its comparison, its pointer.
import { post } from "../js/http.js";

const OFTEN = 120;
const ALIVE = 10000;
const KEPT = "upwelling.together";

export const together = {
  together: 0,
  togetherName: "",
  alongNames: [],
  pointing: null,

  start() {
    const asked = Number(new URLSearchParams(window.location.search).get("together"));
    this.together = asked || Number(sessionStorage.getItem(KEPT)) || 0;
    if (this.together) this.lead(asked ? "begin" : "say");
  },
  get togetherSaid() {
    const names = this.alongNames.length ? `${this.alongNames.length}: ${this.alongNames.join(", ")}` : "nobody yet";
    return `Joint look at ${this.togetherName} · along: ${names}`;
  },
  get togetherAddress() {
    return this.data.urls.together.replace("/0/", `/${this.together}/`);
  },
  // As shares of the picture: how it is compared, and where the pointer is.
  get togetherState() {
    const compare = Object.entries(this.comparing).find(([, is]) => is)[0],
      against = this.hasOther ? this.otherName : "";
    return { compare, against, wipe: this.wipe, angle: this.wipeAngle, pointer: this.pointing };
  },
  async lead(what) {
    try {
      const told = await (await post(this.togetherAddress, { what, ...this.togetherState })).json();
      if (!told.on) return this.leaveTogether();
      const begins = !this.togetherName;
      this.togetherName = told.name;
      this.alongNames = told.watching;
      if (!begins) return undefined;
      sessionStorage.setItem(KEPT, String(this.together));
      this.keepTelling();
      return this.refresh(true);
    } catch (error) {
      this.leaveTogether();
      return this.complain("together", error.message);
    }
  },
  keepTelling() {
    const { signal } = this.leaving;
    let said = "",
      at = 0;
    const tell = async () => {
      if (signal.aborted || !this.together) return;
      const state = JSON.stringify(this.togetherState);
      if (state !== said || Date.now() - at > (this.alongNames.length ? ALIVE / 4 : ALIVE)) {
        [said, at] = [state, Date.now()];
        await this.lead("say");
      }
      setTimeout(tell, OFTEN);
    };
    tell();
    this.$refs.stage.addEventListener("pointermove", (event) => this.pointTogether(event), { signal });
    this.$refs.stage.addEventListener("pointerleave", () => this.pointTogether(null), { signal });
  },
  pointTogether(event) {
    if (!event) this.pointing = null;
    else {
      const { rect, left, top, wide, tall } = this.box(),
        at = [(event.clientX - rect.left - left) / wide, (event.clientY - rect.top - top) / tall];
      this.pointing = at.every((share) => share >= 0 && share <= 1) ? at : null;
    }
  },
  leaveTogether() {
    this.together = 0;
    this.togetherName = "";
    sessionStorage.removeItem(KEPT);
  },
  async endTogether() {
    await this.lead("end");
  },
};
