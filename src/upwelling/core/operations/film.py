"""Photographic film as general sensitometry describes it: a negative's density by exposure, layers that hold each
other back, and a print of it.

A layer's characteristic curve is density against log₁₀ of exposure: base and fog, a toe, a straight line of slope γ, a
shoulder up to the greatest density (Hurter and Driffield 1890; T. H. James, “The Theory of the Photographic Process”,
4th ed. 1977, chapter 17, from memory). Densities are counted above base and fog: a negative's orange mask is printed
away, and the print's is the screen's white. Development of one layer restrains its neighbours; in densities that is a
matrix that keeps their mean (interimage effects: R. W. G. Hunt, “The Reproduction of Colour”, 6th ed. 2004, chapter 15,
from memory). The formulas of toe and shoulder, log(1 + eˣ), are our own choice: smooth, and both ways in closed form.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.arrays import MID_GREY, Float64
from upwelling.core.operations.base import PixelOperation
from upwelling.core.operations.kept import kept

Three = tuple[float, float, float]
LEAST_EXPOSURE = MID_GREY * 2.0**-10
"""Exposure under which a layer sees no less."""
LEAST_SHARE = 0.03
"""Share of the channels' mean under which a layer sees no less: no light is without a rest of the others, and a layer
that saw none at all would come and go with the last digit of a code.
"""
POINT = 0.025
"""One printer point in log₁₀ of the print's exposure. Common practice, no source."""


def softplus(x: Any) -> Any:
    """ln(1 + eˣ), for any x."""
    return np.logaddexp(0.0, x)


@dataclass(frozen=True)
class Characteristic:
    """Density above base and fog of log₁₀ exposure x: γ·(y − shoulder), with y the exposure past the toe.

    ``start`` is where the straight line would leave the base; ``most`` the density where it would end; ``toe`` and
    ``shoulder`` are widths in log₁₀ exposure.
    """

    gamma: float
    most: float
    start: float
    toe: float
    shoulder: float

    @property
    def end(self) -> float:
        """Length of the straight line in log₁₀ exposure."""
        return self.most / self.gamma

    @property
    def _begun(self) -> float:
        """What the shoulder already takes at the base."""
        return float(self.shoulder * softplus(-self.end / self.shoulder))

    def __call__(self, exposure: Any) -> Any:
        y = self.toe * softplus((np.asarray(exposure) - self.start) / self.toe)
        return self.gamma * (y - self.shoulder * softplus((y - self.end) / self.shoulder) + self._begun)

    @property
    def reached(self) -> float:
        """The density of any amount of light."""
        return self.gamma * (self.end + self._begun)

    def undo(self, density: Float64) -> Float64:
        """log₁₀ exposure of a density, held within what the curve reaches."""
        z = np.clip(density / self.reached, 1e-12, 1 - 1e-12) * self.reached / self.gamma
        left = np.exp((self._begun - z) / self.shoulder) - np.exp(-self.end / self.shoulder)
        y = np.maximum(-self.shoulder * np.log(np.maximum(left, 1e-300)), 1e-12)
        return np.asarray(self.start + self.toe * (y / self.toe + np.log(-np.expm1(-y / self.toe))))


Layers = tuple[Characteristic, Characteristic, Characteristic]


def _towards_mean(rows: Float64, share: float) -> Float64:
    """Each value moved by a share of its distance to the mean of the three; above 0 towards it."""
    return np.asarray(rows + share * (rows.mean(axis=-1, keepdims=True) - rows))


@dataclass(frozen=True)
class Negative(PixelOperation):
    """Scene light to the three layers' densities above base and fog, (…, 3) in the order R, G, B of the light they saw.

    ``overlap``: how much of what a layer sees is the mean of the three; ``flash``: even light added before, in mid
    greys; ``interlayer``: how much further apart the layers' densities come.
    """

    layers: Layers
    overlap: float
    flash: float
    interlayer: float

    def exposures(self, rgb: Float64) -> Float64:
        """log₁₀ exposure of each layer over mid grey."""
        least = np.maximum(LEAST_SHARE * np.maximum(rgb, 0.0).mean(axis=-1, keepdims=True), LEAST_EXPOSURE)
        seen = _towards_mean(kept(rgb, least), self.overlap) + self.flash * MID_GREY
        return np.log10(seen / MID_GREY)

    def apply(self, rgb: Float64) -> Float64:
        x = self.exposures(rgb)
        density = np.stack([curve(x[..., i]) for i, curve in enumerate(self.layers)], axis=-1)
        return _towards_mean(density, -self.interlayer)

    def undo(self, density: Float64) -> Float64:
        """Scene light that makes these densities."""
        alone = _towards_mean(density, 1 - 1 / (1 + self.interlayer))
        x = np.stack([curve.undo(alone[..., i]) for i, curve in enumerate(self.layers)], axis=-1)
        return _towards_mean(MID_GREY * 10.0**x - self.flash * MID_GREY, 1 - 1 / (1 - self.overlap))

    def of_grey(self, light: float) -> Three:
        """Densities of a neutral of so much light."""
        r, g, b = self.apply(np.full(3, light))
        return float(r), float(g), float(b)


@dataclass(frozen=True)
class ReadNegative(PixelOperation):
    """A negative's densities read back as scene light: each by the slope of its straight line, so that the base is
    black, mid grey stays, and toe and shoulder are what is left of the film.
    """

    gammas: Three
    of_grey: Three

    def apply(self, rgb: Float64) -> Float64:
        gammas, grey = np.array(self.gammas), np.array(self.of_grey)
        return np.asarray(MID_GREY * (10.0 ** (rgb / gammas) - 1) / (10.0 ** (grey / gammas) - 1))

    def undo(self, rgb: Float64) -> Float64:
        """Densities of light so read."""
        gammas, grey = np.array(self.gammas), np.array(self.of_grey)
        over = rgb / MID_GREY * (10.0 ** (grey / gammas) - 1)
        return np.asarray(gammas * np.log10(np.maximum(1 + over, 1e-12)))


@dataclass(frozen=True)
class Print(PixelOperation):
    """A negative's densities printed: light through it exposes three layers whose dyes then take light from a white
    screen. Gives relative light, 1 at the clearest that this negative can print.

    ``lights`` is log₁₀ of each layer's exposure through a clear negative; ``clearest`` the density of a layer where the
    negative is densest; ``dyes`` says how much each layer's dye takes of R, G and B light (rows: light), rows together
    1, so that equal densities are neutral.
    """

    layers: Layers
    lights: Three
    clearest: Three
    dyes: tuple[Three, Three, Three]

    def densities(self, rgb: Float64) -> Float64:
        """The print's density of each layer above its clearest."""
        x = np.array(self.lights) - rgb
        layers = [curve(x[..., i]) - self.clearest[i] for i, curve in enumerate(self.layers)]
        return np.stack(layers, axis=-1)

    def apply(self, rgb: Float64) -> Float64:
        return np.asarray(10.0 ** -(self.densities(rgb) @ np.array(self.dyes).T))

    def undo(self, light: Float64) -> Float64:
        """The negative's densities that print as relative light."""
        density = -np.log10(np.maximum(light, 1e-12)) @ np.linalg.inv(np.array(self.dyes)).T
        x = [curve.undo(density[..., i] + self.clearest[i]) for i, curve in enumerate(self.layers)]
        return np.array(self.lights) - np.stack(x, axis=-1)
