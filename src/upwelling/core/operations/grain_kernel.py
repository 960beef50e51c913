"""The arithmetic of grain that runs over every pixel, in float32 on all cores."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import prange

from upwelling.core.arrays import Float32
from upwelling.core.kernels import KERNEL_LOCK, inline, parallel
from upwelling.core.kernels.fastmath import exp2_fast, log2_fast

F, U = np.float32, np.uint64
TINY, GREY_STOPS = F(1e-6), F(np.log2(0.18))
LOWEST, A_STOP, CELLS = F(-12), F(10), F(240)
ZERO = F(0)
MIX1, MIX2, STEP = U(0xBF58476D1CE4E5B9), U(0x94D049BB133111EB), U(0x9E3779B97F4A7C15)
S27, S30, S31, S16, S32, S48 = U(27), U(30), U(31), U(16), U(32), U(48)
LOW16 = U(0xFFFF)
UNIT = F(3**0.5 / 65536)
"""Makes the sum of four whole numbers of 16 bits, less its mean, of variance 1: each is 65536²/12."""
MIDDLE = F(2 * 65535)


@inline
def scrambled(z: Any) -> Any:
    """SplitMix64's finalizer (G. Steele, D. Lea and C. Flood, "Fast splittable pseudorandom number generators", 2014)."""
    z = (z ^ (z >> S30)) * MIX1
    z = (z ^ (z >> S27)) * MIX2
    return z ^ (z >> S31)


def lattice_key(seed: int, moment: int, layer: int) -> int:
    """What the random numbers of a lattice begin from."""
    mask = (1 << 64) - 1
    key = 0
    for part in (seed, moment, layer):
        key = _plain((key + int(STEP) * (part + 1)) & mask)
    return key


def _plain(z: int) -> int:
    mask = (1 << 64) - 1
    z = ((z ^ (z >> 30)) * int(MIX1)) & mask
    z = ((z ^ (z >> 27)) * int(MIX2)) & mask
    return z ^ (z >> 31)


@parallel
def fill_lattice(key: Any, top: Any, left: Any, numbers: Any) -> None:
    """Random numbers of mean 0 and variance 1 at lattice places from (top, left) on: the sum of four even ones, near
    enough to a normal distribution once the spline has mixed sixteen.
    """
    for row in prange(numbers.shape[0]):
        line = scrambled(key + STEP * U(row + top))
        for column in range(numbers.shape[1]):
            z = scrambled(line + STEP * U(column + left))
            total = F(z & LOW16) + F((z >> S16) & LOW16) + F((z >> S32) & LOW16) + F(z >> S48)
            numbers[row, column] = (total - MIDDLE) * UNIT


@parallel
def _alike(numbers: Any, a: Any, b: Any) -> None:
    """Three layers (3, height, width), each times a plus b times their sum: what makes them correlate."""
    for row in prange(numbers.shape[1]):
        x, y, z = numbers[0, row], numbers[1, row], numbers[2, row]
        for i in range(x.shape[0]):
            common = b * (x[i] + y[i] + z[i])
            x[i], y[i], z[i] = a * x[i] + common, a * y[i] + common, a * z[i] + common


@parallel
def _across(numbers: Any, first: Any, weights: Any, made: Any) -> None:
    """Lattice lines (height, width) to (height, columns)."""
    for row in prange(made.shape[0]):
        line, out = numbers[row], made[row]
        for column in range(out.shape[0]):
            out[column] = ZERO
        for k in range(weights.shape[0]):
            w = weights[k]
            for column in range(out.shape[0]):
                out[column] += w[column] * line[first[column] + np.int32(k)]


@parallel
def _down(lines: Any, first: Any, weights: Any, channel: Any, total: Any) -> None:
    """Lines (height, columns) to rows, added to one channel of total (3, rows, columns), or to all below 0."""
    for row in prange(total.shape[1]):
        made = np.zeros(total.shape[2], np.float32)
        for k in range(weights.shape[1]):
            w, source = weights[row, k], lines[first[row] + k]
            for i in range(made.shape[0]):
                made[i] += w * source[i]
        for c in range(3):
            if channel < 0 or channel == c:
                out = total[c, row]
                for i in range(made.shape[0]):
                    out[i] += made[i]


def add_fields(
    total: Float32,
    keys: list[int],
    alike: float,
    box: tuple[int, int, int, int],
    down: tuple[Any, Any],
    across: tuple[Any, Any],
) -> None:
    """Adds the fields of a lattice to ``total`` (3, rows, columns): of one layer for all channels, or of three that
    correlate by ``alike``. ``box`` is what of the lattice is seen (top, left, height, width), ``down`` and ``across``
    the first index and the weights of each row and column.
    """
    top, left, height, width = box
    numbers = np.empty((len(keys), height, width), np.float32)
    lines = np.empty((height, total.shape[2]), np.float32)
    weights, columns = np.ascontiguousarray(across[1].T), across[0].astype(np.int32)
    with KERNEL_LOCK:
        for layer, key in zip(numbers, keys, strict=True):
            fill_lattice(U(key), np.int64(top), np.int64(left), layer)
        if len(keys) == 3:  # the symmetric root of (1 − ρ)·I + ρ·J
            own = (1 - alike) ** 0.5
            _alike(numbers, F(own), F(((1 + 2 * alike) ** 0.5 - own) / 3))
        for index, layer in enumerate(numbers):
            _across(layer, columns, weights, lines)
            _down(lines, down[0], down[1], np.int64(index if len(keys) == 3 else -1), total)


@parallel
def _grained(rgb: Any, fields: Any, variance: Any, table: Any, weights: Any, made: Any) -> None:
    wr, wg, wb = weights[0], weights[1], weights[2]
    count = rgb.shape[1]
    for row in prange(rgb.shape[0]):
        # One simple loop after the other: the compiler makes SIMD of each but the one that reads the table.
        light, amount, less = np.empty(count, np.float32), np.empty(count, np.float32), np.empty(count, np.float32)
        source, target, spread = rgb[row], made[row], variance[row]
        for i in range(count):
            light[i] = wr * source[i, 0] + wg * source[i, 1] + wb * source[i, 2]
        for i in range(count):
            light[i] = min(max((log2_fast(max(light[i], TINY)) - GREY_STOPS - LOWEST) * A_STOP, ZERO), CELLS)
        for i in range(count):
            t = light[i]
            cell = min(np.int32(t), np.int32(239))
            amount[i] = table[cell] + (t - F(cell)) * (table[cell + 1] - table[cell])
        for i in range(count):
            less[i] = amount[i] * amount[i] * spread[i]
        for c in range(3):
            field = fields[c, row]
            for i in range(count):
                light[i] = exp2_fast(amount[i] * field[i] - less[i])
            for i in range(count):
                target[i, c] = source[i, c] * light[i]


def grained(rgb: Float32, fields: Float32, variance: Float32, table: Float32, weights: Float32) -> Float32:
    """Light (H, W, 3) with the fields on it; ``table`` is the amount from −12 to 12 stops, ``variance`` times ln2/2."""
    made = np.empty_like(rgb)
    with KERNEL_LOCK:
        _grained(np.ascontiguousarray(rgb), fields, variance, table, weights, made)
    return made
