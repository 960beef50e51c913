"""The certificate: what was tested, against what, with which result. Plain figures; ``verify`` fills them in."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal

from pydantic import ConfigDict

from upwelling.core.bake.order import BakeOrder, order_from_recipe
from upwelling.core.frozen import Frozen
from upwelling.core.measure.judge import MetricName
from upwelling.core.proof.samples import FRAME_SET, SHIPPED_SET, as_of_pictures, judged_pictures
from upwelling.core.proof.tolerances import Tolerances
from upwelling.core.tables.formats import FORMATS

Triple = tuple[float, float, float]
VERSION = 2
Verdict = Literal["holds", "holds, not tried on pictures", "holds within the tested pictures", "does not hold"]
HOLDS: Verdict = "holds"
UNTRIED: Verdict = "holds, not tried on pictures"
WITHIN: Verdict = "holds within the tested pictures"
FAILS: Verdict = "does not hold"
VERDICTS = (HOLDS, UNTRIED, WITHIN, FAILS)


class _Report(Frozen):
    model_config = ConfigDict(allow_inf_nan=True)


class Worst(_Report):
    """One bad place: its input code, and what the exact path and the LUT make of it (codes 0…1)."""

    set_name: str
    code: Triple
    exact: Triple
    baked: Triple
    delta_e: float


class SetFigures(_Report):
    """ΔE over one set of samples."""

    name: str
    count: int
    median: float
    p95: float
    p99: float
    maximum: float


_OF_PICTURES = {SHIPPED_SET: "shipped scenes", FRAME_SET: "frames"}
"""What sets are called whose names begin so, where several are told as one."""


class NeutralFigures(_Report):
    """The neutral axis: ΔE by code, how far the LUT's greys stray from the path's own colour, and monotony."""

    codes: tuple[float, ...]
    delta_e: tuple[float, ...]
    drift: float
    falls: tuple[int, int, int]
    deepest_fall: float
    fall_delta_e: float = 0.0
    """ΔE between the two neighbouring greys of the deepest fall; 0 in certificates from before it was measured."""


class GridFigures(_Report):
    """The table's own grid points: how many, how many are not what the path says, and the worst of them (None: there is
    no grid).
    """

    points: int
    wrong: int
    worst_delta_e: float
    worst_index: tuple[int, ...]


class RampFigures(_Report):
    """A neutral ramp at the receiver's depths, in output codes: widest step of path and table, and steps wider than the
    path's by two codes or more.

    ``roughness`` is the largest second difference that the path does not have, in 10-bit codes.
    """

    steps: int
    widest_exact: float
    widest_baked: float
    extra: int
    roughness: float


class Outside(_Report):
    """One place beyond the domain: ΔE there, between the exact path and what the receiver does."""

    where: str
    delta_e: float


class Finding(_Report):
    """A point that does not hold: what, its figure and limit, why, and what to change."""

    what: str
    value: float
    limit: float
    cause: str
    change: str


class TestedFrame(_Report):
    """A frame whose pixels were tested: how many, and the share that lies beyond the table's domain."""

    name: str
    count: int
    outside: float


class Certificate(_Report):
    """The report of one verification."""

    upwelling_certificate: Literal[2] = 2
    made: str
    lut_file: str
    lut_sha256: str
    order: dict[str, Any]
    fingerprint: str
    path_fingerprint: str
    metric: MetricName
    sets: tuple[SetFigures, ...]
    neutral: NeutralFigures
    grid: GridFigures | None
    hunted: Worst
    hunt_samples: int
    worst: tuple[Worst, ...]
    ramp: RampFigures
    outside: tuple[Outside, ...]
    output_rounding: float
    clipped_domain: float
    frames: tuple[TestedFrame, ...]
    tolerances: Tolerances
    verdict: Verdict
    findings: tuple[Finding, ...]

    @property
    def holds(self) -> bool:
        return self.verdict in (HOLDS, UNTRIED)

    @property
    def usable(self) -> bool:
        """Holds as far as it was tested, or at least within the tested pictures."""
        return self.verdict != FAILS

    @property
    def overall(self) -> SetFigures:
        """All samples together."""
        return self.sets[0]

    @property
    def bake_order(self) -> BakeOrder:
        return order_from_recipe(self.order)

    @property
    def held_to(self) -> list[tuple[str, float | None, float]]:
        """Each limit: what it is for, the figure that was found (None: there was nothing to test), and the limit."""
        neutral = next(one for one in self.sets if one.name == "neutral axis")
        judged = judged_pictures(one.name for one in self.sets)
        pictures = [one for one in self.sets if one.name in judged]
        found: dict[str, float | None] = {
            "neutral_max": neutral.maximum,
            "picture_p99": max((as_of_pictures(one.name, one.p99) for one in pictures), default=None),
            "picture_max": max((one.maximum for one in pictures), default=None),
            "anywhere_median": self.overall.median,
            "anywhere_p99": self.overall.p99,
            "anywhere_max": self.hunted.delta_e,
        }
        return [(title, found[name], limit) for name, title, limit in self.tolerances.rows()]

    @property
    def reasons(self) -> list[tuple[str, str, str]]:
        """What does not hold, findings of one cause together: their figures, the cause, and what to change."""
        together: dict[tuple[str, str], list[Finding]] = {}
        for one in self.findings:
            together.setdefault((one.cause, one.change), []).append(one)
        return [("; ".join(_in_few(found)) + ".", cause, change) for (cause, change), found in together.items()]

    @property
    def reasons_said(self) -> list[str]:
        """Each reason as one line."""
        return [" ".join(filter(None, reason)) for reason in self.reasons]

    @property
    def summary(self) -> str:
        """What kind of table was tested, in a few words."""
        order = self.bake_order
        return order.summary(
            by_formulas=FORMATS[order.format].nodes and self.grid is None and order.shaper != "display"
        )


def _in_few(findings: Sequence[Finding]) -> list[str]:
    """Figures in words; those of many pictures as one, by the worst of them."""
    families: dict[tuple[str, str], list[Finding]] = {}
    for one in findings:
        head = next((head for head in _OF_PICTURES if head in one.what), "")
        figure, _, _ = one.what.partition(head) if head else (one.what, "", "")
        families.setdefault((figure, head), []).append(one)
    said = []
    for (figure, head), members in families.items():
        worst = max(members, key=lambda one: one.value)
        what = worst.what
        if len(members) > 1:
            what = f"{figure}{len(members)} {_OF_PICTURES[head]}, at worst {worst.what.removeprefix(figure + head)}"
        said.append(f"{what}: ΔE {worst.value:.2f}, above {worst.limit:g}")
    return said
