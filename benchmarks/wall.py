"""The wall with sixty shots of 1080p log: at first sight (made aside by the worker), at second sight, what a drag on
the Bench costs beside the making, and a thousand shots in one wall: tiles in the page, memory of the script.
"""

from __future__ import annotations

import statistics
import tempfile
import time
from pathlib import Path as FilePath

from benchmarks.drag import MOVES, on_the_bench, start
from playwright.sync_api import Page

SHOTS, MANY = 60, 1000
MORE = """
import numpy as np
from upwelling.core.media import read_still, write_still
from upwelling.web.footage.models import Shot
from upwelling.web.footage.shots import bring_in
code = read_still(Path(r'%s')).code
folder = Path(r'%s')
for n in range(1, SHOTS):
    place = folder / f'w{n:02d}.dpx'
    write_still(place, np.roll(code, 7 * n, axis=1) * (1 - 0.002 * n), '10')
    bring_in(production, user, place.name, place)
shot = Shot.objects.last()
for n in range(MANY - SHOTS):
    shot.pk, shot._state.adding, shot.name = None, True, f'z{n:04d}'
    shot.save()
"""
IN_SIGHT = """[...document.querySelectorAll(".tilepicture")].filter((one) => {
  const { top } = one.closest("a").getBoundingClientRect();
  return top > 0 && top < innerHeight; })"""
ALL = f"() => {{ const all = {IN_SIGHT}; return all.length && all.every((one) => one.naturalWidth); }}"
REST = "() => document.querySelector('.quiet[x-text=progress]').textContent === ''"
ASKED = """() => (performance.now() - performance.getEntriesByType("resource")
  .find((one) => one.name.endsWith("/wall/tiles/")).startTime) / 1000"""


def sight(page: Page, address: str, query: str = "") -> tuple[float, int]:
    """Seconds until every tile in sight has its picture, and how many there are."""
    begun = time.perf_counter()
    page.goto(f"{address}/p/kilnlight/wall/{query}", wait_until="commit")
    page.wait_for_function(ALL, polling=20, timeout=120_000)
    return time.perf_counter() - begun, page.evaluate(f"{IN_SIGHT}.length")


def drag(page: Page) -> float:
    """Median milliseconds from input to painted picture, of a drag on the Bench."""
    return statistics.median(page.evaluate(MOVES, [0.5 + number / 30 for number in range(60)]))


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        place = FilePath(folder)
        process, address = start(place, f"SHOTS, MANY = {SHOTS}, {MANY}\n" + MORE % (place / "a.dpx", place))
        with on_the_bench(address) as page:
            page.evaluate(MOVES, [0.2 + number / 50 for number in range(4)])
            alone = drag(page)
            browser = page.context.browser
            assert browser is not None
            state = page.context.storage_state()
            other = browser.new_context(storage_state=state, viewport={"width": 1920, "height": 1010}).new_page()
            sight(other, address, "?find=a.dpx")  # the worker has started, and the browser has the scripts
            first, count = sight(other, address, "?sort=name")
            print(f"First sight: {count} tiles in {first:.2f} s, made aside")
            # Comparing goes on aside for a while: what a drag costs meanwhile.
            beside = drag(page)
            print(f"A drag alone {alone:.1f} ms, beside the making {beside:.1f} ms: {beside / alone:.2f} ×")
            for when in ("beside the comparing", "at rest"):
                if when == "at rest":
                    other.wait_for_function(REST, polling=500, timeout=300_000)
                for _ in range(3):
                    other.goto(f"{address}/p/kilnlight/shots/", wait_until="networkidle")  # a person comes from there
                    again, count = sight(other, address, "?sort=name")
                    asked = other.evaluate(ASKED)
                    print(
                        f"Second sight, {when}: {count} tiles {again:.2f} s after the address, {asked:.2f} after asking"
                    )
            other.evaluate("() => { const room = document.querySelector('.wallroom'); room.scrollTop = 1e9; }")
            other.wait_for_timeout(1500)
            tiles = other.locator(".walltile").count()
            heap = other.evaluate("() => performance.memory.usedJSHeapSize / 2 ** 20")
            print(f"{MANY} shots: {tiles} tiles in the page at its end, {heap:.0f} MB of script")
        process.terminate()
        process.wait()


if __name__ == "__main__":
    main()
