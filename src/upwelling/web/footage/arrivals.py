"""Files on their way in: uploads and registered folders, looked at in the background one by one."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from functools import partial
from pathlib import Path as FilePath
from typing import Any

from django.conf import settings as conf
from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone

from upwelling.core.count_of import count_of
from upwelling.core.errors import UpwellingError
from upwelling.core.files import digests_of
from upwelling.core.media import ENDINGS
from upwelling.core.media.sequence import numbers_of
from upwelling.web.common.errors import of_the_machine
from upwelling.web.common.requests import Refused
from upwelling.web.footage.cameras import into_camera
from upwelling.web.footage.folders import (
    MOST_FILES,
    MOST_SHOTS,
    files_below,
    files_of,
    folder_at,
    folders_in,
    links_out,
    media_folder,
    roots_of,
    runs_of,
    shown,
)
from upwelling.web.footage.models import Arrival, Card, Shot
from upwelling.web.footage.pictures import make_thumbnails
from upwelling.web.footage.shots import AlreadyHere, bring_in
from upwelling.web.jobs.models import Task
from upwelling.web.jobs.services import TOO_MUCH_MEMORY
from upwelling.web.jobs.work import queue, work
from upwelling.web.productions.models import Production

logger = logging.getLogger(__name__)
OVER = (Arrival.State.DONE, Arrival.State.HERE, Arrival.State.FAILED)
SHORTEST_LIMIT, SLOW_DISK = 300, 20e6
"""Seconds that reading any file may take, and bytes a second that a slow disk gives."""


def hand_in(production: Production, user: Any, name: str, temporary: FilePath) -> Arrival:
    """Queues an uploaded file; it is taken over or removed when it has been looked at."""
    arrival = Arrival.objects.create(
        production=production,
        created_by=user,
        name=name.rsplit("/", 1)[-1][-255:],
        place=str(temporary.relative_to(conf.FILES)),
    )
    _queue([arrival])
    return arrival


@transaction.atomic
def register_folders(
    production: Production, user: Any, folders: Sequence[str], *, below: bool = False, by_camera: bool = False
) -> list[Arrival]:
    """Queues every file and numbered sequence of folders, with ``below`` of all folders in them too; files stay where
    they lie. ``by_camera``: each is a camera, by its name; of a single folder without footage of its own the folders in
    it are.
    """
    if not folders:
        raise Refused("No folder is chosen. Choose one from the list, or type its path.")
    roots = roots_of(production)
    places = [folder_at(production, relative) for relative in folders]
    if by_camera and below and len(places) == 1 and not files_of(places[0], roots):
        places = folders_in(places[0]) or places
    files = {place: files_below(place, roots) if below else files_of(place, roots) for place in places}
    named = f"The folder “{shown(places[0].name)}”" if len(places) == 1 else "These folders"
    holds = "holds" if len(places) == 1 else "hold"
    count = sum(map(len, files.values()))
    if not count:
        out = sum(links_out(place, roots, below=below) for place in places)
        why = f" Passed over: {count_of(out, 'link')} out of this production’s footage folders." if out else ""
        raise Refused(f"{named} {holds} no footage.{why} Known endings: {', '.join(ENDINGS)}.")
    if count > MOST_FILES:
        raise Refused(f"{named} {holds} {count} files of footage; at most {MOST_FILES} are taken.")
    runs = {place: runs_of(found) for place, found in files.items()}
    count = sum(map(len, runs.values()))
    if count > MOST_SHOTS:
        raise Refused(
            f"{named} would become {count} shots; at most {MOST_SHOTS} are taken at once. Register "
            "its parts one by one."
        )
    queued = []
    for place, found in runs.items():
        queued += queue_runs(production, user, found, camera_name=shown(place.name)[:60] if by_camera else "")
    return queued


def links_passed_over(production: Production, folders: Sequence[str], *, below: bool) -> int:
    """How many links in folders are passed over, as they lead out of the production's footage folders."""
    roots = roots_of(production)
    return sum(links_out(folder_at(production, relative), roots, below=below) for relative in folders)


