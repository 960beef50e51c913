// Where tiles stand: as many beside each other as the window has room for, and only those in sight are there at all.
const TARGETS = { small: 0.75, "": 1, large: 1.5 };
// Pixels across: the least that a tile can be read at, on a window from WINDOW on a smaller one, and the most of one.
const LEAST = 300,
  LEAST_WIDE = 205,
  WINDOW = 1700,
  MOST = 480;
const MARGIN = 1;
const LINES = 3;
const LINE = 15;

export class Grid {
  // room scrolls, list holds the tiles; count of rows, each of so many cells; fill(element, row, cell) draws one.
  constructor(room, list, { rows, cells, size, fill }) {
    Object.assign(this, { room, list, rows, cells, size, fill });
    this.shown = new Map();
    this.template = document.getElementById("wall-tile");
    this.measure();
  }

  measure() {
    const least = (window.innerWidth >= WINDOW ? LEAST_WIDE : LEAST) * (TARGETS[this.size] || 1) * (this.cells > 1 ? 0.72 : 1),
      most = Math.max(Math.round(this.room.clientWidth / least / this.cells), 1);
    // As large as lets all be seen at once, and no smaller than can be read.
    let beside = this.size ? most : Math.min(Math.max(Math.floor(this.room.clientWidth / MOST / this.cells), 1), most);
    for (this.lay(beside * this.cells); beside < most && this.lines * this.high > this.room.clientHeight; ) {
      beside += 1;
      this.lay(beside * this.cells);
    }
    this.list.style.height = `${this.lines * this.high}px`;
    this.list.style.setProperty("--picture-wide", `${this.pictureWide}px`);
    this.list.style.setProperty("--picture-high", `${this.pictureHigh}px`);
    for (const one of this.shown.values()) one.remove();
    this.shown.clear();
  }

  // So many cells across.
  lay(across) {
    this.across = across;
    this.wide = Math.floor(this.room.clientWidth / across);
    this.pictureWide = Math.round((this.wide - 10) * (this.cells > 1 ? 1 : 0.63));
    this.pictureHigh = Math.round((this.pictureWide * 9) / 16);
    this.high = this.pictureHigh + LINES * LINE + 16;
    this.lines = Math.ceil((this.rows * this.cells) / across);
  }

  // The rows in sight, and so many lines more above and below.
  inSight(more = 0) {
    const first = Math.max(Math.floor(this.room.scrollTop / this.high) - more, 0),
      last = Math.min(Math.ceil((this.room.scrollTop + this.room.clientHeight) / this.high) + more, this.lines),
      from = Math.floor((first * this.across) / this.cells),
      to = Math.min(Math.ceil((last * this.across) / this.cells), this.rows);
    return { from, to };
  }

  draw() {
    const { from, to } = this.inSight(MARGIN);
    for (const [at, element] of this.shown)
      if (at < from * this.cells || at >= to * this.cells) {
        element.remove();
        this.shown.delete(at);
      }
    for (let at = from * this.cells; at < to * this.cells; at++) this.put(at);
  }

  put(at) {
    let element = this.shown.get(at);
    if (!element) {
      element = this.template.content.firstElementChild.cloneNode(true);
      element.dataset.at = at;
      element.style.width = `${this.wide}px`;
      element.style.height = `${this.high}px`;
      element.style.transform = `translate(${(at % this.across) * this.wide}px, ${Math.floor(at / this.across) * this.high}px)`;
      this.shown.set(at, element);
      const after = [...this.shown.keys()].filter((other) => other > at).sort((a, b) => a - b)[0];
      this.list.insertBefore(element, after === undefined ? null : this.shown.get(after));
    }
    this.fill(element, Math.floor(at / this.cells), at % this.cells);
  }

  // Brings a row into sight and gives its first cell.
  reveal(row) {
    const top = Math.floor((row * this.cells) / this.across) * this.high;
    if (top < this.room.scrollTop) this.room.scrollTop = top;
    else if (top + this.high > this.room.scrollTop + this.room.clientHeight)
      this.room.scrollTop = top + this.high - this.room.clientHeight;
    this.draw();
    return this.shown.get(row * this.cells);
  }
}
