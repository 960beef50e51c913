"""The feel of each kind of control beside that of exposure, in one run: input event to painted picture in Chromium.

A server is started as `drag.py` starts it. Controls are moved in turns, so that a machine's moods fall on all of them.
"""

from __future__ import annotations

import statistics
import tempfile
from pathlib import Path as FilePath

from drag import ONE_MOVE, on_the_bench, say, start
from playwright.sync_api import Page

MOVE = ONE_MOVE.replace("(value) =>", "([label, value]) =>").replace(
    "document.querySelector(\"input[aria-label='Exposure, slider']\")",
    "document.querySelector(`.editor input[aria-label='${label}']`)",
)
ROUNDS, MOVES = 6, 12


def in_hand(page: Page, step: str, face: str) -> None:
    page.click(f".steplist li:has-text('{step}') .stepname")
    page.click(f"button:has-text('{face}')")
    page.wait_for_function("() => document.querySelector('.bench').dataset.busy === 'no'")


def shaped(page: Page, kind: str) -> None:
    """An exposure that acts in a shape; the shape is in hand."""
    page.select_option("select[aria-label='Add a step']", "exposure")
    name = f"In {kind}"
    page.fill("input[aria-label='Name of the step']", name)
    page.press("input[aria-label='Name of the step']", "Enter")
    page.click("button:has-text('Controls')")
    page.fill("input[aria-label='Exposure, stops']", "1")
    page.press("input[aria-label='Exposure, stops']", "Enter")
    page.click("button:has-text('Where')")
    page.select_option("select[aria-label='Add a selection']", kind)
    page.wait_for_function("() => document.querySelector('.bench').dataset.busy === 'no'")
    page.click(f".steplist li:has-text('{name}') input[type=checkbox]")


def main() -> None:
    kinds = {"ellipse": "Width, slider", "rectangle": "Width, slider", "linear": "Centre down, slider"}
    with tempfile.TemporaryDirectory() as folder:
        process, address = start(FilePath(folder))
        try:
            with on_the_bench(address) as page:
                for kind in kinds:
                    shaped(page, kind)
                times: dict[str, list[float]] = {name: [] for name in ("exposure", *kinds)}
                for _ in range(ROUNDS):
                    for name, found in times.items():
                        label = kinds.get(name, "Exposure, slider")
                        step, face = (f"In {name}", "Where") if name in kinds else ("Exposure", "Controls")
                        in_hand(page, step, face)
                        switch = page.locator(f".steplist li:has-text('{step}') input[type=checkbox]")
                        switch.set_checked(True)
                        moved = [page.evaluate(MOVE, [label, 1.0 + turn / 20]) for turn in range(MOVES)]
                        found += moved[2:]
                        switch.set_checked(name not in kinds)
            plain = say("Exposure", times.pop("exposure"))
            for name, found in times.items():
                say(f"Exposure in a shape ({name}): its {kinds[name].split(',')[0].lower()}", found)
                print(f"{'':66} {statistics.median(found) / plain:.2f} × exposure's")
        finally:
            process.terminate()
            process.wait(timeout=20)


if __name__ == "__main__":
    main()
