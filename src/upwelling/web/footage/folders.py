"""Folders whose files are registered where they lie: which a production may take from, and what they hold."""

from __future__ import annotations

import os
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path as FilePath

from django.conf import settings
from django.core.cache import cache

from upwelling.core.errors import UnreadableFile
from upwelling.core.media import ENDINGS, open_footage
from upwelling.core.media.movie import SUFFIXES
from upwelling.core.media.raw_run import is_moving
from upwelling.core.media.sequence import group
from upwelling.core.media.spanned import joined_spans
from upwelling.web.common.requests import Refused
from upwelling.web.productions.models import Production

MOST_FILES, MOST_SHOTS = 100_000, 2000
"""Footage files of one folder, and shots that they may become at once."""
LONGEST_WALK, MOST_FOLDERS, KEPT = 1.0, 400, 60
"""Seconds that a page waits for the list of folders, how many it shows, and seconds that the list is kept."""
FEWEST_FRAMES, MOST_LOOKED_INTO = 4, 24
"""Stills that make a sequence at least, and how many of a run are opened to compare their sizes."""


@dataclass(frozen=True)
class FolderList:
    """Folders that hold footage, relative to the media folder; ``whole`` is False where looking took too long."""

    folders: tuple[str, ...]
    whole: bool


def shown(path: FilePath | str) -> str:
    """A name as it can be printed and stored: bytes that are no UTF-8 stand as \\xNN."""
    return os.fsencode(path).decode("utf-8", "backslashreplace")


def media_folder() -> FilePath:
    """Where registered footage lies."""
    return FilePath(settings.MEDIA_FOLDER).resolve()


def roots_of(production: Production) -> list[FilePath]:
    """The folders that an administrator gave the production, those that are there."""
    places = [(media_folder() / root.folder).resolve() for root in production.footage_roots.all()]
    return [place for place in places if place.is_relative_to(media_folder()) and place.is_dir()]


def folder_list(production: Production) -> FolderList:
    """Folders with footage under the production's roots, as they were within the last minute."""
    roots = roots_of(production)
    key = f"folders-{production.pk}-{hash(tuple(roots))}"
    found: FolderList | None = cache.get(key)
    if found is None:
        found = _walked(roots)
        cache.set(key, found, KEPT)
    return found


def _walked(roots: Sequence[FilePath]) -> FolderList:
    until, found = time.monotonic() + LONGEST_WALK, []
    for root in roots:
        for place, names, files in os.walk(root):
            names[:] = sorted(name for name in names if not name.startswith("."))
            if any(_is_footage(name) for name in files):
                found.append(shown(FilePath(place).relative_to(media_folder())))
            if time.monotonic() > until or len(found) >= MOST_FOLDERS:
                return FolderList(tuple(sorted(set(found))), False)
    return FolderList(tuple(sorted(set(found))), True)


def _is_footage(name: str) -> bool:
    return not name.startswith(".") and FilePath(name).suffix.lower() in ENDINGS


def files_of(folder: FilePath, roots: Sequence[FilePath]) -> list[FilePath]:
    """Footage files of a folder; hidden ones and links that lead out of the roots are passed over."""
    try:
        return sorted(_files(folder, roots))
    except OSError as error:
        raise Refused(f"The folder “{shown(folder.name)}” cannot be read ({error.strerror}).") from None


def files_below(folder: FilePath, roots: Sequence[FilePath]) -> list[FilePath]:
    """Footage files of a folder and of all in it; hidden ones and links that lead out of the roots are passed over."""
    found: list[FilePath] = []
    for place, names, _ in os.walk(folder):
        names[:] = sorted(name for name in names if not name.startswith("."))
        found += files_of(FilePath(place), roots)
        if len(found) > MOST_FILES:
            raise Refused(
                f"“{shown(folder.name)}” holds more than {MOST_FILES} files of footage. Read its parts one by one."
            )
    return found


def folders_in(folder: FilePath) -> list[FilePath]:
    """The folders that lie directly in one, by name; hidden ones and links are passed over."""
    with os.scandir(folder) as entries:
        found = [FilePath(one.path) for one in entries if one.is_dir(follow_symlinks=False) and one.name[0] != "."]
    return sorted(found)


def _leads_out(path: FilePath, roots: Sequence[FilePath]) -> bool:
    return not any(path.resolve().is_relative_to(root) for root in roots)


def links_out(folder: FilePath, roots: Sequence[FilePath], *, below: bool = False) -> int:
    """How many links to footage or to folders lead out of the roots, and are therefore passed over."""
    count = 0
    for place, names, files in os.walk(folder):
        for name in (*names, *files):
            path = FilePath(place) / name
            count += path.is_symlink() and _leads_out(path, roots)
        if not below:
            break
    return count


def _files(folder: FilePath, roots: Sequence[FilePath]) -> Iterator[FilePath]:
    with os.scandir(folder) as entries:
        for entry in entries:
            if not _is_footage(entry.name):
                continue
            path = FilePath(entry.path)
            # Resolving costs; only what is a link can lead out.
            if entry.is_symlink() and _leads_out(path, roots):
                continue
            if entry.is_file():
                yield path


def folder_at(production: Production, relative: str) -> FilePath:
    """A folder under one of the production's roots; raises Refused for anything that is not, or is not there."""
    roots = roots_of(production)
    if not roots:
        raise Refused(
            "This production has no footage folder yet. An administrator gives it one: "
            f"`upwelling root add {production.slug} FOLDER`."
        )
    said = relative.strip()
    try:
        place = (media_folder() / said).resolve()
        there = place.is_dir()
    except (OSError, ValueError):  # too long for any file system, or a NUL in it
        raise Refused("That is no folder's path. Choose one from the list.") from None
    if not there:
        named = [path for root in roots for path in _folders_named(root, said)]
        if not named:
            raise Refused(
                f"There is no folder “{said[:120]}” under the media folder. Reload the page, or type its path."
            )
        place = named[0]
    if not any(place.is_relative_to(root) for root in roots):
        raise Refused("That folder is not under this production’s footage folders. Choose one from the list.")
    return place


def _folders_named(root: FilePath, said: str) -> Iterator[FilePath]:
    """Folders whose name is no UTF-8, by what is shown of it."""
    until = time.monotonic() + LONGEST_WALK
    for place, _, _ in os.walk(root):
        if shown(FilePath(place).relative_to(media_folder())) == said:
            yield FilePath(place)
        if time.monotonic() > until:
            return


def runs_of(files: Sequence[FilePath]) -> list[list[FilePath]]:
    """Each piece of footage of a folder: a movie, a still, or the frames of a sequence by number.

    A run of numbered stills is a sequence when its numbers keep one step and its frames one size, and raw ones were
    taken in a row; others stay stills. Movies that are parts of one recording are one.
    """
    runs: list[list[FilePath]] = []
    for paths in group(files):
        runs += [paths] if len(paths) >= FEWEST_FRAMES and _is_run(paths) else [[path] for path in paths]
    return joined_spans(runs)


def _is_run(paths: Sequence[FilePath]) -> bool:
    ending = paths[0].suffix.lower()
    return ending not in SUFFIXES and _of_one_size(paths) and (ending != ".dng" or is_moving(paths))


def _of_one_size(paths: Sequence[FilePath]) -> bool:
    """Whether frames spread over the run have one width and height; a file that cannot be read decides nothing."""
    spread = paths[:: -(-len(paths) // MOST_LOOKED_INTO)]
    sizes = set()
    for path in spread:
        try:
            facts = open_footage(path).facts
        except UnreadableFile:
            continue
        sizes.add((facts.width, facts.height))
    return len(sizes) < 2
