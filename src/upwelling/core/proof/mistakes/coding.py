"""Right light in the wrong code: range, gamma, a display's white."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.colour.primaries import rgb_to_xyz
from upwelling.core.curves.segmented_power import PurePower
from upwelling.core.proof.mistakes.base import Case, Tried

_GAMMAS = (1.8, 2.0, 2.2, 2.35, 2.4, 2.6, 2.8)
_OTHER = {"full": "legal", "legal": "full"}
ENOUGH = 50


def tries(case: Case) -> Tried:
    """Ranges of the receiver at either end, a power of the output, and gains of its light."""
    r = case.order.receiver
    for side, words in (
        (("input_range",), "input"),
        (("output_range",), "output"),
        (("input_range", "output_range"), "input and output"),
    ):
        flipped = case.order.model_copy(
            update={"receiver": r.model_copy(update={name: _OTHER[getattr(r, name)] for name in side})}
        )
        was, given = getattr(r, side[0]), _OTHER[getattr(r, side[0])]
        yield (
            case.at(case.codes, flipped),
            f"Its {words} codes are {given} range where {was} is asked for. Bake it for {was} range, or set the "
            f"receiver to {given}.",
        )
    yield from _power(case)
    if case.order.section.to_display:
        yield from _white(case)


def _power(case: Case) -> Tried:
    right, entries = case.right, case.entries - case.fitted
    inside = (right > 0.05) & (right < 0.95) & (entries > 0.02) & (entries < 0.98)
    if inside.sum() <= ENOUGH:
        return
    power = float(np.median(np.log(entries[inside]) / np.log(right[inside])))
    curve = case.order.path.target.curve if case.order.section.to_display else None
    asked = (
        2.4
        if curve is not None and curve.name == "BT.1886"
        else curve.exponent
        if isinstance(curve, PurePower)
        else 0.0
    )
    meant = min(_GAMMAS, key=lambda g: abs(asked / g - power)) if asked else 0.0
    if asked and abs(asked / meant - power) < 0.001 and meant != asked:
        power = asked / meant
        words = (
            f"It is made for a display gamma of {meant:g} where {asked:g} is asked for (power "
            f"{asked:g}/{meant:g}). Check the output it was baked for."
        )
    else:
        words = (
            f"Its output is the right one to the power of {power:.3f}: a gamma mistake. Check the output's EOTF it "
            "was made for."
        )
    yield np.clip(right, 0, None) ** power, words


def _white(case: Case) -> Tried:
    """One gain a channel of display light, as where another white was aimed at."""
    target = case.order.path.target
    light = {
        name: np.clip(target.to_light(case.order.judge.signal(codes)), 0, 1)
        for name, codes in (("right", case.right), ("found", case.entries))
    }
    inside = (light["right"] > 0.02) & (light["right"] < 0.7) & (light["found"] > 0.02) & (light["found"] < 0.9)
    if (inside.sum(axis=0) <= ENOUGH).any():
        return
    gains = np.array([np.median(light["found"][inside[:, c], c] / light["right"][inside[:, c], c]) for c in range(3)])
    if np.ptp(gains) < 0.01:
        return
    xyz = rgb_to_xyz(target.gamut) @ gains
    x, y = xyz[:2] / xyz.sum()
    white: Any = target.gamut.white
    yield (
        _coded(case, np.clip(light["right"] * gains, 0, 1)),
        (
            f"Its white lies at x {x:.4f}, y {y:.4f} where {white[0]:.4f}, {white[1]:.4f} is asked for. Check the "
            "white of the output it was made for."
        ),
    )


def _coded(case: Case, light: Any) -> Any:
    """The order's output codes of display light."""
    code = case.order.path.target.to_code(light)
    after = case.order.judge.after
    return code if not after else np.interp(code, case.order.judge.signal(_ramp())[:, 1], _ramp()[:, 1])


def _ramp() -> Any:
    return np.repeat(np.linspace(0, 1, 2049)[:, None], 3, axis=1)
