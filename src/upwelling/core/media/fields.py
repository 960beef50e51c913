"""Which field of an interlaced picture was taken first: read from a decoded frame, and marked on one to be encoded.

PyAV hands the mark of a frame neither out nor in; ffmpeg's own filters know it (separatefields, setfield).
"""

from __future__ import annotations

from fractions import Fraction
from typing import Any, Literal

import numpy as np
from av.filter import Graph

FirstField = Literal["", "top", "bottom"]
"""Empty: not interlaced, or nobody can tell."""
SAID: dict[str, str] = {"": "progressive", "top": "top field first", "bottom": "bottom field first"}
_MARKS = {"top": "tff", "bottom": "bff"}
INTERLACED = 0x40000 | 0x20000000
"""ffmpeg's flags for an encoder of fields: its transform and its motion (AV_CODEC_FLAG_INTERLACED_DCT and _ME)."""

WOVEN = {"top": 4, "bottom": 5}
"""Its numbers for a container that says the order of fields woven into frames (AV_FIELD_TB, AV_FIELD_BT)."""


def first_field(frame: Any) -> FirstField:
    """Of a decoded frame; empty where both of its fields are the same picture, or it has none."""
    if not frame.interlaced_frame or frame.height < 2:
        return ""
    graph = _graph(frame, "separatefields", None)
    graph.push(frame)
    graph.push(None)
    first: Any = graph.pull()
    top = bottom = True
    for whole, half in zip(frame.planes, first.planes, strict=True):
        lines, taken = (np.frombuffer(plane, np.uint8).reshape(-1, plane.line_size) for plane in (whole, half))
        wide = min(lines.shape[1], taken.shape[1], whole.width * max(c.bits for c in frame.format.components) // 8)
        rows = min(half.height, whole.height // 2)
        top &= np.array_equal(lines[0 : 2 * rows : 2, :wide], taken[:rows, :wide])
        bottom &= np.array_equal(lines[1 : 2 * rows : 2, :wide], taken[:rows, :wide])
    return "" if top == bottom else "top" if top else "bottom"


class FieldMarker:
    """Marks frames of one size and layout as interlaced, one field first."""

    def __init__(self, first: FirstField) -> None:
        self.first: FirstField = first
        self._graph: Graph | None = None

    def __call__(self, frame: Any) -> Any:
        if not self.first:
            return frame
        self._graph = self._graph or _graph(frame, "setfield", _MARKS[self.first])
        self._graph.push(frame)
        return self._graph.pull()


def x264_mark(first: FirstField) -> dict[str, str]:
    """What libx264's own parser is told; it writes fields by nothing else."""
    return {_MARKS[first]: "1"} if first else {}


def _graph(frame: Any, name: str, argument: str | None) -> Graph:
    graph = Graph()
    unit = frame.time_base or Fraction(1)
    source = graph.add_buffer(width=frame.width, height=frame.height, format=frame.format, time_base=unit)
    step, sink = graph.add(name, argument), graph.add("buffersink")
    source.link_to(step)
    step.link_to(sink)
    graph.configure()
    return graph
