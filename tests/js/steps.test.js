// The model of steps and groups: what holds after any row of acts, and each act by a table.
import assert from "node:assert/strict";
import { test } from "node:test";
import { Steps } from "../../src/upwelling/web/bench/static/bench/model/steps.js";
import { VOCABULARY, shape, step } from "./vocabulary.js";

const group = (id) => ({ id, name: "", on: true, strength: 1 });
function made(steps, groups = []) {
  const settings = { steps, groups: groups.map(group) };
  return [new Steps(() => settings, VOCABULARY), settings];
}
const row = (text) => text.split(" ").map((word) => step(word.split("/")[0], { group: word.split("/")[1] || "" }));
const shown = ({ steps }) => steps.map(({ id, group }) => (group ? `${id}/${group}` : id)).join(" ");

// What the server asks of every list: ids differ, the steps of a group stand together, no group without steps.
function holds({ steps, groups }) {
  const ids = steps.map(({ id }) => id),
    runs = steps.map(({ group }) => group).filter((name, i, all) => name && name !== all[i - 1]);
  assert.equal(new Set(ids).size, ids.length);
  assert.equal(new Set(runs).size, runs.length, shown({ steps }));
  assert.deepEqual(groups.map(({ id }) => id).sort(), [...runs].sort());
}

const MOVES = [
  ["a b c", 0, 2, "b c a"],
  ["a/g b/g c", 2, 1, "a/g c/g b/g"], // between two of a group: into it
  ["a/g b/g c", 1, 2, "a/g c b"], // away from its own: out of it
  ["a/g b/g c d", 0, 1, "b/g a/g c d"],
  ["a/g b c", 0, 2, "b c a"], // the last of a group: the group is gone
];
for (const [before, from, to, after] of MOVES)
  test(`moved: ${before}, ${from} to ${to}`, () => {
    const [model, settings] = made(row(before), before.includes("/g") ? ["g"] : []);
    assert.ok(model.move(from, to));
    assert.equal(shown(settings), after);
    holds(settings);
  });
test("moved beyond the list: nothing", () => {
  const [model, settings] = made(row("a b"));
  for (const [from, to] of [[0, 2], [0, -1], [-1, 0]]) assert.equal(model.move(from, to), null);
  assert.equal(shown(settings), "a b");
});

const JOINS = [
  ["a b c", "b", "new group", "a b/group1 c"],
  ["a/g b/g c", "c", "g", "a/g b/g c/g"],
  ["a/g b c", "c", "g", "a/g c/g b"],
  ["a/g b/g c/g", "b", "", "a/g c/g b"],
  ["a/g b/g c/g", "b", "new group", "a/g c/g b/group1"], // a new group does not stand within another
  ["a/group1 b", "b", "new group", "a/group1 b/group2"],
  ["a/g b", "a", "", "a b"],
];
for (const [before, id, wanted, after] of JOINS)
  test(`joined: ${before}, ${id} to ${wanted || "none"}`, () => {
    const [model, settings] = made(row(before), [...new Set(before.match(/\/\w+/g) || [])].map((name) => name.slice(1)));
    model.join(model.find(id), wanted);
    assert.equal(shown(settings), after);
    holds(settings);
  });

test("added: at the end, what the camera clipped first, each with a name of its own", () => {
  const [model, settings] = made(row("exposure"));
  assert.deepEqual(["exposure", "highlights", "exposure"].map((kind) => model.add(kind).id), ["exposure2", "highlight", "exposure3"]);
  assert.equal(shown(settings), "highlight exposure exposure2 exposure3");
  model.add("exposure").stops = 1;
  assert.equal(VOCABULARY.kinds.exposure.rest.stops, 0, "the vocabulary stays as it is");
});
test("at rest: by what makes a step act, not by what a person calls it", () => {
  const [model] = made([]);
  assert.ok(model.rests(step("a", { name: "Key", on: false, strength: 0.5 })));
  assert.ok(!model.rests(step("a", { stops: 0.1 })));
});
test("duplicated: after it, with shapes of its own", () => {
  const linked = { selections: [shape("e", { link: "shape1" })] };
  const [model, settings] = made([step("exposure", { limit: linked, group: "g" }), ...row("b/g")], ["g"]);
  const copy = model.duplicate(model.find("exposure"));
  assert.equal(shown(settings), "exposure/g exposure2/g b/g");
  assert.equal(copy.limit.selections[0].link, "");
  assert.equal(linked.selections[0].link, "shape1");
  holds(settings);
});
test("removed: the next is in hand, then the one before, then none", () => {
  const [model, settings] = made(row("a b/g c"), ["g"]);
  assert.equal(model.remove(model.find("b")).id, "c");
  holds(settings);
  assert.equal(model.remove(model.find("c")).id, "a");
  assert.equal(model.remove(model.find("a")), null);
});
test("reset: what it is called and where it stands stays", () => {
  const [model, settings] = made([step("a", { stops: 2, name: "Key", note: "n", group: "g", strength: 0.3 })], ["g"]);
  model.reset(model.find("a"));
  assert.deepEqual(settings.steps[0], step("a", { name: "Key", note: "n", group: "g" }));
});
test("reset: a table keeps its table", () => {
  const [model, settings] = made([{ ...step("t", { strength: 0.2 }), kind: "lut", lut: { table: 1 } }]);
  model.reset(model.find("t"));
  assert.deepEqual([settings.steps[0].lut, settings.steps[0].strength], [{ table: 1 }, 1]);
});
test("pasted: with what came since, in the group of the one in hand; what is no step is not", () => {
  const [model, settings] = made(row("a/g b/g"), ["g"]);
  const old = { kind: "white_balance", kelvin: 5000, limit: { hue: 40 } };
  const pasted = model.paste(old, model.find("a"));
  assert.equal(shown(settings), "a/g whitebala/g b/g");
  assert.equal(pasted.strength, 1);
  assert.equal(pasted.limit.selections[0].hue, 40);
  holds(settings);
  for (const nothing of [null, {}, { kind: "sepia" }]) assert.equal(model.paste(nothing, null), null);
  assert.equal(model.paste(old, null).id, "whitebala2");
});

test("a hundred rows of acts by chance leave a list that holds", () => {
  let seed = 7;
  const chance = (below) => ((seed = (seed * 1103515245 + 12345) % 2 ** 31), Math.floor((seed / 2 ** 31) * below));
  for (let run = 0; run < 100; run++) {
    const [model, settings] = made(row("a b c d"));
    for (let act = 0; act < 30; act++) {
      const one = settings.steps[chance(settings.steps.length)];
      if (!one || chance(8) === 0) model.add(["exposure", "highlights", "white_balance"][chance(3)]);
      else if (chance(6) === 0) model.remove(one);
      else if (chance(5) === 0) model.duplicate(one);
      else if (chance(2)) model.move(model.indexOf(one.id), chance(settings.steps.length));
      else model.join(one, ["", "new group", ...settings.groups.map(({ id }) => id)][chance(2 + settings.groups.length)]);
      holds(settings);
    }
  }
});
