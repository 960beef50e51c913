"""A lookup table with declared spaces: what code it expects and what code it gives.

Without both nothing is run through it.
"""

from __future__ import annotations

from pydantic import Field, field_validator

from upwelling.core.encodings import Encoding, Range, encoding
from upwelling.core.errors import UpwellingError
from upwelling.core.frozen import Frozen
from upwelling.core.lut import Interpolation
from upwelling.core.lut.carried import CarriedLut
from upwelling.core.operations.base import Operation
from upwelling.core.operations.coding import legal_in, legal_out
from upwelling.core.operations.pixel import ApplyLut


class DeclaredLut(Frozen):
    """``expects`` and ``gives`` are names of encodings (for a conversion to a display, ``gives`` is the output's name;
    see LutRendering).
    """

    table: CarriedLut
    expects: str = Field(min_length=1, max_length=80)
    expects_range: Range = "full"
    gives: str = Field(min_length=1, max_length=80)
    gives_range: Range = "full"
    interpolation: Interpolation = "tetrahedral"

    @field_validator("expects")
    @classmethod
    def _known(cls, name: str) -> str:
        try:
            return encoding(name).name
        except UpwellingError as error:
            raise ValueError(str(error)) from None

    @property
    def source(self) -> Encoding:
        return encoding(self.expects)

    def operations(self) -> tuple[Operation, ...]:
        """From full-range code of ``expects`` to full-range code of ``gives``."""
        before = (legal_out(10),) if self.expects_range == "legal" else ()
        after = (legal_in(10),) if self.gives_range == "legal" else ()
        return (*before, ApplyLut(self.table.lut(), self.interpolation), *after)
