"""What was done to a picture between two files, told by what explains the difference: known faults first, then the
gamma, gain and offset that fit it best.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.blocks import grid_mean
from upwelling.core.delivery.faults import FAULTS, LEAST

GRID = (36, 64)
"""Squares by which two pictures of any size are compared: what an encoder loses is not in their means."""
EXPLAINS, GAMMA_LEAST, GAIN_LEAST, OFFSET_LEAST = 0.35, 0.01, 0.004, 0.002
"""The share of a difference that may be left by what explains it, and the least gamma, gain and offset told."""
UNEXPLAINED, NO_WORSE = 4e-3, 0.08
"""Of the code scale: what encoding to 8 bits again leaves stays below it (1.1 codes of 10 bit measured); and by how
much a known fault may explain less than a free fit and still be what is told.
"""
_UNDONE: dict[str, str] = {
    "legal codes were squeezed twice": "Its range was changed: full codes were squeezed into 64 to 940, and it is read "
    "so once more.",
    "full codes were taken for legal ones and stretched": "Its range was changed: legal codes were stretched to full "
    "ones, and it is read as legal.",
    "it is coded for gamma 2.2 instead of 2.4": "Its gamma was shifted: coded for 2.2 where 2.4 was delivered.",
    "it is coded for gamma 2.4 instead of 2.2": "Its gamma was shifted: coded for 2.4 where 2.2 was delivered.",
    "it is coded for gamma 2.6 instead of 2.4": "Its gamma was shifted: coded for 2.6 where 2.4 was delivered.",
}


RANGES = tuple(_UNDONE)[:2]
"""Those that are of the range."""


@dataclass(frozen=True)
class Change:
    """One change: its name for programs, in words, and the share of the difference that is left once it is undone."""

    name: str
    said: str
    left: float


def change_of(pairs: Sequence[tuple[Float64, Float64]]) -> tuple[tuple[Change, ...], float]:
    """What makes the first of each pair of full-range pictures (H, W, 3) of the second, which may be of another size;
    and the mean difference left, in 10-bit codes. Empty where they differ by less than a code.
    """
    found = np.concatenate([_squares(a).reshape(-1, 3) for a, _ in pairs])
    wanted = np.concatenate([_squares(b).reshape(-1, 3) for _, b in pairs])
    off = float(np.abs(found - wanted).mean())
    if off <= LEAST:
        return (), off * 1023
    tried = [_fault(name, act, pairs, found, off) for name, act in FAULTS.items() if "factor" not in name]
    fitted, undone = _fitted(found, wanted, off)
    best = min([*tried, *fitted[:1]], key=lambda one: one.left)
    if best.left > EXPLAINS:
        said = f"Its colours were changed in a way that no single curve explains, by {off * 1023:.1f} codes of 10 bit"
        unexplained = (Change("colours", f"{said} on average.", 1.0),)
        return unexplained if off >= UNEXPLAINED else (), off * 1023
    # A known fault is told before a fit that is no better.
    known = min(tried, key=lambda one: one.left)
    chosen = (known,) if known.left <= best.left + NO_WORSE else tuple(fitted)
    return chosen, off * (known.left if chosen == (known,) else undone) * 1023


def _squares(picture: Float64) -> Float64:
    values = np.clip(np.asarray(picture, dtype=np.float64), 0, 1)
    rows, columns = (min(want, have) for want, have in zip(GRID, values.shape, strict=False))
    return np.asarray(grid_mean(values, rows, columns))


def _fault(
    name: str,
    act: Callable[[Float64, Float64], Float64],
    pairs: Sequence[tuple[Float64, Float64]],
    found: Float64,
    off: float,
) -> Change:
    made = np.concatenate([_squares(np.clip(act(b, b), 0, 1)).reshape(-1, 3) for _, b in pairs])
    said = _UNDONE.get(name, f"Its picture shows that {name}.")
    return Change(name, said, float(np.abs(found - made).mean()) / off)


def _fitted(found: Float64, wanted: Float64, off: float) -> tuple[list[Change], float]:
    """The gamma, gain and offset of all channels together that fit best, each told where it is more than nothing; and
    the share of the difference that is left by all of them.
    """
    inside = (wanted > 0.02) & (wanted < 0.98) & (found > 0.01) & (found < 0.99)
    if inside.sum() < 50:
        return [], 1.0
    x, y = wanted[inside], found[inside]
    best = (np.inf, 1.0, 1.0, 0.0)
    for gamma in np.concatenate([[1.0], np.geomspace(0.5, 2.0, 121)]):
        table = np.stack([x**gamma, np.ones_like(x)], axis=1)
        (gain, offset), *_ = np.linalg.lstsq(table, y, rcond=None)
        left = float(np.abs(table @ (gain, offset) - y).mean())
        if left < best[0] * (1 if gamma != 1.0 else 1.02):
            best = (left, float(gamma), float(gain), float(offset))
    left, gamma, gain, offset = best
    share = left / max(float(np.abs(x - y).mean()), 1e-9)
    said = []
    if abs(gamma - 1) > GAMMA_LEAST:
        said.append(Change("gamma", f"Its gamma was shifted: codes are as if raised to {gamma:.3f}.", share))
    if abs(gain - 1) > GAIN_LEAST:
        said.append(Change("gain", f"Its codes were multiplied by {gain:.3f}.", share))
    if abs(offset) > OFFSET_LEAST:
        said.append(Change("offset", f"Its codes were moved by {offset * 1023:+.1f} of 10 bit.", share))
    return said, share
