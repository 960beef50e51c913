// One component of several parts. Each part is an object of its own file; `start` of each is called by the page.
// A handler of a row in a list is called as that row's; when the row goes away while it still waits for an answer, its
// page and its references are gone with it. So every function runs as the page's own, which `own` is once it has begun.
// What comes late for a page that was left finds nobody.
export function merged(parts) {
  const whole = {};
  for (const part of parts) {
    const { start, ...descriptors } = Object.getOwnPropertyDescriptors(part);
    for (const name of Object.keys(descriptors)) {
      if (name in whole) throw new Error(`Two parts of the page are called “${name}”.`);
    }
    for (const [name, descriptor] of Object.entries(descriptors)) {
      const { value } = descriptor;
      if (typeof value !== "function" || name === "init") continue;
      descriptor.value = function (...given) {
        const own = this.own || this;
        return own.left ? undefined : value.apply(own, given);
      };
    }
    Object.defineProperties(whole, descriptors);
  }
  return whole;
}
