// Keys of values that change along the shot, as data. A holder of tracks is a step or one of its selections; what a person
// set is known by frame (`by_hand`), which following does not replace: only shapes have that.
const PLACE = /^steps\.(\d+)\.(?:(limit\.selections\.\d+)\.)?(\w+)$/;
const inOrder = (frames) => [...new Set(frames)].sort((a, b) => a - b);
const stored = (value) => (Array.isArray(value) ? value.flat() : value);

// Whose parameter a path names: { holder, place, name }, or null. The place is what the server calls the holder by.
export function holderOf(steps, path) {
  const match = path.match(PLACE),
    step = match && steps[Number(match[1])];
  if (!step) return null;
  const place = match[2] || "",
    holder = place ? step.limit && step.limit.selections[Number(place.split(".")[2])] : step;
  return holder && holder.tracks ? { holder, place, name: match[3] } : null;
}
export function trackOf(holder, name) {
  return holder.tracks.find((track) => track.parameter === name);
}
export function framesOf(holder) {
  return inOrder(holder.tracks.flatMap((track) => track.keys.map(([frame]) => frame)));
}
function byHand(holder, frame) {
  if (holder.by_hand) holder.by_hand = inOrder([...holder.by_hand, frame]);
}

// A track without keys yet.
export function newTrack(holder, name) {
  holder.tracks.push({ parameter: name, keys: [], between: "smooth" });
  return trackOf(holder, name);
}
// A key of a track, in the place of one that is there; who set it is not noted.
export function setKey(track, frame, value) {
  track.keys = [...track.keys.filter(([at]) => at !== frame), [frame, stored(value)]].sort((a, b) => a[0] - b[0]);
}

// A parameter begins to change: its value is its first key.
export function begin(holder, name, frame) {
  setKey(newTrack(holder, name), frame, holder[name]);
  byHand(holder, frame);
}
// It stands still again, at a value.
export function end(holder, name, value) {
  holder[name] = value;
  holder.tracks.splice(holder.tracks.indexOf(trackOf(holder, name)), 1);
}
// A key at a frame, in the place of one that is there; false where the parameter has no track.
export function put(holder, name, frame, value) {
  const track = trackOf(holder, name);
  if (!track) return false;
  setKey(track, frame, value);
  byHand(holder, frame);
  return true;
}
// Takes the keys of a frame away; what has none left stands still, at standing(name).
export function drop(holder, frame, standing) {
  if (holder.by_hand) holder.by_hand = holder.by_hand.filter((at) => at !== frame);
  for (const track of [...holder.tracks]) {
    track.keys = track.keys.filter(([at]) => at !== frame);
    if (!track.keys.length) end(holder, track.parameter, standing(track.parameter));
  }
}
// Moves the keys of a frame to another that has none; the frame where they are then.
export function move(holder, from, to) {
  if (from === to || framesOf(holder).includes(to)) return from;
  for (const track of holder.tracks)
    track.keys = track.keys.map(([frame, value]) => [frame === from ? to : frame, value]).sort((a, b) => a[0] - b[0]);
  if (holder.by_hand) holder.by_hand = holder.by_hand.filter((at) => at !== from);
  byHand(holder, to);
  return to;
}
