// Draws the scopes' arrays; nothing is computed here but places on the canvas.
const INK = "#c8c8c8",
  LINE = "#3a3a3a",
  STRONG = "#6a6a6a",
  GROUND = "#181818";
const TINTS = [
  [255, 108, 96],
  [104, 226, 122],
  [110, 158, 255],
];
const LUMA = [226, 226, 226];
// The compared picture's dots, where both lie in one plot.
const OTHER = [232, 176, 84];
const FONT = "19px SplineMono, monospace";
const planes = new Map();

// One plane of shades as a picture in a tint, level 0 at the bottom; the canvas behind it is kept.
function plane(shades, offset, levels, columns, tint, key) {
  const name = `${key} ${levels} ${columns}`;
  if (!planes.has(name)) {
    const canvas = document.createElement("canvas");
    canvas.width = columns;
    canvas.height = levels;
    const context = canvas.getContext("2d");
    planes.set(name, { canvas, context, image: context.createImageData(columns, levels) });
  }
  const { canvas, context, image } = planes.get(name);
  const words = new Uint32Array(image.data.buffer);
  const colour = tint[0] | (tint[1] << 8) | (tint[2] << 16);
  for (let level = 0; level < levels; level++) {
    const to = (levels - 1 - level) * columns,
      from = offset + level * columns;
    for (let column = 0; column < columns; column++) words[to + column] = colour | (shades[from + column] << 24);
  }
  context.putImageData(image, 0, 0);
  return canvas;
}

function clear(canvas) {
  const context = canvas.getContext("2d");
  context.fillStyle = GROUND;
  context.fillRect(0, 0, canvas.width, canvas.height);
  context.font = FONT;
  return context;
}

// Parade (three planes side by side), overlaid waveform (three in one place), luma waveform (one). With `other`, the right half is its.
function levelsOf(canvas, scope, other) {
  const context = clear(canvas);
  const { width, height } = canvas;
  const left = 62,
    top = 8,
    bottom = 10,
    gap = 8;
  const tall = height - top - bottom;
  const y = (place) => top + tall * (1 - (place - scope.low) / (scope.high - scope.low));
  for (const band of scope.bands || []) {
    context.fillStyle = "#2c2c2c";
    context.fillRect(left, y(band.high), width - left - 4, y(band.low) - y(band.high));
    context.fillStyle = "#9a9a9a";
    context.textAlign = "right";
    context.textBaseline = "middle";
    context.fillText(band.name, width - 8, y((band.low + band.high) / 2));
  }
  context.textAlign = "right";
  context.textBaseline = "middle";
  let last = Infinity;
  for (const tick of scope.ticks) {
    const at = y(tick.place);
    context.fillStyle = tick.place === 0 || tick.place === 1 ? STRONG : LINE;
    context.fillRect(left, at, width - left - 4, 1.5);
    if (last - at < 20) continue;
    last = at;
    context.fillStyle = INK;
    context.fillText(tick.label, left - 6, Math.min(Math.max(at, 11), height - 11));
  }
  const sides = other ? [scope, other] : [scope];
  const wide = (width - left - 4 - (sides.length - 1) * gap) / sides.length;
  sides.forEach((side, number) => {
    const start = left + number * (wide + gap);
    const spread = side.side_by_side;
    const part = spread ? (wide - 2 * gap) / 3 : wide;
    if (!spread) context.globalCompositeOperation = "lighter";
    for (let channel = 0; channel < side.planes; channel++) {
      const picture = plane(
        side.shades,
        channel * side.levels * side.columns,
        side.levels,
        side.columns,
        side.planes === 1 ? LUMA : TINTS[channel],
        `level${channel}`,
      );
      context.drawImage(picture, start + (spread ? channel * (part + gap) : 0), top, part, tall);
    }
    context.globalCompositeOperation = "source-over";
  });
  if (other) names(context, width, left);
}

function names(context, width, left) {
  context.fillStyle = INK;
  context.textAlign = "left";
  context.textBaseline = "top";
  context.fillText("now", left + 4, 10);
  context.fillText("other", left + (width - left) / 2 + 8, 10);
}

function dots(context, scope, other, left, top, side) {
  if (other)
    context.drawImage(plane(other.shades, 0, other.levels, other.columns, OTHER, "other"), left, top, side, side);
  context.drawImage(plane(scope.shades, 0, scope.levels, scope.columns, LUMA, "dots"), left, top, side, side);
  if (!other) return;
  context.textAlign = "left";
  context.textBaseline = "top";
  context.fillStyle = `rgb(${OTHER})`;
  context.fillText("other", 8, 30);
  context.fillStyle = `rgb(${LUMA})`;
  context.fillText("now", 8, 8);
}

