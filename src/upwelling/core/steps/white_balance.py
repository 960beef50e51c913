"""White balance by chromatic adaptation in scene-linear light."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar, Literal

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.colour.primaries import Adaptation, Primaries, adaptation_matrix, light_made_neutral, rgb_to_xyz
from upwelling.core.colour.temperature import kelvin_duv_to_xy, xy_to_kelvin_duv
from upwelling.core.errors import BadValue
from upwelling.core.operations import Matrix, Operation
from upwelling.core.parameters import choice, number, signed
from upwelling.core.steps.base import Step

REFERENCE_KELVIN = 6500.0
COOLEST, WARMEST, FARTHEST = 15000.0, 1700.0, 0.05


class WhiteBalance(Step):
    """Names the light in the scene. That light becomes, by ``target``, the white a light of 6500 K would have been, or
    the working white, so that a grey under it comes to equal RGB.

    The first leaves a grey a little magenta, as the working white lies above the locus (AP1: Duv +0.0033), and changes
    nothing at 6500 K and Duv 0, so that a hand begins from where it is; the second changes nothing at the working
    white's own 6000 K and Duv +0.0033.
    """

    title: ClassVar[str] = "White balance"
    explanation: ClassVar[str] = (
        "Says which light the scene had; that light becomes the white chosen. A grey under it comes to equal RGB with "
        "the working white; with 6500 K a trace of magenta is left, and 6500 K and Duv 0 change nothing."
    )
    source: ClassVar[str] = "Krystek 1985 (locus); ANSI C78.377 (Duv); CIE 159:2004 or Bradford (adaptation)"
    space: ClassVar[str] = "scene linear"
    neutral: ClassVar[str] = "moves neutral, on purpose"

    later: ClassVar[tuple[str, ...]] = ("target",)
    # Resting, it must change nothing in any working space, which only 6500 K can; a named light is made neutral.
    first_move: ClassVar[dict[str, str]] = {"target": "working white"}

    kind: Literal["white_balance"] = "white_balance"
    kelvin: float = number(
        REFERENCE_KELVIN,
        "Scene light",
        "K",
        WARMEST,
        COOLEST,
        50,
        "Correlated colour temperature of the light in the scene; higher makes the picture warmer.",
    )
    duv: float = number(
        0.0,
        "Tint (Duv)",
        "Duv",
        -FARTHEST,
        FARTHEST,
        0.001,
        "Distance of that light from the Planckian locus; + is a greener light, so the picture turns magenta.",
    )
    adaptation: Adaptation = "CAT02"
    target: Literal["6500 K", "working white"] = choice(
        "6500 K", "Becomes", "The white that the light becomes: with the working white a grey under it is neutral."
    )

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        if self.kelvin == REFERENCE_KELVIN and self.duv == 0 and self.target == "6500 K":
            return ()
        light, reference = kelvin_duv_to_xy(self.kelvin, self.duv), self.reference(working)
        to_xyz = rgb_to_xyz(working)
        return (
            Matrix.of(
                np.asarray(
                    np.linalg.solve(to_xyz, adaptation_matrix(light, reference, self.adaptation) @ to_xyz), np.float64
                )
            ),
        )

    def reference(self, working: Primaries) -> tuple[float, float]:
        """The chromaticity that the light becomes."""
        return working.white if self.target == "working white" else kelvin_duv_to_xy(REFERENCE_KELVIN, 0.0)

    def values_text(self) -> str:
        becomes = ", to the working white" if self.target == "working white" else ""
        return f"{self.kelvin:.0f} K, Duv {signed(self.duv, 3)}{becomes}"


@dataclass(frozen=True)
class NeutralFound:
    """The light that makes a patch neutral, and how far from neutral the patch was.

    red and blue: stops of that channel over green; uv: distance from white in CIE 1976 u', v'.
    """

    kelvin: float
    duv: float
    red_stops: float
    blue_stops: float
    uv: float

    @property
    def fields(self) -> dict[str, float]:
        """The values that a step takes, with the digits that a person reads."""
        return {"kelvin": round(self.kelvin, 1), "duv": round(self.duv, 5)}

    def sentence(self) -> str:
        """What was found, for the person who marked the patch."""
        return (
            f"The patch was {signed(self.red_stops, 2)} stops red and {signed(self.blue_stops, 2)} stops blue "
            "over green "
            f"(u'v' {self.uv:.4f} from neutral). A scene light of {self.kelvin:.0f} K, Duv {signed(self.duv, 4)} makes "
            "it neutral."
        )


UNEVEN = 0.25
"""Spread over mean of a patch's channels from which it is uneven; our own limit: a grey card lies well inside."""


def unevenness(rgb: Any) -> float:
    """The largest spread over mean of the channels of a patch (N, 3)."""
    light = np.asarray(rgb, dtype=np.float64)
    return float((light.std(axis=0) / np.maximum(np.abs(light.mean(axis=0)), 1e-6)).max())


def balance_neutral(rgb_linear: Float64, working: Primaries, step: WhiteBalance) -> NeutralFound:
    """Solves for the light that makes a patch of scene-linear working light neutral.

    BadValue when no named light can.
    """
    rgb = np.asarray(rgb_linear, dtype=np.float64)
    if not np.all(rgb > 1e-6):
        raise BadValue(
            "The marked patch has no light in one of its channels. Mark something brighter that ought to be grey."
        )
    to_xyz = rgb_to_xyz(working)
    xyz = to_xyz @ rgb
    light = light_made_neutral(xyz, step.reference(working), working.white, step.adaptation)
    kelvin, duv = xy_to_kelvin_duv(light)
    white = to_xyz @ np.ones(3)
    found = NeutralFound(
        kelvin,
        duv,
        float(np.log2(rgb[0] / rgb[1])),
        float(np.log2(rgb[2] / rgb[1])),
        float(np.hypot(*(uv_of(xyz) - uv_of(white)))),
    )
    if not (WARMEST <= kelvin <= COOLEST and abs(duv) <= FARTHEST):
        raise BadValue(
            f"{found.sentence()} That lies outside {WARMEST:.0f}…{COOLEST:.0f} K and Duv ±{FARTHEST}: the patch "
            "is hardly a grey one. Mark another, or use printer light."
        )
    return found


def uv_of(xyz: Float64) -> Float64:
    """CIE 1976 u', v' of XYZ (3,)."""
    x, y, z = xyz
    return np.array([4 * x, 9 * y], dtype=np.float64) / float(x + 15 * y + 3 * z)
