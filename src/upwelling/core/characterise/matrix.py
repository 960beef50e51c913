"""The colour of a camera: the matrix from its balanced linear channels to XYZ, found from charts under their lights.

White is kept, so the matrix is a set of primaries with the white of D65, and any grey stays grey. It is found by least
ΔE 2000 over all patches of all charts that hold light, is tried on patches and lights that were left out, and its
uncertainty comes from fits to patches drawn again and again (Efron 1979, bootstrap).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.optimize import least_squares

from upwelling.core.arrays import Float64
from upwelling.core.characterise.curve import CurveFit
from upwelling.core.characterise.pictures import D65, Picture
from upwelling.core.colour.difference import delta_e_2000, xyz_to_lab
from upwelling.core.colour.primaries import adaptation_matrix, primaries, rgb_to_xyz, xy_to_xyz
from upwelling.core.encodings.custom import OwnPrimaries
from upwelling.core.errors import BadValue
from upwelling.core.operations.pixel import with_roots
from upwelling.core.steps.colour_matrix import OFF
from upwelling.core.steps.root_matrix import root_rows

FEWEST_PATCHES, DRAWS = 12, 40
_WHITE = xy_to_xyz(D65)
_AP1 = adaptation_matrix(primaries("AP1").white, D65, "CAT02") @ rgb_to_xyz(primaries("AP1"))
"""With its white at D65, which is where these XYZ are."""
HELD = 0.5
"""ΔE that a share of 1 costs in the fit of roots; our own choice."""


@dataclass(frozen=True, eq=False)
class Patches:
    """Balanced linear camera RGB (N, 3) and the XYZ under D65 that it should be; the chart and patch of each."""

    rgb: Float64
    xyz: Float64
    picture: Any
    patch: Any

    def part(self, kept: Any) -> Patches:
        return Patches(self.rgb[kept], self.xyz[kept], self.picture[kept], self.patch[kept])


@dataclass(frozen=True, eq=False)
class MatrixFit:
    """``matrix`` (3, 3) to XYZ under D65 with ``sigma_xy`` of its primaries (3, 2); ``errors`` ΔE 2000 of each patch,
    ``left_out`` the same by fits without that patch, ``other_light`` by fits without its light (nan where there is one
    light). ``roots`` (15,) shares of the root-polynomial matrix that comes after it in AP1, with ``roots_left_out``.
    """

    matrix: Float64
    sigma_xy: Float64
    patches: Patches
    errors: Float64
    left_out: Float64
    other_light: Float64
    roots: Float64
    roots_left_out: Float64

    def errors_of(self, patches: Patches) -> Float64:
        """ΔE 2000 of other patches."""
        return _errors(self.matrix, patches)

    @property
    def primaries(self) -> OwnPrimaries:
        sums = self.matrix.sum(axis=0)
        red, green, blue = ((float(c[0] / s), float(c[1] / s)) for c, s in zip(self.matrix.T, sums, strict=True))
        return OwnPrimaries(red=red, green=green, blue=blue, white=D65)


def patches_of(pictures: Sequence[Picture], curve: CurveFit) -> Patches:
    """The patches of all charts that hold light and do not clip, each chart's glare taken off and its exposure evened
    by its neutrals.
    """
    rgb, xyz, at, patch = [], [], [], []
    for number, one in enumerate(pictures):
        if not one.is_chart:
            continue
        near = np.maximum(4 * one.spreads, 3 * one.step)
        kept = (one.codes < curve.clip - near).all(axis=1) & (one.codes > near).all(axis=1)
        gains = curve.gains[curve.lights.index(one.light)]
        light = curve.to_light(one.codes) * 2.0 ** -(gains + one.stops + curve.off_stops[number])
        light = light - curve.glare[number]
        kept &= (light > 1e-4).all(axis=1)
        rgb.append(light[kept])
        xyz.append(one.wanted()[kept])
        at += [number] * int(kept.sum())
        patch += list(np.flatnonzero(kept))
    if sum(map(len, rgb)) < FEWEST_PATCHES:
        raise BadValue(
            f"Fewer than {FEWEST_PATCHES} patches of the charts hold light that did not clip: photograph the chart at "
            "another exposure."
        )
    return Patches(np.concatenate(rgb), np.concatenate(xyz), np.array(at), np.array(patch))


def fit_matrix(patches: Patches, lights: Sequence[str], *, tried: bool = True) -> MatrixFit:
    """``lights``: that of each picture, by number. Not ``tried``: the matrix alone, nothing left out."""
    rng = np.random.default_rng(1)
    found = _solved(patches)
    matrix = _matrix(found)
    errors, unknown = _errors(matrix, patches), np.full(len(patches.rgb), np.nan)
    if not tried:
        return MatrixFit(matrix, np.full((3, 2), np.nan), patches, errors, unknown, unknown, np.zeros(15), unknown)
    roots = _roots_solved(patches, matrix)
    left, left_roots = np.empty((2, len(patches.rgb)))
    for one in np.unique(patches.patch):
        out = patches.patch == one
        fit = _solved(patches.part(~out), found)
        left[out] = _errors(_matrix(fit), patches.part(out))
        rest = _roots_solved(patches.part(~out), _matrix(fit), roots)
        out_light = _in_ap1(patches.part(out), _matrix(fit))
        left_roots[out] = _apart(_roots(rest, out_light), patches.xyz[out])
    other = unknown.copy()
    under = np.array([lights[number] for number in patches.picture])
    for light in np.unique(under) if len(np.unique(under)) > 1 else ():
        out = under == light
        other[out] = _errors(_matrix(_solved(patches.part(~out), found)), patches.part(out))
    drawn = []
    for _ in range(DRAWS):
        again = rng.integers(0, len(patches.rgb), len(patches.rgb))
        made = _matrix(_solved(patches.part(again), found))
        drawn.append((made[:2] / made.sum(axis=0)).T)
    return MatrixFit(
        matrix, np.std(drawn, axis=0), patches, errors, left, other, roots, left_roots
    )  # fmt: skip


def _matrix(shares: Float64) -> Float64:
    """Of six shares: rows in BT.709 channels that sum to 1, turned to XYZ."""
    rows = np.zeros((3, 3))
    rows[OFF] = shares
    at = np.arange(3)
    rows[at, at] = 1 - rows.sum(axis=1)
    return np.asarray(rgb_to_xyz(primaries("BT.709")) @ rows)


def _apart(xyz: Float64, wanted: Float64) -> Float64:
    return np.asarray(delta_e_2000(xyz_to_lab(xyz, _WHITE), xyz_to_lab(wanted, _WHITE)))


def _errors(matrix: Float64, patches: Patches) -> Float64:
    return _apart(patches.rgb @ matrix.T, patches.xyz)


class _Aim:
    """Where the patches should be, for a fit: differences along lightness, chroma and hue, weighted as CIE 1994 has it
    (CIE 116-1995), which is smooth where ΔE 2000 has a corner.
    """

    def __init__(self, patches: Patches) -> None:
        self.rgb, lab = patches.rgb, xyz_to_lab(patches.xyz, _WHITE)
        chroma = np.hypot(lab[:, 1], lab[:, 2])
        self.lab, unit = lab, lab[:, 1:] / np.maximum(chroma, 1e-6)[:, None]
        self.along, self.across = unit, unit[:, ::-1] * (-1, 1)
        self.weights = np.stack([np.ones_like(chroma), 1 / (1 + 0.045 * chroma), 1 / (1 + 0.015 * chroma)], axis=-1)

    def apart(self, xyz: Float64) -> Float64:
        off = xyz_to_lab(xyz, _WHITE) - self.lab
        parts = [off[:, 0], (off[:, 1:] * self.along).sum(axis=1), (off[:, 1:] * self.across).sum(axis=1)]
        return np.asarray((np.stack(parts, axis=-1) * self.weights).ravel())


def _solved(patches: Patches, start: Any = None) -> Float64:
    aim = _Aim(patches)
    first = np.zeros(6) if start is None else start
    return np.asarray(least_squares(lambda shares: aim.apart(patches.rgb @ _matrix(shares).T), first).x)


def _roots(shares: Float64, light: Float64) -> Float64:
    """XYZ of AP1 light after the root-polynomial matrix."""
    return np.asarray(with_roots(light) @ root_rows(shares[:6], shares[6:]).T @ _AP1.T)


def _roots_solved(patches: Patches, matrix: Float64, start: Any = None) -> Float64:
    """Held small where patches do not ask for more, for fifteen shares bend easily."""
    aim, light = _Aim(patches), _in_ap1(patches, matrix)
    first = np.zeros(15) if start is None else start
    found = least_squares(lambda shares: np.concatenate([aim.apart(_roots(shares, light)), HELD * shares]), first)
    return np.asarray(found.x)


def _in_ap1(patches: Patches, matrix: Float64) -> Float64:
    return np.asarray(patches.rgb @ (np.linalg.inv(_AP1) @ matrix).T)
