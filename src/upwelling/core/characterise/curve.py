"""The curve of a camera, found from greys of known reflectance at known exposures: light as a rising function of code.

Every grey of every picture says arcsinh(light / 0.01) at one code of one channel. Unknown beside the curve are the gain
of each channel under each light, the light that a chart's own brightness scatters over it (veiling glare), and by how
much each exposure was off what was said. All are found together by least squares, each row by the noise of its codes;
the covariance of that fit is the uncertainty. The curve is a cubic spline through knots, told as a table dense enough
for TableCurve's own monotone cubic to hold it; where the spline would fall, that monotone cubic goes through the knots.
The mean of noisy codes is not the code of the mean light where the curve bends: that is taken off by the second
derivative and the spread of each patch.
Choices marked below are our own, checked on simulated cameras.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.interpolate import CubicSpline, PchipInterpolator
from scipy.optimize import isotonic_regression, least_squares

from upwelling.core.arrays import Float64
from upwelling.core.characterise.pictures import Picture
from upwelling.core.colour.primaries import primaries, rgb_to_xyz
from upwelling.core.curves.table import BEND
from upwelling.core.errors import BadValue

TO_BT709 = np.linalg.inv(rgb_to_xyz(primaries("BT.709")))
"""Channels that stand for a camera's where its own are not known yet."""
MOST_KNOTS, FEWEST_ROWS, DENSE = 28, 12, 4
"""Knots and rows, and rows of the table from knot to knot."""
OFF_STOPS = 0.01
"""How far exposures are off what is said, one sigma: a shutter's share of a stop. Our own choice."""
GLARE = 0.01
"""Veiling glare that is expected, as a share of white, one sigma. Our own choice."""
_NEAR_CLIP = 4.0
"""Spreads of a patch within which it is taken to touch the clip."""
_NOT_GREY = 5e-3
"""Share of its light by which a grey of a chart is not what its published spectrum and the matrix make of it."""
_ROUNDING = 0.15
"""Error of a mean by rounding, in codes: noise below a code leaves some of it. Our own choice."""


@dataclass(frozen=True, eq=False)
class Rows:
    """What is known: ``codes`` of channels ``channel`` in pictures ``picture`` under lights ``light``, with their
    sigma, and the light ``reflected`` there, of 1, before the exposure of ``stops``.
    """

    codes: Float64
    sigma: Float64
    spread: Float64
    channel: Any
    picture: Any
    light: Any
    reflected: Float64
    stops: Float64
    is_chart: Any


@dataclass(frozen=True, eq=False)
class CurveFit:
    """``codes`` and ``light`` of the table with ``sigma_stops`` of each (infinite where there is no light); ``gains``
    (lights, 3) against green of the first; ``glare`` of each picture, as a share of white; ``residual`` in stops.

    ``clip``: the highest code seen, and whether more light gave no more; ``floor``: light at which noise is as large.
    """

    codes: Float64
    light: Float64
    sigma_stops: Float64
    gains: Float64
    gains_sigma: Float64
    lights: tuple[str, ...]
    glare: Float64
    glare_sigma: Float64
    off_stops: Float64
    residual: float
    black: float
    clip: float
    clips: bool
    floor: float
    floor_seen: bool
    rows: int

    def to_light(self, code: Any) -> Float64:
        """Linear light of codes, beyond the knots straight on as TableCurve goes."""
        from upwelling.core.curves.table import TableCurve

        curve = TableCurve("", "", "", code=tuple(self.codes), light=tuple(self.light))
        return np.asarray(curve.to_linear(code))

    @property
    def stops(self) -> tuple[float, float]:
        """Lowest and highest exposure measured, in stops from mid grey."""
        return float(np.log2(max(self.floor, 1e-6) / 0.18)), float(np.log2(self.light[-1] / 0.18))


