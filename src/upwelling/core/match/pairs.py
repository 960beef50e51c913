"""Places a person marked as corresponding, two to twenty-four; those that do not belong are found and named.

One pair alone already says exposure and balance, so every pair votes with its gains, and the vote that the most others
agree with begins the fit. How much is corrected grows with the number of pairs.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.match.light import CannotMatch, Match, Picture, Space
from upwelling.core.match.models import FEWEST, LADDER
from upwelling.core.match.report import reported
from upwelling.core.match.robust import Fit, Samples, fit

MOST, FEWEST_PAIRS = 24, 1
AGREE, BY_CHROMA = 0.45, 0.6
"""Stops within which two pairs' gains agree in the vote: wide, as another camera's matrix and tone move them; and the
share of that for balance.
"""
CLEAR = 4.0
"""Oklab ×100 by which a pair must be off at least, to be called an outlier."""
MOST_OUTLIERS = 0.4
FOLDS = 6
SIDE = 0.03
"""Side of a marked place as a share of the height, where nobody says one."""
Marked = tuple[float, float, float]
"""x and y of the middle as shares of width and height, and the side of the square as a share of the height."""


def area_of(picture: Picture, place: Marked) -> tuple[Any, float]:
    """Mean light (3,) of a marked place and the share of it that is usable."""
    x, y, side = place
    rows, columns = picture.rgb.shape[:2]
    half = max(side * rows / 2, 0.5)
    left, right = (int(np.clip(round(x * columns + d), 0, columns)) for d in (-half, half))
    top, bottom = (int(np.clip(round(y * rows + d), 0, rows)) for d in (-half, half))
    right, bottom = max(right, left + 1), max(bottom, top + 1)
    block, good = picture.rgb[top:bottom, left:right], picture.usable[top:bottom, left:right]
    if not block.size:
        raise CannotMatch("A marked place lies outside its picture.")
    return np.asarray(block, dtype=np.float64).reshape(-1, 3).mean(axis=0), float(good.mean())


def match(source: Picture, reference: Picture, space: Space, pairs: list[tuple[Marked, Marked]]) -> Match:
    """The steps that bring the places of ``source`` (first of each pair) to those of ``reference``."""
    if not FEWEST_PAIRS <= len(pairs) <= MOST:
        raise CannotMatch(f"{len(pairs)} pairs are marked; between {FEWEST_PAIRS} and {MOST} can be matched.")
    read = [(area_of(source, mine), area_of(reference, its)) for mine, its in pairs]
    dark = [n + 1 for n, ((a, _), (b, _)) in enumerate(read) if (np.minimum(a, b) <= 1e-4).any()]
    if dark:
        raise CannotMatch(f"Pair {_listed(dark)} holds no light in one of its channels. Mark something brighter.")
    clipped = [n + 1 for n, ((_, a), (_, b)) in enumerate(read) if min(a, b) < 0.98]
    mine, its = np.array([a for (a, _), _ in read]), np.array([b for _, (b, _) in read])
    return of_colours(mine, its, space, _clip_remark(clipped))


def of_colours(mine: Any, its: Any, space: Space, remarks: tuple[str, ...] = ()) -> Match:
    """The match of colours (N, 3) to those they should become."""
    samples = Samples(mine, its, space)
    n = len(samples)
    inside = _voted(samples) if n >= 3 else np.ones(n, bool)
    found = _fitted(samples, inside)
    for _ in range(4):
        limit = max(CLEAR, 3.5 * 1.4826 * float(np.median(found.errors[inside])))
        agrees = found.errors <= limit if n >= 3 else inside
        if (agrees == inside).all() or agrees.sum() < 2:
            break
        inside = agrees
        found = _fitted(samples, inside)
    wrong = [int(k) + 1 for k in np.flatnonzero(~inside)]
    if n >= 3 and len(wrong) > MOST_OUTLIERS * n:
        raise CannotMatch(
            f"{len(wrong)} of {n} pairs do not agree with the others ({_listed(wrong)}). Mark other places."
        )
    if wrong:
        remarks = (*remarks, f"Pair {_listed(wrong)} does not belong with the others and is left out.")
    if n == 2 and _apart(samples):
        remarks = (*remarks, "The two pairs disagree, and two cannot show which is wrong. Mark a third.")
    if n < 8:
        remarks = (*remarks, f"{n} pair{'s' * (n > 1)} cannot tell a matrix; 8 can, 12 do it well.")
    return reported("pairs", found, samples, remarks)


def _clip_remark(clipped: list[int]) -> tuple[str, ...]:
    return (f"Pair {_listed(clipped)} is clipped in part and pulls wrongly; mark it elsewhere.",) if clipped else ()


def _listed(numbers: list[int]) -> str:
    return ", ".join(str(n) for n in numbers)


def _fitted(samples: Samples, inside: Any) -> Fit:
    """The fit from some of the pairs, its errors over all of them."""
    count = int(inside.sum())
    models = tuple(m for m in LADDER if count >= FEWEST[m] + (m not in ("exposure", "balance")))
    found = fit(samples.part(inside), models=models, least="balance", folds=max(2, min(count, FOLDS)), drop=False)
    return Fit(found.model, found.values, samples.errors(found.model, found.values), inside, found.left_out)


def _gains(samples: Samples) -> Any:
    return np.log2(np.maximum(samples.wanted, 1e-5) / np.maximum(samples.source, 1e-5))


def _voted(samples: Samples) -> Any:
    """Which pairs (N,) agree with the gains that the most pairs name."""
    gains = _gains(samples)
    tone = gains.mean(axis=1)
    chroma = gains - tone[:, None]
    # Dark and saturated pairs are less certain: one of their channels is near zero.
    low = np.minimum(*(c.min(axis=1) / c.max(axis=1) for c in (samples.wanted, samples.source)))
    doubt = np.minimum(1 + 0.04 / np.maximum(low, 0.02), 2.5)
    off_tone = np.abs(tone[:, None] - tone) / (2.2 * AGREE)
    off_chroma = np.abs(chroma[:, None] - chroma).max(axis=2) / (BY_CHROMA * AGREE * np.add.outer(doubt, doubt) / 2)
    distance = np.maximum(off_tone, off_chroma)
    votes = (distance <= 1).sum(axis=1) - 0.1 * np.median(distance, axis=1)
    return distance[int(np.argmax(votes))] <= 1


def _apart(samples: Samples) -> bool:
    return bool(np.ptp(_gains(samples), axis=0).max() > AGREE)
