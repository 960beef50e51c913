// Small moves on tiles: by keys or by dragging across one; tried on the tile, put into the trims when the hand rests.
import { post } from "../js/http.js";

const REST = 600;
const PER_STEP = 16;
const BEGINS = 6;

export class Hand {
  // page: urls, controls; show(), place(row), awaits(row); redraw(row), saving(rows), saved(answer), fail(error).
  constructor(page) {
    this.page = page;
    this.control = Object.keys(page.controls)[0];
    this.by = 0;
    this.rows = [];
    this.tried = new Map();
    this.waiting = false;
    this.underWay = false;
  }

  get text() {
    if (!this.by) return "";
    const { title, digits } = this.page.controls[this.control];
    return `${title} ${this.by > 0 ? "+" : "−"}${Math.abs(this.by).toFixed(digits)}`;
  }

  // By steps of the control in hand, over the rows given.
  move(rows, steps) {
    if (!this.sameRows(rows)) this.save();
    this.rows = rows;
    this.by = this.round(this.by + steps * this.page.controls[this.control].by);
    this.follow();
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.save(), REST);
  }

  round(value) {
    return Number(value.toFixed(6));
  }

  sameRows(rows) {
    return rows.length === this.rows.length && rows.every((row, n) => row === this.rows[n]);
  }

  take(name) {
    this.save();
    this.control = name;
  }

  // The tile in hand as it would be: one question under way, the newest wins.
  async follow() {
    for (const row of this.rows) this.page.redraw(row);
    this.waiting = true;
    if (this.underWay) return;
    this.underWay = true;
    while (this.waiting && this.rows.length) {
      this.waiting = false;
      const row = this.rows[0];
      try {
        const body = { ...this.page.show(), place: this.page.place(row), what: this.control, amount: this.by };
        const made = await (await post(this.page.urls.try, body)).json();
        if ((this.rows[0] === row && this.by) || this.page.awaits(row)) this.tried.set(row, made);
        this.page.redraw(row);
      } catch (error) {
        this.page.fail(error);
      }
    }
    this.underWay = false;
  }

  // Puts what was moved into the trims, as one change.
  async save() {
    clearTimeout(this.timer);
    const { rows, by, control } = this;
    if (!by) return;
    this.by = 0;
    this.rows = [];
    this.waiting = false;
    const shots = [...new Set(rows.map((row) => this.page.place(row)[0]))];
    try {
      const body = { ...this.page.show(), shots, places: rows.map((row) => this.page.place(row)), what: control, amount: by };
      this.page.saving(rows);
      this.page.saved(await (await post(this.page.urls.move, body)).json());
    } catch (error) {
      this.page.fail(error);
      for (const row of rows) this.forget(row);
    }
  }

  // What was tried on a row is over: its own picture has come.
  forget(row) {
    if (this.rows[0] === row && this.by) return;
    this.tried.delete(row);
    this.page.redraw(row);
  }

  leave() {
    clearTimeout(this.timer);
    const rows = this.rows;
    this.by = 0;
    this.rows = [];
    this.waiting = false;
    for (const row of rows) this.forget(row);
  }

  // Dragging across a tile; rows(row) are those that move with it. A press that hardly moves is a click.
  watch(list, rowOf, rows) {
    list.addEventListener("pointerdown", (event) => {
      const row = rowOf(event);
      if (row < 0 || event.button !== 0 || event.ctrlKey || event.shiftKey || event.metaKey) return;
      this.drag = { row, x: event.clientX, id: event.pointerId, moved: 0, begun: false };
    });
    list.addEventListener("pointermove", (event) => {
      const drag = this.drag;
      if (!drag) return;
      const across = event.clientX - drag.x;
      if (!drag.begun && Math.abs(across) < BEGINS) return;
      if (!drag.begun) {
        drag.begun = true;
        list.setPointerCapture(drag.id);
      }
      const steps = Math.round((across / PER_STEP) * 10) / 10;
      if (steps !== drag.moved) {
        this.move(rows(drag.row), steps - drag.moved);
        clearTimeout(this.timer);
        drag.moved = steps;
      }
    });
    const over = () => {
      const drag = this.drag;
      this.drag = null;
      if (!drag || !drag.begun) return;
      this.dragged = true; // the click that follows opens nothing
      setTimeout(() => (this.dragged = false), 0);
      this.save();
    };
    list.addEventListener("pointerup", over);
    list.addEventListener("pointercancel", over);
    list.addEventListener("dragstart", (event) => event.preventDefault());
  }
}
