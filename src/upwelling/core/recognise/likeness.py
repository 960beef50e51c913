"""What a picture would be under each log encoding that its levels allow: an order of suspicion, never a conclusion.

Codes alone do not say which log wrote them. What they would stand for does speak, softly: under the right curve a take
is about as bright as takes are exposed, its brightest surface is no darker than light grey paper, colour is about as
strong as things are, and skin is as red as skin. The penalties and their spreads are ours, common practice, no source.

How well it orders is measured in ``tests/core/test_likeness.py`` on simulated takes. Noise was tried as well (how it
grows with light, as photons' does): it told nothing, as logs differ where cameras are dark and read noise hides it.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np

from upwelling.core.arrays import MID_GREY, Float32, Float64
from upwelling.core.colour.primaries import primaries, rgb_to_rgb, rgb_to_xyz
from upwelling.core.encodings import ENCODINGS, Encoding, Range, legal_to_full
from upwelling.core.operations.colour import polar
from upwelling.core.recognise.signal import SignalFacts, is_log, ruled_out
from upwelling.core.steps.selections.colour_range import oklab_rows

ROWS, COLUMNS = 12, 20
"""Parts whose means tell a picture: what is said of it is of surfaces, not of grain."""
EXPOSED, EXPOSED_OFF = 0.10, 1.6
"""Geometric mean of a take's surfaces as light, and the stops by which takes lie about it."""
PAPER, LAMP = 0.5, 40.0
"""The brightest surface of a take lies between light grey paper and a lamp."""
COLOUR, COLOUR_OFF = 0.09, 1.1
"""Oklab C/L that three quarters of a take's surfaces stay below, and its spread in stops."""
SKIN_HUE, SKIN_STRENGTH, SKIN_REACH = 41.0, 0.105, 25.0
"""Oklab hue and C/L of skin, and the degrees about it that are taken for skin: between light and dark skin of the 24
patches (BabelColor's mean of 30 charts, by colour-science 0.4.7: 40.9° and 0.095, 42.8° and 0.110)."""
LEAST_SKIN = 0.1
"""Share of the surfaces that must be of skin's hue before it speaks."""


@dataclass(frozen=True)
class Likeness:
    """One encoding: ``against`` is what speaks against it (only its order counts). What the picture would be: stops of
    its mean from mid grey, reflectance of its brightest surface, Oklab C/L of its stronger colours, and how far its
    skin's hue lies from skin's (degrees; None without skin).
    """

    encoding: str
    against: float
    stops: float
    brightest: float
    colour: float
    skin: float | None


def surfaces(code: Float32) -> Float64:
    """Means (N, 3) of parts of a picture's code (H, W, 3)."""
    rows, columns = min(ROWS, code.shape[0]), min(COLUMNS, code.shape[1])
    parts = [part for band in np.array_split(code, rows, axis=0) for part in np.array_split(band, columns, axis=1)]
    return np.array([part.reshape(-1, 3).mean(axis=0) for part in parts], np.float64)


def likenesses(code: Float32, facts: SignalFacts, code_range: Range) -> tuple[Likeness, ...]:
    """Log encodings that the levels allow, the likeliest first; ``code`` (H, W, 3) is the file's, in ``code_range``."""
    means = surfaces(code)
    signal = legal_to_full(means, 10) if code_range == "legal" else means
    allowed = [one for one in ENCODINGS.values() if is_log(one) and not ruled_out(facts, one, code_range)]
    return tuple(sorted((_judged(one, signal) for one in allowed), key=lambda found: found.against))


def families(found: tuple[Likeness, ...]) -> tuple[Likeness, ...]:
    """One of each curve that comes by exposure index: the likeliest."""
    seen: dict[str, Likeness] = {}
    for one in found:
        seen.setdefault(one.encoding.split(" EI ")[0] if " EI " in one.encoding else one.encoding, one)
    return tuple(seen.values())


@cache
def _working() -> tuple[Any, Any]:
    """Luminance weights and Oklab rows of AP1."""
    ap1 = primaries("AP1")
    return rgb_to_xyz(ap1)[1], np.array(oklab_rows(ap1))


def _judged(member: Encoding, signal: Float64) -> Likeness:
    weights, rows = _working()
    light = member.to_linear(signal) @ rgb_to_rgb(member.primaries, primaries("AP1"), "CAT02").T
    luminance = np.maximum(light @ weights, 1e-4)
    mean, brightest = float(np.exp(np.log(luminance).mean())), float(np.percentile(luminance, 99))
    _, hue, strength, stops = polar(light, rows)
    seen = stops >= np.percentile(stops, 30)
    colour = max(float(np.percentile(strength[seen], 75)), 1e-3)
    beyond = max(float(np.log2(PAPER / brightest)), float(np.log2(brightest / LAMP)), 0.0)
    off = float(np.log2(mean / EXPOSED)) / EXPOSED_OFF
    against = 0.5 * (off**2 + beyond**2 + (float(np.log2(colour / COLOUR)) / COLOUR_OFF) ** 2)
    apart = (hue - SKIN_HUE + 180) % 360 - 180
    skin = seen & (np.abs(apart) < SKIN_REACH) & (strength > 0.04)
    turned = float(np.median(apart[skin])) if skin.sum() >= LEAST_SKIN * seen.sum() else None
    if turned is not None:
        strong = float(np.log2(np.median(strength[skin]) / SKIN_STRENGTH))
        against += 0.25 * (strong**2 + (turned / 15) ** 2)
    return Likeness(member.name, against, float(np.log2(mean / MID_GREY)), brightest, colour, turned)
