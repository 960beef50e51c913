"""A simulated monitor: what a less than perfect display makes of a signal, and patches read from it.

Its tone error is a gain of the EOTF's exponent, its colour error other primaries and white, its light levels another
peak and black, and the room's light is reflected by its screen.
"""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from pydantic import ConfigDict

from upwelling.core.arrays import Float64
from upwelling.core.colour.difference import delta_e_2000, xyz_to_lab
from upwelling.core.colour.primaries import PRIMARIES, Primaries, rgb_to_xyz, xy_to_xyz
from upwelling.core.frozen import Frozen
from upwelling.core.outputs import Output
from upwelling.core.parameters import number

MonitorGamut = Literal["as it should be", "BT.709", "P3-D65", "BT.2020"]
REFLECTANCE = 0.01
"""Share of the room's light that a screen sends back; common practice, no source."""


class Monitor(Frozen):
    """The faults of a display. All at rest: it shows exactly what the output asks for."""

    gamut: MonitorGamut = "as it should be"
    white_x: float = number(0.0, "White x error", "Δx", -0.02, 0.02, 0.001, "Shift of the white point in CIE 1931 x.")
    white_y: float = number(0.0, "White y error", "Δy", -0.02, 0.02, 0.001, "Shift of the white point in CIE 1931 y.")
    gamma_error: float = number(
        0.0,
        "EOTF error",
        "exponent",
        -0.4,
        0.4,
        0.01,
        "Added to the exponent: light over the peak is raised to 1 + error/2.4. Above 0 darkens mid-tones.",
    )
    peak: float = number(
        100.0, "Peak", "% of the output's", 30.0, 150.0, 1.0, "How bright the brightest white really is."
    )
    black_nits: float = number(
        0.0, "Black", "cd/m²", 0.0, 2.0, 0.01, "Light of a black screen in a dark room, above what the output says."
    )
    ambient_lux: float = number(
        0.0, "Room light", "lux", 0.0, 1000.0, 5.0, "Light falling on the screen, of which it reflects 1 %."
    )

    def primaries(self, target: Output) -> Primaries:
        """The primaries and white it really has."""
        space = target.gamut if self.gamut == "as it should be" else PRIMARIES[self.gamut]
        white = (space.white[0] + self.white_x, space.white[1] + self.white_y)
        return Primaries("monitor", space.red, space.green, space.blue, white, "Simulated")

    def light(self, target: Output, relative: Any) -> Float64:
        """XYZ in cd/m² (…, 3) of relative light (…, 3) in the output's gamut, 0…1 in each channel.

        A smaller gamut than the output's is addressed as if it were the right one when it is a fault of the display:
        channels pass as they are.
        """
        held = np.clip(np.asarray(relative, dtype=np.float64), 0.0, 1.0)
        bent = held ** (1 + self.gamma_error / 2.4)
        peak = target.peak_nits * self.peak / 100
        veil = (target.black_nits + self.black_nits + self.ambient_lux * REFLECTANCE / np.pi) * xy_to_xyz(
            target.gamut.white
        )
        return np.asarray(bent @ rgb_to_xyz(self.primaries(target)).T * (peak - target.black_nits) + veil)

    def shown(self, target: Output, relative: Any) -> Float64:
        """What it shows, as relative light in the output's gamut, for a perfect display to show."""
        xyz = self.light(target, relative)
        rgb = xyz @ np.linalg.inv(rgb_to_xyz(target.gamut)).T
        return np.asarray(target.relative(rgb))


MONITORS: dict[str, dict[str, Any]] = {
    "as it should be": {},
    "consumer TV, lit room": {
        "gamma_error": -0.2,
        "peak": 120.0,
        "black_nits": 0.05,
        "ambient_lux": 150.0,
        "white_x": -0.012,
        "white_y": -0.008,
    },
    "laptop in daylight": {"gamma_error": -0.1, "peak": 90.0, "black_nits": 0.3, "ambient_lux": 500.0},
    "projector, grey screen room": {"peak": 80.0, "black_nits": 0.04, "ambient_lux": 5.0},
}
"""Invented displays to begin with."""


class PatchReading(Frozen):
    """A patch as the output wants it and as it was measured: cd/m² and chromaticity."""

    model_config = ConfigDict(extra="ignore", allow_inf_nan=True)
    name: str
    wanted_nits: float
    measured_nits: float
    wanted_xy: tuple[float, float]
    measured_xy: tuple[float, float]
    delta_e: float


def read_patches(monitor: Monitor, target: Output) -> list[PatchReading]:
    """Greys and full primaries as a probe would read them; ΔE 2000 against the display's wanted white."""
    patches = [
        (f"grey {100 * s:.0f} %", float(target.to_light(np.array(s))) * np.ones(3))
        for s in (0.0, 0.1, 0.25, 0.5, 0.75, 1.0)
    ]
    patches += [
        (name, np.array(rgb, dtype=np.float64))
        for name, rgb in (
            ("red", (1, 0, 0)),
            ("green", (0, 1, 0)),
            ("blue", (0, 0, 1)),
            ("cyan", (0, 1, 1)),
            ("magenta", (1, 0, 1)),
            ("yellow", (1, 1, 0)),
        )
    ]
    exact = Monitor()
    white = xy_to_xyz(target.gamut.white) * target.peak_nits
    found = []
    for name, relative in patches:
        wanted, measured = exact.light(target, relative), monitor.light(target, relative)
        found.append(
            PatchReading(
                name=name,
                wanted_nits=float(wanted[1]),
                measured_nits=float(measured[1]),
                wanted_xy=_xy(wanted),
                measured_xy=_xy(measured),
                delta_e=float(delta_e_2000(xyz_to_lab(wanted, white), xyz_to_lab(measured, white))),
            )
        )
    return found


def _xy(xyz: Float64) -> tuple[float, float]:
    total = float(xyz.sum())
    return (0.0, 0.0) if total <= 0 else (float(xyz[0] / total), float(xyz[1] / total))
