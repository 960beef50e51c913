"""Draws docs/film-scenes.jpg: the demo's scenes by Rise, by Film, and by Rise after Density, 1280 wide."""

from __future__ import annotations

from pathlib import Path as FilePath

import numpy as np
from PIL import Image, ImageDraw

from upwelling.core.colour.primaries import primaries
from upwelling.core.operations import run_reference
from upwelling.core.outputs import output
from upwelling.core.rendering import Film, Rise
from upwelling.core.simulate.shipped import SCENES, shipped_at
from upwelling.core.steps import Density

OUT = FilePath(__file__).resolve().parents[1] / "docs" / "film-scenes.jpg"
WIDTH, HEIGHT, GAP = 424, 238, 4
WORKING, TARGET = primaries("AP1"), output("BT.709 BT.1886")
COLUMNS = (
    ("Rise", (), Rise()),
    ("Film", (), Film()),
    ("Density 1.4, depth 0.8, and Rise", (Density(richness=1.4, depth=0.8),), Rise()),
)


def main() -> None:
    sheet = Image.new("RGB", (3 * WIDTH + 2 * GAP, len(SCENES) * (HEIGHT + GAP) - GAP), (119, 119, 119))
    pen = ImageDraw.Draw(sheet)
    for row, scene in enumerate(SCENES):
        light = shipped_at(scene, WIDTH, HEIGHT).astype(np.float64)
        for column, (name, steps, method) in enumerate(COLUMNS):
            operations = [*(made for step in steps for made in step.operations(WORKING))]
            shown = run_reference([*operations, *method.operations(WORKING, TARGET, "CAT02")], light)
            code = TARGET.to_code(shown)
            at = (column * (WIDTH + GAP), row * (HEIGHT + GAP))
            sheet.paste(Image.fromarray(np.rint(np.clip(code, 0, 1) * 255).astype(np.uint8)), at)
            pen.text((at[0] + 8, at[1] + HEIGHT - 18), f"{scene} · {name}", fill=(235, 235, 235))
    sheet.save(OUT, quality=90)


if __name__ == "__main__":
    main()