def queue_runs(
    production: Production,
    user: Any,
    runs: Sequence[Sequence[FilePath]],
    card: Card | None = None,
    camera_name: str = "",
) -> list[Arrival]:
    """Queues files and numbered runs that lie under the media folder; those of a card stand in its report."""
    arrivals, root = [], media_folder()
    for paths in runs:
        first, last = shown(paths[0].name), shown(paths[-1].name)
        title = first if len(paths) == 1 else f"{first} … {last}"
        if any(shown(path) != str(path) for path in paths):
            _refuse(production, user, title, card)
            continue
        arrivals.append(
            Arrival.objects.create(
                production=production,
                created_by=user,
                name=title[-255:],
                place=str(paths[0].relative_to(root)),
                registered=True,
                members=[str(path.relative_to(root)) for path in paths] if len(paths) > 1 else [],
                card=card,
                camera_name=camera_name,
                size_bytes=sum(path.stat().st_size for path in paths) if card else 0,
            )
        )
    _queue(arrivals)
    return arrivals


def take_apart(shot: Shot, user: Any) -> list[Arrival]:
    """Queues the frames of a sequence as stills of their own; the sequence stays, with all that was set on it."""
    if len(shot.members) < 2:
        raise Refused(f"{shot.name} is no sequence and in no parts, so there is nothing to take apart.")
    if len(shot.members) > MOST_SHOTS:
        raise Refused(f"{shot.name} has {len(shot.members)} frames; at most {MOST_SHOTS} become stills at once.")
    return queue_runs(shot.production, user, [[media_folder() / member] for member in shot.members])


def put_together(production: Production, user: Any, shots: Sequence[Shot]) -> list[Arrival]:
    """Queues registered numbered stills as one sequence in the order of their numbers, or the parts of a recording as
    one movie; what they are of stays."""
    if len(shots) < 2:
        raise Refused("Choose the stills that make the sequence; at least two.")
    for shot in shots:
        if shot.kind not in ("still", "raw", "movie") or shot.members:
            raise Refused(f"{shot.name} is in several files already, so it cannot be part of another.")
        if not shot.registered:
            raise Refused(
                f"{shot.name} was handed in as a file. A sequence is of stills that are registered where they lie: "
                "register their folder."
            )
    if len({(shot.width, shot.height, shot.kind, FilePath(shot.file).suffix.lower()) for shot in shots}) > 1:
        raise Refused("The frames of a sequence have one size and one kind; these differ.")
    paths = [media_folder() / shot.file for shot in shots]
    if shots[0].kind == "movie":  # the parts of a recording, in the order of their names
        return queue_runs(production, user, [sorted(paths)])
    numbers = numbers_of(paths)
    if len(numbers) < len(paths) or len(set(numbers)) < len(numbers):
        raise Refused("The frames of a sequence have a number of at least three digits in their names, each its own.")
    return queue_runs(production, user, [[path for _, path in sorted(zip(numbers, paths, strict=True))]])


def _refuse(production: Production, user: Any, title: str, card: Card | None) -> None:
    """Lists what cannot be kept by its name."""
    Arrival.objects.create(
        production=production,
        created_by=user,
        name=title[-255:],
        registered=True,
        state=Arrival.State.FAILED,
        progress=1.0,
        card=card,
        message=f"{title[:120]}: its name or its folder’s is not UTF-8 text. Rename it, and register the folder again.",
    )


def _queue(arrivals: Sequence[Arrival]) -> None:
    for arrival in arrivals:
        queue("arrival", arrival)


def take_up_again(arrivals: QuerySet[Arrival]) -> int:
    """Queues arrivals that were refused; those whose file is not there stay as they are. Gives how many."""
    there = [one for one in arrivals if one.place and all(p.exists() for p in one.disk_members or [one.disk_path])]
    for one in there:
        one.state, one.progress, one.message, one.listed = Arrival.State.WAITING, 0.0, "", True
        one.save(update_fields=["state", "progress", "message", "listed"])
    _queue(there)
    return len(there)


def _given_up(key: int, why: str) -> None:
    arrival = Arrival.objects.filter(pk=key).first()
    if arrival is not None:
        _say(arrival, Arrival.State.FAILED, 1.0, f"{arrival.name[:80]}: {why}")
        _let_go(arrival)


def _seconds(key: int) -> float:
    """A file is given five minutes, and the time it takes to read it from a slow disk."""
    arrival = Arrival.objects.filter(pk=key).first()
    places = (arrival.disk_members or [arrival.disk_path]) if arrival else []
    size = sum(place.stat().st_size for place in places if place.exists())
    return SHORTEST_LIMIT + size / SLOW_DISK


