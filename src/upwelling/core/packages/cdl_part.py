"""The part of a shot's or a Look's steps that an ASC CDL can say, and what leaving out the rest costs."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from upwelling.core.lut.process import CdlNode
from upwelling.core.steps import SlopeOffsetPower, Step

MEANING = "The numbers are meant for log code: ACEScct’s curve on the production’s working primaries."


@dataclass(frozen=True)
class CdlPart:
    """The correction, and the steps that it cannot say."""

    cdl: CdlNode
    said: SlopeOffsetPower | None
    left_out: tuple[Step, ...]


def cdl_part(steps: Sequence[Step], mixed: Collection[str] = ()) -> CdlPart:
    """The last whole slope/offset/power step; one mixed in or limited to part of the picture is no CDL, nor is one of
    the groups ``mixed`` in by a strength.
    """
    active = [step for step in steps if step.on and not step.changes_nothing and step.strength > 0]
    whole = [s for s in active if s.acts_wholly and s.group not in mixed]
    said = next((s for s in reversed(whole) if isinstance(s, SlopeOffsetPower)), None)
    cdl = (
        CdlNode()
        if said is None
        else CdlNode(
            said.slope, said.offset, said.power, said.saturation, "Fwd" if said.clamping == "asc" else "FwdNoClamp"
        )
    )
    return CdlPart(cdl, said, tuple(step for step in active if step is not said))


def step_of(cdl: CdlNode, name: str, step_id: str = "sop") -> SlopeOffsetPower:
    """A CDL read from a file as a step, with the standard's clamping; raises ValueError where a number is beyond what
    the step takes.
    """
    return SlopeOffsetPower(
        id=step_id,
        name=name[:60],
        slope=cdl.slope,
        offset=cdl.offset,
        power=cdl.power,
        saturation=cdl.saturation,
        clamping="asc",
    )
