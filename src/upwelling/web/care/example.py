"""Kilnlight as an example beside other work: which production it is, what was made for it, and its removal.

It is known by a mark of its own on the production, never by a name: somebody may call their own work Kilnlight.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path as FilePath
from typing import Any

from django.conf import settings

from upwelling.core.count_of import count_of
from upwelling.web.productions.models import FootageRoot, Production
from upwelling.web.productions.services import create_production

NAME, FOLDER = "Kilnlight", "kilnlight"


def the_example() -> Production | None:
    """The production that was made as the example, if one is here."""
    return Production.objects.exclude(example="").first()


def begin_example(technician: Any, *, whole_media: bool) -> Production:
    """An empty Kilnlight with a folder for its footage that nobody had. ``whole_media``: it may register all footage
    there is, as on a server that shows nothing else.
    """
    production = create_production(technician, NAME, "A short documentary in a glass-blowing workshop.")
    folder, number = FOLDER, 2
    while (_media() / folder).exists():
        folder, number = f"{FOLDER}-{number}", number + 1
    production.example = folder
    production.save(update_fields=["example"])
    FootageRoot.objects.create(production=production, folder="." if whole_media else folder)
    return production


@contextmanager
def filling(production: Production) -> Iterator[FilePath]:
    """The folder that footage is made in; what comes into it meanwhile, finished or broken off, is the example's."""
    folder = _media() / production.example
    folder.mkdir(parents=True, exist_ok=True)
    others = set(_files(folder)) - set(production.example_files.splitlines())
    try:
        yield folder
    finally:
        production.example_files = "\n".join(file for file in _files(folder) if file not in others)
        production.save(update_fields=["example_files"])


def what_goes(production: Production) -> str:
    """What a removal takes, as a sentence's subject."""
    files = count_of(len(production.example_files.splitlines()), "file")
    shots, bakes = count_of(production.shots.count(), "shot"), count_of(production.bakes.count(), "table")
    members = ", ".join(sorted(member.user.username for member in production.members.select_related("user")))
    return (
        f"{production.name} (/p/{production.slug}/, of {members}) with {shots}, {bakes} and "
        f"{files} in the media folder’s {production.example}"
    )


def remove_example(production: Production) -> list[str]:
    """Removes the example and the files that were made for it; gives the files beside them, which stay."""
    folder = _media() / production.example
    made = production.example_files.splitlines()
    production.delete()
    for name in made:
        (folder / name).unlink(missing_ok=True)
    for inner in sorted((place for place in folder.rglob("*") if place.is_dir()), reverse=True):
        _remove_if_empty(inner)
    _remove_if_empty(folder)
    return _files(folder)


def _files(folder: FilePath) -> list[str]:
    return sorted(str(file.relative_to(folder)) for file in folder.rglob("*") if file.is_file())


def _remove_if_empty(folder: FilePath) -> None:
    if folder.is_dir() and not any(folder.iterdir()):
        folder.rmdir()


def _media() -> FilePath:
    return FilePath(settings.MEDIA_FOLDER).resolve()
