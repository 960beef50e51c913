"""Stills in and out: one container a file, recognised by content."""

from __future__ import annotations

import os
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from upwelling.core.errors import UnreadableFile, UnwritableFile
from upwelling.core.media.base import Container, Depth, Still, clipped_share
from upwelling.core.media.dpx import DPX
from upwelling.core.media.exr import EXR
from upwelling.core.media.png import PNG
from upwelling.core.media.tiff import TIFF

CONTAINERS: tuple[Container, ...] = (PNG, TIFF, EXR, DPX)


def recognise(head: bytes) -> Container | None:
    """The container whose content starts like this, whatever the file is called."""
    return next((c for c in CONTAINERS if head.startswith(c.magics)), None)


def read_still(path: str | os.PathLike[str]) -> Still:
    """Reads a still; raises UnreadableFile that names the file and the problem."""
    place = Path(path)
    try:
        with place.open("rb") as stream:
            head = stream.read(16)
    except OSError as error:
        raise UnreadableFile(place, f"cannot be read ({error.strerror}).") from None
    if not head:
        raise UnreadableFile(place, "the file is empty. Copy it again from the source.")
    container = recognise(head)
    if container is None:
        raise UnreadableFile(place, "is not a still this program reads. Use PNG, TIFF, OpenEXR or 10-bit DPX.")
    return container.read(place)


def container_for(path: str | os.PathLike[str]) -> Container:
    """The container a file name asks for; raises UnwritableFile."""
    suffix = Path(path).suffix.lower()
    for container in CONTAINERS:
        if suffix in container.suffixes:
            return container
    known = ", ".join(s for c in CONTAINERS for s in c.suffixes)
    raise UnwritableFile(path, f"“{suffix}” is not a format this program writes; use {known}.")


def write_still(path: str | os.PathLike[str], code: Any, depth: Depth | None = None,
                tags: Mapping[str, Any] | None = None) -> float:
    """Writes (H, W, 3) codes whole or not at all; gives the share of pixels the file had to clip."""
    container = container_for(path)
    chosen: Depth = depth or container.depths[-1]
    if chosen not in container.depths:
        raise UnwritableFile(path, f"{container.name} does not hold depth {chosen}; use {', '.join(container.depths)}.")
    container.write(Path(path), code, chosen, tags or {})
    return clipped_share(code) if chosen not in ("half", "float") else 0.0


__all__ = ["CONTAINERS", "Container", "Depth", "Still", "container_for", "read_still", "recognise", "write_still"]
