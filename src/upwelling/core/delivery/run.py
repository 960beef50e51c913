"""A delivery run: parts rendered wherever there is room, kept across a crash, joined into a file that appears whole."""

from __future__ import annotations

import errno
import fcntl
import shutil
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path as FilePath
from typing import Literal, Protocol

from upwelling.core.delivery.estimate import bytes_needed
from upwelling.core.delivery.names import is_taken, next_version, still_name
from upwelling.core.delivery.order import Order, Part
from upwelling.core.delivery.parts import PartReport, movie_place, render_part, report_place
from upwelling.core.delivery.sound import sound_for
from upwelling.core.delivery.tags import hdr_words, metadata_of
from upwelling.core.errors import UnwritableFile, UpwellingError
from upwelling.core.files import whole_file
from upwelling.core.media.movie_join import Joined, join_movies
from upwelling.core.outputs.mastering import LightLevel

_PLACING = "placing"
"""Among the parts: from here on what lies under the name is this order's own."""
Clash = Literal["refuse", "version"]
Stop = Callable[[], str]
"""Asked now and then whether to end: “” goes on, “pause” keeps what is done, anything else throws it away."""


class Stopped(Exception):
    """The delivery was asked to end; ``kept`` where its parts wait for it to go on."""

    def __init__(self, kept: bool) -> None:
        self.kept = kept
        super().__init__("paused" if kept else "cancelled")


class NoRoom(UpwellingError):
    """The disk is full, or would be."""


@dataclass(frozen=True)
class Progress:
    """How far a delivery is: frames done of all, those a second lately, and what it is doing."""

    done: int
    frames: int
    per_second: float
    doing: str


class Engine(Protocol):
    """Where parts are rendered."""

    def run(
        self, order: Order, parts: Sequence[Part], folder: FilePath, name: str, told: Callable[[int], None]
    ) -> Iterable[PartReport]:
        """Renders parts, in any order, giving each's report once it is done. ``told`` counts frames and may raise."""


class Here:
    """Renders in this process, one part after the other."""

    def run(
        self, order: Order, parts: Sequence[Part], folder: FilePath, name: str, told: Callable[[int], None]
    ) -> Iterator[PartReport]:
        """See Engine."""
        for part in parts:
            yield render_part(order, part, folder, name, told)


@dataclass(frozen=True)
class Outcome:
    """What came out: the file, or the first of its stills; all files; what was measured and is to be said."""

    target: FilePath
    files: tuple[FilePath, ...]
    frames: int
    level: LightLevel
    clipped: float
    repeated: tuple[tuple[int, int, int], ...]
    remarks: tuple[str, ...]
    seconds: float


def deliver(
    order: Order,
    target: FilePath,
    *,
    engine: Engine | None = None,
    clash: Clash = "refuse",
    progress: Callable[[Progress], None] | None = None,
    stop: Stop | None = None,
    keep_parts: bool = False,
) -> Outcome:
    """Renders an order to ``target`` and gives what came out; parts of an earlier run that was cut off are taken over.

    With ``keep_parts`` they stay until ``tidy``, so that what is done with the file afterwards can be cut off as well:
    the same order then finds its own file in place. Raises UnreadableFile, UnwritableFile, BadValue, NoRoom or Stopped;
    under the name there is then nothing new.
    """
    begun = time.monotonic()
    target = target.with_suffix(order.form.ending) if not target.suffix else target
    if not target.parent.is_dir():
        raise UnwritableFile(target, f"the folder {target.parent} does not exist. Make it first.")
    if is_taken(target) and not (parts_folder(order, target) / _PLACING).exists():
        if clash == "refuse":
            raise UnwritableFile(target, "is there already. Take another name, or let it be numbered as a version.")
        target = next_version(target)
    check_room(order, target.parent)
    for piece in order.pieces:
        order.framing_of(piece)
    folder = parts_folder(order, target)
    with _held(folder, target):
        try:
            reports = _render(order, folder, target.name, engine or Here(), progress, stop)
            files, remarks = _put(order, folder, target, reports, progress, stop)
        except Stopped as error:
            if not error.kept:
                shutil.rmtree(folder, ignore_errors=True)
            raise
        except OSError as error:
            if error.errno in (errno.ENOSPC, errno.EDQUOT):
                raise NoRoom(
                    f"The disk of {target.parent} is full. What was rendered is kept: make room, then begin again, and "
                    "it goes on from there."
                ) from None
            raise
        except UpwellingError:
            shutil.rmtree(folder, ignore_errors=True)
            raise
    if not keep_parts:
        tidy(order, target)
    return Outcome(
        target,
        tuple(files),
        sum(report.frames for report in reports),
        _level(reports),
        sum(report.clipped for report in reports) / max(order.frames, 1),
        tuple(row for report in reports for row in report.repeated),
        tuple(remarks),
        time.monotonic() - begun,
    )


