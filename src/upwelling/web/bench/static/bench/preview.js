// Previews: at most one request under way, the newest settings win, a still picture gives way to a moving hand.
import { post } from "../js/http.js";

export class Previews {
  // show(head, body) and fail(error, body) take the answers; work(by) is told +1 and −1 as requests begin and end.
  constructor(show, fail, work) {
    this.show = show;
    this.fail = fail;
    this.work = work;
    this.waiting = null;
    this.underWay = false;
    this.page = Math.random().toString(36).slice(2, 14);
    this.number = 0;
    this.stopped = false;
  }

  // Nobody looks any more: what is under way is given up.
  stop() {
    this.stopped = true;
    this.waiting = null;
    if (this.stoppable) this.stoppable.abort();
  }

  // Whether a picture of a moving hand is under way: the next one is asked for when it has come.
  get isMoving() {
    return this.underWay && !this.stoppable;
  }

  // url, body: what to ask; the answer of the newest question is shown.
  ask(url, body) {
    if (this.stopped) return;
    this.waiting = { url, body };
    if (this.stoppable) this.stoppable.abort();
    if (!this.underWay) this.run();
  }

  async run() {
    this.underWay = true;
    this.work(1);
    while (this.waiting) {
      const { url, body } = this.waiting;
      this.waiting = null;
      this.number += 1;
      // Only the still may be stopped half way: a dragged picture is nearly there and keeps the hand company.
      this.stoppable = body.lossless ? new AbortController() : null;
      try {
        const response = await post(
          url,
          { ...body, page: this.page, number: this.number },
          this.stoppable && this.stoppable.signal,
        );
        if (response.status === 204) continue;
        await this.show(await parsed(await response.arrayBuffer()), body);
      } catch (error) {
        if (error.name !== "AbortError") this.fail(error, body);
      }
    }
    this.stoppable = null;
    this.underWay = false;
    this.work(-1);
  }
}

// The parts of an answer: what it says, its picture, its scopes.
export async function parsed(buffer) {
  const length = new DataView(buffer).getUint32(0, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, length)));
  let start = 4 + length;
  const bytes = new Uint8ClampedArray(buffer, start, head.picture_bytes);
  start += head.picture_bytes;
  for (const scope of head.scopes) {
    const size = scope.planes * scope.levels * scope.columns;
    scope.shades = new Uint8Array(buffer, start, size);
    start += size;
  }
  head.bitmap =
    head.mime === "image/x-rgba"
      ? new ImageData(bytes, head.width, head.height)
      : await createImageBitmap(new Blob([bytes], { type: head.mime }));
  return head;
}
