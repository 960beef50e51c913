"""How much a match may correct, from least to most, and what each is in ordinary steps.

Each model holds the one before: exposure (1 number); balance (3: a gain of each CAT02 cone, which is a light's
temperature, its tint, and exposure); saturation (4: Oklab chroma times that); contrast (5: stops from mid grey times
that, per channel, over ACEScct's toe); matrix (10: any 3×3 instead of saturation, and contrast); curve (13: a tone
curve of four slopes instead of contrast). By a chart also root (19): balance, shares of the other channels and of the
roots of their products, which keep white, and contrast. Parameters are worked on many sets at once: (K, P) gives
(K, N, 3).
"""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from upwelling.core.arrays import MID_GREY, Float64
from upwelling.core.colour.oklab import LAB_TO_ROOT, ROOT_TO_LAB
from upwelling.core.colour.primaries import CONES, xy_to_xyz
from upwelling.core.colour.temperature import kelvin_duv_to_xy, xy_to_kelvin_duv
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.curves.spline import together
from upwelling.core.match.light import Space
from upwelling.core.operations.pixel import with_roots
from upwelling.core.steps import (
    AnyStep,
    ColourMatrix,
    Contrast,
    Exposure,
    PrinterLight,
    RootMatrix,
    Saturation,
    ToneCurve,
    WhiteBalance,
)
from upwelling.core.steps.colour_matrix import OFF
from upwelling.core.steps.root_matrix import root_rows
from upwelling.core.steps.white_balance import COOLEST, FARTHEST, REFERENCE_KELVIN, WARMEST

Model = Literal["exposure", "balance", "saturation", "contrast", "matrix", "curve", "root"]
LADDER: tuple[Model, ...] = ("exposure", "balance", "saturation", "contrast", "matrix", "curve")
FEWEST: dict[str, int] = {"exposure": 1, "balance": 1, "saturation": 4, "contrast": 5, "matrix": 8, "curve": 12}
FEWEST["root"] = 20
"""Samples below which a model is not tried."""
SIZES: dict[str, int] = {"exposure": 1, "balance": 3, "saturation": 4, "contrast": 5, "matrix": 10, "curve": 13}
SIZES["root"] = 19
KNOTS = np.array([-6.0, -3.0, 0.0, 2.0, 4.0])
"""Stops from mid grey between which the tone curve's slope is free; beyond the ends it goes on straight."""
SLOPES = (0.5, 2.0)
SATURATIONS = (0.2, 3.0)
SLOPE_AT = {"contrast": 4, "matrix": 9, "root": 18}
"""Where the slope of contrast stands."""
_PIVOT = float(ACESCCT.from_linear(np.array(MID_GREY)))
_KNOTS_IN = np.round(KNOTS * ACESCCT.log_slope + _PIVOT, 6)
_GREY_KNOT = int(np.flatnonzero(KNOTS == 0)[0])


def bounds(model: str) -> tuple[Float64, Float64]:
    """Lowest and highest of each parameter."""
    size = SIZES[model]
    low, high = np.full(size, -np.inf), np.full(size, np.inf)
    if model in ("saturation", "contrast"):
        low[3], high[3] = SATURATIONS
    at = {"contrast": 4, "matrix": 9, "curve": 9, "root": 18}.get(model, size)
    low[at:], high[at:] = SLOPES
    return low, high


def started(model: str, before: tuple[str, Float64] | None, stops: float, space: Space) -> Float64:
    """Where the search for a model begins: at what the one before it found."""
    if before is None:
        return np.array([stops])
    _, p = before
    match model:
        case "balance":
            return np.array([p[0], p[0], p[0]])
        case "saturation" | "contrast":
            return np.append(p, 1.0)
        case "matrix":
            # Chroma about luminance is the nearest a matrix comes to chroma in Oklab.
            chroma = p[3] * np.eye(3) + (1 - p[3]) * np.tile(space.luminance, (3, 1))
            return np.append((chroma @ balance_matrix(p, space)).ravel(), p[4])
        case "root":
            matrix = p[:9].reshape(3, 3)
            grey = np.maximum(np.linalg.solve(matrix, np.ones(3)), 1e-3)
            gains = np.log2((space.cones @ np.ones(3)) / (space.cones @ grey))
            kept = matrix @ np.linalg.inv(balance_matrix(gains, space))
            return np.concatenate([gains, (kept / kept.sum(axis=1, keepdims=True))[OFF], np.zeros(9), p[9:]])
    return np.append(p[:9], np.full(4, np.clip(p[9], 0.55, 1.9)))


def balance_matrix(p: Float64, space: Space) -> Float64:
    """The matrix of gains of the three cones, in stops."""
    return np.asarray(np.linalg.solve(space.cones, np.diag(np.exp2(p[:3])) @ space.cones))


def linear_part(model: str, p: Float64, space: Space) -> Float64:
    """What of a model acts on light as one matrix (3, 3)."""
    if model in ("matrix", "curve"):
        return np.asarray(p[:9]).reshape(3, 3)
    return np.eye(3) * 2.0 ** p[0] if model == "exposure" else balance_matrix(p, space)


