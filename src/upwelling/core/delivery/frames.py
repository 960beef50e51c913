"""From a piece's file to the frames that are written: the path, the size, the output's codes."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from upwelling.core import engine
from upwelling.core.colour.primaries import Primaries, rgb_to_rgb
from upwelling.core.delivery.form import Form, Framing
from upwelling.core.delivery.order import Order, Piece
from upwelling.core.delivery.resample import resample
from upwelling.core.encodings import Range, encoding
from upwelling.core.errors import BadValue, UnreadableFile
from upwelling.core.media import Damaged, Footage, Movie, RawFootage, Reading
from upwelling.core.media.even import EvenMovie
from upwelling.core.operations import Matrix, Operation, Place, encode_operations, legal_out
from upwelling.core.operations.exact import exact
from upwelling.core.path import CameraFile, Path, stages_between
from upwelling.core.raw import RawSettings


@dataclass(frozen=True, eq=False)
class FramesAround:
    """The frames around that ``number`` of a file, read as it is; a still has none."""

    footage: Footage
    number: int
    reading: Reading

    def code(self, offset: int, shape: tuple[int, int], place: Place) -> Any | None:
        """See core.operations.time_mean.Frames; the whole frame."""
        wanted = self.number + offset
        if not 0 <= wanted < self.footage.facts.frames:
            return None
        return self.footage.frame(wanted, self.reading).code


@dataclass(frozen=True, eq=False)
class Ways:
    """Operations to the light in which sizes are changed, and from there to full-range codes."""

    to_light: tuple[Operation, ...]
    to_code: tuple[Operation, ...]


def ways(path: Path, form: Form) -> Ways:
    """What a path does up to where the form takes it, and how that light is coded; the range is put on when codes are
    written.
    """
    if form.boundary == "display":
        full = path.model_copy(update={"display": path.display.model_copy(update={"range": "full"})})
        parts = full.segments()
        light = tuple(op for name, part in parts.items() if name != "display" for op in part)
        return Ways(light, parts["display"])
    if not path.input.on:
        raise BadValue("Its Input is off, so there is no scene light to write. Switch it on, or deliver it finished.")
    segments = path.segments()
    light = tuple(op for stage in stages_between("camera", form.boundary) for op in segments[stage])
    target = encoding(form.encoding)
    turned = Matrix.of(rgb_to_rgb(path.working_primaries, target.primaries, path.input.adaptation))
    return Ways(light, (turned, *encode_operations(target)))


class Renderer:
    """Renders frames of one piece; what does not change from frame to frame is prepared once."""

    def __init__(self, order: Order, piece: Piece) -> None:
        self.form, self.piece = order.form, piece
        self.framing: Framing = order.framing_of(piece)
        self.footage = piece.footage
        path = piece.path
        if isinstance(self.footage, RawFootage) and path.camera.raw is None:
            raise BadValue(f"{piece.name or 'The file'} is raw, and its recipe does not say how it is developed.")
        self.path = path
        self.changes = path.moves or path.looks_around
        self.through = order.through
        self._fixed: tuple[Any, ...] | None = None

    def at(self, frame: int) -> Path:
        """The path as it stands at a frame, with the frames around it in its file."""
        number = self.piece.in_file(frame)
        around = self.footage.plain if isinstance(self.footage, EvenMovie) else self.footage
        return self.path.at(number).fed(FramesAround(around, number, self.piece.reading))

    def signal(self, code: Any, frame: int) -> Any:
        """Full-range codes (H, W, 3) float32 of the form, of a frame's file codes, by the engine."""
        if self._fixed is None or self.changes:
            way = self._way(frame)
            if self.framing.scales:
                programs: tuple[Any, ...] = tuple(map(engine.compile_operations, (way.to_light, way.to_code)))
            else:
                programs = (engine.compile_operations((*way.to_light, *way.to_code)),)
            self._fixed = programs
        value = self._turned(engine.run(self._fixed[0], code, place=self._place))
        if self.framing.scales:
            value = engine.run(self._fixed[1], self._sized(value), place=Place.whole(*self.framing.inner))
        return self._framed(value)

    def exact(self, code: Any, frame: int) -> Any:
        """The same in float64, by the exact path."""
        way = ways(self.at(frame), self.form)
        value = self._turned(exact(way.to_light, np.asarray(code, np.float64), self._place))
        if self.framing.scales:
            value = self._sized(value)
        return self._framed(exact(way.to_code, value, Place.whole(*self.framing.inner)))

    def _way(self, frame: int) -> Ways:
        """By the exact path, or through the table that stands for it."""
        if self.through is None:
            return ways(self.at(frame), self.form)
        return Ways((*self.path.segments()["camera"], *self.through.operations()), ())

    @property
    def _place(self) -> Place:
        facts = self.footage.facts
        return Place.whole(facts.width, facts.height)

    def _turned(self, picture: Any) -> Any:
        return np.ascontiguousarray(np.rot90(picture, self.piece.turned // 90)) if self.piece.turned else picture

    def _sized(self, light: Any) -> Any:
        small = resample(light, *self.framing.inner)
        return np.maximum(small, 0, out=small) if self.form.boundary == "display" else small

    def _framed(self, value: Any) -> Any:
        """With bars of the code that black has, where there are any."""
        if self.framing.outer == self.framing.inner:
            return value
        wide, high = self.framing.outer
        out = np.empty((high, wide, 3), value.dtype)
        out[:] = self._black
        left, top = self.framing.offset
        out[top : top + value.shape[0], left : left + value.shape[1]] = value
        return out

    @cached_property
    def _black(self) -> Any:
        """The code of no light; a display's is 0."""
        if self.form.boundary == "display":
            return np.zeros(3)
        return exact(ways(self.path.at(self.piece.first), self.form).to_code, np.zeros((1, 3)))[0]


def clipped_part(signal: Any, form: Form) -> float:
    """Share of the pixels of a signal (H, W, 3) that lie beyond what the file holds; floats hold all."""
    return 0.0 if form.is_float else float(np.mean(((signal < -1e-4) | (signal > 1 + 1e-4)).any(axis=-1)))


@dataclass(frozen=True, eq=False)
class Source:
    """A frame of a file as it came: its number, its codes, and the frame that was repeated where its own is damaged."""

    number: int
    code: Any
    repeated: int | None = None


def source_frames(order: Order, piece: Piece, first: int, last: int) -> Iterator[Source]:
    """Frames of a piece's file by number. A damaged one stops the delivery, or repeats the whole one before it of those
    asked for here; the first repeats what follows it.

    Raises Damaged or UnreadableFile by the name people know.
    """
    footage, repeats = piece.footage, order.damage == "repeat"
    held: Source | None = None
    waiting: list[int] = []
    number = first
    try:
        while number <= last:
            try:
                for code in _codes(footage, piece, number, last):
                    for before in waiting:
                        yield Source(before, code, number)
                    waiting = []
                    held = Source(number, code)
                    yield held
                    number += 1
            except Damaged:
                if not repeats:
                    raise
                if held is not None:
                    yield Source(number, held.code, held.number)
                else:
                    waiting.append(number)
                number += 1
    except UnreadableFile as error:
        raise type(error)(piece.name or piece.file, error.problem) from None
    if waiting:
        raise Damaged(piece.name or piece.file, f"frames {waiting[0]} to {waiting[-1]} are all damaged.")


def _codes(footage: Footage, piece: Piece, first: int, last: int) -> Iterator[Any]:
    if isinstance(footage, Movie):
        for still in footage.through(range(first, last + 1), piece.reading):
            yield still.code
        return
    for number in range(first, last + 1):
        yield footage.frame(number).code


def said_of(path: Path, form: Form) -> tuple[Primaries, str, str]:
    """Primaries, transfer curve and the name of the codes that are written."""
    if form.boundary == "display":
        target = path.target
        return target.primaries, target.curve_name, f"{target.curve_name}/{target.primaries_name}"
    aim = encoding(form.encoding)
    return aim.primaries, aim.curve_name, aim.name


def with_range(signal: Any, form: Form) -> Any:
    """Full-range codes as a still of the form keeps them."""
    side: Range = form.range
    if side == "full" or form.is_float:
        return signal
    operation = legal_out(form.code_bits)
    return operation.apply(np.asarray(signal))


def camera_of(footage: Footage, path: Path) -> Path:
    """A raw's path: developed as said or by its own profile, in linear working light; any other stays as it is."""
    if not isinstance(footage, RawFootage):
        return path
    own = path.camera.raw or RawSettings(profile=footage.profile)
    return path.model_copy(
        update={
            "camera": CameraFile(raw=own, depth=16),
            "input": path.input.model_copy(update={"encoding": f"linear/{path.working}", "custom": None}),
        }
    )
