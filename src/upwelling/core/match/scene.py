"""The same scene by two cameras: what both show is found, and a fit is made from hundreds of areas of it."""

from __future__ import annotations

import numpy as np

from upwelling.core.match.exposure import lost
from upwelling.core.match.light import CannotMatch, Match, Picture, Space
from upwelling.core.match.registration import Registration, areas, register
from upwelling.core.match.report import reported
from upwelling.core.match.robust import Samples, fit

FEWEST_AREAS = 8
CELLS = (6, 4)
"""Across and down: areas of one cell are left out together, as neighbours are alike."""


def match(source: Picture, reference: Picture, space: Space) -> Match:
    """The steps that bring ``source`` to ``reference``; raises CannotMatch where they do not overlap."""
    found = register(reference, source, space)
    wanted, mine, weights, places = areas(reference, source, found)
    if len(mine) < FEWEST_AREAS:
        raise CannotMatch(
            f"The pictures overlap, but only {len(mine)} areas of them can be used; the rest is clipped, dark or "
            "moves. Mark pairs instead."
        )
    rows, columns = reference.rgb.shape[:2]
    cell = np.minimum((places / (columns, rows) * CELLS).astype(int), np.array(CELLS) - 1)
    samples = Samples(mine, wanted, space, weights)
    result = fit(samples, groups=cell[:, 0] + CELLS[0] * cell[:, 1])
    return reported("scene", result, samples, (_said(found, len(mine)), *lost(source)), facts=_facts(found))


def _said(found: Registration, used: int) -> str:
    return (
        f"{found.overlap * 100:.0f} % of the reference is in the picture; {found.details} details agree, "
        f"{used} areas were compared; {found.confidence * 100:.0f} % sure of the place."
    )


def _facts(found: Registration) -> dict[str, object]:
    return {
        "confidence": round(found.confidence, 3),
        "overlap": round(found.overlap, 3),
        "details": found.details,
        "homography": [[float(v) for v in row] for row in found.homography],
    }
