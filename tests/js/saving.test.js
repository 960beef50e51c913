// Saving in order: what the server is sent, what the page is told, and what is still to be saved.
import assert from "node:assert/strict";
import { test } from "node:test";
import { keeper } from "../../src/upwelling/web/bench/static/bench/kept_rows.js";
import { merged } from "../../src/upwelling/web/bench/static/bench/merged.js";
import { Saving } from "../../src/upwelling/web/bench/static/bench/model/saving.js";
import { minus, plain } from "../../src/upwelling/web/static/js/numbers.js";

const refusal = (status, body = {}) => Object.assign(new Error(`status ${status}`), { response: { status, json: async () => body } });
// A server whose answers are given one by one: what it was sent, and what the page was told.
function saved(...answers) {
  const sent = [], said = [];
  const send = async (body) => {
    sent.push(structuredClone(body));
    const answer = answers.shift();
    if (answer instanceof Error) throw answer;
    return { merged: [], ...answer };
  };
  const names = ["saved", "together", "overtaken", "failed"];
  const told = Object.fromEntries(names.map((name) => [name, (...given) => said.push([name, ...given])]));
  const saver = new Saving(send, told);
  saver.knows({ stops: 0 });
  return { saver, sent, said };
}

test("each state as the hand left it, on the one before, by the version of its own turn", async () => {
  const { saver, sent, said } = saved({}, {});
  const settings = { stops: 1 };
  let version = 7;
  saver.save(settings, "first", () => version++);
  settings.stops = 2;
  const done = saver.save(settings, "second", () => version++);
  assert.equal(saver.waiting, 2);
  await done;
  assert.equal(saver.waiting, 0);
  assert.deepEqual(sent, [
    { settings: { stops: 1 }, base: { stops: 0 }, version: 7, label: "first" },
    { settings: { stops: 2 }, base: { stops: 1 }, version: 8, label: "second" },
  ]);
  assert.deepEqual(said.map(([name]) => name), ["saved", "saved"]);
});
for (const status of [400, 413, 422])
  test(`refused with ${status}: back to what the server took, nothing left to save`, async () => {
    const { saver, said } = saved(refusal(status));
    await saver.save({ stops: 99 }, "too much", () => 1);
    assert.deepEqual(said[0].slice(2), [{ stops: 0 }]);
    assert.equal(saver.unsaved, "");
  });
for (const error of [new TypeError("no answer"), refusal(403), refusal(507)])
  test(`${error.message}: the hand's state stays and is tried again`, async () => {
    const { saver, sent, said } = saved(error, {});
    await saver.save({ stops: 1 }, "exposure", () => 1);
    assert.deepEqual([said[0][0], said[0][2], saver.unsaved], ["failed", null, "exposure"]);
    await saver.save({ stops: 1 }, saver.unsaved, () => 1);
    assert.deepEqual([sent[1].base, saver.unsaved], [{ stops: 0 }, ""]);
  });
test("another person was first, or changed other steps: the page is told, and the next base is what it takes", async () => {
  const { saver, sent, said } = saved(refusal(409, { error: "first" }), { merged: ["Contrast"] }, {});
  await saver.save({ stops: 1 }, "a", () => 1);
  assert.deepEqual(said[0], ["overtaken", { error: "first" }]);
  await saver.save({ stops: 2 }, "b", () => 1);
  assert.deepEqual([said[1][0], said[1][1].merged, said[1][2]], ["together", ["Contrast"], { stops: 2 }]);
  saver.knows({ stops: 5 });
  await saver.save({ stops: 6 }, "c", () => 2);
  assert.deepEqual(sent[2].base, { stops: 5 });
});

test("rows that say what they said stay the same objects", () => {
  const same = keeper();
  const [a, b] = same([{ id: 1, text: "a" }, { id: 2, text: "b" }]);
  const again = same([{ id: 2, text: "b" }, { id: 1, text: "c" }, { id: 3, text: "d" }]);
  assert.equal(again[0], b);
  assert.notEqual(again[1], a);
  assert.deepEqual(again.map(({ text }) => text), ["b", "c", "d"]);
});
test("parts of a page are one; two of a name are refused; each runs as the page's own", () => {
  const page = merged([{ one: 1, get two() { return this.one + 1; }, start() {} }, { three() { return this.two + 1; } }]);
  assert.equal(page.three(), 3);
  assert.ok(!("start" in page));
  const row = Object.create(page, { own: { value: { two: 40 } } });
  assert.equal(row.three(), 41);
  assert.throws(() => merged([{ a: 1 }, { a() {} }]), /Two parts of the page are called “a”/);
});
test("numbers as they are printed and typed", () => {
  assert.deepEqual([minus(-1.5), minus("-2"), minus(3)], ["−1.5", "−2", "3"]);
  assert.deepEqual(["−1,5", " 2.25 ", "-3"].map(plain), [-1.5, 2.25, -3]);
  assert.ok(Number.isNaN(plain("two")));
});
