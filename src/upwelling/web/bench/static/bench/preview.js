// Previews: at most one request under way, the newest settings win. Takes the server's answer apart.
window.upwelling = window.upwelling || {};

upwelling.Previews = class {
  constructor(url, show, fail) {
    this.url = url;
    this.show = show;
    this.fail = fail;
    this.waiting = null;
    this.underWay = false;
  }

  ask(body) {
    this.waiting = body;
    if (!this.underWay) this.run();
  }

  async run() {
    this.underWay = true;
    while (this.waiting) {
      const body = this.waiting;
      this.waiting = null;
      try {
        const response = await upwelling.post(this.url, body);
        await this.show(await this.parse(await response.arrayBuffer()), body);
      } catch (error) {
        this.fail(error);
      }
    }
    this.underWay = false;
  }

  async parse(buffer) {
    const length = new DataView(buffer).getUint32(0, true);
    const head = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, length)));
    const start = 4 + length;
    const blob = new Blob([new Uint8Array(buffer, start, head.picture_bytes)], { type: head.mime });
    head.bitmap = await createImageBitmap(blob);
    head.shades = new Uint8Array(buffer, start + head.picture_bytes);
    return head;
  }
};
