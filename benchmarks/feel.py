"""What each kind of control costs while it is dragged: from the input event to the painted picture in Chromium, and how
much of that is the server's. Beside each its ratio to the exposure's in the same run, which is what counts on machines
that drift.
"""

from __future__ import annotations

import statistics
import tempfile
from pathlib import Path as FilePath

from benchmarks.drag import on_the_bench, start
from playwright.sync_api import Page

TURNS = 40
# Changes of a slider or of a point of a curve, each when the frame of the one before is out, and all in the page, so
# that what drives the browser takes no part. Of each, from its event to the frame after the picture was painted, and
# how long the server took.
SERIES = """async ([find, changes]) => {
  const one = ([value, key]) => new Promise((done) => {
  const element = document.querySelector(find);
  const canvas = document.querySelector("canvas.picture");
  const old = canvas.dataset.fingerprint;
  performance.clearResourceTimings();
  const watch = new MutationObserver(() => {
    if (canvas.dataset.fingerprint === old) return;
    watch.disconnect();
    requestAnimationFrame(() => {
      const took = performance.now() - start;
      const asked = performance.getEntriesByType("resource").find((one) => one.name.endsWith("/preview/"));
      done([took, asked ? asked.responseStart - asked.requestStart : 0]);
    });
  });
  watch.observe(canvas, { attributes: true });
  const start = performance.now();
  if (key) element.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true, shiftKey: true }));
  else {
    element.value = value;
    element.dispatchEvent(new Event("input", { bubbles: true }));
  }
  });
  const all = [];
  for (const change of changes) {
    all.push(await one(change));
    await new Promise((painted) => setTimeout(painted, 0));
  }
  return all;
}"""

# A hand that never rests for three seconds: a change with every frame. Of each picture, how old the change was that it
# shows when it was painted, and how many there were a second.
HAND = """(find) => new Promise((done) => {
  const element = document.querySelector(find), canvas = document.querySelector("canvas.picture");
  const ages = [], begun = performance.now();
  let old = canvas.dataset.fingerprint, number = 0, newest = 0, arrived = 0;
  const post = window.fetch;
  window.fetch = async (...given) => {
    const asked = newest, answer = await post(...given);
    if (!String(given[0]).endsWith("/preview/")) return answer;
    const read = answer.arrayBuffer.bind(answer);
    answer.arrayBuffer = async () => {
      const body = await read();
      arrived = asked;
      return body;
    };
    return answer;
  };
  const frame = () => {
    const now = performance.now();
    if (canvas.dataset.fingerprint !== old) {
      old = canvas.dataset.fingerprint;
      ages.push(now - arrived);
    }
    if (now - begun > 3000) {
      window.fetch = post;
      return done([ages, ages.length / 3]);
    }
    newest = performance.now();
    element.value = 0.3 + (number++ % 160) / 100;
    element.dispatchEvent(new Event("input", { bubbles: true }));
    requestAnimationFrame(frame);
  };
  requestAnimationFrame(frame);
})"""


def rest(page: Page) -> None:
    page.wait_for_timeout(500)
    page.wait_for_function("() => document.querySelector('.bench').dataset.busy === 'no'")


def slider(label: str) -> str:
    return f"input[aria-label='{label}, slider']"


def add(page: Page, kind: str) -> None:
    page.click("button:text-is('Add a step …')")
    page.click(f"[data-kind={kind}]")
    rest(page)


def measure(page: Page, name: str, find: str, values: tuple[float, float] | None, against: float | None) -> float:
    """Prints one kind of control; ``values`` are a slider's ends, None a point of a curve. Gives its median."""
    page.wait_for_selector(find)
    changes = [
        [None, "ArrowUp" if turn % 20 < 10 else "ArrowDown"]
        if values is None
        else [values[0] + (values[1] - values[0]) * (turn % 20 + 0.5) / 21, None]
        for turn in range(TURNS + 4)
    ]
    took, server = zip(*page.evaluate(SERIES, [find, changes])[4:], strict=True)
    rest(page)
    middle = statistics.median(took)
    ratio = "" if against is None else f"   {middle / against:4.2f} × exposure"
    print(
        f"{name:28} event to paint, median {middle:6.1f} ms, 95 % {sorted(took)[int(0.95 * len(took))]:6.1f} ms; "
        f"of it the server {statistics.median(server):5.1f} ms{ratio}"
    )
    return float(middle)


def keep_moving(page: Page, find: str) -> None:
    """Prints how a slider feels that moves all the time."""
    ages, rate = page.evaluate(HAND, find)
    rest(page)
    print(
        f"{'A hand that never rests':28} {rate:.1f} pictures a second, each {statistics.median(ages):.1f} ms behind "
        f"the hand when painted, 95 % {sorted(ages)[int(0.95 * len(ages))]:.1f} ms"
    )


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        process, address = start(FilePath(folder))
        try:
            with on_the_bench(address) as page:
                rest(page)
                first = measure(page, "Exposure", slider("Exposure"), (0.2, 2.0), None)
                keep_moving(page, slider("Exposure"))
                page.click(".steplist .stepname:has-text('Ladder')")
                rest(page)
                measure(page, "Ladder point", ".bend circle:nth-of-type(4)", None, first)
                add(page, "colour_curves")
                measure(page, "Colour curve point", ".bend circle:nth-of-type(3)", None, first)
                add(page, "saturation")
                page.click("button:text-is('Where')")
                page.click("button:text-is('Only these')")
                rest(page)
                page.click("button:text-is('Controls')")
                measure(page, "Saturation of a colour range", slider("Saturation"), (0.2, 1.8), first)
                page.click("button:has-text('Where')")
                page.select_option("select[aria-label='Add a selection']", "ellipse")
                rest(page)
                measure(page, "Shape beside the range", ".shape.chosen", None, first)
                page.click(".pick[data-stage=look]")
                page.select_option("#look", label="Ember, version 1")
                rest(page)
                measure(page, "Strength of a Look", slider("Strength"), (0.1, 0.9), first)
                page.click(".pick[data-stage=rendering]")
                rest(page)
                measure(page, "Contrast of the rendering", slider("Contrast"), (1.0, 1.5), first)
        finally:
            process.terminate()
            process.wait()


if __name__ == "__main__":
    main()
