"""A numbered run of raw frames as one piece of footage: one development, and what its frames say differently."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from functools import cached_property
from pathlib import Path as FilePath

from upwelling.core.errors import UnreadableFile
from upwelling.core.media.base import Still
from upwelling.core.media.dng import Raw
from upwelling.core.media.footage import FileFacts, Reading
from upwelling.core.media.sequence import NumberedStills
from upwelling.core.raw.mosaic import Quality
from upwelling.core.raw.profile import RawMoment, RawProfile

SLOWEST = 2.0
"""Frames a second from which raw stills taken one after the other are a run; our own choice."""
_MOVING = ("as_shot", "baseline_exposure", "exposure_index")
_CHANGES = {"as_shot": "white as shot", "baseline_exposure": "baseline exposure", "exposure_index": "exposure index"}


class RawRun(NumberedStills):
    """Raw frames of one camera and size in the order of their numbers. ``frame`` gives camera RGB, 1.0 = white
    level."""

    of_kind = "raw"

    def __init__(self, paths: Sequence[FilePath]) -> None:
        super().__init__(paths, Raw)

    def frame(self, index: int = 0, reading: Reading | None = None, quality: Quality = "full") -> Still:
        """Camera RGB of a frame; raises Damaged for one that cannot be read or has another size."""

        def read(path: FilePath) -> Still:
            raw = Raw(path)
            still = raw.frame(0, None, quality)
            self._check_size(path, raw.facts.width, raw.facts.height)
            return still

        return self._whole(index, read)

    @cached_property
    def profile(self) -> RawProfile:
        """The first frame's, with the moments from which others say something else; every file's head is read.

        A frame that cannot be read says nothing here; what it is, is told where it is developed. Raises UnreadableFile
        where frames are of another camera.
        """
        first, moments = Raw(self.paths[0]).profile, []
        last = first
        for number, path in enumerate(self.paths[1:], 1):
            try:
                own = Raw(path).profile
            except UnreadableFile:
                continue
            if own.model_copy(update={name: getattr(first, name) for name in _MOVING}) != first:
                raise UnreadableFile(
                    path,
                    f"is of another camera than {self.paths[0].name}, or says other colour matrices: a run has one.",
                )
            if any(getattr(own, name) != getattr(last, name) for name in _MOVING):
                moments.append(RawMoment(frame=number, **{name: getattr(own, name) for name in _MOVING}))
                last = own
        return first.model_copy(update={"along": tuple(moments)})

    def changes(self) -> list[str]:
        """What its frames say differently along the run, in a sentence for each value."""
        profile, found = self.profile, []
        for name, title in _CHANGES.items():
            now, places = getattr(profile, name), []
            for moment in profile.along:
                if getattr(moment, name) != now:
                    now = getattr(moment, name)
                    places.append(moment.frame)
            if places:
                more = f" and at {len(places) - 1} more" if len(places) > 1 else ""
                found.append(
                    f"The {title} changes at frame {places[0]}{more}. The run is developed by its first frame’s "
                    "values; “of each frame” in its development follows them."
                )
        return found

    @cached_property
    def facts(self) -> FileFacts:
        return self._as_sequence(Raw(self.paths[0]).facts)


RawFootage = Raw | RawRun


def is_moving(paths: Sequence[FilePath]) -> bool:
    """Whether raw stills with running numbers are frames of a run: they say a rate or a timecode, or were taken at
    ``SLOWEST`` frames a second or faster, or do not say when they were taken. Slower ones are photographs.
    """
    try:
        first, last = Raw(paths[0]), Raw(paths[-1])
        codes = [raw.facts.metadata.get("timecode", "") for raw in (first, last)]
        if "frame rate" in first.facts.metadata or codes[0] != codes[1]:
            return True
        begins, ends = (datetime.strptime(raw.taken, "%Y:%m:%d %H:%M:%S") for raw in (first, last))
    except UnreadableFile:
        return False
    except ValueError:
        return True
    return len(paths) - 1 >= SLOWEST * (ends - begins).total_seconds()
