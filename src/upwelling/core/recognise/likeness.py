"""What a picture would be under each encoding that its levels allow: an order of suspicion, never a conclusion.

Codes alone do not say which curve wrote them. What they would stand for does speak, softly: under the right one a take
is about as bright as takes are exposed, its brightest surface is no darker than light grey paper, colour is about as
strong as things are, and skin is as red as skin. The penalties and their spreads are ours, common practice, no source.

How well it orders is measured in ``tests/core/test_likeness.py`` on simulated takes. Noise was tried as well (how it
grows with light, as photons' does): it told nothing, as logs differ where cameras are dark and read noise hides it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cache
from typing import Any

import numpy as np

from upwelling.core.arrays import MID_GREY, Float32, Float64
from upwelling.core.colour.primaries import primaries, rgb_to_rgb, rgb_to_xyz
from upwelling.core.encodings import ENCODINGS, Encoding, Range, legal_to_full
from upwelling.core.operations.colour import polar
from upwelling.core.recognise.signal import MOST_BELOW, SignalFacts, is_log, ruled_out
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
OTHERS = ("HLG/BT.2020", "HLG display/BT.2020", "PQ/BT.2020", "BT.709/BT.709", "sRGB/BT.709", "gamma 2.4/BT.709")
"""What is no camera's log and comes without tags too: HDR, HLG in both its meanings, television, the web."""
LEGAL_FLOOR, LEGAL_TOP = 58, 946
"""10-bit codes between which a signal of legal range stays, with a little noise; common practice, no source."""
TOLD = (2.0, 1.3, 14.0)
"""Stops of exposure, stops of colour's strength and degrees of skin from which a person is told; ours."""
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
    range: Range = "full"
    says: tuple[str, ...] = ()
    """What speaks for it (●) and against it (▲), in words."""


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
    found = (_judged(one, signal, code_range) for one in allowed)
    return tuple(sorted(found, key=lambda found: found.against))


def others(code: Float32, facts: SignalFacts, code_range: Range) -> tuple[Likeness, ...]:
    """As ``likenesses``, of what is no camera's log: OTHERS, with what the levels say of the range."""
    means = surfaces(code)
    signal = legal_to_full(means, 10) if code_range == "legal" else means
    extra, words = range_says(facts, code_range)
    made = (_judged(ENCODINGS[name], signal, code_range) for name in OTHERS)
    found = (replace(one, against=one.against + extra, says=(*words, *one.says)) for one in made)
    return tuple(sorted(found, key=lambda one: one.against))


def range_says(facts: SignalFacts, code_range: Range) -> tuple[float, tuple[str, ...]]:
    """What levels say against a range: how much, and in words."""
    if code_range == "legal" and facts.below_legal > MOST_BELOW:
        return 4.0, (f"▲ {100 * facts.below_legal:.2g} % lies below code 64, where legal range has noise alone",)
    if code_range == "full" and facts.floor >= LEGAL_FLOOR and facts.top <= LEGAL_TOP:
        return 0.5, ("▲ nothing lies below code 64 or above 940, as in legal range",)
    return 0.0, ()


def families(found: tuple[Likeness, ...]) -> tuple[Likeness, ...]:
    """One of each curve that comes by exposure index, for each range: the likeliest."""
    seen: dict[tuple[str, Range], Likeness] = {}
    for one in found:
        seen.setdefault((one.encoding.split(" EI ")[0], one.range), one)
    return tuple(seen.values())


@cache
def _working() -> tuple[Any, Any]:
    """Luminance weights and Oklab rows of AP1."""
    ap1 = primaries("AP1")
    return rgb_to_xyz(ap1)[1], np.array(oklab_rows(ap1))


def _judged(member: Encoding, signal: Float64, code_range: Range) -> Likeness:
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
    stops_off, strong_by = float(np.log2(mean / EXPOSED)), float(np.log2(colour / COLOUR))
    says = _says(stops_off, brightest, strong_by, turned)
    return Likeness(member.name, against, float(np.log2(mean / MID_GREY)), brightest, colour, turned, code_range, says)


def _says(stops_off: float, brightest: float, strong_by: float, turned: float | None) -> tuple[str, ...]:
    found = []
    if abs(stops_off) > TOLD[0]:
        found.append(f"▲ exposed {abs(stops_off):.1f} stops {'over' if stops_off > 0 else 'under'} what takes are")
    if brightest < PAPER / 2 or brightest > LAMP:
        found.append(
            f"▲ its brightest surface is {'darker than grey paper' if brightest < 1 else 'brighter than a lamp'}"
        )
    if abs(strong_by) > TOLD[1]:
        found.append(
            f"▲ colours {2 ** abs(strong_by):.1f} times {'stronger' if strong_by > 0 else 'weaker'} than things are"
        )
    if turned is not None:
        found.append(f"▲ skin turned by {turned:+.0f}°" if abs(turned) > TOLD[2] else "● skin has skin’s hue")
    if not any(one.startswith("▲") for one in found):
        found.insert(0, "● exposure and colour are as takes have them")
    return tuple(one.replace("-", "−") for one in found)
