"""The plot of grids tried: error over the tolerance against points a side, both by doubling."""

from __future__ import annotations

from math import log2
from typing import Any

from upwelling.core.bake import BakeOrder
from upwelling.core.proof.trial import OUTRIGHT, Tried

WIDTH, HEIGHT, LEFT, RIGHT, TOP, BASE = 520, 190, 52, 500, 12, 160
LOWEST, HIGHEST = -2.5, 4.5
"""Doublings of the tolerance at the plot's foot and head; candidates beyond lie on its edge."""


def _y(doublings: float) -> float:
    held = min(max(doublings, LOWEST), HIGHEST)
    return round(BASE - (held - LOWEST) / (HIGHEST - LOWEST) * (BASE - TOP), 1)


def frame() -> dict[str, Any]:
    """What is drawn before anything is tried."""
    return {
        "width": WIDTH,
        "height": HEIGHT,
        "left": LEFT,
        "right": RIGHT,
        "base": BASE,
        "limit": _y(0.0),
        "ticks": [{"y": _y(d), "label": f"{2.0**d:g} ×"} for d in (-2, -1, 0, 1, 2, 3, 4)],
    }


def point(tried: Tried, order: BakeOrder) -> dict[str, Any]:
    """One candidate: its place, whether it holds, and its figures in words."""
    sizes, found = order.receiver.grids, tried.figures
    span = log2(sizes[-1] / sizes[0]) or 1.0
    middle = LEFT + (RIGHT - LEFT) * (0.08 + 0.84 * (log2(tried.size / sizes[0]) / span if len(sizes) > 1 else 0.5))
    aside = (12 if tried.shaper != "none" else -12) + (6 if tried.entries == "fitted" else -6)
    pictures = (
        ""
        if found["picture_max"] is None
        else f"frames 99 % {found['picture_p99']:.2f}, worst {found['picture_max']:.2f}; "
    )
    mark = "formulas" if tried.by_formulas else "shaper" if tried.shaper != "none" else tried.entries
    return {
        "size": "–" if tried.by_formulas else tried.size,
        "mark": mark,
        "middle": round(middle, 1),
        "x": round(middle + aside, 1),
        "y": _y(log2(max(tried.share, 1e-6))),
        "holds": tried.holds,
        "label": f"{tried.summary()}: {tried.share:.2f} × the tolerance; neutral {found['neutral_max']:.2f}; {pictures}"
        f"all 99 % {found['anywhere_p99']:.2f}, worst {found[OUTRIGHT]:.1f} {order.judge.metric}",
    }
