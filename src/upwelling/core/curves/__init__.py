"""Transfer curves: one family a file. ``CURVES`` is the explicit list of members by name."""

from __future__ import annotations

from upwelling.core.curves import (
    aces_log,
    d_log,
    f_log,
    film_gen5,
    film_scan,
    hlg,
    l_log,
    log3_g10,
    log_c,
    mirrored_log,
    power_toe_log,
    pq,
    protune,
    s_log,
    segmented_power,
    v_log,
)
from upwelling.core.curves.base import Anchor, Curve
from upwelling.core.errors import UnknownName

FAMILIES = (
    segmented_power,
    aces_log,
    s_log,
    v_log,
    log_c,
    mirrored_log,
    log3_g10,
    f_log,
    film_gen5,
    protune,
    power_toe_log,
    d_log,
    l_log,
    film_scan,
    pq,
    hlg,
)


def _collect() -> dict[str, Curve]:
    members: dict[str, Curve] = {}
    for family in FAMILIES:
        for curve in family.CURVES:
            if curve.name in members:
                raise TypeError(f"Two curves are named {curve.name}.")
            members[curve.name] = curve
    return members


CURVES: dict[str, Curve] = _collect()


def curve(name: str) -> Curve:
    """The curve of that exact name; raises UnknownName."""
    try:
        return CURVES[name]
    except KeyError:
        raise UnknownName("curve", name, list(CURVES)) from None


__all__ = ["CURVES", "Anchor", "Curve", "curve"]
