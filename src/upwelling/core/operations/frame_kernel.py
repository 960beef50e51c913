"""The arithmetic of operations on frames that runs over every pixel, in float32 on all cores; the float64 references in
bands, scatter and calm say what each does.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import prange

from upwelling.core.kernels import inline, parallel
from upwelling.core.kernels.acescct import code_of, light_of
from upwelling.core.kernels.fastmath import exp2_fast

F = np.float32
ZERO, ONE = F(0), F(1)
DARK = F(0.002)
WR, WG, WB, INV_WG = F(0.25), F(0.5), F(0.25), F(2)


@inline
def tanh_fast(x: Any) -> Any:
    """The hyperbolic tangent."""
    e = exp2_fast(min(max(x, F(-12)), F(12)) * F(2.8853900817779268))
    return (e - ONE) / (e + ONE)


@parallel
def light_above(rgb: Any, weights: Any, limit: Any, made: Any) -> None:
    """scatter.light_above: rgb and made (H, W, 3)."""
    wr, wg, wb = weights[0], weights[1], weights[2]
    for row in prange(rgb.shape[0]):
        for i in range(rgb.shape[1]):
            r, g, b = rgb[row, i, 0], rgb[row, i, 1], rgb[row, i, 2]
            y = wr * r + wg * g + wb * b
            share = max(y - limit, ZERO) / max(y, limit)
            made[row, i, 0] = max(r, ZERO) * share
            made[row, i, 1] = max(g, ZERO) * share
            made[row, i, 2] = max(b, ZERO) * share


@parallel
def luminance_above(rgb: Any, weights: Any, limit: Any, made: Any) -> None:
    """Luminance less a limit, at least 0: made (H, W)."""
    wr, wg, wb = weights[0], weights[1], weights[2]
    for row in prange(rgb.shape[0]):
        for i in range(rgb.shape[1]):
            y = wr * rgb[row, i, 0] + wg * rgb[row, i, 1] + wb * rgb[row, i, 2]
            made[row, i] = max(y - limit, ZERO)


@parallel
def add_spread(rgb: Any, spread: Any, light: Any, amount: Any, kept: Any, made: Any) -> None:
    """rgb + amount·(spread − kept·light), all (H, W, 3)."""
    a, b, c = amount[0], amount[1], amount[2]
    for row in prange(rgb.shape[0]):
        for i in range(rgb.shape[1]):
            made[row, i, 0] = rgb[row, i, 0] + a * (spread[row, i, 0] - kept * light[row, i, 0])
            made[row, i, 1] = rgb[row, i, 1] + b * (spread[row, i, 1] - kept * light[row, i, 1])
            made[row, i, 2] = rgb[row, i, 2] + c * (spread[row, i, 2] - kept * light[row, i, 2])


@parallel
def add_halo(rgb: Any, spread: Any, light: Any, amount: Any, made: Any) -> None:
    """rgb + amount·max(spread − light, 0); spread and light (H, W)."""
    a, b, c = amount[0], amount[1], amount[2]
    for row in prange(rgb.shape[0]):
        for i in range(rgb.shape[1]):
            halo = max(spread[row, i] - light[row, i], ZERO)
            made[row, i, 0] = rgb[row, i, 0] + a * halo
            made[row, i, 1] = rgb[row, i, 1] + b * halo
            made[row, i, 2] = rgb[row, i, 2] + c * halo


@parallel
def log_luminance(rgb: Any, weights: Any, code: Any) -> None:
    """ACEScct code (H, W) of luminance, at least 0."""
    wr, wg, wb = weights[0], weights[1], weights[2]
    for row in prange(rgb.shape[0]):
        for i in range(rgb.shape[1]):
            code[row, i] = code_of(max(wr * rgb[row, i, 0] + wg * rgb[row, i, 1] + wb * rgb[row, i, 2], ZERO))


@inline
def detail(a: Any, b: Any, gain: Any, square: Any) -> Any:
    """One band's part of what is raised: gain·(a − b), small detail passed over."""
    band = a - b
    power = band * band
    return gain * band * power / max(power + square, F(1e-20))


@inline
def change_of(code: Any, one: Any, two: Any, three: Any, p: Any) -> Any:
    """bands.BandDetail.change of one value: p is three gains, the threshold's square, the halo limit."""
    up = ZERO
    down = ZERO
    up += detail(code, one, max(p[0], ZERO), p[3])
    up += detail(one, two, max(p[1], ZERO), p[3])
    up += detail(two, three, max(p[2], ZERO), p[3])
    down += min(p[0], ZERO) * (code - one) + min(p[1], ZERO) * (one - two) + min(p[2], ZERO) * (two - three)
    return down + p[4] * tanh_fast(up / p[4])


