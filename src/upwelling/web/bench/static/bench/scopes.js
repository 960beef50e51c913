// Draws the scopes' arrays; nothing is computed here but places on the canvas.
window.upwelling = window.upwelling || {};

upwelling.drawParade = function (canvas, scope, levels, columns) {
  const context = canvas.getContext("2d");
  const { width, height } = canvas;
  const left = 46, top = 8, bottom = 10, gap = 8;
  context.fillStyle = "#181818";
  context.fillRect(0, 0, width, height);
  const tall = height - top - bottom;
  const part = (width - left - 4 - 2 * gap) / 3;
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
  const tints = [[255, 108, 96], [104, 226, 122], [110, 158, 255]];
  const plane = document.createElement("canvas");
  plane.width = columns;
  plane.height = levels;
  const small = plane.getContext("2d");
  for (let channel = 0; channel < 3; channel++) {
    const image = small.createImageData(columns, levels);
    const offset = channel * levels * columns;
    for (let level = 0; level < levels; level++) {
      for (let column = 0; column < columns; column++) {
        const place = ((levels - 1 - level) * columns + column) * 4;
        image.data[place] = tints[channel][0];
        image.data[place + 1] = tints[channel][1];
        image.data[place + 2] = tints[channel][2];
        image.data[place + 3] = scope[offset + level * columns + column];
      }
    }
    small.putImageData(image, 0, 0);
    context.drawImage(plane, left + channel * (part + gap), top, part, tall);
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
