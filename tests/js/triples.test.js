// Three channels under one control: what is between them stays, and none leaves its range.
import assert from "node:assert/strict";
import { test } from "node:test";
import { meanOf, movedTogether } from "../../src/upwelling/web/bench/static/bench/model/triples.js";

const cases = [
  ["ratio", [1, 1.2, 0.8], 2, 0, 4, [2, 2.4, 1.6]],
  ["ratio", [1, 3, 2], 4, 0, 4, [4 / 3, 4, 8 / 3]],
  ["ratio", [1, 2, 3], 0, 0, 4, [0, 0, 0]],
  ["ratio", [0, 0, 0], 0.5, 0, 4, [0.5, 0.5, 0.5]],
  ["ratio", [1, 1, 1], 0.01, 0.1, 4, [0.1, 0.1, 0.1]],
  ["difference", [0.1, 0, -0.1], 0.3, -1, 1, [0.4, 0.3, 0.2]],
  ["difference", [0.9, 0, -0.1], 0.9, -1, 1, [1, 0.1, 0]],
  ["difference", [0.9, -0.95, 0], -0.5, -1, 1, [0.85, -1, -0.05]],
];

for (const [together, values, mean, low, high, wanted] of cases)
  test(`${together} of ${values} to ${mean}`, () => {
    movedTogether(values, mean, together, low, high).forEach((value, n) => assert.ok(Math.abs(value - wanted[n]) < 1e-6));
  });

test("there and back is where it was", () => {
  for (const together of ["ratio", "difference"]) {
    const values = [0.9, 1.1, 1.4],
      there = movedTogether(values, 1.6, together, 0, 4);
    movedTogether(there, meanOf(values), together, 0, 4).forEach((value, n) => assert.ok(Math.abs(value - values[n]) < 1e-5));
  }
});
