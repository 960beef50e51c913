// Points of a curve as data: pairs in order of x. `spec` says between what (x, y), where they rest (default), and whether
// the axis goes round, as that of hue does.
const exact = (value) => Number(value.toFixed(4));
const between = (value, low, high) => Math.min(Math.max(value, low), high);

// A point kept between its neighbours and inside the plot; where the curve may not fall steeply, it stops there too.
export function held(spec, points, i, px, py) {
  const room = (spec.x[1] - spec.x[0]) / 500,
    low = i > 0 ? points[i - 1][0] + room : spec.x[0],
    high = i < points.length - 1 ? points[i + 1][0] - room : spec.x[1] - (spec.around ? room : 0),
    x = exact(between(px, low, high)),
    [least, most] = steepest(spec, points, i, x);
  return [x, exact(between(between(py, least, most), ...spec.y))];
}
// Between what heights a point may stand at a place, rounded inwards.
function steepest(spec, points, i, x) {
  if (typeof spec.falls !== "number") return spec.y;
  const turn = spec.around ? spec.x[1] - spec.x[0] : null,
    last = points.length - 1,
    [left, right] = [i > 0 ? points[i - 1] : null, i < last ? points[i + 1] : null],
    before = left || (turn && [points[last][0] - turn, points[last][1]]),
    after = right || (turn && [points[0][0] + turn, points[0][1]]);
  return [
    before ? Math.ceil((before[1] - spec.falls * (x - before[0])) * 1e4 - 1e-6) / 1e4 : spec.y[0],
    after ? Math.floor((after[1] + spec.falls * (after[0] - x)) * 1e4 + 1e-6) / 1e4 : spec.y[1],
  ];
}

// Where a point rests: on the line of no change.
export const resting = (spec, px) => (spec.identity ? px : spec.default[0][1]);

// With one more point; `at` is where it stands in the row.
export function inserted(points, px, py) {
  const after = points.findIndex(([x]) => x > px),
    at = after < 0 ? points.length : after;
  return { at, points: [...points.slice(0, at), [exact(px), exact(py)], ...points.slice(at)] };
}

// The middle between a point and its neighbour.
export function beside(points, i) {
  const [a, b] = [points[i], points[i + 1] || points[i - 1]];
  return [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2];
}

// Whether a place has room for a point.
export function hasRoom(spec, points, px) {
  const room = (spec.x[1] - spec.x[0]) / 250;
  return px >= spec.x[0] && px < spec.x[1] && !points.some(([x]) => Math.abs(x - px) < room);
}

// A curve's value at a place, read off a line of samples.
export function valueOn({ xs, ys }, px) {
  const after = Math.max(1, xs.findIndex((x) => x >= px)),
    share = between((px - xs[after - 1]) / (xs[after] - xs[after - 1]), 0, 1);
  return ys[after - 1] + share * (ys[after] - ys[after - 1]);
}

// Three points on the line about a place, in the stead of those that stood there; `at` is the middle one.
export function around(spec, points, line, place) {
  const [low, high] = spec.x,
    turn = high - low,
    reach = turn / 12;
  const wrap = (px) => (spec.around ? low + ((((px - low) % turn) + turn) % turn) : px);
  const away = (px) => {
    const straight = Math.abs(px - place);
    return spec.around ? Math.min(straight, turn - straight) : straight;
  };
  const three = [-reach, 0, reach]
    .map((by) => wrap(place + by))
    .filter((px) => px >= low && px <= high)
    .map((px) => [exact(px), exact(valueOn(line, px))]);
  const kept = points.filter(([px]) => away(px) > reach * 1.2);
  const made = [...kept, ...three].sort((a, b) => a[0] - b[0]);
  return { points: made, at: made.findIndex(([px]) => Math.abs(px - place) < 0.001) };
}
