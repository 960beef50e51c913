"""RGB primaries, white points and the matrices that follow from them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.errors import UnknownName

Adaptation = Literal["CAT02", "Bradford"]
"""Chromatic adaptation is always chosen by name; there is no silent default in the matrices below."""

D65 = (0.3127, 0.3290)
D60_ACES = (0.32168, 0.33767)  # Academy TB-2018-001, the ACES white point

# Cone responses: CIE 159:2004 (CAT02) and Lam 1985 as printed by Lindbloom (Bradford).
CONES: dict[str, Float64] = {
    "CAT02": np.array([[0.7328, 0.4296, -0.1624], [-0.7036, 1.6975, 0.0061], [0.0030, 0.0136, 0.9834]]),
    "Bradford": np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]]),
}


@dataclass(frozen=True)
class Primaries:
    """Three primaries and a white point, in CIE 1931 xy."""

    name: str
    red: tuple[float, float]
    green: tuple[float, float]
    blue: tuple[float, float]
    white: tuple[float, float]
    source: str

    @property
    def xy(self) -> tuple[tuple[float, float], ...]:
        """Red, green, blue as xy pairs, for plotting."""
        return (self.red, self.green, self.blue)


_S_GAMUT3_SOURCE = "Sony, Technical Summary for S-Gamut3.Cine/S-Log3 and S-Gamut3/S-Log3 (2014)"
_MEMBERS = (
    Primaries("AP0", (0.7347, 0.2653), (0.0, 1.0), (0.0001, -0.0770), D60_ACES, "SMPTE ST 2065-1:2012"),
    Primaries("AP1", (0.713, 0.293), (0.165, 0.830), (0.128, 0.044), D60_ACES, "Academy S-2014-004, ACEScg"),
    Primaries("S-Gamut3", (0.730, 0.280), (0.140, 0.855), (0.100, -0.050), D65, _S_GAMUT3_SOURCE),
    Primaries("S-Gamut3.Cine", (0.766, 0.275), (0.225, 0.800), (0.089, -0.087), D65, _S_GAMUT3_SOURCE),
    Primaries(
        "V-Gamut",
        (0.730, 0.280),
        (0.165, 0.840),
        (0.100, -0.030),
        D65,
        "Panasonic, V-Log/V-Gamut Reference Manual, rev. 1.0 (2014)",
    ),
    Primaries(
        "Wide Gamut 3",
        (0.6840, 0.3130),
        (0.2210, 0.8480),
        (0.0861, -0.1020),
        D65,
        "ARRI, ALEXA Log C Curve: Usage in VFX (2017)",
    ),
    Primaries("BT.709", (0.640, 0.330), (0.300, 0.600), (0.150, 0.060), D65, "ITU-R BT.709-6 (2015)"),
    Primaries("BT.2020", (0.708, 0.292), (0.170, 0.797), (0.131, 0.046), D65, "ITU-R BT.2020-2 (2015)"),
    Primaries("P3-DCI", (0.680, 0.320), (0.265, 0.690), (0.150, 0.060), (0.314, 0.351), "SMPTE RP 431-2:2011"),
    Primaries("S-Gamut", (0.730, 0.280), (0.140, 0.855), (0.100, -0.050), D65, "Sony, S-Log2 Technical Paper (2012)"),
    Primaries(
        "Cinema Gamut", (0.740, 0.270), (0.170, 1.140), (0.080, -0.100), D65, "Canon, Cinema Gamut white paper (2018)"
    ),
    Primaries(
        "Wide Gamut 4",
        (0.7347, 0.2653),
        (0.1424, 0.8576),
        (0.0991, -0.0308),
        D65,
        "ARRI, ARRI LogC4 Specification (2022)",
    ),
    Primaries(
        "Wide Gamut RGB",
        (0.780308, 0.304253),
        (0.121595, 1.493994),
        (0.095612, -0.084589),
        D65,
        "RED, White Paper on REDWideGamutRGB and Log3G10 (2017)",
    ),
    Primaries(
        "F-Gamut", (0.708, 0.292), (0.170, 0.797), (0.131, 0.046), D65, "Fujifilm, F-Log Data Sheet, version 1.1 (2022)"
    ),
    Primaries(
        "D-Gamut",
        (0.71, 0.31),
        (0.21, 0.88),
        (0.09, -0.08),
        D65,
        "DJI, White Paper on D-Log and D-Gamut of DJI Cinema Color System (2017)",
    ),
    Primaries(
        "Wide Gamut Gen 5",
        (0.7177215, 0.3171181),
        (0.228041, 0.861569),
        (0.1005841, -0.0820452),
        (0.312717, 0.3290312),
        "Blackmagic Design, Generation 5 Color Science white paper (2021)",
    ),
    Primaries(
        "F-Gamut C",
        (0.7347, 0.2653),
        (0.0263, 0.9737),
        (0.1173, -0.0224),
        D65,
        "Fujifilm, F-Log2 C Data Sheet, version 1.0 (2024)",
    ),
    Primaries(
        "Protune Native",
        (0.698480461493841, 0.193026445370121),
        (0.329555378387345, 1.024596624134644),
        (0.108442631407675, -0.034678569754016),
        D65,
        "GoPro, Protune Native, as colour-science 0.4.7 has it",
    ),
    Primaries("opRGB", (0.64, 0.33), (0.21, 0.71), (0.15, 0.06), D65, "IEC 61966-2-5:2007"),
    Primaries("P3-D65", (0.680, 0.320), (0.265, 0.690), (0.150, 0.060), D65, "SMPTE EG 432-1:2010; RP 431-2:2011"),
)
PRIMARIES: dict[str, Primaries] = {member.name: member for member in _MEMBERS}


def primaries(name: str) -> Primaries:
    """The primaries of that exact name; raises UnknownName."""
    try:
        return PRIMARIES[name]
    except KeyError:
        raise UnknownName("set of primaries", name, list(PRIMARIES)) from None


def named_by(values: Sequence[float]) -> str:
    """The name of the primaries that eight xy values are (red, green, blue, white; as files print them, to 0.001), or
    empty.
    """
    return next(
        (
            name
            for name, member in PRIMARIES.items()
            if len(values) == 8
            and max(
                abs(a - b) for a, b in zip(values, [v for xy in (*member.xy, member.white) for v in xy], strict=True)
            )
            < 1e-3
        ),
        "",
    )


def xy_to_xyz(xy: tuple[float, float]) -> Float64:
    """XYZ of a chromaticity at Y = 1, shape (3,)."""
    x, y = xy
    return np.array([x / y, 1.0, (1 - x - y) / y])


@lru_cache(maxsize=256)
def rgb_to_xyz(space: Primaries) -> Float64:
    """The 3×3 matrix from linear RGB to XYZ with Y of white = 1 (SMPTE RP 177:1993)."""
    columns = np.stack([xy_to_xyz(p) for p in space.xy], axis=1)
    matrix: Float64 = columns * np.linalg.solve(columns, xy_to_xyz(space.white))
    matrix.setflags(write=False)
    return matrix


def adaptation_matrix(white_from: tuple[float, float], white_to: tuple[float, float], method: Adaptation) -> Float64:
    """The 3×3 von Kries matrix in XYZ that turns one white into another, by the named cone responses."""
    cones = CONES[method]
    gains = (cones @ xy_to_xyz(white_to)) / (cones @ xy_to_xyz(white_from))
    return np.asarray(np.linalg.solve(cones, gains[:, None] * cones), dtype=np.float64)


def light_made_neutral(
    xyz: Float64, white_to: tuple[float, float], neutral: tuple[float, float], method: Adaptation
) -> tuple[float, float]:
    """xy of the light that ``adaptation_matrix(light, white_to)`` must name for ``xyz`` to get the chromaticity
    ``neutral``.

    The von Kries gains follow from the patch alone: cones(light) = cones(white_to)·cones(xyz)/cones(neutral), up to
    brightness.
    """
    cones = CONES[method]
    light = np.linalg.solve(cones, (cones @ xy_to_xyz(white_to)) * (cones @ xyz) / (cones @ xy_to_xyz(neutral)))
    total = float(light.sum())
    return float(light[0] / total), float(light[1] / total)


@lru_cache(maxsize=512)
def rgb_to_rgb(source: Primaries, target: Primaries, method: Adaptation) -> Float64:
    """The 3×3 matrix between two linear RGB spaces, adapted from one white to the other; white stays white."""
    if source == target:
        matrix: Float64 = np.eye(3)
    else:
        adapt = adaptation_matrix(source.white, target.white, method) if source.white != target.white else np.eye(3)
        matrix = np.asarray(np.linalg.solve(rgb_to_xyz(target), adapt @ rgb_to_xyz(source)), dtype=np.float64)
    matrix.setflags(write=False)
    return matrix
