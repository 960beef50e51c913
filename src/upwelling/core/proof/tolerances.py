"""What a bake is held to: one set of limits for SDR outputs, one for HDR ones,
and a tighter one for files of formulas.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

from pydantic import Field

from upwelling.core.frozen import Frozen


class Tolerances(Frozen):
    """Largest allowed errors in ΔE, 2000 on SDR outputs. Common practice, no source: 1 is about what a careful eye can
    tell apart.

    Neutral is held tightest, as a cast in greys is seen first; ``picture`` holds for the production's own frames
    and the scenes that ship; ``anywhere`` for codes that no picture may ever hold.
    """

    neutral_max: float = Field(0.5, gt=0, le=100, title="Neutral axis, worst sample")
    picture_p99: float = Field(1.0, gt=0, le=100, title="Pictures, 99 % of samples")
    picture_max: float = Field(3.0, gt=0, le=100, title="Pictures, worst sample")
    anywhere_median: float = Field(0.5, gt=0, le=100, title="All samples, median")
    anywhere_p99: float = Field(2.0, gt=0, le=100, title="All samples, 99 %")
    anywhere_max: float = Field(12.0, gt=0, le=100, title="Worst place found anywhere")

    def rows(self) -> list[tuple[str, str, float]]:
        """Names, titles and limits."""
        return [(name, str(field.title), getattr(self, name)) for name, field in type(self).model_fields.items()]

    def within(self, other: Tolerances) -> Tolerances:
        """The smaller of each limit."""
        return Tolerances(**{name: min(limit, getattr(other, name)) for name, _, limit in self.rows()})

    def with_rounding(self, rounding: Mapping[str, float]) -> Tolerances:
        """Each limit with what rounding alone costs there, up to the next hundredth."""
        return Tolerances(
            **{name: min(math.ceil(100 * (limit + rounding[name])) / 100, 100.0) for name, _, limit in self.rows()}
        )


SDR = Tolerances()
HDR = Tolerances(
    neutral_max=1.5, picture_p99=2.0, picture_max=6.0, anywhere_median=1.0, anywhere_p99=4.0, anywhere_max=36.0
)
"""In ΔE ITP, of which 1 is about a just noticeable difference in the most critical state of adaptation (Recommendation
ITU-R BT.2124-0, annex 1).

One code of 10-bit PQ is 720/1023 = 0.70, so that neutral may be off by two codes, and 99 % of a frame by less than
three. At mid level one ΔE 2000 of lightness is about 3 ΔE ITP (worked in docs/numbers.md): each of these is two or
three times the SDR limit.
"""
FORMULAS_SDR = Tolerances(
    neutral_max=0.03, picture_p99=0.03, picture_max=0.1, anywhere_median=0.01, anywhere_p99=0.05, anywhere_max=0.3
)
FORMULAS_HDR = Tolerances(
    neutral_max=0.1, picture_p99=0.1, picture_max=0.3, anywhere_median=0.03, anywhere_p99=0.15, anywhere_max=0.9
)
"""For files of formulas, which have no grid to excuse them: what the digits written and tables over all halfs may cost.
What rounding at the
receiver's output costs is allowed beside it. Our own choice."""


def tolerances_for(is_hdr: bool) -> Tolerances:
    """The product's own limits."""
    return HDR if is_hdr else SDR


def formula_tolerances(is_hdr: bool) -> Tolerances:
    """The limits of a file of formulas, beside what rounding costs."""
    return FORMULAS_HDR if is_hdr else FORMULAS_SDR
