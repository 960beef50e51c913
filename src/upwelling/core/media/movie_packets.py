"""Packets of a movie as they come, ready to be decoded, each with its number in the file."""

from __future__ import annotations

import hashlib
import itertools
from collections.abc import Iterable, Iterator
from pathlib import Path as FilePath
from typing import TYPE_CHECKING, Any

import av

if TYPE_CHECKING:
    from upwelling.core.media.movie_index import Index

_CONCEALING = ("h264", "mpeg1video", "mpeg2video", "mpeg4", "vc1")
DAMAGE: tuple[type[Exception], ...] = (av.error.FFmpegError, ValueError, OSError, EOFError, MemoryError)


def opened(path: FilePath) -> Any:
    """The container of a movie, as every reader here opens it."""
    return av.open(str(path), metadata_errors="replace")


def prepared(stream: Any, threads: str = "SLICE") -> Any:
    """A stream whose decoder owns up to damage, and on one thread says which packet each frame is from.

    What travels with a packet is freed by whichever thread drops it, and needs Python's lock for it: frame threads
    would wait for each other.
    """
    context = stream.codec_context
    context.copy_opaque = threads == "SLICE"
    # H.264 and the MPEGs flag what they conceal, and stop at mere bookkeeping when told to stop; the others stop or say
    # nothing.
    stops = "" if context.name in _CONCEALING else "+explode"
    context.options = {"err_detect": f"crccheck+bitstream+buffer{stops}"}
    stream.thread_type = threads
    return stream


def numbered(path: FilePath, index: Index, start: int, threads: str = "SLICE") -> Iterator[tuple[int, Any]]:
    """Packets from number ``start`` on, ready to be decoded, each with its number; at last the empty one that drains
    the decoder (−1).

    Where a seek does not lead to a packet that can be told by its marks, the file is read from its start.
    """
    with opened(path) as container:
        stream = prepared(container.streams.video[0], threads)
        if start:
            container.seek(index.time_of(start), stream=stream, backward=True)
        packets = iter(container.demux(stream))
        head = next(packets, None)
        first = 0 if not start else index.number_of(head) if head is not None and head.size else None
        if head is not None and first is not None and first <= start:
            yield from _counted(itertools.chain([head], packets), first, start)
            return
    if start:
        with opened(path) as container:
            stream = prepared(container.streams.video[0], threads)
            yield from _counted(container.demux(stream), 0, start)


def _counted(packets: Iterable[Any], first: int, start: int) -> Iterator[tuple[int, Any]]:
    for number, packet in enumerate(packets, first):
        if not packet.size:
            yield -1, packet
            return
        if number >= start:
            if packet.stream.codec_context.copy_opaque:
                packet.opaque = number
            yield number, packet


def packets_digest(path: FilePath) -> str:
    """SHA-256 over a movie's picture packets: equal where it was copied without encoding it again."""
    digest = hashlib.sha256()
    with av.open(str(path)) as source:
        for packet in source.demux(source.streams.video[0]):
            if packet.size:
                digest.update(bytes(packet))
    return digest.hexdigest()
