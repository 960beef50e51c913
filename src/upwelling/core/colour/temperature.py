"""Chromaticity of a light given as correlated colour temperature and distance from the Planckian locus."""

from __future__ import annotations

import numpy as np

KELVIN_RANGE = (1667.0, 15000.0)
"""Within Krystek's 1000…15000 K; the lower end keeps every step's matrix well conditioned."""


def planckian_uv(kelvin: float) -> tuple[float, float]:
    """CIE 1960 u, v on the Planckian locus. Krystek, Color Research & Application 10 (1985), 38–40.

    Measured against Planck's law: within 1.2e-4 from 1700 to 15000 K.
    """
    t = kelvin
    u = (0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t * t) / (1 + 8.42420235e-4 * t + 7.08145163e-7 * t * t)
    v = (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t * t) / (1 - 2.89741816e-5 * t + 1.61456053e-7 * t * t)
    return u, v


def kelvin_duv_to_xy(kelvin: float, duv: float) -> tuple[float, float]:
    """CIE 1931 xy of a light. Duv is the signed distance from the locus in u, v (ANSI C78.377): + is greener.

    The fit's direction is off by up to 2°, so a light is placed within 1.2e-4 + 0.035·|Duv| in u, v.
    """
    u, v = planckian_uv(kelvin)
    u2, v2 = planckian_uv(kelvin + 0.01)
    along = np.array([u2 - u, v2 - v])
    along /= np.hypot(*along)
    # With rising temperature the locus runs to smaller u and v: the side above it is (−v, u) of that direction.
    u, v = u + duv * along[1], v - duv * along[0]
    return 3 * u / (2 * u - 8 * v + 4), 2 * v / (2 * u - 8 * v + 4)


def xy_to_kelvin_duv(xy: tuple[float, float]) -> tuple[float, float]:
    """Correlated colour temperature (1000…25000 K) and Duv of a chromaticity: the nearest point of Krystek's locus in
    u, v.
    """
    x, y = xy
    u, v = 4 * x / (-2 * x + 12 * y + 3), 6 * y / (-2 * x + 12 * y + 3)

    def away(mired: float) -> float:
        lu, lv = planckian_uv(1e6 / mired)
        return (lu - u) ** 2 + (lv - v) ** 2

    low, high = 40.0, 1000.0
    golden = (5**0.5 - 1) / 2
    a, b = high - golden * (high - low), low + golden * (high - low)
    at_a, at_b = away(a), away(b)
    for _ in range(60):
        if at_a < at_b:
            high, b, at_b = b, a, at_a
            a = high - golden * (high - low)
            at_a = away(a)
        else:
            low, a, at_a = a, b, at_b
            b = low + golden * (high - low)
            at_b = away(b)
    kelvin = 2e6 / (low + high)
    lu, lv = planckian_uv(kelvin)
    distance = float(np.hypot(u - lu, v - lv))
    return kelvin, distance if v > lv else -distance
