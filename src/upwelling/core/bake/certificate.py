"""The certificate: what was tested, against what, with which result. Plain figures; ``verify`` fills them in."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

from upwelling.core.bake.judge import MetricName
from upwelling.core.bake.order import BakeOrder, order_from_recipe
from upwelling.core.bake.tolerances import Tolerances

Triple = tuple[float, float, float]
VERSION = 2
HOLDS, WITHIN, FAILS = "holds", "holds within the tested pictures", "does not hold"


class _Report(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


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


class NeutralFigures(_Report):
    """The neutral axis: ΔE by code, how far the LUT's greys stray from the path's own colour, and monotony."""

    codes: tuple[float, ...]
    delta_e: tuple[float, ...]
    drift: float
    falls: tuple[int, int, int]
    deepest_fall: float


class GridFigures(_Report):
    """The table's own grid points: how many, how many are not what the path says, and the worst of them (None: there is no grid)."""

    points: int
    wrong: int
    worst_delta_e: float
    worst_index: tuple[int, ...]


class RampFigures(_Report):
    """A neutral ramp at the receiver's depths, in output codes: widest step of path and table, and steps wider than the path's by two codes or more.

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

    def __str__(self) -> str:
        return " ".join(part for part in (f"{self.what}: ΔE {self.value:.2f}, above {self.limit:g}.", self.cause, self.change) if part)


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
    verdict: Literal["holds", "holds within the tested pictures", "does not hold"]
    findings: tuple[Finding, ...]

    @property
    def holds(self) -> bool:
        return self.verdict == HOLDS

    @property
    def usable(self) -> bool:
        """Holds everywhere, or at least within the tested pictures."""
        return self.verdict != FAILS

    @property
    def overall(self) -> SetFigures:
        """All samples together."""
        return self.sets[0]

    @property
    def bake_order(self) -> BakeOrder:
        return order_from_recipe(self.order)

    @property
    def said(self) -> str:
        """What kind of table was tested, in a few words."""
        order = self.bake_order
        return order.said(by_formulas=order.format == "clf" and self.grid is None)
