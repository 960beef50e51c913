"""HLG read two ways, shown on the shot's own frame."""

from __future__ import annotations

import base64
from typing import Any

import numpy as np

from upwelling.core import engine
from upwelling.core.colour.difference import xyz_to_lab
from upwelling.core.colour.primaries import rgb_to_xyz
from upwelling.core.encodings.video import HLG_DISPLAY
from upwelling.core.path import Path
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.models import Shot
from upwelling.web.footage.pictures import rendered

SCENE = "HLG/BT.2020"


def hlg_ways(shot: Shot, path: Path) -> dict[str, Any]:
    """Both readings as pictures, with how they differ: scene stops, and mean CIELAB chroma as rendered.

    The OOTF scales the three channels together, so chromaticity stays; colour looks stronger or weaker with the level.
    """
    frame = frame_of(shot)
    small, place = frame.reduced(max(1, frame.working.shape[1] // 240))
    luminance = rgb_to_xyz(path.working_primaries)[1]
    ways, facts = [], []
    for name, title in ((SCENE, "Scene light, before the camera"), (HLG_DISPLAY, "Display light of an HLG screen")):
        one = path.model_copy(update={"input": path.input.model_copy(update={"encoding": name, "on": True})})
        y = np.maximum(one.to_working(small).reshape(-1, 3) @ luminance, 1e-6)
        whole = one.model_copy(update={"display": one.display.model_copy(update={"range": "full"})})
        shown = engine.run(engine.compile_operations(whole.operations()), small, place=place).reshape(-1, 3)
        lab = xyz_to_lab(one.target.to_xyz(shown), one.target.to_xyz(np.ones(3)))
        facts.append((np.log2(np.percentile(y, [10, 90]) / 0.18), float(np.hypot(lab[:, 1], lab[:, 2]).mean())))
        data = base64.b64encode(rendered(one, small, place)).decode()
        ways.append(
            {
                "name": name,
                "title": title,
                "image": f"data:image/jpeg;base64,{data}",
                "chosen": path.input.encoding == name,
            }
        )
    (scene, scene_colour), (display, display_colour) = facts
    shadows, highlights = (f"{d:+.1f}".replace("-", "−") for d in display - scene)
    return {
        "ways": ways,
        "shadows": shadows,
        "highlights": highlights,
        "colour": f"{display_colour / max(scene_colour, 1e-6):.2f}",
    }