def apply(model: str, sets: Any, rgb: Any, space: Space) -> Float64:
    """What each of K sets of parameters (K, P) makes of light (N, 3): (K, N, 3)."""
    sets = np.atleast_2d(sets)
    rgb = np.asarray(rgb, dtype=np.float64)
    if model == "exposure":
        out = np.exp2(sets[:, :1, None]) * rgb
    elif model in ("matrix", "curve"):
        out = np.einsum("kij,nj->kni", sets[:, :9].reshape(-1, 3, 3), rgb)
    else:
        inverse = np.linalg.inv(space.cones)
        out = ((rgb @ space.cones.T)[None] * np.exp2(sets[:, None, :3])) @ inverse.T
    if model == "root":
        out = with_roots(out) @ np.swapaxes(root_rows(sets[:, 3:9], sets[:, 9:18]), 1, 2)
    if model in ("saturation", "contrast"):
        out = _chroma(out, sets[:, 3], space)
    if model in SLOPE_AT:
        slope = sets[:, SLOPE_AT[model]][:, None, None]
        out = np.asarray(ACESCCT.to_linear(_PIVOT + slope * (ACESCCT.from_linear(out) - _PIVOT)))
    if model == "curve":
        out = _toned(out, sets[:, 9:])
    return np.asarray(out)


def _chroma(rgb: Float64, amount: Float64, space: Space) -> Float64:
    """The step Saturation: Oklab a and b times the amount."""
    lab = np.cbrt(rgb @ space.to_lms.T) @ ROOT_TO_LAB.T
    lab[..., 1:] *= amount[:, None, None]
    root = lab @ LAB_TO_ROOT.T
    return np.asarray((root * root * root) @ np.linalg.inv(space.to_lms).T)


def _tone_values(slopes: Float64) -> Float64:
    """Log code out at each of KNOTS (K, 5) by slopes between them (K, 4); mid grey keeps its own. Rounded as the step
    stores them.
    """
    at = np.concatenate([np.zeros((len(slopes), 1)), np.cumsum(np.diff(KNOTS) * slopes, axis=1)], axis=1)
    grey = at[:, [_GREY_KNOT]]
    return np.asarray(np.round(np.clip((at - grey) * ACESCCT.log_slope + _PIVOT, 0, 1), 6))


def _toned(rgb: Float64, slopes: Float64) -> Float64:
    """The step ToneCurve: the spline through the knots, in log code, the same for every channel."""
    code = np.asarray(ACESCCT.from_linear(rgb), dtype=np.float64)
    made = together(_KNOTS_IN, _tone_values(slopes), code)
    return np.asarray(ACESCCT.to_linear(made), dtype=np.float64)


def _tone_points(slopes: Float64) -> tuple[tuple[float, float], ...]:
    """The points of the tone curve, log code in and out."""
    return tuple(zip(_KNOTS_IN.tolist(), _tone_values(slopes[None])[0].tolist(), strict=True))


def steps_of(model: str, p: Float64, space: Space) -> tuple[AnyStep, ...]:
    """The model as steps in their order: exposure, white balance, matrix, saturation, contrast or tone curve."""
    stops, balance, kept = split(linear_part(model, p, space), space)
    steps: list[AnyStep] = [Exposure(stops=stops)] if abs(stops) > 5e-4 else []
    steps += [balance] if balance else []
    if model in ("matrix", "curve") and np.abs(kept - np.eye(3)).max() > 1e-4:
        steps.append(ColourMatrix.of(kept))
    if model in ("saturation", "contrast"):
        steps.append(Saturation(amount=float(p[3])))
    if model == "root":
        steps.append(RootMatrix.of(p[3:9], p[9:18]))
    if model in SLOPE_AT:
        steps.append(Contrast(contrast=float(p[SLOPE_AT[model]])))
    if model == "curve":
        steps.append(ToneCurve(master=_tone_points(p[9:])))
    return tuple(step for step in steps if not step.changes_nothing)


def split(matrix: Float64, space: Space) -> tuple[float, AnyStep | None, Float64]:
    """A 3×3 as stops, the balance of the colour that becomes neutral, and a matrix that keeps white, in that order.

    Where no light within reach of White balance is such a colour, printer light balances instead.
    """
    grey = np.linalg.solve(matrix, np.ones(3))
    if (grey <= 0).any():
        return 0.0, None, matrix / matrix.sum(axis=1, keepdims=True)
    gains = (space.cones @ np.ones(3)) / (space.cones @ grey)
    cones = CONES["CAT02"]
    reference = cones @ xy_to_xyz(kelvin_duv_to_xy(REFERENCE_KELVIN, 0.0))
    light = np.linalg.solve(cones, reference / gains)
    stops = float(-np.log2(light[1]))
    xy = (float(light[0] / light.sum()), float(light[1] / light.sum()))
    kelvin, duv = xy_to_kelvin_duv(xy)
    balance: AnyStep | None
    if WARMEST <= kelvin <= COOLEST and abs(duv) <= FARTHEST and abs(stops) <= 8:
        balance = WhiteBalance(kelvin=kelvin, duv=duv)
        operations = balance.operations(space.working)
        made = np.asarray(operations[0].apply(np.eye(3))).T if operations else np.eye(3)
    else:
        channel = -np.log2(grey)
        stops = float(channel.mean())
        points = tuple(float(v) for v in (channel - stops) * 12)
        balance = PrinterLight(points=points)
        made = np.diag(np.exp2(channel - stops))
    if isinstance(balance, WhiteBalance) and abs(balance.kelvin - REFERENCE_KELVIN) < 0.5 and abs(balance.duv) < 2e-5:
        balance, made = None, np.eye(3)
    kept = matrix @ np.linalg.inv(made * 2.0**stops)
    return stops, balance, kept / kept.sum(axis=1, keepdims=True)
