// What rides along from shot to shot: what is compared with and how, zoom, place, region, view and viewing layer.
const KEY = "bench-riding";
const OF_A_STEP = ["selection", "over", "matte"];

export const riding = {
  start() {
    window.addEventListener("pagehide", () => this.packRide(), { signal: this.leaving.signal });
    const ride = this.rideFound();
    if (ride) this.unpackRide(ride);
    if (this.data.beside) this.openBeside(this.data.beside);
  },
  // What the address asks to stand beside, at its frame: it comes before what rides along.
  openBeside(other) {
    this.offer(other);
    Object.assign(this, { against: `shot:${other.pk}`, compare: "beside", otherFrame: other.frame });
  },
  packRide(inPage = false) {
    const { width, height } = this.data.frame,
      { compare, against, otherFrame, wipe, wipeAngle, zoom, region, regionThere, regionKind, linked } = this,
      stage = this.works || this.stage !== "input" ? this.stage : this.data.hand,
      layer = { ...this.layer, until: "" },
      point = { x: (this.point.x + 0.5) / width, y: (this.point.y + 0.5) / height };
    const ride = { other: this.otherShot, from: this.data.pk, of: this.placeOf(this.data.urls.preview), size: [width, height], layer, point, inPage };
    sessionStorage.setItem(
      KEY,
      JSON.stringify({ ...ride, compare, against, otherFrame, wipe, wipeAngle, zoom, region, regionThere, regionKind, view: this.viewRides, linked, stage }),
    );
  },
  get viewRides() {
    return OF_A_STEP.includes(this.view) ? "picture" : this.view;
  },
  // The Bench of a production: the address up to the shot.
  placeOf(address) {
    return address.split("/bench/")[0] + "/bench/";
  },
  // What the page before left, where that was a Bench of the same production.
  rideFound() {
    let ride = null;
    try {
      ride = JSON.parse(sessionStorage.getItem(KEY));
      sessionStorage.removeItem(KEY);
    } catch {
      return null;
    }
    if (ride && ride.inPage) return ride;
    const came = document.referrer.startsWith(window.location.origin) ? new URL(document.referrer).pathname : "";
    return ride && ride.of === this.placeOf(this.data.urls.preview) && came.startsWith(ride.of) ? ride : null;
  },
  unpackRide(ride) {
    const { width, height } = this.data.frame,
      { compare, otherFrame, wipe, wipeAngle, zoom, region, regionThere, regionKind, layer, linked } = ride;
    Object.assign(this, { wipe, wipeAngle, region, regionThere, regionKind, layer, linked, zoom });
    this.view = ride.view;
    this.data.hand = this.data.hand || ride.stage;
    this.point = { x: Math.min(Math.floor(ride.point.x * width), width - 1), y: Math.min(Math.floor(ride.point.y * height), height - 1) };
    this.$refs.regionPick.value = regionKind;
    if (ride.other && ride.against.startsWith("shot:") && ride.other.pk !== this.data.pk) this.offer(ride.other);
    const against = ride.against === `shot:${this.data.pk}` ? `shot:${ride.from}` : ride.against,
      known = this.otherChoices.some((choice) => choice.value === against);
    if (known) Object.assign(this, { against, compare, otherFrame: against === ride.against ? otherFrame : null });
    this.setPart();
    const lost = ride.against !== "untrimmed" && !known && ["wipe", "beside"].includes(compare) && !ride.against.startsWith("mark:");
    if (lost) this.complain("ride", "What the last shot was compared with cannot be had here. Choose another under “Compare with”.");
    else if (zoom !== "fit" && (ride.size[0] !== width || ride.size[1] !== height))
      this.complain("ride", `The last shot had ${ride.size.join(" × ")} pixels, this one ${width} × ${height}: the zoom shows another part of it.`);
  },
};
