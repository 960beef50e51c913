// Copies and names that nothing else has yet.
export const copyOf = (thing) => JSON.parse(JSON.stringify(thing));

// `stem`, `stem2`, `stem3` …: the first that is not taken.
export function unused(stem, taken) {
  for (let n = 1; ; n++) {
    const name = stem + (n > 1 ? n : "");
    if (!taken.includes(name)) return name;
  }
}

// `stem1`, `stem2` …: the first that is not taken.
export function numbered(stem, taken) {
  for (let n = 1; ; n++) if (!taken.includes(stem + n)) return stem + n;
}

// What a thing of a kind is called in a list: nine letters of its kind.
export const shortName = (kind) => kind.replaceAll("_", "").slice(0, 9);
