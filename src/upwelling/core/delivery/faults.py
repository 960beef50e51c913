"""Known faults of a delivered picture, tried on what it should be: which one explains what is there."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.media.ycbcr import LUMA

EXPLAINS, LEAST = 0.5, 8e-4
"""A fault explains a picture where this share of its error or less is left, of an error that is more than this share of
the code scale; the last is under one code of 10 bit.
"""
Fault = Callable[[Float64, Float64], Float64]


def _matrix(name: str) -> Float64:
    """From R'G'B' to Y'CbCr of a standard's luma weights."""
    r, b = LUMA[name][0], LUMA[name][-1]
    y = np.array([r, 1 - r - b, b])
    return np.array([y, (np.array([0, 0, 1]) - y) / (2 - 2 * b), (np.array([1, 0, 0]) - y) / (2 - 2 * r)])


def _coded(by: str, read: str) -> Fault:
    turn = np.linalg.inv(_matrix(read)) @ _matrix(by)
    return lambda wanted, found: wanted @ turn.T


def _swapped(wanted: Float64, found: Float64) -> Float64:
    there = _matrix("BT.709")
    return (wanted @ there.T)[..., [0, 2, 1]] @ np.linalg.inv(there).T


def _gained(wanted: Float64, found: Float64) -> Float64:
    inside = (wanted > 0.1) & (wanted < 0.9) & (found > 0.02) & (found < 0.98)
    return wanted * (float(np.median(found[inside] / wanted[inside])) if inside.any() else 1.0)


FAULTS: dict[str, Fault] = {
    "it was coded by BT.601 and says BT.709": _coded("BT.601", "BT.709"),
    "it was coded by BT.709 and says BT.601": _coded("BT.709", "BT.601"),
    "it was coded by BT.2020 and says BT.709": _coded("BT.2020", "BT.709"),
    "it was coded by BT.709 and says BT.2020": _coded("BT.709", "BT.2020"),
    "its colour differences Cb and Cr are swapped": _swapped,
    "red and blue are swapped": lambda wanted, found: wanted[..., ::-1],
    "legal codes were squeezed twice": lambda wanted, found: (wanted * 876 + 64) / 1023,
    "full codes were taken for legal ones and stretched": lambda wanted, found: (wanted * 1023 - 64) / 876,
    "it is coded for gamma 2.2 instead of 2.4": lambda wanted, found: np.maximum(wanted, 0) ** (2.4 / 2.2),
    "it is coded for gamma 2.4 instead of 2.2": lambda wanted, found: np.maximum(wanted, 0) ** (2.2 / 2.4),
    "it is coded for gamma 2.6 instead of 2.4": lambda wanted, found: np.maximum(wanted, 0) ** (2.4 / 2.6),
    "it is brighter or darker by one factor": _gained,
}
SHIFTS = {
    f"the picture is shifted by a pixel to the {way}": (axis, by)
    for way, axis, by in (("right", 1, 1), ("left", 1, -1), ("bottom", 0, 1), ("top", 0, -1))
}


def fault_of(found: Any, wanted: Any, squares: Callable[[Any], Any]) -> str:
    """The known fault that makes the delivered signal (H, W, 3) of the one ordered; empty where none explains it.

    ``squares`` gives means over squares, in which what an encoder loses is not.
    """
    found, wanted = (np.clip(np.asarray(part, dtype=np.float64), 0, 1) for part in (found, wanted))
    mine, right = squares(found), squares(wanted)
    off = float(np.abs(mine - right).mean())
    best, named = EXPLAINS * off, ""
    if off > LEAST:
        for name, fault in FAULTS.items():
            left = float(np.abs(mine - squares(np.clip(fault(wanted, found), 0, 1))).mean())
            if left < best:
                best, named = left, name
    apart = float(np.abs(found - wanted)[2:-2, 2:-2].mean())
    for name, (axis, by) in SHIFTS.items():
        left = float(np.abs(found - np.roll(wanted, by, axis))[2:-2, 2:-2].mean())
        if not named and apart > 2 * LEAST and left < EXPLAINS * apart:
            apart, named = left, name
    return named
