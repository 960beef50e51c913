"""Pictures that test a table: pixels of the frames given, the hard ones among them, and scenes that ship for when none
are given.
"""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np

from upwelling.core.arrays import Float32, Float64
from upwelling.core.bake.order import BakeOrder
from upwelling.core.colour.primaries import primaries, rgb_to_rgb
from upwelling.core.errors import PlaceNeeded
from upwelling.core.operations.exact import exact
from upwelling.core.simulate.shipped import SCENES, shipped

SEED = 20130
"""Fixed, so that a certificate can be reproduced to the digit."""
MOST_OF_A_FRAME = 15_000
_HARD = 0.25
"""Share of a frame's samples that are its brightest, darkest and most saturated pixels, a third each. Our own choice:
a chance choice of 15,000 from a frame of millions meets a lamp or a neon sign by luck alone.
"""
_STOPS = (-4.5, -2.0, 0.0, 1.0, 2.5)
"""Exposures at which the shipped scenes are tried: an ordinary trim or a wrong stop brings a picture's tones there, and
the darkest stands for what lies beside a camera's black."""
_OF_A_SCENE, _TONES = 1500, 16
_RICHER, _LEAST = 1.4, 0.02
"""Each scene is tried with richer colours beside its own: flowers, paint and neon, which a glass workshop has few of.
No channel falls below a share of the mean, as no reflecting surface is that pure. Our own choice.
"""
_STEPS = 4095
_SHOT_NOISE, _READ_NOISE = 6e-5, 3e-4
"""Variance per diffuse white of light, and deviation in the dark, of a clean sensor: pictures are not on a line.
Common practice, no source; those of the simulated cameras in ``simulate.kilnlight`` are of this size.
"""


def chosen(pixels: Any, most: int | None = None) -> Any:
    """So many of the pixels (N, 3), by the fixed seed: most by chance, the others the brightest, the darkest and the
    most saturated, which are where a table errs first.
    """
    most = MOST_OF_A_FRAME if most is None else most
    if len(pixels) <= most:
        return pixels
    hard = int(most * _HARD / 3)
    high, low = pixels.max(axis=1), pixels.min(axis=1)
    ends = [np.argpartition(measure, -hard)[-hard:] for measure in (high, -high, high - low)]
    chance = np.random.default_rng(SEED).choice(len(pixels), most - 3 * hard, replace=False)
    return pixels[np.concatenate([chance, *ends])]


@cache
def _scene_light(name: str) -> Float32:
    """Scene-linear AP1 light (N, 3) of a shipped scene: some pixels, the hard ones among them, at several exposures,
    with a sensor's noise.
    """
    light = chosen(np.asarray(shipped(name), dtype=np.float32).reshape(-1, 3), _OF_A_SCENE)
    grey = light.mean(axis=1, keepdims=True)
    rich = np.maximum(grey + np.float32(_RICHER) * (light - grey), np.float32(_LEAST) * grey)
    light = np.concatenate([light, rich])
    exposed = np.concatenate([light * np.float32(2.0**stops) for stops in _STOPS])
    spread = np.sqrt(_SHOT_NOISE * np.maximum(exposed, 0) + _READ_NOISE**2)
    noise = np.random.default_rng(SEED).standard_normal(exposed.shape, dtype=np.float32)
    return np.asarray(exposed + spread * noise, dtype=np.float32)


def shipped_codes(order: BakeOrder) -> dict[str, Float64]:
    """The table's input codes (N, 3) of the shipped scenes as its camera would have taken them, from dark to bright as
    the output shows them, in parts of equal size: a picture may lie in one narrow range of tones alone, where a table
    errs more than over all of them.

    Nothing where what comes before the table depends on more than a pixel's own value: samples have no place.
    """
    matrix = rgb_to_rgb(primaries("AP1"), order.path.working_primaries, order.path.input.adaptation)
    light = np.concatenate([_scene_light(name) for name in SCENES])
    try:
        codes = np.clip(np.nan_to_num(order.code_of_working(light @ matrix.T)), 0.0, 1.0)
    except PlaceNeeded:
        return {}
    # Lamps beyond the camera's range all come to one corner of its codes: that counts once.
    codes = np.unique(np.round(codes * _STEPS) / _STEPS, axis=0)
    shown = order.judge.seen(order.held(exact(order.operations, codes)))[:, 0]
    parts = np.array_split(codes[np.argsort(shown, kind="stable")], _TONES)
    return {f"tones {number} of {_TONES}": part for number, part in enumerate(parts, 1)}
