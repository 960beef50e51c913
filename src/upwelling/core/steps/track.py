"""A value that changes along a shot: keys of frame and value, held or smooth between. Time is never an operation:
``at`` gives constants.
"""

from __future__ import annotations

import itertools
from typing import Annotated, Any, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from upwelling.core.curves.spline import Spline
from upwelling.core.frozen import Frozen

MOST_KEYS = 2000
Value = float | Annotated[tuple[float, ...], Field(min_length=6, max_length=128)]
Key = tuple[Annotated[int, Field(ge=0, le=10_000_000)], Value]
"""A frame of the file, counted from 0, and the value there: a number, or x and y of each point of an outline."""


class Track(Frozen):
    """The values of one parameter along the file.

    Smooth is a monotone cubic that never goes beyond its keys; before the first and after the last key the value
    stands. Points move one by one, each coordinate for itself.
    """

    parameter: str = Field(max_length=40)
    keys: tuple[Key, ...] = Field(min_length=1, max_length=MOST_KEYS)
    between: Literal["smooth", "held"] = "smooth"

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        for (frame, _), (after, _) in itertools.pairwise(self.keys):
            if after <= frame:
                raise ValueError(f"Keys must follow each other along the shot; frame {after} comes after frame {frame}")
        if len({len(value) if isinstance(value, tuple) else 0 for _, value in self.keys}) > 1:
            raise ValueError("Every key of an outline needs the same number of points")
        return self

    def at(self, frame: float) -> Any:
        """The value at a frame of the file: a number, or a tuple of them."""
        first, last = self.keys[0], self.keys[-1]
        if frame <= first[0]:
            return first[1]
        if frame >= last[0]:
            return last[1]
        if self.between == "held":
            return next(value for start, value in reversed(self.keys) if start <= frame)
        times = [float(at) for at, _ in self.keys]
        rows = np.array([value for _, value in self.keys], dtype=np.float64).reshape(len(times), -1).T
        found = [float(Spline(tuple(zip(times, row.tolist(), strict=True)))(frame)) for row in rows]
        return tuple(found) if isinstance(first[1], tuple) else found[0]


class Keyed(Frozen):
    """A value some of whose parameters may change along a shot, by ``tracks``; ``at`` puts constants in."""

    title: ClassVar[str]
    tracks: tuple[Track, ...] = Field((), max_length=20)

    @model_validator(mode="after")
    def _tracks_fit(self) -> Self:
        names = [track.parameter for track in self.tracks]
        for name, track in zip(names, self.tracks, strict=True):
            if names.count(name) > 1:
                raise ValueError(f"“{name}” of {self.title} has two tracks; give it one")
            if name not in self.keyable():
                taken = ", ".join(self.keyable()) or "none of them"
                raise ValueError(f"“{name}” of {self.title} cannot change along a shot; of its parameters {taken} can")
            bounds: Any = type(self).model_fields[name].json_schema_extra
            for frame, value in track.keys:
                values = value if isinstance(value, tuple) else (value,)
                if isinstance(value, tuple) != isinstance(getattr(self, name), tuple):
                    raise ValueError(f"{name}: the key at frame {frame} is not of its kind")
                for one in values:
                    if not bounds["low"] <= one <= bounds["high"]:
                        raise ValueError(
                            f"{name}: the key at frame {frame} is {one:g}, outside {bounds['low']:g}…{bounds['high']:g}"
                        )
        return self

    @classmethod
    def keyable(cls) -> list[str]:
        """The parameters that may change along a shot."""
        extras = {name: field.json_schema_extra for name, field in cls.model_fields.items()}
        return [name for name, extra in extras.items() if isinstance(extra, dict) and extra.get("keyed")]

    @property
    def moves(self) -> bool:
        """Whether anything of it changes along the shot."""
        return bool(self.tracks)

    def at(self, frame: float) -> Self:
        """As it stands at a frame of the file, with constants alone."""
        if not self.tracks:
            return self
        values = {track.parameter: self._valued(track.at(frame)) for track in self.tracks}
        return self.model_copy(update={"tracks": (), **values})

    @staticmethod
    def _valued(value: Any) -> Any:
        return tuple(zip(value[::2], value[1::2], strict=True)) if isinstance(value, tuple) else value
