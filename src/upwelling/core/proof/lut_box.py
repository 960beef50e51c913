"""The simulated LUT box: takes a table file and applies it as a receiver would, with its interpolation, depths, range
and edge.
"""

from __future__ import annotations

import os
from typing import Any

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.bake.receivers import Receiver
from upwelling.core.errors import BadLut
from upwelling.core.lut import Lut, Lut1D, Lut3D, ProcessList
from upwelling.core.lut.process import TableNode
from upwelling.core.operations.exact import in_blocks
from upwelling.core.tables.files import format_of, read_lut
from upwelling.core.tables.formats import FORMATS


def rounded(values: Any, depth: int) -> Any:
    """Values held to 0…1 and rounded to a depth; unchanged for depth 0 (float)."""
    if not depth:
        return values
    top = 2**depth - 1
    return np.round(np.clip(values, 0.0, 1.0) * top) / top


class LutBox:
    """One loaded table. Raises BadLut for a file that the receiver would not take."""

    def __init__(self, receiver: Receiver, lut: Lut) -> None:
        self.receiver, self.as_read = receiver, lut
        self.lut = self._at_precision(lut)

    @classmethod
    def load(cls, receiver: Receiver, path: str | os.PathLike[str]) -> LutBox:
        """Reads a file as the receiver would."""
        form = format_of(path)
        if form is None or form.name not in receiver.formats:
            raise BadLut(path, f"{receiver.name} takes {', '.join(FORMATS[f].title for f in receiver.formats)} files.")
        lut = read_lut(path)
        tables = (
            [node.lut for node in lut.nodes if isinstance(node, TableNode)] if isinstance(lut, ProcessList) else [lut]
        )
        wrong = next((one.size for one in tables if isinstance(one, Lut3D) and one.size not in receiver.grids), None)
        if wrong is not None:
            raise BadLut(
                path, f"{receiver.name} takes grids of {', '.join(map(str, receiver.grids))}; this file has {wrong}."
            )
        entries = max((one.size for one in tables if isinstance(one, Lut1D)), default=0)
        if entries > receiver.most_entries:
            raise BadLut(
                path,
                f"{receiver.name} takes 1D tables of at most {receiver.most_entries} entries; this file has {entries}.",
            )
        return cls(receiver, lut)

    def _at_precision(self, lut: Lut) -> Lut:
        depth = self.receiver.precision
        if not depth:
            return lut
        if isinstance(lut, ProcessList):
            nodes = tuple(
                TableNode(self._table(node.lut), node.interpolation, node.half) if isinstance(node, TableNode) else node
                for node in lut.nodes
            )
            return ProcessList(
                nodes, lut.title, lut.comments, lut.input_descriptor, lut.output_descriptor, lut.identifier
            )
        return self._table(lut)

    def _table(self, lut: Lut1D | Lut3D) -> Lut1D | Lut3D:
        return type(lut)(
            np.ascontiguousarray(rounded(lut.table, self.receiver.precision), dtype=np.float32),
            lut.domain,
            lut.title,
            lut.comments,
        )

    def interpolated(self, code: Any) -> Float64:
        """Output of codes (N, 3) before it is rounded to the output's depth."""
        values = np.asarray(code, dtype=np.float64)
        if self.receiver.beyond == "carried on":
            held = np.clip(values, 0.0, 1.0)
            if not np.array_equal(held, values):
                return self._carried_on(values, held)
        return in_blocks(lambda part: self.lut.apply(part, self.receiver.interpolation), values).astype(np.float64)

    def _carried_on(self, values: Float64, held: Float64) -> Float64:
        """Straight on from the edge, with the slope that the table has there in each channel's direction."""
        reach = 1 / 64
        out = self.lut.apply(held, self.receiver.interpolation).astype(np.float64)
        at_edge = out.copy()
        for channel in range(3):
            over = values[:, channel] - held[:, channel]
            inside = held.copy()
            inside[:, channel] -= np.sign(over) * reach
            slope = (at_edge - self.lut.apply(inside, self.receiver.interpolation)) / reach
            out += slope * np.abs(over)[:, None]
        return out

    def apply(self, code: Any) -> Float64:
        """What comes out for codes (N, 3): rounded to the input's depth, through the table, rounded to the output's."""
        return np.asarray(
            rounded(self.interpolated(rounded(code, self.receiver.input_depth)), self.receiver.output_depth)
        )
