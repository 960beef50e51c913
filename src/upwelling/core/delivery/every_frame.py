"""Every frame of a delivery against its own: whether it is the one that was ordered there, by a coarse lattice of
pixels.

What an encoder loses differs little from frame to frame; a frame that is nearer to its neighbour's picture than to
its own stands in the wrong place, and one that is far further off than the others is another picture.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable, Iterator
from pathlib import Path as FilePath
from typing import Any

import numpy as np

from upwelling.core import engine
from upwelling.core.delivery.frames import Renderer, source_frames, ways
from upwelling.core.delivery.order import Order
from upwelling.core.delivery.tolerance import looser
from upwelling.core.encodings.base import legal_to_full
from upwelling.core.media import Movie, open_footage

SAMPLES, WIDEST, AROUND = 1500, 8, 2
"""About so many pixels are compared, at most so far apart, with so many frames on either side."""
NEARER, FURTHER, LEAST = 0.85, 4.0, 2e-3
"""A neighbour's picture must be nearer by this share; a frame is another where it is so many times further off than
most, and by so much of the code scale at the least. Ours: noise of one camera's frames alone keeps neighbours 1.4
apart.
"""


def frames_elsewhere(order: Order, delivered: Iterable[Any]) -> tuple[list[int], int]:
    """The frames that are not the ones ordered there, of full-range signals at the lattice in turn, and how many were
    compared.

    Raises UnreadableFile where a source or the file cannot be read.
    """
    least = LEAST * looser(order.form)
    own: list[float] = []
    nearer: set[int] = set()
    window: deque[tuple[int, Any, Any]] = deque(maxlen=AROUND)
    for number, (right, picture) in enumerate(zip(_ordered(order), delivered, strict=False)):
        made = np.clip(picture, 0, 1)
        if made.shape != right.shape:
            break  # another size is said elsewhere
        own.append(float(np.abs(made - right).mean()))
        for before, its_right, its_made in window:
            for at, one, other in ((before, its_made, right), (number, made, its_right)):
                if own[at] > least and np.abs(one - other).mean() < NEARER * own[at]:
                    nearer.add(at)
        window.append((number, right, made))
    usual = float(np.median(own)) if own else 0.0
    far = {number for number, off in enumerate(own) if off > max(FURTHER * usual, 5 * least)}
    return sorted(nearer | far), len(own)


def lattice_of(picture: Any) -> Any:
    """Some pixels (H, W, 3), as float32."""
    step = int(np.clip(np.sqrt(picture.shape[0] * picture.shape[1] / SAMPLES), 1, WIDEST))
    return np.asarray(picture[step // 2 :: step, step // 2 :: step], dtype=np.float32)


def _ordered(order: Order) -> Iterator[Any]:
    """What each frame should be at the lattice, by the engine; where every pixel stands alone only those are run."""
    for piece in order.pieces:
        renderer = Renderer(order, piece)
        framing = renderer.framing
        alone = (
            not (renderer.changes or piece.turned)
            and not framing.scales
            and framing.outer == framing.inner == framing.source
            and not renderer.path.needs
        )
        program = None
        if alone:
            way = ways(renderer.at(piece.first), order.form)
            program = engine.compile_operations((*way.to_light, *way.to_code))
        for source in source_frames(order, piece, piece.first, piece.last):
            if program is not None:
                code = np.ascontiguousarray(lattice_of(source.code))
                yield np.clip(engine.run(program, code), 0, 1)
            else:
                yield np.clip(lattice_of(renderer.signal(source.code, source.number)), 0, 1)


def every_movie_frame(target: FilePath) -> Iterator[Any]:
    """Full-range signals of all frames of a movie, at the lattice alone, decoded once in turn."""
    footage = open_footage(target)
    assert isinstance(footage, Movie)
    legal = footage.default_reading.range == "legal"
    for still in footage.through(range(footage.facts.frames)):
        yield legal_to_full(lattice_of(still.code), still.integer_depth) if legal else lattice_of(still.code)