def _waiting() -> QuerySet[Arrival]:
    return Arrival.objects.filter(state__in=(Arrival.State.WAITING, Arrival.State.PROBING))


@work("arrival", _given_up, _waiting, seconds=_seconds)
def look_at(arrival_id: int) -> None:
    """The work on one file: look, recognise, thumbnails.

    Whatever the file does is written on the arrival; what the machine does (a full disk) is raised, and the file kept
    for another time.
    """
    arrival = Arrival.objects.select_related("production", "created_by", "card").filter(pk=arrival_id).first()
    if arrival is None or arrival.state not in (Arrival.State.WAITING, Arrival.State.PROBING):
        return
    try:
        _look(arrival)
    except AlreadyHere as error:
        arrival.shot = error.shot
        _say(arrival, Arrival.State.HERE, 1.0, str(error))
    except UpwellingError as error:
        _say(arrival, Arrival.State.FAILED, 1.0, str(error))
    except MemoryError:
        _say(arrival, Arrival.State.FAILED, 1.0, f"{arrival.name[:120]}: {TOO_MUCH_MEMORY}")
    except Exception as error:
        if of_the_machine(error):
            raise
        logger.exception("Arrival %s failed", arrival.pk)
        fault = "a fault of ours stopped it. Nothing saved was lost; hand it in again."
        _say(arrival, Arrival.State.FAILED, 1.0, f"{arrival.name[:120]}: {fault}")
    _let_go(arrival)


def _look(arrival: Arrival) -> None:
    place = arrival.disk_path
    if arrival.card is not None and not arrival.card.is_there:
        raise Refused(f"The card {arrival.card.name} is gone. Put it back, and take it up again on its page.")
    _say(arrival, Arrival.State.PROBING, 0.1, "Reading and recognising")
    digest = _read_whole(arrival, arrival.card) if arrival.card is not None else None
    shot = bring_in(
        arrival.production,
        arrival.created_by,
        FilePath(arrival.members[0]).name if arrival.members else arrival.name,
        place.resolve() if arrival.registered else place,
        registered=arrival.registered,
        members=[member.resolve() for member in arrival.disk_members],
        digest=digest,
    )
    arrival.shot = shot
    if arrival.card is not None:
        shot.metadata = {**shot.metadata, "card": arrival.card.name}
        shot.save(update_fields=["metadata"])
    if arrival.camera_name:
        shot = into_camera(shot, arrival.camera_name)
    _say(arrival, Arrival.State.PROBING, 0.7, "Making its thumbnails")
    make_thumbnails(shot)
    _say(arrival, Arrival.State.DONE, 1.0, shot.get_state_display())


def _read_whole(arrival: Arrival, card: Card) -> tuple[str, int]:
    """Keeps the checksums of a card's file, and gives that of all and their size.

    Raises Refused where it goes while it is read.
    """
    try:
        whole, arrival.size_bytes, arrival.digests = digests_of(arrival.disk_members or [arrival.disk_path])
    except OSError as error:
        gone = "" if card.is_there else f"The card {card.name} is gone. Put it back, and take it up again on its page. "
        raise Refused(f"{gone}{arrival.name[:80]} cannot be read ({error.strerror}).") from None
    arrival.save(update_fields=["size_bytes", "digests"])
    return whole, arrival.size_bytes


def _let_go(arrival: Arrival) -> None:
    """An uploaded file lies elsewhere now, or was refused."""
    if not arrival.registered:
        arrival.disk_path.unlink(missing_ok=True)


def _say(arrival: Arrival, state: Arrival.State, progress: float, message: str) -> None:
    arrival.state, arrival.progress, arrival.message = state, progress, message[:300]
    arrival.finished = timezone.now() if state in OVER else None
    arrival.save(update_fields=["state", "progress", "message", "shot", "finished"])


@transaction.atomic
def dismiss(production: Production, number: int = 0) -> int:
    """Takes finished arrivals off the page, or one that is not: it is not looked at any more, or stopped.

    Shots stay.
    """
    if not number:
        over = production.arrivals.filter(state__in=OVER)
        over.exclude(card=None).update(listed=False)
        return over.filter(card=None).delete()[0]
    arrival = production.arrivals.filter(pk=number).first()
    if arrival is None:
        return 0
    Task.objects.filter(kind="arrival", key=arrival.pk).delete()
    transaction.on_commit(partial(_let_go, arrival))
    return arrival.delete()[0]
