"""A camera measured: its curve, its colour under each light, its balance, and what all of it is good for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.characterise.curve import CurveFit, fit_curve
from upwelling.core.characterise.matrix import MatrixFit, Patches, fit_matrix, patches_of
from upwelling.core.characterise.pictures import D65, Picture
from upwelling.core.characterise.spectra import light_of, reflectances, white_of, xyz_of
from upwelling.core.colour.primaries import adaptation_matrix
from upwelling.core.colour.temperature import xy_to_kelvin_duv
from upwelling.core.errors import BadValue

ROUNDS = 2
"""The greys of a chart are told by the matrix, and the matrix by the curve: so often in turn."""
ALL = "all lights"


@dataclass(frozen=True, eq=False)
class Measured:
    """``colour`` by light, and for all lights together; ``pictures`` as they were read."""

    pictures: tuple[Picture, ...]
    curve: CurveFit
    colour: dict[str, MatrixFit]
    foretold: float | None = None
    """Mean ΔE between the charts and what sensitivities that were given foretell of them."""

    def balance(self) -> list[tuple[str, float, float, float]]:
        """Of each light: kelvin, and red and blue against green in stops; what a white balance has to take off."""
        found = []
        for number, light in enumerate(self.curve.lights):
            red, green, blue = self.curve.gains[number]
            kelvin = xy_to_kelvin_duv(white_of(light_of(light)))[0]
            found.append((light, float(kelvin), float(red - green), float(blue - green)))
        return found

    def balance_at(self, kelvin: float) -> tuple[float, float]:
        """Red and blue against green in stops under a light of that temperature: straight in 1 / kelvin through the
        lights that were photographed, at least two.
        """
        rows = self.balance()
        inverse = np.array([1 / kelvin for _, kelvin, _, _ in rows])
        if len(rows) < 2 or np.ptp(inverse) < 1e-6:
            raise BadValue("A balance for other lights needs charts under two lights of different temperature.")
        red, blue = (np.polyfit(inverse, values, 1) for values in ([row[2] for row in rows], [row[3] for row in rows]))
        return float(np.polyval(red, 1 / kelvin)), float(np.polyval(blue, 1 / kelvin))


def measure(pictures: Sequence[Picture], sensitivities: Float64 | None = None) -> Measured:
    """Everything at once; ``sensitivities`` (81, 3) of the camera, where they are known, stand for more charts under
    the lights photographed. Raises BadValue where the pictures do not tell it.
    """
    if not any(one.is_chart for one in pictures):
        raise BadValue("None of the pictures is of a chart, so nothing tells the camera’s colours.")
    lights = [one.light for one in pictures]
    curve = fit_curve(pictures)
    patches = patches_of(pictures, curve)
    for _ in range(ROUNDS):
        first = fit_matrix(patches, lights, tried=False)
        curve = fit_curve(pictures, np.linalg.inv(first.matrix))
        patches = patches_of(pictures, curve)
    known = _foretold(patches, lights, sensitivities) if sensitivities is not None else None
    foretold = None
    if known is not None:
        apart = fit_matrix(known, lights, tried=False)
        foretold = float(np.mean(apart.errors_of(patches)))
        patches = joined(patches, known)
    colour = {ALL: fit_matrix(patches, lights)}
    if len({lights[number] for number in patches.picture}) > 1:
        under = np.array([lights[number] for number in patches.picture])
        for light in dict.fromkeys(under):
            colour[str(light)] = fit_matrix(patches.part(under == light), lights)
    return Measured(tuple(pictures), curve, colour, foretold)


def _foretold(patches: Patches, lights: Sequence[str], sensitivities: Float64) -> Patches:
    """The 24 patches under each light photographed, as the sensitivities see them."""
    rgb, xyz, at = [], [], []
    for number in sorted({int(number) for number in patches.picture}):
        light = light_of(lights[number])
        seen = reflectances() * light @ sensitivities / (light @ sensitivities)
        rgb.append(seen)
        xyz.append(xyz_of(reflectances(), light) @ adaptation_matrix(white_of(light), D65, "CAT02").T)
        at += [number] * len(seen)
    return Patches(np.concatenate(rgb), np.concatenate(xyz), np.array(at), np.arange(len(at)) + 1000)


def joined(first: Patches, second: Patches) -> Patches:
    """Both, one after the other."""
    return replace(
        first,
        rgb=np.concatenate([first.rgb, second.rgb]),
        xyz=np.concatenate([first.xyz, second.xyz]),
        picture=np.concatenate([first.picture, second.picture]),
        patch=np.concatenate([first.patch, second.patch]),
    )


def sensitivities_from(text: str) -> Float64:
    """Of lines “nm, red, green, blue”, at least from 400 to 680 nm in steps of at most 10; (81, 3), nothing beyond.

    Raises BadValue.
    """
    rows: list[list[float]] = []
    for number, line in enumerate(text.replace(";", ",").splitlines(), 1):
        parts = [part for part in line.replace(",", " ").split() if part]
        try:
            values = [float(part) for part in parts]
        except ValueError:
            if rows:
                raise BadValue(f"Line {number} of the sensitivities is not four numbers.") from None
            continue  # a line of titles
        if parts and (len(values) != 4 or not np.isfinite(values).all()):
            raise BadValue(f"Line {number} of the sensitivities is not four numbers.")
        rows += [values] if parts else []
    table = np.array(sorted(rows)) if rows else np.empty((0, 4))
    if len(table) < 10 or table[0, 0] > 400 or table[-1, 0] < 680 or np.diff(table[:, 0]).max() > 10.5:
        raise BadValue("Sensitivities go from 400 nm or below to 680 nm or above, in steps of at most 10 nm.")
    nm = np.arange(380, 781, 5)
    found = np.stack([np.interp(nm, table[:, 0], table[:, c], left=0, right=0) for c in (1, 2, 3)], axis=-1)
    if (found.max(axis=0) <= 0).any() or (found < -0.05 * found.max()).any():
        raise BadValue("A channel of the sensitivities sees nothing, or less than nothing.")
    return np.asarray(np.maximum(found, 0))
