"""What came to Kilnlight on the last day: a raw run, a clip of another phone that lost its tags, and a rented camera
that is in no list, with the pictures that measure it.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path as FilePath

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.characterise.spectra import light_of, patches_under, white_of
from upwelling.core.colour.primaries import xy_to_xyz
from upwelling.core.media import dng, write_still
from upwelling.core.simulate.camera import STILLS
from upwelling.core.simulate.chart import painted
from upwelling.core.simulate.kilnlight_set import MAKER, Studio, Take

RUN_FRAMES, RUN_SIZE = 16, (360, 640)
WARMER_AT = 10
"""The frame of the run from which the camera balanced itself anew."""
OTHER_PHONE = Take(
    "Q001 Yard, another phone", "Q001.mp4", "Yard at dusk", "Phone", 0.2, codec="h265-10", fault="untagged"
)
RENTED = "Rill"
LIGHTS = ("D65", "3200 K")
STOPS = tuple(range(-7, 8))
# Invented: how the rented camera's channels see XYZ, and its own curve, which no list has.
SEES = np.array([[0.92, 0.30, -0.14], [-0.28, 1.17, 0.14], [0.03, -0.10, 1.02]])
SLOPE, OFFSET, INSIDE, FLOOR = 0.073, 0.41, 5.2, 0.045
CLIP, READ, SHOT = 11.0, 6e-4, 8e-5


@dataclass(frozen=True)
class RentedPicture:
    """One picture that measures the rented camera: its file, what it shows, and its exposure."""

    name: str
    file: str
    target: str
    stops: float
    light: str = LIGHTS[0]


def write_raw_run(studio: Studio, folder: FilePath) -> list[FilePath]:
    """A slow pan over the colour store, frame by frame."""
    wide = studio.scene("Colour store")[::2, ::2]
    height, width = RUN_SIZE
    top, places = (wide.shape[0] - height) // 2, []
    folder.mkdir(exist_ok=True)
    for number in range(RUN_FRAMES):
        left = round((wide.shape[1] - width) * number / (RUN_FRAMES - 1)) // 2 * 2
        scene = wide[top : top + height, left : left + width]
        values, profile = STILLS.shoot(scene, kelvin=4800, seed=700 + number)
        if number >= WARMER_AT:
            red, green, blue = profile.as_shot
            profile = profile.model_copy(update={"as_shot": (red * 1.08, green, blue * 0.93)})
        said = {"make": MAKER, "model": "Lumen 1", "frame rate": "24", "reel": "R001"}
        places.append(folder / f"R001_{number:04}.dng")
        said["timecode"] = f"15:20:11:{number:02}"
        dng.write(places[-1], values, profile, black=STILLS.black, white=STILLS.white, metadata=said)
    return places


def rented_pictures() -> Iterator[RentedPicture]:
    """Greys from black to clipped, one with the lens capped, the chart under two lights."""
    for stops in STOPS:
        yield RentedPicture(f"L {RENTED} grey {stops:+d}".replace("-", "−"), f"L_grey_{stops:+03d}.dpx", "grey", stops)
    yield RentedPicture(f"L {RENTED} lens capped", "L_capped.dpx", "dark", 0)
    for light in LIGHTS:
        yield RentedPicture(f"L {RENTED} chart, {light} +0", f"L_chart_{light.replace(' ', '')}.dpx", "24", 0, light)


def write_rented(one: RentedPicture, folder: FilePath) -> FilePath:
    """Its file: 10-bit codes of the camera's own curve."""
    linear = _frame(one) * 2.0**one.stops
    rng = np.random.default_rng(sum(one.file.encode()))
    noise = np.sqrt(SHOT * np.maximum(linear, 0) + READ**2) * rng.standard_normal(linear.shape)
    place = folder / one.file
    write_still(place, rented_code(np.minimum(linear + noise, CLIP)), "10", {"model": RENTED})
    return place


def rented_code(linear: Float64) -> Float64:
    """The rented camera's curve: a logarithm with a straight part below black."""
    inside = INSIDE * np.asarray(linear) + FLOOR
    least = FLOOR / 2
    straight = math.log2(least) + (inside - least) / (least * math.log(2))
    return np.asarray(SLOPE * np.where(inside > least, np.log2(np.maximum(inside, least)), straight) + OFFSET)


def _frame(one: RentedPicture, width: int = 480, height: int = 270) -> Float64:
    """Balanced camera light of a picture at its metered exposure."""
    if one.target != "24":
        return np.full((height, width, 3), 0.18 if one.target == "grey" else 0.0)
    light = light_of(one.light)
    white = SEES @ xy_to_xyz(white_of(light))
    daylight = SEES @ xy_to_xyz(white_of(light_of(LIGHTS[0])))
    gains = 1 / daylight / (white / daylight)[1]
    return np.asarray(painted(patches_under("24", light) @ SEES.T * gains, width, height))
