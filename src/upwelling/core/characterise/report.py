"""A measurement as it is kept: figures, verdict, and what becomes of it."""

from __future__ import annotations

from datetime import date
from typing import Any, cast

import numpy as np

from upwelling.core.characterise.measure import ALL, Measured
from upwelling.core.characterise.pictures import D65
from upwelling.core.characterise.spectra import Chart, patch_names
from upwelling.core.characterise.verdict import curve_unsure, judged
from upwelling.core.count_of import count_of
from upwelling.core.encodings import Range
from upwelling.core.encodings.custom import CustomEncoding, OwnPrimaries, TableForm
from upwelling.core.errors import BadValue
from upwelling.core.frozen import Frozen
from upwelling.core.path import Correction
from upwelling.core.steps import RootMatrix

Pair = tuple[float, float]


class PatchFigure(Frozen):
    """ΔE 2000 of one patch of one picture: as fitted, and by a fit without it. The colours are XYZ under D65."""

    picture: str
    patch: str
    fitted: float
    left_out: float
    wanted: tuple[float, float, float]
    found: tuple[float, float, float]


class ColourFigures(Frozen):
    """The matrix for a light, or for all: primaries with their uncertainty, and mean ΔE 2000 of its trials.

    ``other_light``: of fits without the light; None where there is one. ``roots``: shares of the root matrix.
    """

    primaries: tuple[Pair, Pair, Pair]
    unsure: tuple[Pair, Pair, Pair]
    fitted: float
    worst: float
    left_out: float
    other_light: float | None
    roots: tuple[float, ...]
    roots_left_out: float
    patches: tuple[PatchFigure, ...]


class BalanceFigure(Frozen):
    """Red and blue against green in stops under a light, with their uncertainty."""

    light: str
    kelvin: float
    red: float
    blue: float
    unsure: Pair


class CameraReport(Frozen):
    """All of it. ``sigma_stops`` None where the table holds no light; ``low`` and ``high`` in stops from mid grey."""

    codes: tuple[float, ...]
    light: tuple[float, ...]
    sigma_stops: tuple[float | None, ...]
    unsure_stops: float
    black: float
    clip: float
    clips: bool
    low: float
    high: float
    floor_seen: bool
    glare: tuple[tuple[str, float, float], ...]
    off_stops: tuple[tuple[str, float], ...]
    balance: tuple[BalanceFigure, ...]
    colour: dict[str, ColourFigures]
    foretold: float | None
    pictures: int
    good_for: int
    sentence: str
    reasons: tuple[str, ...]
    next_pictures: tuple[str, ...]

    def encoding(self, name: str, light: str, code_range: Range, on: date) -> CustomEncoding:
        """As an encoding of one's own, with where it is from; raises BadValue."""
        own = self._colour(light)
        red, green, blue = own.primaries
        note = (
            f"Measured {on:%Y-%m-%d} from {count_of(self.pictures, 'picture')}, matrix for {light}: patches left out "
            f"{own.left_out:.2f} ΔE 2000 near, curve sure to {self.unsure_stops:.3f} stop."
        )
        return CustomEncoding.checked(
            {
                "name": name,
                "note": note,
                "form": TableForm(code=self.codes, light=self.light),
                "primaries": OwnPrimaries(red=red, green=green, blue=blue, white=D65),
                "default_range": code_range,
            }
        )

    def correction(self, light: str) -> Correction:
        """The root-polynomial matrix as what the camera is corrected by, after the encoding for that light."""
        shares = self._colour(light).roots
        return Correction(name="Measured", steps=(RootMatrix.of(shares[:6], shares[6:]),))

    def _colour(self, light: str) -> ColourFigures:
        if light not in self.colour:
            raise BadValue(f"“{light}” is none of the lights that were measured: {', '.join(self.colour)}.")
        return self.colour[light]


def report_of(found: Measured) -> CameraReport:
    """The figures of a measurement."""
    curve, said = found.curve, judged(found)
    low, high = curve.stops
    charts = [(number, one) for number, one in enumerate(found.pictures) if one.is_chart]
    balance = [
        BalanceFigure(
            light=row[0],
            kelvin=round(row[1], 1),
            red=row[2],
            blue=row[3],
            unsure=_pair(np.hypot(curve.gains_sigma[n, (0, 2)], curve.gains_sigma[n, 1])),
        )
        for n, row in enumerate(found.balance())
    ]
    return CameraReport(
        codes=tuple(map(float, curve.codes)),
        light=tuple(map(float, curve.light)),
        sigma_stops=tuple(float(v) if np.isfinite(v) else None for v in curve.sigma_stops),
        unsure_stops=curve_unsure(curve),
        black=curve.black,
        clip=curve.clip,
        clips=curve.clips,
        low=low,
        high=high,
        floor_seen=curve.floor_seen,
        glare=tuple((one.name, float(curve.glare[n]), float(curve.glare_sigma[n])) for n, one in charts),
        off_stops=tuple((one.name, float(off)) for one, off in zip(found.pictures, curve.off_stops, strict=True)),
        balance=tuple(balance),
        colour={light: _figures(found, light) for light in found.colour},
        foretold=found.foretold,
        pictures=len(found.pictures),
        good_for=said.good_for,
        sentence=said.sentence,
        reasons=said.reasons,
        next_pictures=said.next_pictures,
    )


def _pair(values: Any) -> Pair:
    first, second = (float(v) for v in values)
    return first, second


def _figures(found: Measured, light: str) -> ColourFigures:
    fit = found.colour[light]
    own, made = fit.primaries, fit.patches.rgb @ fit.matrix.T
    rows = []
    for k in range(len(made)):
        picture, patch = found.pictures[int(fit.patches.picture[k])], int(fit.patches.patch[k])
        if patch >= 1000:  # foretold by sensitivities, and not photographed
            continue
        rows.append(
            PatchFigure(
                picture=picture.name,
                patch=patch_names(cast(Chart, picture.target))[patch],
                fitted=float(fit.errors[k]),
                left_out=float(fit.left_out[k]),
                wanted=tuple(map(float, fit.patches.xyz[k])),
                found=tuple(map(float, made[k])),
            )
        )
    red, green, blue = (_pair(row) for row in fit.sigma_xy)
    return ColourFigures(
        primaries=(own.red, own.green, own.blue),
        unsure=(red, green, blue),
        fitted=float(fit.errors.mean()),
        worst=float(fit.errors.max()),
        left_out=float(fit.left_out.mean()),
        other_light=None if np.isnan(fit.other_light).any() else float(fit.other_light.mean()),
        roots=tuple(map(float, fit.roots)),
        roots_left_out=float(fit.roots_left_out.mean()),
        patches=tuple(rows),
    )


__all__ = ["ALL", "BalanceFigure", "CameraReport", "ColourFigures", "PatchFigure", "report_of"]
