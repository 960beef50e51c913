"""Where a flattened movie was cut: how strongly each frame differs from the one before."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

_LEVELS, _GRID = 16, 4
THRESHOLD = 0.25
"""Strength from which a change counts as a cut, as set at first; ours."""
SHORTEST = 4
"""Frames a shot has at least."""


@dataclass(frozen=True)
class SceneCut:
    """The first frame of a new shot, and how strong the change is, 0…1."""

    frame: int
    strength: float


def strengths(frames: Iterable[Any], progress: Callable[[int], None] | None = None) -> list[float]:
    """The change at each frame, 0…1, of small luma pictures (rows, columns); the first is 0.

    Histograms of luma in 4 × 4 places are compared, so that movement inside a place counts little; what also happens at
    the neighbouring frames (a pan, a flicker) is taken off.
    """
    raw: list[float] = []
    before = None
    for index, luma in enumerate(frames):
        now = _histograms(luma)
        raw.append(0.0 if before is None else float(np.abs(now - before).sum(axis=-1).mean() / 2))
        before = now
        if progress:
            progress(index)
    values = np.array(raw)
    out = []
    for i, value in enumerate(values):
        around = np.concatenate([values[max(1, i - 4) : i], values[i + 1 : i + 5]])
        out.append(float(max(value - (np.median(around) if len(around) else 0.0), 0.0)))
    return out


def _histograms(luma: Any) -> Any:
    rows, columns = luma.shape[0] // _GRID, luma.shape[1] // _GRID
    level = np.clip((np.asarray(luma) * _LEVELS).astype(int), 0, _LEVELS - 1)[: rows * _GRID, : columns * _GRID]
    places = level.reshape(_GRID, rows, _GRID, columns).swapaxes(1, 2).reshape(_GRID * _GRID, -1)
    return np.stack([(places == k).mean(axis=1) for k in range(_LEVELS)], axis=-1)


def cuts(values: Sequence[float], threshold: float = THRESHOLD) -> list[SceneCut]:
    """Cuts at least as strong as the threshold; of several within the shortest shot the strongest stays."""
    found: list[SceneCut] = []
    for index, value in enumerate(values):
        if index == 0 or value < threshold:
            continue
        if found and index - found[-1].frame < SHORTEST:
            if value > found[-1].strength:
                found[-1] = SceneCut(index, value)
            continue
        found.append(SceneCut(index, value))
    return found


def ranges(cut_frames: Iterable[int], count: int) -> list[tuple[int, int]]:
    """First and last frame of each shot between cuts; frames outside 1…count − 1 and doubles are left out."""
    starts = [0, *sorted({frame for frame in cut_frames if 0 < frame < count})]
    return [(a, b - 1) for a, b in zip(starts, [*starts[1:], count], strict=True)]