@parallel
def gain_of(code: Any, one: Any, two: Any, three: Any, p: Any, gain: Any) -> None:
    """The factor on light that raises its luminance's code; planes (H, W)."""
    for row in prange(code.shape[0]):
        c, x, y, z, out = code[row], one[row], two[row], three[row], gain[row]
        for i in range(c.shape[0]):
            at = c[i]
            now = max(light_of(at + change_of(at, x[i], y[i], z[i], p)), ZERO)
            out[i] = (now + DARK) / (light_of(at) + DARK)


@parallel
def times_plane(rgb: Any, gain: Any, made: Any) -> None:
    """rgb·gain, made (H, W, 3)."""
    for row in prange(rgb.shape[0]):
        for i in range(rgb.shape[1]):
            made[row, i, 0] = rgb[row, i, 0] * gain[row, i]
            made[row, i, 1] = rgb[row, i, 1] * gain[row, i]
            made[row, i, 2] = rgb[row, i, 2] * gain[row, i]


@parallel
def raise_channels(code: Any, one: Any, two: Any, three: Any, p: Any, made: Any) -> None:
    """Each channel's code raised, to light; all (H, W, 3)."""
    for row in prange(code.shape[0]):
        for i in range(code.shape[1]):
            for c in range(3):
                at = code[row, i, c]
                made[row, i, c] = light_of(
                    at + change_of(at, one[row, i, c], two[row, i, c], three[row, i, c], p)
                )


@parallel
def calm_moments(rgb: Any, first: Any, second: Any) -> None:
    """first (H, W, 4): brightness y in log code, y², y·u, y·v; second (H, W, 2): the colour differences u and v."""
    count = rgb.shape[1]
    for row in prange(rgb.shape[0]):
        codes = np.empty((3, count), np.float32)
        source, a, b = rgb[row], first[row], second[row]
        for c in range(3):
            code = codes[c]
            for i in range(count):
                code[i] = source[i, c]
            for i in range(count):
                code[i] = code_of(code[i])
        red, green, blue = codes[0], codes[1], codes[2]
        for i in range(count):
            y = WR * red[i] + WG * green[i] + WB * blue[i]
            u, v = red[i] - y, blue[i] - y
            a[i, 0], a[i, 1], a[i, 2], a[i, 3] = y, y * y, y * u, y * v
            b[i, 0], b[i, 1] = u, v


@parallel
def calm_brightness(means: Any, least: Any, made: Any) -> None:
    """From means (H, W, 2) of y and y² to slope and offset of the guided filter, made (H, W, 2)."""
    for row in prange(means.shape[0]):
        for i in range(means.shape[1]):
            mean = means[row, i, 0]
            spread = max(means[row, i, 1] - mean * mean, ZERO)
            share = spread / (spread + least)
            made[row, i, 0], made[row, i, 1] = share, mean - share * mean


@parallel
def calm_colours(first: Any, second: Any, least: Any, made: Any) -> None:
    """From the wide means to two slopes and two offsets, made (H, W, 4)."""
    for row in prange(first.shape[0]):
        for i in range(first.shape[1]):
            mean = first[row, i, 0]
            inv = ONE / (max(first[row, i, 1] - mean * mean, ZERO) + least)
            u, v = second[row, i, 0], second[row, i, 1]
            a, b = (first[row, i, 2] - mean * u) * inv, (first[row, i, 3] - mean * v) * inv
            made[row, i, 0], made[row, i, 1], made[row, i, 2], made[row, i, 3] = a, b, u - a * mean, v - b * mean


@parallel
def calm_joined(first: Any, second: Any, calm: Any, guided: Any, p: Any, table: Any, made: Any) -> None:
    """p is strength of brightness and colour, and the table's first code and cells over code; made is light."""
    strength, colour, low, a_code = p[0], p[1], p[2], p[3]
    last = np.int32(table.shape[0] - 2)
    count = made.shape[1]
    for row in prange(made.shape[0]):
        amount, codes = np.empty(count, np.float32), np.empty((3, count), np.float32)
        a, b, lines, slopes, target = first[row], second[row], calm[row], guided[row], made[row]
        for i in range(count):
            t = min(max((a[i, 0] - low) * a_code, ZERO), F(last + np.int32(1)))
            cell = min(np.int32(t), last)
            amount[i] = table[cell] + (t - F(cell)) * (table[cell + 1] - table[cell])
        red, green, blue = codes[0], codes[1], codes[2]
        for i in range(count):
            y, u, v = a[i, 0], b[i, 0], b[i, 1]
            now = y + strength * amount[i] * (lines[i, 0] * y + lines[i, 1] - y)
            du, dv = slopes[i, 0] * y + slopes[i, 2] - u, slopes[i, 1] * y + slopes[i, 3] - v
            red[i], blue[i] = now + u + colour * amount[i] * du, now + v + colour * amount[i] * dv
            green[i] = (now - WR * red[i] - WB * blue[i]) * INV_WG
        for c in range(3):
            code = codes[c]
            for i in range(count):
                code[i] = light_of(code[i])
            for i in range(count):
                target[i, c] = code[i]
