"""The one guard for the shape and type of colour arrays."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.floating[Any]]
"""Any floating NumPy array."""
MID_GREY = 0.18
"""Scene-linear light of an 18 % reflector; stops are counted from here."""
STOP = float(np.log10(2))
"""A stop in log₁₀ of light: density, and exposure."""
Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]


def as_rgb(values: object, *, dtype: type[np.floating[Any]] = np.float64) -> Any:
    """``values`` as a float array (…, 3); raises ValueError on another last axis."""
    array = np.asarray(values, dtype=dtype)
    if array.ndim == 0 or array.shape[-1] != 3:
        raise ValueError(f"Expected an array whose last axis is R, G, B (length 3), found shape {array.shape}.")
    return array


def signed_power(values: Float, exponent: float) -> Any:
    """sign(x)·|x|^exponent, so that negative light stays negative."""
    return np.sign(values) * np.abs(values) ** exponent


STOPS_A_CODE = 17.52
"""Stops from code 0 to 1 above the toe of ACEScct, the working log (Academy S-2016-001)."""
