"""Rules: what a production sets once for all its shots."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from upwelling.core.encodings import Range
from upwelling.core.outputs import output as output_named
from upwelling.core.path import known_name
from upwelling.core.primaries import Adaptation
from upwelling.core.rendering import Rise


class Rules(BaseModel):
    """Working space, default input, rendering and output of a production. An empty default encoding settles nothing.

    ``managed`` off shows every shot's own numbers, unconverted. The HLG display's peak and black are those of its OOTF.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")
    working: Literal["AP1", "BT.2020"] = "AP1"
    adaptation: Adaptation = "CAT02"
    default_encoding: str = Field("", max_length=80)
    managed: bool = True
    hlg_peak_nits: float = Field(1000.0, ge=100, le=10000)
    hlg_black_nits: float = Field(0.0, ge=0, le=5)
    output: Annotated[str, known_name(output_named)] = "BT.709 BT.1886"
    range: Range = "full"
    depth: Literal[8, 10, 12, 16] = 10
    rendering: Rise = Rise()
