"""Pictures by which a receiver's set-up is checked by eye: a frame and the 24-patch chart,
before and after the table.
"""

from __future__ import annotations

from pathlib import Path as FilePath
from typing import Any

import numpy as np

from upwelling.core.arrays import Float32
from upwelling.core.bake.order import BakeOrder
from upwelling.core.charts.patch_chart import chart_linear
from upwelling.core.encodings.custom import MakerLut
from upwelling.core.media import png
from upwelling.core.operations import Place
from upwelling.core.operations.exact import exact
from upwelling.core.proof.lut_box import LutBox

PATCH, GAP = 96, 8


def chart_code(order: BakeOrder) -> Float32:
    """The chart, lit so that its white is diffuse white, as the table's input code: (H, W, 3), six by four patches on
    mid grey.
    """
    code = order.code_of_working(np.concatenate([chart_linear(order.path.working), np.full((1, 3), 0.18)]))
    height, width = 4 * PATCH + 5 * GAP, 6 * PATCH + 7 * GAP
    picture = np.broadcast_to(code[-1], (height, width, 3)).astype(np.float32).copy()
    for index in range(24):
        y, x = GAP + index // 6 * (PATCH + GAP), GAP + index % 6 * (PATCH + GAP)
        picture[y : y + PATCH, x : x + PATCH] = code[index]
    return picture


def write_test_pictures(
    order: BakeOrder, box: LutBox, frame_code: Any, folder: FilePath, place: Place | None = None
) -> list[str]:
    """Writes chart and frame as 16-bit PNG: going in, as the exact path has them, and as the receiver makes them; gives
    their names.
    """
    custom = order.path.input.custom
    one_way = order.section.from_camera and custom is not None and isinstance(custom.form, MakerLut)
    # A camera known only by its maker's table cannot be turned round, so there is no chart in its code.
    pictures = {} if one_way else {"chart": np.clip(chart_code(order), 0, 1)}
    if frame_code is not None:
        pictures["frame"] = np.clip(order.table_code(frame_code, None, place), 0, 1)
    names = []
    for name, code in pictures.items():
        flat = order.snapped(np.asarray(code, dtype=np.float64).reshape(-1, 3))
        for what, values in (
            ("1-going-in", flat),
            ("2-exact", np.clip(exact(order.operations, flat), 0, 1)),
            ("3-through-the-lut", np.clip(box.apply(flat), 0, 1)),
        ):
            file = f"{name}-{what}.png"
            png.write(folder / file, values.reshape(code.shape).astype(np.float32), "16", {})
            names.append(file)
    return names
