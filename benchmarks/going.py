"""From one shot to the next: from the key to the next shot's still on the screen, and to the whole page at rest,
against loading the page, in turns in one run. Two shots of 1920×1080 with their scopes open, in Chromium.
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
from pathlib import Path as FilePath

from benchmarks.drag import on_the_bench, say, start
from playwright.sync_api import Page

from upwelling.core.media import write_still
from upwelling.core.simulate.camera import A_CAM
from upwelling.core.simulate.shipped import shipped_at

TURNS = 20
SECOND = """
from pathlib import Path
from django.contrib.auth.models import User
from upwelling.web.footage.shots import bring_in
from upwelling.web.productions.models import Production
bring_in(Production.objects.get(), User.objects.get(), 'b.dpx', Path(r'%s'))
"""
# The still is on the screen with the frame after the canvas was painted for the first time since the key.
WATCH = """() => {
  const paint = CanvasRenderingContext2D.prototype.putImageData;
  window.addEventListener("keydown", () => { window.pressed = performance.now(); window.still = 0; }, true);
  CanvasRenderingContext2D.prototype.putImageData = function (...given) {
    const seen = () => { window.still = window.still || performance.now() - window.pressed; };
    if (this.canvas.classList.contains("picture")) requestAnimationFrame(() => setTimeout(seen));
    return paint.apply(this, given);
  };
}"""
AT_REST = """() => document.querySelector("canvas.picture[data-fingerprint]")
  && document.querySelector(".bench").dataset.busy === "no" """


def go(page: Page, key: str) -> tuple[float, float]:
    """Milliseconds to the still and to the page at rest."""
    page.wait_for_timeout(1200)
    old = page.url
    page.keyboard.press(key)
    page.wait_for_function("old => location.href !== old", arg=old)
    page.wait_for_function(AT_REST)
    still, whole = page.evaluate("[window.still, performance.now() - window.pressed]")
    return still, whole


def load(page: Page) -> float:
    page.wait_for_timeout(1200)
    page.reload()
    page.wait_for_function(AT_REST)
    return float(page.evaluate("performance.now()"))


def main() -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = FilePath(name)
        process, address = start(folder)
        environment = {**os.environ, "UPWELLING_DATA": name}
        again = [sys.executable, "-m", "upwelling.web.manage", "shell", "-v0", "-c", SECOND % (folder / "b.dpx")]
        write_still(folder / "b.dpx", A_CAM.shoot(shipped_at("Cold bench", 1920, 1080)), "10")
        subprocess.run(again, env=environment, check=True)
        try:
            with on_the_bench(address) as page:
                stills, wholes, loads = [], [], []
                for _ in range(TURNS):
                    loads.append(load(page))
                    page.evaluate(WATCH)
                    still, whole = go(page, "p" if page.url.endswith("/2/") else "n")
                    stills.append(still)
                    wholes.append(whole)
        finally:
            process.terminate()
    say("key to the next shot's still on the screen", stills)
    say("key to its page at rest, scopes and numbers too", wholes)
    say("the same by loading the page", loads)
    print(f"ratio of the page at rest: {statistics.median(wholes) / statistics.median(loads):.2f}")


if __name__ == "__main__":
    main()
