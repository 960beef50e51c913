// Points of a curve as data: pairs in order of x. `spec` says between what (x, y), where they rest (default), and whether
// the axis goes round, as that of hue does.
const exact = (value) => Number(value.toFixed(4));
const between = (value, low, high) => Math.min(Math.max(value, low), high);

// A point kept between its neighbours and inside the plot.
export function held(spec, points, i, px, py) {
  const room = (spec.x[1] - spec.x[0]) / 500,
    low = i > 0 ? points[i - 1][0] + room : spec.x[0],
    high = i < points.length - 1 ? points[i + 1][0] - room : spec.x[1] - (spec.around ? room : 0);
  return [exact(between(px, low, high)), exact(between(py, ...spec.y))];
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
