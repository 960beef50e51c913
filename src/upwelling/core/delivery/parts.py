"""One part of a delivery, rendered: a pure task of an order, a number and a folder, done whole or not at all."""

from __future__ import annotations

import json
import secrets
import time
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import asdict, dataclass, field, replace
from functools import cache
from pathlib import Path as FilePath
from typing import Any

import numpy as np

from upwelling.core import engine
from upwelling.core.curves import CURVES
from upwelling.core.delivery.frames import Renderer, Source, clipped_part, source_frames, with_range
from upwelling.core.delivery.names import still_name
from upwelling.core.delivery.order import Order, Part
from upwelling.core.delivery.tags import movie_settings, still_tags
from upwelling.core.media import write_still
from upwelling.core.media.movie_write import MovieWriter
from upwelling.core.operations import Decode
from upwelling.core.outputs.mastering import LightLevel

PART_ENDING = ".mov"
_AHEAD = 3
"""Frames that are decoded before they are needed, and that wait for the encoder."""
_LOOKED_AT = 8
"""Of clipping, every so many pixels and lines are looked at."""
Told = Callable[[int], None]
"""Called with how many frames more are done; may raise to stop."""


@dataclass
class PartReport:
    """What a part says of itself. ``clipped`` sums, over its frames, the share of pixels beyond what the file holds."""

    index: int
    frames: int = 0
    max_cll: float = 0.0
    max_fall: float = 0.0
    clipped: float = 0.0
    repeated: list[tuple[int, int, int]] = field(default_factory=list)
    """Piece, frame, and the frame that stands for it."""
    seconds: float = 0.0

    @classmethod
    def read(cls, text: str) -> PartReport:
        body = json.loads(text)
        return cls(**{**body, "repeated": [tuple(row) for row in body["repeated"]]})


def report_place(folder: FilePath, index: int) -> FilePath:
    """Where the report of a part lies: it is there once the part is done."""
    return folder / f"{index:06}.json"


def movie_place(folder: FilePath, index: int) -> FilePath:
    """Where the pictures of a movie's part lie."""
    return folder / f"{index:06}{PART_ENDING}"


def render_part(order: Order, part: Part, folder: FilePath, name: str, told: Told | None = None) -> PartReport:
    """Renders a part into ``folder``; ``name`` is what the delivery is called, by which stills are numbered.

    Raises UnreadableFile, UnwritableFile or BadValue; nothing of the part is left then.
    """
    begun = time.monotonic()
    report = PartReport(part.index)
    if order.form.movie is None:
        _stills(order, part, folder, name, report, told)
    else:
        _movie(order, part, folder, report, told)
    report.seconds = time.monotonic() - begun
    place = report_place(folder, part.index)
    temporary = place.with_name(f".new-{secrets.token_hex(6)}")
    temporary.write_text(json.dumps(asdict(report)))
    temporary.replace(place)
    return report


def _movie(order: Order, part: Part, folder: FilePath, report: PartReport, told: Told | None) -> None:
    settings = movie_settings(order)
    place = movie_place(folder, part.index)
    temporary = place.with_name(f".new-{secrets.token_hex(6)}{PART_ENDING}")
    log = temporary.with_suffix(".log")
    try:
        passes = [{}] if not settings.bits_per_second else [{"pass": "1"}, {"pass": "2"}]
        for number, own in enumerate(passes):
            own = {**own, "stats": str(log)} if own else own
            with MovieWriter(
                temporary, settings.codec.part_kind, replace(settings, parameters={**settings.parameters, **own})
            ) as writer:
                last = number == len(passes) - 1
                _through(order, part, report if last else PartReport(part.index), writer.add, told if last else None)
        temporary.replace(place)
    finally:
        for left in folder.glob(f"{temporary.stem}*"):
            left.unlink(missing_ok=True)


def _stills(order: Order, part: Part, folder: FilePath, name: str, report: PartReport, told: Told | None) -> None:
    def write(signal: Any, index: int) -> None:
        place = still_name(folder / name, order.first_number + index, order.frames == 1)
        write_still(place, with_range(signal, order.form), order.form.depth, still_tags(order, index))

    _through(order, part, report, write, told)


def _through(
    order: Order, part: Part, report: PartReport, write: Callable[[Any, int], None], told: Told | None
) -> None:
    """Frames read ahead on one thread, rendered here, written on another, in order."""
    with ThreadPoolExecutor(1) as reading, ThreadPoolExecutor(1) as writing:
        written: list[Future[None]] = []
        try:
            for index, renderer, source, piece in _ahead(order, part, reading):
                signal = renderer.signal(source.code, source.number)
                _note(order, report, signal, source, piece)
                written.append(writing.submit(write, signal, index))
                if len(written) > _AHEAD:
                    written.pop(0).result()
                report.frames += 1
                if told is not None:
                    told(1)
            for future in written:
                future.result()
        except BaseException:
            reading.shutdown(cancel_futures=True)
            writing.shutdown(cancel_futures=True)
            raise


def _ahead(order: Order, part: Part, reading: ThreadPoolExecutor) -> Iterator[tuple[int, Renderer, Source, int]]:
    """Frames with their number in the whole, the next ones being decoded meanwhile."""
    index = part.begin
    for piece_number, first, last in part.runs:
        piece = order.pieces[piece_number]
        renderer = Renderer(order, piece)
        frames = source_frames(order, piece, first, last)
        waiting = [reading.submit(next, frames, None) for _ in range(_AHEAD)]
        while (source := waiting.pop(0).result()) is not None:
            waiting.append(reading.submit(next, frames, None))
            yield index, renderer, source, piece_number
            index += 1


def _note(order: Order, report: PartReport, signal: Any, source: Source, piece: int) -> None:
    if source.repeated is not None:
        report.repeated.append((piece, source.number, source.repeated))
    report.clipped += clipped_part(signal[::_LOOKED_AT, ::_LOOKED_AT], order.form)
    if order.form.hdr10:
        level = light_level(signal)
        report.max_cll = max(report.max_cll, level.max_cll)
        report.max_fall = max(report.max_fall, level.max_fall)


@cache
def _pq_light() -> Any:
    return engine.compile_operations((Decode(CURVES["PQ"], 10000.0),))


def light_level(signal: Any) -> LightLevel:
    """Of one frame of PQ codes (H, W, 3): the light of each pixel's largest channel, at most and on average.

    Source: CTA-861.3, annex P, as core.outputs.mastering; the curve rises, so the largest code is the largest light.
    """
    largest = np.clip(signal.max(axis=-1), 0, 1).ravel()
    packed = np.resize(largest, (-(-largest.size // 3), 3)).astype(np.float32)
    nits = engine.run(_pq_light(), packed).ravel()[: largest.size]
    return LightLevel(float(nits.max()), float(nits.mean(dtype=np.float64)), 1)
