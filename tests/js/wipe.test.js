// A wipe at any angle: what lies beyond its line, and where a hand takes it.
import assert from "node:assert/strict";
import { test } from "node:test";
import { angleAt, beyond, middleOf, shareAt, turned } from "../../src/upwelling/web/bench/static/bench/model/wipe.js";

const near = (a, b) => a.flat().forEach((value, n) => assert.ok(Math.abs(value - b.flat()[n]) < 1e-9, `${a} ${b}`));
const area = (points) => Math.abs(points.reduce((sum, [x, y], n) => {
  const [u, v] = points[(n + 1) % points.length];
  return sum + x * v - u * y;
}, 0)) / 2;

test("across, down and on the diagonal", () => {
  const at = { wide: 160, tall: 90, share: 0.25 };
  near(beyond({ ...at, angle: 0 }), [[40, 0], [160, 0], [160, 90], [40, 90]]);
  near(beyond({ ...at, angle: 90 }), [[160, 22.5], [160, 90], [0, 90], [0, 22.5]]);
  const half = beyond({ ...at, share: 0.5, angle: 30 });
  assert.ok(Math.abs(area(half) - 80 * 90) < 1e-6, "a line through the middle halves the picture at any angle");
});

test("nothing and all lie beyond at the ends", () => {
  for (const angle of [0, 17, 90, 135, -60, 180]) {
    assert.ok(area(beyond({ wide: 160, tall: 90, share: 0, angle })) > 160 * 90 - 1e-6);
    assert.ok(area(beyond({ wide: 160, tall: 90, share: 1, angle })) < 1e-6);
  }
});

test("a hand takes the line where it is, and turns it about its middle", () => {
  for (const angle of [0, 33, -120, 90]) {
    const wipe = { wide: 160, tall: 90, share: 0.7, angle };
    assert.ok(Math.abs(shareAt(wipe, ...middleOf(wipe)) - 0.7) < 1e-9);
    const [x, y] = middleOf(wipe), along = ((angle - 90) * Math.PI) / 180;
    assert.ok(Math.abs(turned(angleAt(wipe, x + 9 * Math.cos(along), y + 9 * Math.sin(along)) - angle)) < 1e-6);
  }
  assert.deepEqual([turned(190), turned(-190), turned(180), turned(540)], [-170, 170, -180, -180]);
});
