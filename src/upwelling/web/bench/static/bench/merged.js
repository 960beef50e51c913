// One component of several parts. Each part is an object of its own file; `start` of each is called by the page.
export function merged(parts) {
  const whole = {};
  for (const part of parts) {
    const { start, ...descriptors } = Object.getOwnPropertyDescriptors(part);
    for (const name of Object.keys(descriptors)) {
      if (name in whole) throw new Error(`Two parts of the page are called “${name}”.`);
    }
    Object.defineProperties(whole, descriptors);
  }
  return whole;
}
