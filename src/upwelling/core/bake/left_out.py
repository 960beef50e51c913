"""What a table cannot carry of its section, and what leaving it out costs on a shot's own frame."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.bake.exact import exact
from upwelling.core.bake.lut_box import LutBox
from upwelling.core.bake.make import bake
from upwelling.core.bake.order import BakeOrder
from upwelling.core.bake.samples import frame_sample

NEGLIGIBLE = 0.05
"""ΔE at 99 % of the frame's pixels below which leaving something out needs no asking."""


@dataclass(frozen=True)
class LeftOut:
    """One thing not carried: its name, why, the step's id where it is one, and ΔE on the frame: half of it is at most ``median``."""

    name: str
    why: str
    step: str
    median: float
    p99: float
    worst: float

    @property
    def matters(self) -> bool:
        return self.p99 > NEGLIGIBLE


def left_out(order: BakeOrder, frame_code: Any) -> list[LeftOut]:
    """Each thing that the order's table leaves out: steps that need more than a pixel's own value, mixing of channels in a 1D table,
    and light beyond what the carrier's codes hold."""
    codes = frame_sample(order, "frame", frame_code).codes
    found = []
    for step in order.stuck:
        without = order.model_copy(update={"left_out": (*order.left_out, step.id)})
        found.append(_cost(order, step.shown_name, f"{step.title} needs more than a pixel’s own value.", step.id, codes, exact(without.operations, codes)))
    if order.dimensions == 1:
        bare = order.model_copy(update={"left_out": (*order.left_out, *(step.id for step in order.stuck))})
        curve = LutBox(order.receiver.model_copy(update={"precision": 0, "output_depth": 0, "input_depth": 0}), bake(bare)).interpolated(codes)
        found.append(_cost(order, "Mixing between channels", "A 1D table gives each channel its own curve: primaries, saturation and gamut fit are left out.", "", codes, curve))
    if not order.section.from_camera or not order.section.to_display:
        found += _beyond_the_carrier(order, frame_code)
    return found


def _beyond_the_carrier(order: BakeOrder, frame_code: Any) -> list[LeftOut]:
    if order.section.from_camera:
        return []
    codes = order.table_code(np.asarray(frame_code).reshape(-1, 3)[::7])
    held = np.clip(codes, 0.0, 1.0)
    if np.abs(codes - held).max() < 1e-6:
        return []
    share = float(((codes < 0) | (codes > 1)).any(axis=-1).mean())
    return [_cost(order, "Light the carrier cannot hold", f"{100 * share:.2g} % of the frame’s pixels lie outside codes 0…1 of {order.section.carrier_name(order.path)}.",
                  "", codes, exact(order.operations, held))]


def _cost(order: BakeOrder, name: str, why: str, step: str, codes: Any, without: Any) -> LeftOut:
    right = order.held(exact(order.operations, codes))
    apart = order.judge.apart(order.judge.seen(right), order.judge.seen(order.held(without)))
    median, p99 = np.percentile(apart, [50, 99])
    return LeftOut(name, why, step, float(median), float(p99), float(apart.max()))
