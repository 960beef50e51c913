// Mattes, keys, curves' points and regions as data.
import assert from "node:assert/strict";
import { test } from "node:test";
import { numbered, unused } from "../../src/upwelling/web/bench/static/bench/model/copies.js";
import { around, beside, hasRoom, held, inserted, resting, valueOn } from "../../src/upwelling/web/bench/static/bench/model/curve_points.js";
import * as keys from "../../src/upwelling/web/bench/static/bench/model/keys.js";
import { borrowed, putSelection, removeSelection, spread } from "../../src/upwelling/web/bench/static/bench/model/matte.js";
import * as region from "../../src/upwelling/web/bench/static/bench/model/region.js";
import { MATTE, shape, step } from "./vocabulary.js";

test("names that nothing has yet", () => {
  assert.equal(unused("a", []), "a");
  assert.equal(unused("a", ["a", "a2"]), "a3");
  assert.equal(numbered("group", ["group1", "group3"]), "group2");
});

// --- mattes
test("a selection is put last, the first one joins by and, the empty matte stays empty", () => {
  const one = step("a");
  assert.equal(putSelection(one, shape("", { kind: "ellipse" }), MATTE), "ellipse");
  assert.equal(putSelection(one, shape(""), MATTE), "ellipse2");
  assert.deepEqual(one.limit.selections.map(({ join }) => join), ["and", "or"]);
  assert.equal(MATTE.selections.length, 0);
  assert.equal(removeSelection(one, "ellipse"), "ellipse2");
  assert.equal(removeSelection(one, "ellipse2"), "");
  assert.equal(one.limit, null);
});
test("a linked shape is one shape, how it is joined stays each one's own", () => {
  const steps = [step("a", { limit: { selections: [shape("e", { x: 1 })] } }), step("b"), step("c", { limit: { selections: [] } })];
  const link = borrowed(steps, "a", "e", true);
  assert.equal(link.link, "shape1");
  putSelection(steps[1], { ...link, invert: true, on: false }, MATTE);
  const copy = borrowed(steps, "a", "e", false);
  assert.equal(copy.link, "");
  putSelection(steps[2], copy, MATTE);
  const mine = steps[0].limit.selections[0];
  mine.x = 5;
  spread(steps, mine);
  const [linked] = steps[1].limit.selections;
  assert.deepEqual([linked.x, linked.invert, linked.on, linked.id, linked.join], [5, true, false, "ellipse", "and"]);
  assert.equal(steps[2].limit.selections[0].x, 1);
  spread(steps, null);
});

// --- keys
const moving = () => shape("e", { by_hand: [], scale: 1 });
test("whose parameter a path names", () => {
  const steps = [step("a", { limit: { selections: [moving()] } })];
  assert.deepEqual([keys.holderOf(steps, "steps.0.stops").name, keys.holderOf(steps, "steps.0.stops").place], ["stops", ""]);
  assert.equal(keys.holderOf(steps, "steps.0.limit.selections.0.x").holder, steps[0].limit.selections[0]);
  for (const path of ["rendering.contrast", "steps.1.stops", "steps.0.limit.selections.1.x", "steps.0.limit.blur"])
    assert.equal(keys.holderOf(steps, path), null, path);
});
test("keys begin, stand in order, replace one another, move, and the last one taken lets the value stand still", () => {
  const one = moving();
  assert.equal(keys.put(one, "x", 3, 1), false, "no track yet");
  keys.begin(one, "x", 10);
  keys.put(one, "x", 4, 0.4);
  keys.put(one, "x", 10, 0.9);
  assert.deepEqual(keys.trackOf(one, "x").keys, [[4, 0.4], [10, 0.9]]);
  assert.deepEqual([keys.framesOf(one), one.by_hand], [[4, 10], [4, 10]]);
  assert.equal(keys.move(one, 4, 10), 4, "another key stands there");
  assert.equal(keys.move(one, 4, 12), 12);
  assert.deepEqual([keys.framesOf(one), one.by_hand], [[10, 12], [10, 12]]);
  keys.drop(one, 10, () => 0);
  assert.equal(one.tracks.length, 1);
  keys.drop(one, 12, (name) => ({ x: 0.7 })[name]);
  assert.deepEqual([one.x, one.tracks, one.by_hand], [0.7, [], []]);
});
test("points of a shape are kept flat; a step has no keys by hand", () => {
  const one = step("a", { points: [[0, 1], [2, 3]] });
  keys.begin(one, "points", 0);
  assert.deepEqual(one.tracks[0].keys, [[0, [0, 1, 2, 3]]]);
  assert.ok(!("by_hand" in one));
});

