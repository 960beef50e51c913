"""Files are written whole or not at all."""

from __future__ import annotations

import errno
import hashlib
import os
import secrets
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path as FilePath

from upwelling.core.errors import UnwritableFile


def digest_of(paths: Iterable[FilePath]) -> tuple[str, int]:
    """SHA-256 over the contents of files in their order, and their size in bytes."""
    whole, size, _ = digests_of(paths)
    return whole, size


def digests_of(paths: Iterable[FilePath]) -> tuple[str, int, list[str]]:
    """As ``digest_of``, and the SHA-256 of each file; all are read once."""
    whole, size, each = hashlib.sha256(), 0, []
    for path in paths:
        own = hashlib.sha256()
        with path.open("rb") as stream:
            while chunk := stream.read(4 * 2**20):
                whole.update(chunk)
                own.update(chunk)
                size += len(chunk)
        each.append(own.hexdigest())
    return whole.hexdigest(), size, each


@contextmanager
def whole_file(path: str | os.PathLike[str]) -> Iterator[FilePath]:
    """Gives a temporary path beside ``path`` (same ending); synced and renamed when the block ends well, else removed.

    Raises UnwritableFile when the folder does not exist or cannot be written.
    """
    place = FilePath(path)
    temporary = place.parent / f".part-{secrets.token_hex(8)}{place.suffix}"
    try:
        temporary.touch(exist_ok=False)
    except OSError as error:
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            raise
        raise UnwritableFile(place, f"cannot be written in {place.parent} ({error.strerror}).") from None
    try:
        yield temporary
        with temporary.open("rb") as stream:
            os.fsync(stream.fileno())
        temporary.replace(place)
    finally:
        temporary.unlink(missing_ok=True)
