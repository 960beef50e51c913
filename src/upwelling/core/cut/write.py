"""A cut written back: the events as they were, pointing to the files that were delivered, so that an editor relinks in
one step. Through OpenTimelineIO and its CMX adapter.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

import opentimelineio as otio

from upwelling.core.cut.read import Event
from upwelling.core.media.rates import exact_rate

Kind = Literal["edl", "otio"]
_REEL_LENGTH = 8


@dataclass(frozen=True)
class Link:
    """An event and the file it is of now: ``begins`` is the label of the file's first frame, ``start`` that of the
    event's, both as counts of frames. A file of ``frames`` 0 is one that was not delivered, named as it was.
    """

    event: Event
    file: str
    begins: int
    start: int
    frames: int
    reel: str

    @property
    def rate(self) -> float:
        """Frames a second that ``begins`` and ``start`` count."""
        return self.event.rate


def write_cut(title: str, rate: float, drop: bool, links: Sequence[Link], kind: Kind) -> str:
    """The text of a CMX 3600 list or an OpenTimelineIO file. Transitions become plain cuts, as the files have none."""
    count_rate = float(exact_rate(rate)) if drop else round(rate)
    own = _Timeline(title, count_rate if kind == "edl" else float(exact_rate(rate)), kind)
    listed = sorted(links, key=lambda one: one.event.record)
    for link, after in itertools.zip_longest(listed, listed[1:]):
        length = link.event.record_frames
        # Places of clips of other rates are rounded, each for itself: one frame of overlap is none.
        over = 0 if after is None else link.event.record + length - after.event.record
        own.add(link, length - over if over == 1 and length > 1 else length)
    if kind == "otio":
        return str(otio.adapters.write_to_string(own.timeline, "otio_json"))
    text = str(otio.adapters.write_to_string(own.timeline, "cmx_3600", rate=count_rate))
    head, _, rest = text.partition("\n")
    return f"{head}\nFCM: {'DROP FRAME' if drop else 'NON-DROP FRAME'}\n{rest}"


class _Timeline:
    """One track of clips, with gaps where nothing stands."""

    def __init__(self, title: str, rate: float, kind: Kind) -> None:
        self.rate, self.kind, self.at = rate, kind, 0
        self.timeline: Any = otio.schema.Timeline(name=" ".join(title.split()) or "CUT")
        self.track: Any = otio.schema.Track(kind=otio.schema.TrackKind.Video)
        self.timeline.tracks.append(self.track)

    def add(self, link: Link, length: int) -> None:
        """The event of a link, at its place in the cut, so many frames long."""
        event = link.event
        if not len(self.track) and self.kind == "otio":
            self.timeline.global_start_time = self._time(event.record)
            self.at = event.record
        if event.record > self.at:  # an edit list's record times are counted from 0 by the adapter
            self.track.append(otio.schema.Gap(source_range=self._range(0, event.record - self.at)))
        clip = otio.schema.Clip(
            name=event.name or link.file,
            media_reference=otio.schema.ExternalReference(
                target_url=link.file,
                available_range=self._range(link.begins, link.frames, link.rate) if link.frames else None,
            ),
            source_range=otio.opentime.TimeRange(self._time(link.start, link.rate), self._time(length)),
        )
        clip.metadata["cmx_3600"] = {"reel": (link.reel or "AX")[:_REEL_LENGTH]}
        self.track.append(clip)
        self.at = event.record + length

    def _rate(self, rate: float) -> float:
        """A source's rate as this list counts it: labels of an edit list are whole frames a second."""
        if not rate or abs(rate - self.rate) < 0.01 * self.rate:
            return self.rate
        return float(round(rate)) if self.kind == "edl" else float(exact_rate(rate))

    def _time(self, frames: int, rate: float = 0.0) -> Any:
        return otio.opentime.RationalTime(frames, self._rate(rate))

    def _range(self, start: int, frames: int, rate: float = 0.0) -> Any:
        return otio.opentime.TimeRange(self._time(start, rate), self._time(frames, rate))
