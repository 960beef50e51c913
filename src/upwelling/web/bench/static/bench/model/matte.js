// The selections of a step's matte as data. Shapes that are linked are one shape: what changes one changes all.
import { copyOf, numbered, shortName, unused } from "./copies.js";

const selectionsOf = (step) => (step.limit ? step.limit.selections : []);

// Puts a selection at the end of a step's matte, which begins with `empty`.
export function putSelection(step, one, empty) {
  if (!step.limit) step.limit = copyOf(empty);
  const { selections } = step.limit;
  const taken = selections.map((other) => other.id);
  one.id = unused(shortName(one.kind), taken);
  if (selections.length === 0) one.join = "and";
  selections.push(one);
  return one.id;
}

// Takes one out; the id of the one that is in hand then, or "".
export function removeSelection(step, id) {
  const { selections } = step.limit,
    at = selections.findIndex((one) => one.id === id);
  selections.splice(at, 1);
  const next = selections[Math.min(at, selections.length - 1)];
  if (!next) step.limit = null;
  return next ? next.id : "";
}

// A copy of another step's shape, linked to it or on its own.
export function borrowed(steps, stepId, selectionId, linked) {
  const source = selectionsOf(steps.find((step) => step.id === stepId)).find((one) => one.id === selectionId);
  if (linked && !source.link) {
    const taken = steps.flatMap((step) => selectionsOf(step).map((one) => one.link));
    source.link = numbered("shape", taken);
  }
  const one = copyOf(source);
  if (!linked) one.link = "";
  return one;
}

// Brings every shape that is linked to `mine` to its values; how each is joined stays its own.
export function spread(steps, mine) {
  if (!mine || !mine.link) return;
  for (const step of steps)
    for (const one of selectionsOf(step))
      if (one !== mine && one.link === mine.link) {
        const { id, join, invert, on } = one;
        Object.assign(one, copyOf(mine), { id, join, invert, on });
      }
}
