"""A file that a form sent, on disk for as long as it is read."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path as FilePath

from django.conf import settings
from django.core.files.uploadedfile import UploadedFile


@contextmanager
def on_disk(uploaded: UploadedFile, suffix: str = "") -> Iterator[FilePath]:
    """The place of its bytes, gone when the block ends."""
    FilePath(settings.FILES).mkdir(parents=True, exist_ok=True)
    with tempfile.NamedTemporaryFile(dir=settings.FILES, suffix=suffix) as temporary:
        for chunk in uploaded.chunks():
            temporary.write(chunk)
        temporary.flush()
        yield FilePath(temporary.name)
