// A wipe: a straight line over a picture, at any angle; one picture shows on its near side, the other beyond it. `share`
// is how far it has gone across, 0 to 1; `angle` turns its direction, in degrees: 0 wipes from left to right.
const RADIAN = Math.PI / 180;

function way({ wide, tall, angle }) {
  const across = Math.cos(angle * RADIAN),
    down = Math.sin(angle * RADIAN);
  return { across, down, half: (Math.abs(wide * across) + Math.abs(tall * down)) / 2 };
}
// The point in the middle of the line.
export function middleOf(wipe) {
  const { across, down, half } = way(wipe),
    gone = (2 * wipe.share - 1) * half;
  return [wipe.wide / 2 + across * gone, wipe.tall / 2 + down * gone];
}
// How far it has gone when the line lies under a point.
export function shareAt(wipe, x, y) {
  const { across, down, half } = way(wipe),
    gone = (x - wipe.wide / 2) * across + (y - wipe.tall / 2) * down;
  return Math.min(Math.max((gone / Math.max(half, 1) + 1) / 2, 0), 1);
}
// The angle whose line, turned about its middle, points at a point.
export function angleAt(wipe, x, y) {
  const [mx, my] = middleOf(wipe);
  return turned((Math.atan2(y - my, x - mx) / RADIAN + 90) % 360);
}
// An angle as one from −180 up to 180.
export function turned(angle) {
  return ((((angle + 180) % 360) + 360) % 360) - 180;
}
// A hand's angle: a line that is nearly upright or level is so.
export function nearlyStraight(angle) {
  const straight = 90 * Math.round(angle / 90);
  return Math.abs(angle - straight) < 2.5 ? straight : angle;
}
// The corners of the part of the picture that lies beyond the line.
export function beyond(wipe) {
  const { across, down } = way(wipe),
    [mx, my] = middleOf(wipe),
    { wide, tall } = wipe,
    corners = [[0, 0], [wide, 0], [wide, tall], [0, tall]],
    side = ([x, y]) => (x - mx) * across + (y - my) * down;
  return corners.flatMap((corner, n) => {
    const next = corners[(n + 1) % 4],
      [here, there] = [side(corner), side(next)],
      t = here / (here - there),
      cut = [corner[0] + t * (next[0] - corner[0]), corner[1] + t * (next[1] - corner[1])];
    const crosses = here >= 0 !== there >= 0;
    return [...(here >= 0 ? [corner] : []), ...(crosses ? [cut] : [])];
  });
}
