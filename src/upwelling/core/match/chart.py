"""Both pictures hold the 24-patch chart: exposure, balance, and as much more as its patches can prove."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.charts.find import find_chart
from upwelling.core.charts.grid import Corners
from upwelling.core.charts.patch_chart import PATCHES, read_patches
from upwelling.core.match.light import CannotMatch, Match, Picture, Space
from upwelling.core.match.models import LADDER
from upwelling.core.match.report import reported
from upwelling.core.match.robust import Samples, fit, fit_near

FOLDS = 6
FEWEST_PATCHES = 12
MODELS = (*(model for model in LADDER if model != "curve"), "root")


def match(
    source: Picture, reference: Picture, space: Space, corners: tuple[Corners | None, Corners | None] = (None, None)
) -> Match:
    """The steps that bring ``source``'s chart to ``reference``'s; charts are looked for where no corners are given."""
    read, places = [], []
    for picture, given in zip((source, reference), corners, strict=True):
        at = given or find_chart(picture.rgb, space.working).corners
        read.append((read_patches(picture.rgb, at), read_patches(_shown(picture.usable), at)[:, 0]))
        places.append(at)
    return of_patches(read[0], read[1], space, {"corners": places})


def of_patches(source: tuple[Any, Any], reference: tuple[Any, Any], space: Space, facts: dict[str, Any]) -> Match:
    """Of patches (24, 3) and how much of each is usable (24,), of both; clipped and black ones are left out."""
    (mine, good), (its, fine) = source, reference
    kept = (np.minimum(good, fine) > 0.98) & (np.minimum(mine, its) > 2e-4).all(axis=1)
    if kept.sum() < FEWEST_PATCHES:
        raise CannotMatch(
            f"Only {int(kept.sum())} of the 24 patches hold light that no camera clipped; {FEWEST_PATCHES} are needed."
        )
    samples = Samples(mine[kept], its[kept], space)
    found = fit(samples, models=MODELS, least="balance", folds=FOLDS, drop=False)
    lonely = [
        float(samples.part(np.arange(len(samples)) == k).errors(found.model, p)[0])
        for k in range(len(samples))
        for p in (fit_near(found.model, found.values, samples.part(np.arange(len(samples)) != k)),)
    ]
    missing = [PATCHES[k][0] for k in np.flatnonzero(~kept)]
    remarks = (f"Left out, clipped or black: {', '.join(missing)}.",) if missing else ()
    return reported("chart", found, samples, remarks, left_out=float(np.median(lonely)), facts=facts)


def _shown(usable: Any) -> Any:
    return np.repeat(np.asarray(usable, np.float32)[..., None], 3, axis=-1)