def rows_of(pictures: Sequence[Picture], to_camera: Any = TO_BT709) -> Rows:
    """The greys of the pictures that hold light and do not clip."""
    lights = list(dict.fromkeys(p.light for p in pictures))
    top = max(float(p.codes.max()) for p in pictures)
    found: list[tuple[Any, ...]] = []
    for number, one in enumerate(pictures):
        patches, reflected = one.greys(to_camera)
        for patch, shares in zip(patches, reflected, strict=True):
            for channel in range(3):
                code, spread = float(one.codes[patch, channel]), float(one.spreads[patch, channel])
                near = max(_NEAR_CLIP * spread, 3 * one.step)
                if code > top - near or (code < near and one.target != "dark"):
                    continue
                sigma = np.hypot(spread / np.sqrt(one.pixels[patch]), _ROUNDING * one.step)
                light = lights.index(one.light)
                found.append((code, sigma, spread, channel, number, light, shares[channel], one.stops, one.is_chart))
    columns = [np.array(column) for column in zip(*found, strict=True)] if found else [np.array([])] * 9
    return Rows(*columns)


def fit_curve(pictures: Sequence[Picture], to_camera: Any = TO_BT709) -> CurveFit:
    """``to_camera``: from XYZ under D65 to the camera's balanced channels, as far as that is known.

    Raises BadValue where the pictures cannot tell a curve.
    """
    rows = rows_of(pictures, to_camera)
    if len(rows.codes) < FEWEST_ROWS or len(np.unique(rows.stops[rows.reflected > 0])) < 2:
        raise BadValue(
            "The pictures do not tell a curve: at least two exposures of a grey or a chart are needed, neither "
            "black nor clipped."
        )
    return _Fit(pictures, rows).solved()


