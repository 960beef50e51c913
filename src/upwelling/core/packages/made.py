"""One table of a package: what is wished, and what became of it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from upwelling.core.bake.order import BakeOrder
from upwelling.core.operations import Place
from upwelling.core.proof.certificate import Certificate
from upwelling.core.proof.samples import FrameSample


class Prepared(NamedTuple):
    """The order of a table, the frames that test it, and the code of a frame with where it lies; ``ends`` are frames
    at which steps that the order holds still are looked at.
    """

    order: BakeOrder
    frames: Sequence[FrameSample]
    frame_code: Any
    place: Place | None
    ends: tuple[int, ...] = ()


@dataclass(frozen=True)
class Item:
    """What a table is ``of`` (a camera, a shot) and for whom; ``prepare`` is asked when its turn comes. ``folder``: its
    place in the package; ``fields`` and ``pattern`` are those of its name; ``leaves_out``: whether what no table can
    carry is left out, or the table not made. ``note`` is told beside it.
    """

    of: str
    receiver: str
    prepare: Callable[[], Prepared]
    folder: tuple[str, ...] = ()
    fields: Mapping[str, str] = field(default_factory=dict)
    pattern: str = ""
    leaves_out: bool = False
    note: str = ""


@dataclass(frozen=True)
class Made:
    """What became of an item: its file and certificate, or why there is none. ``lost``: what it leaves out, and the
    cost; ``note``: why no table for this receiver holds, and what would.
    """

    of: str
    receiver: str
    file: str
    certificate: Certificate | None
    problem: str
    lost: tuple[str, ...] = ()
    note: str = ""
