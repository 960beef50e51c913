"""What every gamut fit answers: how relative light outside the output's primaries comes to lie inside."""

from __future__ import annotations

from typing import ClassVar

from upwelling.core.colour.primaries import Adaptation
from upwelling.core.frozen import Frozen
from upwelling.core.operations import Operation
from upwelling.core.outputs import Output


class GamutFit(Frozen):
    """The end of a rendering: any relative light in the output's primaries to 0…1 in each channel."""

    title: ClassVar[str]
    explanation: ClassVar[str]
    source: ClassVar[str]

    kind: str = ""

    def operation(self, target: Output, adaptation: Adaptation) -> Operation:
        """The fit for one output's gamut."""
        raise NotImplementedError
