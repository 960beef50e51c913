// Draws the scopes' arrays; nothing is computed here but places on the canvas.
window.upwelling = window.upwelling || {};

upwelling.drawScope = function (canvas, shades, scope) {
  return scope.kind === "vectorscope" ? upwelling.drawVectors(canvas, shades, scope) : upwelling.drawLevels(canvas, shades, scope);
};

// One plane of shades as a picture in a tint, level 0 at the bottom.
upwelling.plane = function (shades, offset, levels, columns, tint) {
  const plane = document.createElement("canvas");
  plane.width = columns;
  plane.height = levels;
  const context = plane.getContext("2d");
  const image = context.createImageData(columns, levels);
  for (let level = 0; level < levels; level++) {
    for (let column = 0; column < columns; column++) {
      const place = ((levels - 1 - level) * columns + column) * 4;
      image.data.set(tint, place);
      image.data[place + 3] = shades[offset + level * columns + column];
    }
  }
  context.putImageData(image, 0, 0);
  return plane;
};

// Parade (three planes) and waveform (one).
upwelling.drawLevels = function (canvas, shades, { planes, levels, columns }) {
  const context = canvas.getContext("2d");
  const { width, height } = canvas;
  const left = 46, top = 8, bottom = 10, gap = 8;
  context.fillStyle = "#181818";
  context.fillRect(0, 0, width, height);
  const tall = height - top - bottom;
  const part = (width - left - 4 - (planes - 1) * gap) / planes;
  const y = (percent) => top + tall * (1 - (percent / 100 + 0.05) / 1.1);
  context.font = "19px SplineMono, monospace";
  context.textAlign = "right";
  context.textBaseline = "middle";
  for (const percent of [0, 25, 50, 75, 100]) {
    context.fillStyle = percent % 100 ? "#3a3a3a" : "#6a6a6a";
    context.fillRect(left, y(percent), width - left - 4, 1.5);
    context.fillStyle = "#c8c8c8";
    context.fillText(String(percent), left - 6, y(percent));
  }
  const tints = planes === 1 ? [[226, 226, 226]] : [[255, 108, 96], [104, 226, 122], [110, 158, 255]];
  for (let channel = 0; channel < planes; channel++) {
    const plane = upwelling.plane(shades, channel * levels * columns, levels, columns, tints[channel]);
    context.drawImage(plane, left + channel * (part + gap), top, part, tall);
  }
};

// Colour differences: Pb to the right, Pr up, with the bars' places at 75 and 100 % and the skin-tone line.
upwelling.drawVectors = function (canvas, shades, { levels, columns, targets, skin }) {
  const context = canvas.getContext("2d");
  const { width, height } = canvas;
  const side = height - 8;
  const left = (width - side) / 2, top = 4;
  const x = (pb) => left + (pb + 0.5) * side;
  const y = (pr) => top + (0.5 - pr) * side;
  context.fillStyle = "#181818";
  context.fillRect(0, 0, width, height);
  context.strokeStyle = "#3a3a3a";
  context.lineWidth = 1.5;
  context.beginPath();
  context.arc(x(0), y(0), side / 2, 0, 2 * Math.PI);
  context.moveTo(x(-0.5), y(0)); context.lineTo(x(0.5), y(0));
  context.moveTo(x(0), y(-0.5)); context.lineTo(x(0), y(0.5));
  context.stroke();
  const angle = (skin * Math.PI) / 180;
  context.strokeStyle = "#8a8a8a";
  context.beginPath();
  context.moveTo(x(0), y(0));
  context.lineTo(x(0.5 * Math.cos(angle)), y(0.5 * Math.sin(angle)));
  context.stroke();
  context.drawImage(upwelling.plane(shades, 0, levels, columns, [226, 226, 226]), left, top, side, side);
  context.font = "19px SplineMono, monospace";
  context.textBaseline = "middle";
  context.fillStyle = "#c8c8c8";
  context.textAlign = "right";
  context.fillText("skin", x(0.5 * Math.cos(angle)) - 8, y(0.5 * Math.sin(angle)) + 6);
  for (const target of targets) {
    const half = target.percent === 75 ? 7 : 4;
    context.strokeStyle = target.percent === 75 ? "#c8c8c8" : "#7a7a7a";
    context.strokeRect(x(target.pb) - half, y(target.pr) - half, 2 * half, 2 * half);
    if (target.percent !== 75) continue;
    context.textAlign = target.pb > 0 ? "left" : "right";
    context.fillText(target.name, x(target.pb) + (target.pb > 0 ? 12 : -12), y(target.pr));
  }
};

upwelling.drawHistogram = function (canvas, counts) {
  const context = canvas.getContext("2d");
  const { width, height } = canvas;
  const left = 8, bottom = 34, top = 26;
  context.fillStyle = "#181818";
  context.fillRect(0, 0, width, height);
  const wide = width - 2 * left;
  const x = (stop) => left + ((stop + 10) / 20) * wide;
  context.font = "19px SplineMono, monospace";
  context.textAlign = "center";
  context.textBaseline = "alphabetic";
  for (let stop = -8; stop <= 8; stop += 4) {
    context.fillStyle = "#3a3a3a";
    context.fillRect(x(stop), top, 1.5, height - top - bottom);
    context.fillStyle = "#c8c8c8";
    context.fillText(stop === 0 ? "0" : (stop < 0 ? "−" : "+") + Math.abs(stop), x(stop), height - 10);
  }
  const most = Math.max(1, ...counts.slice(1, -1));
  context.fillStyle = "#d6d6d6";
  const step = wide / counts.length;
  counts.forEach((count, index) => {
    const tall = Math.min(1, Math.sqrt(count / most)) * (height - top - bottom);
    context.fillRect(left + index * step, height - bottom - tall, Math.max(step - 1, 1), tall);
  });
  const white = x(2.474);
  context.fillStyle = "#8a8a8a";
  context.fillRect(white, top, 1.5, height - top - bottom);
  context.fillStyle = "#c8c8c8";
  context.textAlign = "left";
  context.fillText("white", white, 18);
  context.textAlign = "right";
  context.fillText("mid grey", x(0) + 6, 18);
};
