"""A delivery made through a proved table instead of the exact path: faster, and told as what it is."""

from __future__ import annotations

import hashlib
from functools import lru_cache
from pathlib import Path as FilePath

from pydantic import Field

from upwelling.core.bake.order import BakeOrder
from upwelling.core.errors import BadValue
from upwelling.core.frozen import Frozen
from upwelling.core.lut import Interpolation
from upwelling.core.lut.carried import CarriedLut
from upwelling.core.operations import Operation
from upwelling.core.operations.pixel import ApplyLut
from upwelling.core.path import Path
from upwelling.core.proof.certificate import Certificate
from upwelling.core.tables.files import read_lut

IN_NAME = "_by_table"
"""Ends the name of a file that was made through one, before its ending."""


class Through(Frozen):
    """The table as it travels, and what its certificate says of it; ``worst`` and ``p99`` in its metric."""

    table: CarriedLut
    interpolation: Interpolation = "tetrahedral"
    verdict: str = Field(max_length=40)
    metric: str = Field(max_length=20)
    p99: float
    worst: float

    @property
    def sentence(self) -> str:
        """In words, for plan, proof and file."""
        return (
            f"through the table {self.table.name} instead of the exact path: its certificate says that it "
            f"{self.verdict}, {self.metric} 99 % {self.p99:.2f}, worst {self.worst:.2f}"
        )

    def operations(self) -> tuple[Operation, ...]:
        """From full-range camera code to full-range display code."""
        return (ApplyLut(self.table.lut(), self.interpolation),)


def through_of(certificate: Certificate, place: FilePath) -> Through:
    """A table with its certificate; raises BadValue where the file is another, or does not hold."""
    digest = hashlib.sha256(place.read_bytes()).hexdigest()
    if digest != certificate.lut_sha256:
        raise BadValue(f"{place.name} is not the file that its certificate was made for. Bake it again.")
    if not certificate.usable:
        raise BadValue(f"{place.name} {certificate.verdict}, so nothing is delivered through it.")
    return Through(
        table=_carried(place, digest),
        interpolation=certificate.bake_order.receiver.interpolation,
        verdict=certificate.verdict,
        metric=certificate.metric,
        p99=certificate.overall.p99,
        worst=certificate.hunted.delta_e,
    )


@lru_cache(maxsize=32)
def _carried(place: FilePath, digest: str) -> CarriedLut:
    """A table as it travels; a plan asks for the same ones with every change of its form."""
    return CarriedLut.of(read_lut(place), place.name, digest)


def check_stands_for(order: BakeOrder, path: Path) -> None:
    """Raises BadValue where a table of an order is not the whole of a path from the camera's code to the display's."""
    section, receiver = order.section, order.receiver
    if (section.start, section.end) != ("camera", "display"):
        raise BadValue(f"The table carries {section.title()}, and a delivery needs camera code to display code.")
    if (receiver.input_range, receiver.output_range) != ("full", "full") or order.dimensions != 3:
        raise BadValue(f"A delivery needs a cube of full range in and out; this one is for {receiver.name}.")
    if order.left_out or order.frozen is not None:
        raise BadValue("The table leaves something of the path out, so nothing is delivered through it.")
    if path.camera.raw is not None or path.moves or path.needs:
        raise BadValue("The shot’s path does what no table carries, so it is delivered by the exact path.")
    if order.model_copy(update={"path": path}).section_fingerprint != order.section_fingerprint:
        raise BadValue("The table is not of the path as it is now. Bake it again.")
