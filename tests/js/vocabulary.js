// A small vocabulary of steps and selections, as the page is given it.
const own = ["id", "name", "note", "on", "output", "group", "strength", "mix", "limit", "tracks", "kind"];
const shared = { id: "", name: "", note: "", on: true, output: "", group: "", strength: 1, mix: "replace", limit: null, tracks: [] };
const kind = (name, rest) => [name, { title: name.replaceAll("_", " "), keyed: Object.keys(rest), rest: { ...shared, kind: name, ...rest } }];

export const MATTE = { selections: [], blur: 0 };
export const VOCABULARY = {
  own,
  matte: MATTE,
  kinds: Object.fromEntries([kind("exposure", { stops: 0 }), kind("white_balance", { kelvin: 6500 }), kind("highlights", { clip: 1 }), kind("lut", {})]),
  selections: { colour_range: { title: "Colour range", rest: { kind: "colour_range", id: "", join: "and", hue: 0, link: "" } } },
};
export const step = (id, more = {}) => ({ ...structuredClone(VOCABULARY.kinds.exposure.rest), id, ...more });
export const shape = (id, more = {}) => ({ kind: "ellipse", id, name: "", on: true, join: "or", invert: false, x: 0, link: "", tracks: [], ...more });
