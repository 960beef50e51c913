// A region as data: a rectangle or ellipse in shares of the frame, which it never leaves.
const LEAST = 0.01;
const held = (value) => Number(Math.min(Math.max(value, 0), 1).toFixed(5));

// Between two places in pixels of the frame.
export function between(kind, [x0, y0], [x1, y1], { width, height }) {
  return {
    kind,
    left: held(Math.min(x0, x1) / width),
    right: held(Math.max(x0, x1) / width),
    top: held(Math.min(y0, y1) / height),
    bottom: held(Math.max(y0, y1) / height),
  };
}
// A square of 16 % of the height about a pixel, as far as the frame goes.
export function around(kind, { x, y }, frame) {
  const reach = frame.height * 0.08;
  return between(kind, [x - reach, y - reach], [x + reach, y + reach], frame);
}
// Moved by shares of the frame, as far as its edges.
export function shifted(from, dx, dy) {
  const x = Math.min(Math.max(dx, -from.left), 1 - from.right),
    y = Math.min(Math.max(dy, -from.top), 1 - from.bottom);
  return { ...from, left: from.left + x, right: from.right + x, top: from.top + y, bottom: from.bottom + y };
}
// Its lower right corner moved; as it was where that would leave nothing, or the frame.
export function grown(from, dx, dy) {
  const right = from.right + dx,
    bottom = from.bottom + dy;
  const fits = right > from.left + LEAST && bottom > from.top + LEAST && right <= 1 && bottom <= 1;
  return fits ? { ...from, right, bottom } : from;
}
// One of its eight edges and corners ("n", "se" …) moved by shares of the frame; it stops before nothing is left, and at
// the frame.
export function resized(from, edge, dx, dy) {
  const next = { ...from };
  if (edge.includes("w")) next.left = Math.min(held(from.left + dx), from.right - LEAST);
  if (edge.includes("e")) next.right = Math.max(held(from.right + dx), from.left + LEAST);
  if (edge.includes("n")) next.top = Math.min(held(from.top + dy), from.bottom - LEAST);
  if (edge.includes("s")) next.bottom = Math.max(held(from.bottom + dy), from.top + LEAST);
  return next;
}