def tidy(order: Order, target: FilePath) -> None:
    """Removes the parts of a finished order, and those of others for the same name that nobody works on any more."""
    shutil.rmtree(parts_folder(order, target), ignore_errors=True)
    for old in target.parent.glob(f".parts-{target.name}-*"):
        try:
            with (old / "lock").open("w") as lock:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
                shutil.rmtree(old, ignore_errors=True)
        except OSError:  # held by a run of another order
            continue


def parts_folder(order: Order, target: FilePath) -> FilePath:
    """Where the parts of an order lie until they are joined: beside the target, hidden, one folder an order."""
    return target.parent / f".parts-{target.name}-{order.fingerprint[:12]}"


@contextmanager
def _held(folder: FilePath, target: FilePath) -> Iterator[None]:
    """The folder of parts, for this process alone."""
    try:
        folder.mkdir(exist_ok=True)
        lock = (folder / "lock").open("w")
    except OSError as error:
        if error.errno in (errno.ENOSPC, errno.EDQUOT):
            raise NoRoom(f"The disk of {target.parent} is full.") from None
        raise UnwritableFile(target, f"cannot be written in {target.parent} ({error.strerror}).") from None
    with lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            raise UnwritableFile(target, "is being delivered at this moment. Wait until that is done.") from None
        yield


def _render(
    order: Order,
    folder: FilePath,
    name: str,
    engine: Engine,
    progress: Callable[[Progress], None] | None,
    stop: Stop | None,
) -> list[PartReport]:
    parts = order.parts()
    reports = {part.index: found for part in parts if (found := _done(folder, part)) is not None}
    for left in folder.glob(".new-*"):
        left.unlink(missing_ok=True)
    done, begun = sum(report.frames for report in reports.values()), time.monotonic()
    first, counted = done, done

    def told(frames: int) -> None:
        nonlocal counted
        counted += frames
        if stop is not None and (why := stop()):
            raise Stopped(why == "pause")
        if progress is not None:
            spent = max(time.monotonic() - begun, 1e-6)
            progress(Progress(counted, order.frames, (counted - first) / spent, "Rendering"))

    told(0)
    waiting = [part for part in parts if part.index not in reports]
    for report in engine.run(order, waiting, folder, name, told):
        reports[report.index] = report
    return [reports[part.index] for part in parts]


def _done(folder: FilePath, part: Part) -> PartReport | None:
    """The report of a part that an earlier run finished."""
    try:
        report = PartReport.read(report_place(folder, part.index).read_text())
    except (OSError, ValueError, TypeError, KeyError):
        return None
    return report if report.frames == part.frames else None


def _put(
    order: Order,
    folder: FilePath,
    target: FilePath,
    reports: Sequence[PartReport],
    progress: Callable[[Progress], None] | None,
    stop: Stop | None,
) -> tuple[list[FilePath], list[str]]:
    """Joins, or moves stills to their place; gives the files and remarks."""
    if stop is not None and (why := stop()):
        raise Stopped(why == "pause")
    if progress is not None:
        progress(Progress(order.frames, order.frames, 0.0, "Putting it together"))
    placed = (folder / _PLACING).exists()
    if not placed:
        if is_taken(target):
            raise UnwritableFile(target, "came to be there while this was rendered. Take another name.")
        (folder / _PLACING).touch()
    if order.form.movie is None:
        files = []
        for index in range(order.frames):
            place = still_name(target, order.first_number + index, order.frames == 1)
            made = folder / place.name
            if made.exists():  # else an earlier run that was cut off here has moved it
                made.replace(place)
            files.append(place)
        said = order_sound_remark(order)
        return files, [said] if said else []
    sound, said = sound_for(order)
    label = order.label
    joined = Joined(
        order.exact_rate,
        str(label) if label else "",
        order.reel,
        metadata_of(order),
        hdr_words(order, _level(reports)),
        sound,
    )
    if placed and target.exists():
        return [target], [said] if said else []
    with whole_file(target) as temporary:
        join_movies(temporary, target.suffix, [movie_place(folder, report.index) for report in reports], joined)
    return [target], [said] if said else []


def order_sound_remark(order: Order) -> str:
    """What becomes of sound beside stills."""
    from upwelling.core.media.sound import sound_of

    if (
        order.sound
        and len(order.pieces) == 1
        and not order.pieces[0].members
        and sound_of(FilePath(order.pieces[0].file))
    ):
        return "Sound is left out: stills hold none."
    return ""


def _level(reports: Sequence[PartReport]) -> LightLevel:
    return LightLevel(
        max((report.max_cll for report in reports), default=0.0),
        max((report.max_fall for report in reports), default=0.0),
        sum(report.frames for report in reports),
    )


def check_room(order: Order, folder: FilePath) -> None:
    """Raises NoRoom where the disk is too small for what the delivery is estimated to need."""
    needed, free = bytes_needed(order), shutil.disk_usage(folder).free
    if needed > free:
        raise NoRoom(
            f"About {needed / 2**30:.1f} GiB are needed in {folder}, and {free / 2**30:.1f} GiB are free. Make room, "
            "or deliver to another folder."
        )
