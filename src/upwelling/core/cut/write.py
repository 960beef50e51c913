"""A cut written back: the events as they were, pointing to the files that were delivered, so that an editor relinks in
one step. Through OpenTimelineIO and its CMX adapter.
"""

from __future__ import annotations

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


def write_cut(title: str, rate: float, drop: bool, links: Sequence[Link], kind: Kind) -> str:
    """The text of a CMX 3600 list or an OpenTimelineIO file. Transitions become plain cuts, as the files have none."""
    count_rate = float(exact_rate(rate)) if drop else round(rate)
    own = _Timeline(title, count_rate if kind == "edl" else float(exact_rate(rate)), kind)
    for link in sorted(links, key=lambda one: one.event.record):
        own.add(link)
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

    def add(self, link: Link) -> None:
        """The event of a link, at its place in the cut."""
        event = link.event
        if not len(self.track) and self.kind == "otio":
            self.timeline.global_start_time = self._time(event.record)
            self.at = event.record
        if event.record > self.at:  # an edit list's record times are counted from 0 by the adapter
            self.track.append(otio.schema.Gap(source_range=self._range(0, event.record - self.at)))
        clip = otio.schema.Clip(
            name=event.name or link.file,
            media_reference=otio.schema.ExternalReference(
                target_url=link.file, available_range=self._range(link.begins, link.frames) if link.frames else None
            ),
            source_range=self._range(link.start, event.record_frames),
        )
        clip.metadata["cmx_3600"] = {"reel": (link.reel or "AX")[:_REEL_LENGTH]}
        self.track.append(clip)
        self.at = event.record + event.record_frames

    def _time(self, frames: int) -> Any:
        return otio.opentime.RationalTime(frames, self.rate)

    def _range(self, start: int, frames: int) -> Any:
        return otio.opentime.TimeRange(self._time(start), self._time(frames))
