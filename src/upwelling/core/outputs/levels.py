"""What an output's codes are: black, mid grey, reference white and peak."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.encodings import full_to_legal
from upwelling.core.encodings.base import Range
from upwelling.core.outputs.base import Output


@dataclass(frozen=True)
class Level:
    """A named level: its light, its share of full-range signal, its code."""

    name: str
    nits: float
    signal: float
    code: int


def levels(target: Output, code_range: Range, depth: int) -> tuple[Level, ...]:
    """The four levels of an output in a range and depth, of a neutral."""
    named = (
        ("Black", target.black_nits),
        ("Mid grey", target.mid_grey_nits),
        ("Reference white", target.white_nits),
        ("Peak", target.peak_nits),
    )
    found = []
    for name, nits in named:
        signal = float(target.to_code(np.array(target.relative(nits))))
        found.append(Level(name, nits, signal, code_of(signal, code_range, depth)))
    return tuple(found)


def code_of(signal: Any, code_range: Range, depth: int) -> int:
    """The integer code of a full-range signal 0…1."""
    share = float(full_to_legal(np.array(signal), depth)) if code_range == "legal" else float(signal)
    return int(np.clip(np.floor(share * (2**depth - 1) + 0.5), 0, 2**depth - 1))
