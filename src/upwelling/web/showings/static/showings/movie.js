// The movie of a showing: played at its pace, its frames known, its event followed.
export const movie = {
  movieOn: false,
  moment: 0,

  // An outline over a movie whose picture is of another shape would lie elsewhere than it is drawn.
  get drawable() {
    const { videoWidth, videoHeight } = this.$refs.video;
    const own = this.first.width / this.first.height;
    return !this.movieOn || Math.abs(videoWidth / videoHeight / own - 1) < 0.01;
  },
  get movieSaid() {
    return this.movieOn ? "The still" : "Play it";
  },
  toggleMovie() {
    if (!this.item.movie) return;
    this.movieOn = !this.movieOn;
    this.forgetOutline();
    this.placeRemarks();
    if (this.movieOn) this.cue();
    else this.$refs.video.pause();
  },
  // To where this frame's shot begins; the browser keeps what it has of a movie that is asked for again.
  cue() {
    const { video } = this.$refs;
    if (!this.item.movie) return this.toggleStill();
    const begin = (this.item.begin + 0.5) / this.item.rate;
    if (video.getAttribute("src") !== this.item.movie) {
      video.src = this.item.movie;
      video.addEventListener("loadedmetadata", () => this.playFrom(begin), { once: true });
      video.load();
      return undefined;
    }
    return this.playFrom(begin);
  },
  toggleStill() {
    this.movieOn = false;
    this.$refs.video.pause();
  },
  playFrom(seconds) {
    const { video } = this.$refs;
    video.currentTime = seconds;
    if (this.movieOn) video.play().catch(() => {});
  },
  follow() {
    if (!this.movieOn) return;
    this.moment = Math.floor(this.$refs.video.currentTime * this.item.rate + 0.001);
    const here = this.items.find(
      (one) => one.movie === this.item.movie && this.moment >= one.begin && this.moment < one.begin + one.frames,
    );
    if (!here || here === this.item) return;
    this.at = this.items.indexOf(here);
    this.fillStates();
    this.placeRemarks();
  },
};
