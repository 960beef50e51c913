// What the server says of the frames in sight: asked for at once, soon again while something is being made, and now and
// then to see what changed elsewhere.
import { post } from "../js/http.js";

const SOON = 300,
  TURNS = 8,
  LATER = 3000,
  REST = 2500;

// How far what an answer waits for is; empty where nothing is missing. `what` is compared.
export function progress({ missing, apart, pairs }, what) {
  if (missing) return `pictures to be made: ${missing}`;
  return apart ? `compared: ${pairs - apart} of ${pairs} ${what}` : "";
}

export class Feed {
  // urls: tiles and ready; body() is what is asked for now, take(answer, body) is given what is said, and again when
  // more of its tiles are made; fail(error).
  constructor(urls, body, take, fail) {
    Object.assign(this, { urls, body, take, fail });
    this.timer = 0;
    this.underWay = false;
    this.again = false;
  }

  // At once, or when the answer under way has come.
  ask() {
    clearTimeout(this.timer);
    if (this.underWay) this.again = true;
    else this.run();
  }

  async run() {
    this.underWay = true;
    this.again = false;
    let wait = REST;
    try {
      if (!document.hidden) {
        const body = this.body();
        const answer = await (await post(this.urls.tiles, body)).json();
        this.take(answer, body);
        wait = answer.missing ? 0 : answer.apart ? LATER : REST;
        if (answer.missing) await this.watch(answer, body);
      }
    } catch (error) {
      this.fail(error);
    }
    this.underWay = false;
    clearTimeout(this.timer);
    if (!this.stopped) this.timer = setTimeout(() => this.run(), this.again ? 0 : wait);
  }

  // Which tiles have been made meanwhile: a small question many times, then all is asked again.
  async watch(answer, body) {
    for (let turn = 0; turn < TURNS && answer.missing > 0 && !this.again && !this.stopped; turn++) {
      await new Promise((done) => setTimeout(done, SOON));
      const waiting = answer.rows.flatMap((row) =>
        row.cells.filter((cell) => cell.key && !cell.made && !cell.problem).map((cell) => ({ row, cell })),
      );
      const tiles = waiting.map(({ row, cell }) => [row.shot, row.frame, cell.key]),
        { made } = await (await post(this.urls.ready, { tiles })).json();
      waiting.forEach(({ cell }, n) => (cell.made = made[n]));
      answer.missing -= made.filter(Boolean).length;
      if (made.some(Boolean)) this.take(answer, body);
    }
  }

  stop() {
    this.stopped = true;
    clearTimeout(this.timer);
  }
}