class _Fit:
    """The least-squares problem; parameters in a row: knots, gains, glare, exposures."""

    def __init__(self, pictures: Sequence[Picture], rows: Rows) -> None:
        self.pictures, self.rows = pictures, rows
        self.lights = tuple(dict.fromkeys(p.light for p in pictures))
        self.charts = [number for number, p in enumerate(pictures) if p.is_chart]
        lit = rows.reflected > 0
        self.knots = self._knots()
        self.spline = CubicSpline(self.knots, np.eye(len(self.knots)))
        self.basis = self.spline(rows.codes)
        self.bend = np.arcsinh(self._nominal() / BEND)
        self.free_gains = [(i, c) for i in range(len(self.lights)) for c in range(3) if (i, c) != (0, 1)]
        self.exposed = sorted({int(n) for n in rows.picture[lit]})
        self.weight = self._weights()
        self.bent_by_noise = np.zeros(len(rows.codes))

    def _nominal(self) -> Float64:
        return np.asarray(self.rows.reflected * 2.0**self.rows.stops)

    def _knots(self) -> Float64:
        """At quantiles of the codes seen, one for about three of them, none nearer to the next than three codes."""
        codes = np.sort(self.rows.codes)
        count = int(np.clip(len(codes) // 4, 4, MOST_KNOTS))
        wanted = np.quantile(codes, np.linspace(0, 1, count))
        least = 3 * max(p.step for p in self.pictures)
        kept = [wanted[0]]
        for code in wanted[1:]:
            if code - kept[-1] >= least:
                kept.append(code)
        if len(kept) < 4:
            raise BadValue("The pictures do not tell a curve: their greys lie within a few codes of each other.")
        return np.array(kept)

    def _start(self) -> Float64:
        """A rising curve through all rows as if gains were 1, at the knots."""
        order = np.argsort(self.rows.codes)
        rising = isotonic_regression(self.bend[order]).x
        at_knots = np.interp(self.knots, self.rows.codes[order], rising)
        return np.maximum.accumulate(at_knots + 1e-4 * np.arange(len(at_knots)))

    def _weights(self) -> Float64:
        """One over the sigma of each row in bent light: its code's, by the slope of the first curve; never less than a
        two-thousandth, for a curve between knots is not nearer, and more for greys of a chart.
        """
        slope = PchipInterpolator(self.knots, self._start()).derivative()(self.rows.codes)
        least = np.where(self.rows.is_chart.astype(bool), _NOT_GREY, 5e-4)
        return np.asarray(1 / np.hypot(self.rows.sigma * np.maximum(slope, 0), least))

    def _split(self, parameters: Float64) -> tuple[Float64, Float64, Float64, Float64]:
        sizes = np.cumsum([len(self.knots), len(self.free_gains), len(self.charts)])
        knots, gains, glare, off = np.split(parameters, sizes)
        bent = knots[0] + np.concatenate([[0.0], np.cumsum(np.exp(np.minimum(knots[1:], 5.0)))])
        all_gains = np.zeros((len(self.lights), 3))
        for (light, channel), value in zip(self.free_gains, gains, strict=True):
            all_gains[light, channel] = value
        return bent, all_gains, glare, off

    def _residuals(self, parameters: Float64) -> Float64:
        bent, gains, glare, off = self._split(parameters)
        rows = self.rows
        veil, wrong = np.zeros(len(self.pictures)), np.zeros(len(self.pictures))
        veil[self.charts], wrong[self.exposed] = glare, off
        stops = rows.stops + wrong[rows.picture] + gains[rows.light, rows.channel]
        light = 2.0 ** np.clip(stops, -30, 30) * (rows.reflected + veil[rows.picture] * (rows.reflected > 0))
        apart = self.basis @ bent - np.arcsinh((light - self.bent_by_noise) / BEND)
        return np.concatenate([apart * self.weight, glare / GLARE, off / OFF_STOPS])

    def solved(self) -> CurveFit:
        start = self._start()
        first = np.concatenate(
            [
                [start[0]],
                np.log(np.maximum(np.diff(start), 1e-5)),
                self._first_gains(start),
                np.zeros(len(self.charts) + len(self.exposed)),
            ]
        )
        for _ in range(2):
            found = least_squares(self._residuals, first, method="trf", x_scale="jac", loss="soft_l1", f_scale=3.0)
            first = found.x
            self.bent_by_noise = self._bent_by_noise(first)
        return self._told(first)

    def _bent_by_noise(self, parameters: Float64) -> Float64:
        """By how much the mean light of each row's noisy codes is above the light of their mean code."""
        bent = self._split(parameters)[0]
        told, slope, turn = (self.spline(self.rows.codes, order) @ bent for order in (0, 1, 2))
        second = BEND * (np.cosh(told) * turn + np.sinh(told) * slope**2)
        most = 0.2 * np.maximum(self._nominal(), BEND / 10)
        return np.asarray(np.clip(second * self.rows.spread**2 / 2, -most, most))

    def _first_gains(self, start: Float64) -> list[float]:
        """Of each light and channel, by how much its rows lie above the first curve."""
        rows, told = self.rows, BEND * np.sinh(np.interp(self.rows.codes, self.knots, start))
        found = []
        for light, channel in self.free_gains:
            mine = (rows.light == light) & (rows.channel == channel) & (rows.reflected > 0) & (told > 0)
            apart = np.log2(told[mine] / self._nominal()[mine])
            found.append(float(np.median(apart)) if mine.any() else 0.0)
        return found

    def _told(self, parameters: Float64) -> CurveFit:
        bent, gains, glare, off = self._split(parameters)
        residuals = self._residuals(parameters)
        jacobian = _jacobian(self._residuals, parameters)
        spare = max(len(self.rows.codes) - len(self.knots) - len(self.free_gains), 1)
        measured = residuals[: len(self.rows.codes)]
        # Rows that are further off than their noise widen every uncertainty alike.
        wider = max(float(np.sum(np.minimum(measured**2, 9.0))) / spare, 1.0)
        covariance = np.linalg.pinv(jacobian.T @ jacobian) * wider
        codes, table, shapes = self._table(bent)
        shapes = shapes @ _jacobian(lambda p: self._split(p)[0], parameters)
        sigma_bent = np.sqrt(np.maximum(np.einsum("ij,jk,ik->i", shapes, covariance, shapes), 0))
        light = BEND * np.sinh(table)
        with np.errstate(divide="ignore"):
            sigma = np.where(light > 0, sigma_bent / np.tanh(np.maximum(table, 1e-9)) / np.log(2), np.inf)
        spread = np.sqrt(np.maximum(np.diag(covariance), 0))
        at = len(self.knots)
        gains_sigma = np.zeros_like(gains)
        for (i, c), value in zip(self.free_gains, spread[at:], strict=False):
            gains_sigma[i, c] = value
        veil, veil_sigma = np.zeros((2, len(self.pictures)))
        veil[self.charts] = glare
        veil_sigma[self.charts] = spread[at + len(self.free_gains) :][: len(glare)]
        wrong = np.zeros(len(self.pictures))
        wrong[self.exposed] = off
        floor, seen = self._floor(bent)
        clip, clips = self._clip()
        lit = self.rows.reflected > 0
        apart = measured[lit] / self.weight[lit] / np.tanh(np.maximum(self.bend[lit], 1e-3)) / np.log(2)
        return CurveFit(
            codes, light, sigma, gains, gains_sigma, self.lights, veil, veil_sigma, wrong,
            float(np.sqrt(np.median(apart**2))), self._black(bent), clip, clips, floor, seen, len(self.rows.codes),
        )  # fmt: skip

    def _table(self, bent: Float64) -> tuple[Float64, Float64, Float64]:
        """Codes, bent light, and how each of it follows from the knots."""
        shares = np.linspace(0, 1, DENSE, endpoint=False)
        codes = np.append((self.knots[:-1, None] + np.diff(self.knots)[:, None] * shares).ravel(), self.knots[-1])
        shapes = self.spline(codes)
        table = shapes @ bent
        if (np.diff(table) <= 0).any():
            table = PchipInterpolator(self.knots, bent)(codes)
        return codes, table, shapes

    def _black(self, bent: Float64) -> float:
        """The code of no light: of the capped picture, else where the curve comes to nothing."""
        dark = [p.codes[0].mean() for p in self.pictures if p.target == "dark"]
        if dark:
            return float(np.mean(dark))
        slope = (self.knots[1] - self.knots[0]) / (bent[1] - bent[0])
        return float(self.knots[0] - bent[0] * slope)

    def _clip(self) -> tuple[float, bool]:
        """The highest code, and whether two exposures at least a third of a stop apart both reach it."""
        top = max(float(p.codes.max()) for p in self.pictures)
        reached = [p.stops for p in self.pictures if float(p.codes.max()) >= top - 3 * p.step]
        return top, max(reached) - min(reached) >= 0.3

    def _floor(self, bent: Float64) -> tuple[float, bool]:
        """Light whose noise is as large as itself, and whether so little was photographed; else the least that was."""
        rows = self.rows
        curve = PchipInterpolator(self.knots, bent)
        told = curve(rows.codes)
        light = BEND * np.sinh(told)
        noise = rows.spread * curve.derivative()(rows.codes) * BEND * np.cosh(told)
        lit = (light > 0) & (rows.reflected > 0)
        order = np.argsort(light[lit])
        light, ratio = light[lit][order], (light[lit] / np.maximum(noise[lit], 1e-9))[order]
        under = np.flatnonzero(ratio < 1)
        return (float(light[under[-1]]), True) if len(under) else (float(light[0]), False)


def _jacobian(function: Any, at: Float64) -> Float64:
    """By differences to both sides."""
    columns = []
    for k in range(len(at)):
        step = np.zeros_like(at)
        step[k] = 1e-5 * max(abs(at[k]), 1.0)
        columns.append((function(at + step) - function(at - step)) / (2 * step[k]))
    return np.stack(columns, axis=-1)
