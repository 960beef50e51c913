// Drawing in a plot: an element put into another, and bars of how often each place of an axis occurs.
const SVG = "http://www.w3.org/2000/svg";

export function make(name, attributes, parent) {
  const element = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  parent.append(element);
  return element;
}

// counts from `low` on, one for each `width`; of those from `first` to before `last` each stands on `foot`, as high as
// its root, up to `top`. `x` places a value of the axis.
export function bars(group, { counts, low, width }, { x, first, last, foot, top }) {
  const most = Math.max(1, ...counts.slice(1, -1));
  counts.forEach((count, i) => {
    const place = low + i * width;
    if (place < first || place >= last || !count) return;
    const height = Math.sqrt(count / most) * (foot - top),
      left = x(place);
    make("rect", { class: "tones", x: left, y: foot - height, width: x(place + width) - left + 0.3, height }, group);
  });
}