// --- curves
const TONES = { x: [0, 1], y: [0, 1], default: [[0, 0], [1, 1]], identity: true };
const HUES = { x: [0, 360], y: [-30, 30], default: [[0, 0], [180, 0]], around: true };
test("a point keeps between its neighbours and inside the plot", () => {
  const points = [[0, 0], [0.5, 0.5], [1, 1]];
  assert.deepEqual(held(TONES, points, 1, 2, 2), [0.998, 1]);
  assert.deepEqual(held(TONES, points, 1, -1, -1), [0.002, 0]);
  assert.deepEqual(held(TONES, points, 2, 9, 0.25), [1, 0.25]);
  assert.equal(held(HUES, [[0, 0], [180, 0]], 1, 360, 0)[0], 359.28, "where an axis goes round, its end is its beginning");
  assert.deepEqual([resting(TONES, 0.3), resting(HUES, 90)], [0.3, 0]);
});
test("points come in by their place", () => {
  const points = [[0, 0], [1, 1]];
  assert.deepEqual(inserted(points, ...beside(points, 0)), { at: 1, points: [[0, 0], [0.5, 0.5], [1, 1]] });
  assert.deepEqual(beside(points, 1), [0.5, 0.5]);
  assert.equal(inserted(points, 2, 0).at, 2);
  assert.deepEqual([0.5, 1, -0.1, 0.002].map((px) => hasRoom(TONES, points, px)), [true, false, false, false]);
  assert.equal(valueOn({ xs: [0, 1, 2], ys: [0, 10, 30] }, 1.5), 20);
});
test("three points around a colour, over the end of the circle too, in the stead of those there", () => {
  const line = { xs: [0, 360], ys: [0, 0] };
  const made = around(HUES, [[5, 9], [180, 0]], line, 350);
  assert.deepEqual(made.points.map(([px]) => px), [20, 180, 320, 350]);
  assert.equal(made.at, 3);
});

// --- regions
test("a region never leaves the frame", () => {
  const frame = { width: 200, height: 100 };
  const one = region.between("rectangle", [150, 90], [50, -20], frame);
  assert.deepEqual(one, { kind: "rectangle", left: 0.25, right: 0.75, top: 0, bottom: 0.9 });
test("an edge or corner of a region is moved, and stops before it crosses the one opposite", () => {
  const one = { kind: "rectangle", left: 0.2, right: 0.6, top: 0.3, bottom: 0.5 };
  const sides = ({ left, right, top, bottom }) => [left, right, top, bottom].map((value) => Number(value.toFixed(5)));
  for (const [edge, dx, dy, wanted] of [
    ["nw", 0.1, -0.1, [0.3, 0.6, 0.2, 0.5]],
    ["e", 0.2, 9, [0.2, 0.8, 0.3, 0.5]],
    ["se", 9, 9, [0.2, 1, 0.3, 1]],
    ["w", 9, 0, [0.59, 0.6, 0.3, 0.5]],
    ["n", 0, -9, [0.2, 0.6, 0, 0.5]],
    ["s", 0, -9, [0.2, 0.6, 0.3, 0.31]],
  ])
    assert.deepEqual(sides(region.resized(one, edge, dx, dy)), wanted, edge);
});
  const moved = region.shifted(one, 1, 1);
  assert.deepEqual([moved.left, moved.right, moved.bottom].map((v) => Number(v.toFixed(6))), [0.5, 1, 1]);
  assert.equal(region.grown(one, 0.5, 0), one);
  assert.equal(region.grown(one, -0.5, 0), one);
  assert.equal(region.grown(one, 0.1, 0).right, 0.85);
  assert.deepEqual(region.around("ellipse", { x: 200, y: 50 }, frame), { kind: "ellipse", left: 0.96, right: 1, top: 0.42, bottom: 0.58 });
});
test("a point stops where its curve may fall no more, against both neighbours and round the circle", () => {
  const spec = { x: [-8, 8], y: [-4, 4], falls: 0.95 },
    points = [[-1, 1], [0, 0], [1, 0]];
  assert.deepEqual(held(spec, points, 1, 0, -3), [0, 0.05]);
  assert.deepEqual(held(spec, points, 1, 0, 3), [0, 0.95]);
  const rising = { x: [0, 1], y: [0, 1], falls: 0 };
  assert.deepEqual(held(rising, [[0.1, 0.2], [0.5, 0.5], [0.9, 0.8]], 1, 0.5, 0.95), [0.5, 0.8]);
  const round = { x: [0, 360], y: [-60, 60], falls: 0.99, around: true };
  assert.deepEqual(held(round, [[0, 0], [30, 0], [180, 0]], 1, 30, 60), [30, 60]);
  assert.deepEqual(held(round, [[0, 0], [30, 0], [180, 0]], 1, 30, -60), [30, -29.7]);
  assert.deepEqual(held(round, [[0, 0], [180, 0], [340, 0]], 2, 340, 60), [340, 19.8]);
});
