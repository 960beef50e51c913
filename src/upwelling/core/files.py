"""Files are written whole or not at all."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from upwelling.core.errors import UnwritableFile


@contextmanager
def whole_file(path: str | os.PathLike[str]) -> Iterator[Path]:
    """Gives a temporary path beside ``path`` (same ending); synced and renamed when the block ends well, else removed.

    Raises UnwritableFile when the folder does not exist or cannot be written.
    """
    place = Path(path)
    try:
        handle, name = tempfile.mkstemp(dir=place.parent, prefix=".part-", suffix=place.suffix)
    except OSError as error:
        raise UnwritableFile(place, f"cannot be written in {place.parent} ({error.strerror}).") from None
    os.close(handle)
    temporary = Path(name)
    try:
        yield temporary
        with temporary.open("rb") as stream:
            os.fsync(stream.fileno())
        temporary.chmod(0o644)
        temporary.replace(place)
    finally:
        temporary.unlink(missing_ok=True)
