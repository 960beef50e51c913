// The layer in hand: what is shown, what is saved for the shot, what waits for all shots that share a layer.
import assert from "node:assert/strict";
import { test } from "node:test";
import { Layers } from "../../src/upwelling/web/bench/static/bench/model/layers.js";

const step = (id, stops) => ({ id, kind: "exposure", stops });
const content = (...steps) => ({ steps, groups: [], strength: 1, on: true });
const rest = () => ({ on: true, strength: null, own: null });
function page(more = {}) {
  const settings = { steps: [step("e", 1)], groups: [], camera_trim: rest(), group_trim: rest(), finish: rest(), ...more };
  const finish = (output, acts_for, ...steps) => ({ output, acts_for, content: content(...steps), history: { number: 0 } });
  const shared = {
    camera_trim: [{ output: "", acts_for: ["TV"], content: content(step("c", 0.5)), history: { number: 3 } }],
    finish: [finish("SDR", ["TV"]), finish("HDR", ["PQ"], step("h", 2)), finish("", [])],
  };
  return { settings, layers: new Layers(() => settings, shared), shared };
}
const stops = (list) => list.map((one) => one.stops);

test("a layer is taken in hand and left, and the shot keeps its own", () => {
  const { settings, layers } = page();
  layers.take("camera_trim");
  assert.deepEqual(stops(settings.steps), [0.5]);
  assert.deepEqual(stops(layers.forShot().steps), [1]);
  assert.equal(layers.forShot().camera_trim.own, null);
  settings.steps[0].stops = 0.75;
  layers.take("trim");
  assert.deepEqual(stops(settings.steps), [1]);
  layers.take("group_trim");
  assert.equal(layers.hand, "trim", "a shot without a group has no such layer");
});

test("a draft is seen as a copy of the shot's own, and is in no saved settings", () => {
  const { settings, layers } = page();
  layers.take("camera_trim");
  settings.steps[0].stops = 0.75;
  assert.deepEqual(stops(layers.seen("TV").camera_trim.own.steps), [0.75], "also before the hand rests");
  assert.deepEqual(stops(layers.seen("TV").steps), [1]);
  assert.deepEqual(layers.dirty, []);
  layers.note("exposure");
  layers.note("exposure");
  assert.deepEqual(layers.dirty, ["camera_trim"]);
  layers.take("trim");
  assert.deepEqual(stops(layers.seen("TV").camera_trim.own.steps), [0.75], "and while another is in hand");
  assert.equal(layers.forShot().camera_trim.own, null);
  assert.deepEqual(layers.draftsSeen("TV"), ["camera_trim"]);
});

test("undo and redo go through the states of the draft; dropping it shows what is saved", () => {
  const { settings, layers } = page();
  layers.take("camera_trim");
  for (const value of [1, 2, 3]) {
    settings.steps[0].stops = value;
    layers.note(`to ${value}`);
  }
  const seen = [];
  for (const move of ["undo", "undo", "redo", "undo", "undo", "undo", "redo"]) {
    layers[move]();
    seen.push(settings.steps[0].stops);
  }
  assert.deepEqual(seen, [2, 1, 2, 1, 0.5, 0.5, 1]);
  settings.steps[0].stops = 9;
  layers.note("anew");
  layers.redo();
  assert.equal(settings.steps[0].stops, 9, "a new state cuts what lay after");
  const sent = layers.saving();
  assert.deepEqual([sent.kind, sent.number, sent.label, stops(sent.content.steps), stops(sent.base.steps)],
    ["camera_trim", 3, "to 1, anew", [9], [0.5]]);
  layers.drop();
  assert.deepEqual([stops(settings.steps), layers.dirty], [[0.5], []]);
});

test("a copy of the shot's own is the shot's, and no draft", () => {
  const { settings, layers } = page({ camera_trim: { ...rest(), own: content(step("o", 4)) } });
  layers.take("camera_trim");
  assert.equal(layers.isShared(), false);
  settings.steps[0].stops = 5;
  assert.deepEqual(stops(layers.forShot().camera_trim.own.steps), [5]);
  assert.deepEqual(layers.draftsSeen("TV"), []);
});

test("a finish is seen where it acts; another is picked only when nothing waits", () => {
  const { settings, layers } = page();
  assert.equal(layers.outputs.finish, "HDR", "the one that holds something comes first");
  layers.take("finish");
  settings.steps[0].stops = 3;
  layers.note("exposure");
  assert.deepEqual([layers.seen("TV").finish.own, stops(layers.seen("PQ").finish.own.steps)], [null, [3]]);
  assert.equal(layers.pickOutput("SDR"), false);
  layers.drop();
  assert.equal(layers.pickOutput("SDR"), true);
  assert.deepEqual(settings.steps, []);
});

test("what the server has anew comes in hand, but for what waits to be saved", () => {
  const { settings, layers, shared } = page();
  const anew = { ...shared, camera_trim: [{ ...shared.camera_trim[0], content: content(step("n", 7)), history: { number: 4 } }] };
  layers.take("camera_trim");
  layers.know(anew);
  assert.deepEqual(stops(settings.steps), [7]);
  settings.steps[0].stops = 8;
  layers.note("exposure");
  layers.know(shared);
  assert.deepEqual([stops(settings.steps), layers.saving().number], [[8], 4], "saved on what it was made from");
  Object.assign(settings, { steps: [step("e", 2)], groups: [] });
  layers.renewed();
  assert.deepEqual([stops(settings.steps), stops(layers.forShot().steps)], [[8], [2]]);
});