// Colour differences: Pb to the right, Pr up, with the bars' places at 75 and 100 % and the skin-tone line.
function vectors(canvas, scope, other) {
  const context = clear(canvas);
  const { width, height } = canvas;
  const side = height - 8,
    left = (width - side) / 2,
    top = 4;
  const x = (pb) => left + (pb * scope.gain + 0.5) * side;
  const y = (pr) => top + (0.5 - pr * scope.gain) * side;
  const reach = 0.5 / scope.gain;
  context.strokeStyle = LINE;
  context.lineWidth = 1.5;
  context.beginPath();
  context.arc(x(0), y(0), side / 2, 0, 2 * Math.PI);
  context.moveTo(x(-reach), y(0));
  context.lineTo(x(reach), y(0));
  context.moveTo(x(0), y(-reach));
  context.lineTo(x(0), y(reach));
  context.stroke();
  const angle = (scope.skin * Math.PI) / 180;
  const far = [x(reach * Math.cos(angle)), y(reach * Math.sin(angle))];
  context.strokeStyle = "#8a8a8a";
  context.beginPath();
  context.moveTo(x(0), y(0));
  context.lineTo(...far);
  context.stroke();
  dots(context, scope, other, left, top, side);
  context.textBaseline = "middle";
  context.fillStyle = INK;
  context.textAlign = "right";
  context.fillText("skin", far[0] - 8, far[1] + 6);
  for (const target of scope.targets) {
    if (Math.max(Math.abs(target.pb), Math.abs(target.pr)) > reach) continue;
    const half = target.percent === 75 ? 7 : 4;
    context.strokeStyle = target.percent === 75 ? INK : "#7a7a7a";
    context.strokeRect(x(target.pb) - half, y(target.pr) - half, 2 * half, 2 * half);
    if (target.percent !== 75) continue;
    context.textAlign = target.pb > 0 ? "left" : "right";
    context.fillText(target.name, x(target.pb) + (target.pb > 0 ? 12 : -12), y(target.pr));
  }
}

// CIE 1976 u′, v′: the spectral locus and the gamuts of camera (dotted), working (dashed) and output (whole line).
function colours(canvas, scope, other) {
  const context = clear(canvas);
  const { width, height } = canvas;
  const side = height - 12,
    left = (width - side) / 2,
    top = 6;
  const place = ([u, v]) => [left + (u / scope.top) * side, top + (1 - v / scope.top) * side];
  const trace = (points, close) => {
    context.beginPath();
    points.forEach((point, i) => (i ? context.lineTo(...place(point)) : context.moveTo(...place(point))));
    if (close) context.closePath();
    context.stroke();
  };
  context.save();
  context.beginPath();
  context.rect(left, top, side, side);
  context.clip();
  context.lineWidth = 1.5;
  context.strokeStyle = STRONG;
  trace(scope.locus, true);
  dots(context, scope, other, left, top, side);
  const dashes = { camera: [2, 4], working: [9, 5], output: [] };
  context.strokeStyle = INK;
  for (const gamut of scope.gamuts) {
    context.setLineDash(dashes[gamut.name]);
    trace(gamut.points, true);
  }
  context.restore();
  context.setLineDash([]);
  context.fillStyle = INK;
  context.textAlign = "right";
  context.textBaseline = "bottom";
  ["camera ···", "working – –", "output —"].forEach((text, i) =>
    context.fillText(text, width - 6, height - 8 - (2 - i) * 22),
  );
}

function stops(canvas, scope, other) {
  const context = clear(canvas);
  const { width, height } = canvas;
  const left = 8,
    bottom = 34,
    top = 26;
  const wide = width - 2 * left;
  const x = (stop) => left + ((stop - scope.low) / (scope.high - scope.low)) * wide;
  context.textAlign = "center";
  context.textBaseline = "alphabetic";
  for (let stop = -8; stop <= 8; stop += 4) {
    context.fillStyle = LINE;
    context.fillRect(x(stop), top, 1.5, height - top - bottom);
    context.fillStyle = INK;
    context.fillText(stop === 0 ? "0" : (stop < 0 ? "−" : "+") + Math.abs(stop), x(stop), height - 10);
  }
  const draw = (counts, tint, outline) => {
    const most = Math.max(1, ...counts.slice(1, -1));
    const step = wide / counts.length;
    context.fillStyle = tint;
    counts.forEach((count, index) => {
      const tall = Math.min(1, Math.sqrt(count / most)) * (height - top - bottom);
      context.fillRect(
        left + index * step,
        height - bottom - tall,
        Math.max(step - 1, 1),
        outline ? Math.min(tall, 3) : tall,
      );
    });
  };
  draw(scope.counts, "#d6d6d6", false);
  if (other) draw(other.counts, `rgb(${OTHER})`, true);
  scope.marks.forEach((mark, i) => {
    if (mark.stops < scope.low || mark.stops > scope.high) return;
    context.fillStyle = "#8a8a8a";
    context.fillRect(x(mark.stops), top, 1.5, height - top - bottom);
    context.fillStyle = INK;
    context.textAlign = i === 0 ? "right" : mark.stops > 7 ? "right" : "left";
    context.fillText(mark.label, x(mark.stops) + (context.textAlign === "right" ? 4 : -4), 18);
  });
}

export function drawScope(canvas, scope, other) {
  const draw = { stops: stops, chromaticities: colours, "colour differences": vectors }[scope.drawing] || levelsOf;
  draw(canvas, scope, other && other.kind === scope.kind ? other : null);
}
