"""What a table cannot carry of its section, and what leaving it out costs on a shot's own frame."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.bake.make import bake
from upwelling.core.bake.order import SHAPE, BakeOrder, without_shape
from upwelling.core.operations import Place
from upwelling.core.operations.exact import exact
from upwelling.core.proof.lut_box import LutBox
from upwelling.core.proof.samples import frame_sample

NEEDS = {"place": "where a pixel stands", "neighbours": "what lies around it", "frames": "the frames around it"}
MAP_WIDTH = 96
NEGLIGIBLE = 0.05
"""ΔE at 99 % of the frame's pixels below which leaving something out needs no asking."""


@dataclass(frozen=True)
class LeftOut:
    """One thing not carried: its name, why, what the order leaves out for it where it is a step, and ΔE on the frame:
    half of it is at most ``median``. ``where`` is ΔE over the frame, made small, (rows, columns).
    """

    name: str
    why: str
    step: str
    median: float
    p99: float
    worst: float
    where: Float64 | None = None

    @property
    def matters(self) -> bool:
        return self.p99 > NEGLIGIBLE

    def cost(self, metric: str) -> str:
        """What leaving it out does to the frame, in figures."""
        return f"{metric} half {self.median:.2f}, 99 % {self.p99:.2f}, worst {self.worst:.1f} on the shot’s frame"


def left_out(order: BakeOrder, frame_code: Any, place: Place | None = None) -> list[LeftOut]:
    """Each thing that the order's table leaves out: steps that need more than a pixel's own value, mixing of channels
    in a 1D table, and light beyond what the carrier's codes hold.
    """
    found = []
    names: list[str] = []
    if order.stuck:
        picture = order.table_code(frame_code, None, place)
        right = exact(order.operations, picture, place)
    for own, step in order.stuck:
        needs = " and ".join(NEEDS[need] for need in sorted(step.needs(order.path.working_primaries)))
        why = f"Acts by {needs}, which no table knows."
        costs = [
            _cost(order, step.shown_name, why, name, right, exact(order.without(name).operations, picture, place))
            for name in ([own] if not without_shape(step).fits_in_lut else [own, f"{own}{SHAPE}"])
        ]
        least = min(costs, key=lambda one: (one.p99, one.worst))
        if len(costs) == 2:
            whole, shape = costs
            least = replace(
                least,
                name=f"{step.shown_name}: {'all of it' if least is whole else 'its shape'}",
                why=f"{why} " + _choice(whole, shape, order.judge.metric, least is whole),
            )
        found.append(least)
        names.append(least.step)
    bare = order.model_copy(update={"left_out": (*order.left_out, *names)})
    if order.dimensions == 1:
        codes = frame_sample(order, "frame", frame_code, None, place).codes
        curve = LutBox(
            order.receiver.model_copy(update={"precision": 0, "output_depth": 0, "input_depth": 0}), bake(bare)
        ).interpolated(codes)
        found.append(
            _cost(
                bare,
                "Mixing between channels",
                "A 1D table gives each channel its own curve: primaries, saturation and gamut fit are left out.",
                "",
                exact(bare.operations, codes),
                curve,
            )
        )
    if not order.section.from_camera or not order.section.to_display:
        found += _beyond_the_carrier(bare, frame_code, place)
    return found


def standing_still(
    order: BakeOrder, frame_code: Any, place: Place | None = None, *, at: Sequence[int] = ()
) -> list[LeftOut]:
    """What it costs that steps stand still at the frame where the order froze them: the worst of what they do ``at``
    other frames of the shot, all on the same frame's pixels. Empty where nothing a table carries moves.
    """
    acting = order.path.acting(order.section.stages)
    moving = [step.shown_name for _, step in acting if step.moves and step.fits_in_lut]
    if not moving or order.frozen is None or not at:
        return []
    carried = order.model_copy(update={"left_out": (*order.left_out, *(name for name, _ in order.stuck))})
    codes = carried.picked_code(frame_code, lambda pixels: pixels[::7], None, place)
    still = exact(carried.operations, codes)
    why = f"A table is the same on every frame; this one is as at frame {order.frozen}."
    others = [exact(carried.model_copy(update={"frozen": frame}).operations, codes) for frame in at]
    costs = [_cost(carried, f"that {', '.join(moving)} changes", why, "", one, still) for one in others]
    return [max(costs, key=lambda one: one.p99)]


def _beyond_the_carrier(order: BakeOrder, frame_code: Any, place: Place | None) -> list[LeftOut]:
    if order.section.from_camera:
        return []
    codes = order.picked_code(frame_code, lambda pixels: pixels[::7], None, place)
    held = np.clip(codes, 0.0, 1.0)
    if np.abs(codes - held).max() < 1e-6:
        return []
    share = float(((codes < 0) | (codes > 1)).any(axis=-1).mean())
    return [
        _cost(
            order,
            "Light the carrier cannot hold",
            f"{100 * share:.2g} % of the frame’s pixels lie outside codes 0…1 of "
            f"{order.section.carrier_name(order.path)}.",
            "",
            exact(order.operations, codes),
            exact(order.operations, held),
        )
    ]


def _cost(order: BakeOrder, name: str, why: str, step: str, all_of_it: Any, without: Any) -> LeftOut:
    right = order.held(all_of_it)
    apart = order.judge.apart(order.judge.seen(right), order.judge.seen(order.held(without)))
    median, p99 = np.percentile(apart, [50, 99])
    return LeftOut(name, why, step, float(median), float(p99), float(apart.max()), _map(apart))


def _choice(whole: LeftOut, shape: LeftOut, metric: str, by_whole: bool) -> str:
    if by_whole:
        return f"Acting everywhere, without its shape, it would cost more ({metric} 99 % {shape.p99:.1f})."
    return f"It acts everywhere then; without it altogether it would cost more ({metric} 99 % {whole.p99:.1f})."


def _map(apart: Float64) -> Float64 | None:
    """ΔE of a picture (H, W) as means over blocks, at most MAP_WIDTH across."""
    if apart.ndim != 2:
        return None
    block = max(1, -(-apart.shape[1] // MAP_WIDTH))
    rows, columns = apart.shape[0] // block, apart.shape[1] // block
    if not rows or not columns:
        return None
    blocks = apart[: rows * block, : columns * block].reshape(rows, block, columns, block)
    return np.asarray(blocks.mean(axis=(1, 3)))
