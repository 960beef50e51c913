"""Rules: what a production sets once for all its shots."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict

from upwelling.core.encodings import Range, encoding
from upwelling.core.errors import UpwellingError
from upwelling.core.outputs import output as output_named
from upwelling.core.path import known_name
from upwelling.core.primaries import Adaptation
from upwelling.core.rendering import Rise


def _encoding_or_none(name: str) -> str:
    try:
        return encoding(name).name if name else ""
    except UpwellingError as error:
        raise ValueError(str(error)) from None


class Rules(BaseModel):
    """Working space, default input, rendering and output of a production. An empty default encoding settles nothing."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    working: Literal["AP1", "BT.2020"] = "AP1"
    adaptation: Adaptation = "CAT02"
    default_encoding: Annotated[str, AfterValidator(_encoding_or_none)] = ""
    output: Annotated[str, known_name(output_named)] = "BT.709 BT.1886"
    range: Range = "full"
    depth: Literal[8, 10, 12, 16] = 10
    rendering: Rise = Rise()
