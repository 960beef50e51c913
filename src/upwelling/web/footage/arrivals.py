"""Files on their way in: uploads and registered folders, looked at in the background one by one."""

from __future__ import annotations

import itertools
import logging
from collections.abc import Sequence
from functools import partial
from pathlib import Path as FilePath
from typing import Any

from django.conf import settings as conf
from django.db import transaction

from upwelling.core.errors import UpwellingError
from upwelling.core.media import ENDINGS
from upwelling.core.media.sequence import group
from upwelling.web.errors import Refused
from upwelling.web.footage.models import Arrival
from upwelling.web.footage.pictures import make_thumbnails
from upwelling.web.footage.services import AlreadyHere, bring_in
from upwelling.web.productions.models import Production

logger = logging.getLogger(__name__)
MOST_FILES, MOST_ENTRIES = 2000, 50_000
"""Footage files taken at once, and folder entries looked through, so that a page never waits for a whole archive."""


def hand_in(production: Production, user: Any, name: str, temporary: FilePath) -> Arrival:
    """Queues an uploaded file; it is taken over or removed when it has been looked at."""
    arrival = Arrival.objects.create(production=production, created_by=user, name=name.rsplit("/", 1)[-1][-255:], place=str(temporary))
    _queue([arrival])
    return arrival


def folders() -> list[str]:
    """Folders under the media folder that hold footage, relative to it; the folder itself is “.”."""
    root = FilePath(conf.MEDIA_FOLDER).resolve()
    found = set()
    for path in _files(root, deep=True):
        found.add(str(path.parent.relative_to(root)))
    return sorted(found)


def _files(folder: FilePath, *, deep: bool) -> list[FilePath]:
    """Footage files of a folder; hidden ones and links that lead out of the media folder are passed over."""
    root = FilePath(conf.MEDIA_FOLDER).resolve()
    if not folder.is_dir():
        return []
    found = []
    for path in itertools.islice(folder.rglob("*") if deep else folder.iterdir(), MOST_ENTRIES):
        if path.suffix.lower() in ENDINGS and not path.name.startswith(".") and path.is_file() and path.resolve().is_relative_to(root):
            found.append(path)
            if len(found) >= MOST_FILES:
                break
    return sorted(found)


def folder_at(relative: str) -> FilePath:
    """A folder under the media folder; raises Refused for anything that is not, or is not there."""
    root = FilePath(conf.MEDIA_FOLDER).resolve()
    place = root if "\0" in relative else (root / relative).resolve()
    if not place.is_relative_to(root) or "\0" in relative:
        raise Refused("That folder is not under the media folder. Choose one from the list.")
    if not place.is_dir():
        raise Refused(f"There is no folder “{relative}” under the media folder any more. Reload the page.")
    return place


@transaction.atomic
def register_folder(production: Production, user: Any, relative: str) -> list[Arrival]:
    """Queues every file and numbered sequence of a folder; files stay where they lie."""
    files = _files(folder_at(relative), deep=False)
    if not files:
        raise Refused(f"The folder “{relative}” holds no footage. Known endings: {', '.join(ENDINGS)}.")
    arrivals = []
    for paths in _groups(files):
        title = paths[0].name if len(paths) == 1 else f"{paths[0].name} … {paths[-1].name}"
        arrivals.append(Arrival.objects.create(
            production=production, created_by=user, name=title[-255:], place=str(paths[0]), registered=True,
            members=[str(path) for path in paths] if len(paths) > 1 else []))
    _queue(arrivals)
    return arrivals


def _groups(files: Sequence[FilePath]) -> list[list[FilePath]]:
    """Numbered runs of stills become sequences when their frames are many enough to be one; single takes stay single."""
    groups = []
    for paths in group(files):
        movie_or_raw = paths[0].suffix.lower() in (".mov", ".mp4", ".m4v", ".mkv", ".mxf", ".avi", ".dng")
        groups += [[path] for path in paths] if movie_or_raw or len(paths) < 4 else [paths]
    return groups


def _queue(arrivals: Sequence[Arrival]) -> None:
    from upwelling.web.footage.tasks import look_at

    for arrival in arrivals:
        transaction.on_commit(partial(look_at, arrival.pk))


def perform(arrival_id: int) -> None:
    """The work on one file: look, recognise, thumbnails. Whatever happens is written on the arrival; nothing is raised."""
    arrival = Arrival.objects.select_related("production", "created_by").filter(pk=arrival_id).first()
    if arrival is None or arrival.state not in (Arrival.State.WAITING, Arrival.State.PROBING):
        return
    place = FilePath(arrival.place)
    _say(arrival, Arrival.State.PROBING, 0.1, "Reading and recognising")
    try:
        shot = bring_in(arrival.production, arrival.created_by, FilePath(arrival.members[0]).name if arrival.members else arrival.name,
                        place.resolve() if arrival.registered else place, registered=arrival.registered,
                        members=[FilePath(member).resolve() for member in arrival.members])
        arrival.shot = shot
        _say(arrival, Arrival.State.PROBING, 0.7, "Making its thumbnails")
        make_thumbnails(shot)
        _say(arrival, Arrival.State.DONE, 1.0, shot.get_state_display())
    except AlreadyHere as error:
        arrival.shot = error.shot
        _say(arrival, Arrival.State.HERE, 1.0, str(error))
    except UpwellingError as error:
        _say(arrival, Arrival.State.FAILED, 1.0, str(error))
    except Exception:
        logger.exception("Arrival %s failed", arrival.pk)
        _say(arrival, Arrival.State.FAILED, 1.0, f"{arrival.name}: a fault of ours stopped it. Nothing saved was lost; hand it in again.")
    finally:
        if not arrival.registered:
            place.unlink(missing_ok=True)


def _say(arrival: Arrival, state: Arrival.State, progress: float, message: str) -> None:
    arrival.state, arrival.progress, arrival.message = state, progress, message[:300]
    arrival.save(update_fields=["state", "progress", "message", "shot"])


def resume_interrupted() -> int:
    """At a worker's start: files it was in the middle of are looked at again. Gives how many."""
    waiting = list(Arrival.objects.filter(state=Arrival.State.PROBING))
    _queue(waiting)
    return len(waiting)


def dismiss(production: Production) -> int:
    """Takes finished arrivals off the page; shots stay."""
    over = production.arrivals.filter(state__in=(Arrival.State.DONE, Arrival.State.HERE, Arrival.State.FAILED))
    return over.delete()[0]
