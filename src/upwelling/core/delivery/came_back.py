"""A file that comes back from an editor or a laboratory, held against the delivery that it stems from: which frames of
it, and what was done to them.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path as FilePath
from typing import Any

import numpy as np

from upwelling.core.arrays import Float32, Float64
from upwelling.core.blocks import grid_mean
from upwelling.core.count_of import count_of
from upwelling.core.delivery.changes import RANGES, Change, change_of
from upwelling.core.delivery.frames import Renderer, source_frames
from upwelling.core.delivery.order import Order
from upwelling.core.delivery.proof import ENDING, read_proof
from upwelling.core.errors import BadValue, UnreadableFile
from upwelling.core.files import digest_of
from upwelling.core.media import Movie, open_footage
from upwelling.core.media.independent import frames_of
from upwelling.core.media.movie_packets import packets_digest
from upwelling.core.media.timecode import Timecode

ROWS, COLUMNS = 18, 32
"""Means by which frames are told apart: what is re-encoded, scaled or regraded keeps where it is bright."""
ALIKE, FARTHER, LEAST = 0.9, 2.0, 1e-4
"""Correlation from which two frames are of one picture; and how many times further from alike, beside so much, the
place that the timecode says may be than the best one: a still picture is alike everywhere.
"""
SLIP, ROUNDED = 1e-3, 2
"""How much more alike another frame must be to be a slip; lines that a scaled picture may be off by rounding."""
SURE, TIMECODE, PICTURES = 0.999, "its timecode", "its pictures"
LOOKED_AT, LONGEST = 5, 20_000
_RETAGGED = "Its codes are the delivered ones, read in another range because of that tag."
Progress = Callable[[float, str], None]


@dataclass(frozen=True)
class Given:
    """A delivery that a file may stem from; ``place``: where its file lies, if it still does."""

    name: str
    order: Order
    place: FilePath | None
    sha256: str = ""

    @property
    def movie(self) -> Movie | None:
        """Its file, where that still lies there."""
        if self.place is None or not self.place.exists() or self.order.form.movie is None:
            return None
        found = open_footage(self.place)
        return found if isinstance(found, Movie) else None


def given_of(places: Sequence[FilePath]) -> list[Given]:
    """Deliveries by their proofs, or by the proofs in folders; raises BadValue where there is none."""
    proofs = [found for place in places for found in (sorted(place.glob(f"*{ENDING}")) if place.is_dir() else [place])]
    made = []
    for proof in proofs:
        body, order = read_proof(proof)
        name = proof.name.removesuffix(ENDING)
        made.append(Given(name, order, proof.with_name(name), str(body.get("sha256", ""))))
    if not made:
        raise BadValue("There is no proof of a delivery in what --of names. Name proofs (.proof.json) or their folder.")
    return made


@dataclass(frozen=True)
class CameBack:
    """What a file is of: the delivery's name, its first frame there, how sure; and what was done to it, in sentences.

    ``changes`` are of its picture; ``apart`` is the mean difference left in 10-bit codes once they are undone.
    """

    file: str
    of: str
    by: str
    first: int
    frames: int
    alike: float
    same_file: bool
    same_packets: bool
    done: tuple[str, ...]
    changes: tuple[Change, ...]
    apart: float

    @property
    def untouched(self) -> bool:
        return self.same_file or (self.same_packets and not self.done)

    @property
    def sentence(self) -> str:
        """In one line."""
        if self.same_file:
            return f"It is {self.of}, byte for byte."
        what = f"It stems from {self.of}, frames {self.first} to {self.first + self.frames - 1}, found by {self.by}."
        if self.untouched:
            return f"{what} Its pictures are the delivered ones, packet for packet."
        return f"{what} {count_of(len(self.done), 'thing')} happened to it."

    def as_json(self) -> dict[str, Any]:
        return {**asdict(self), "sentence": self.sentence, "untouched": self.untouched}


def came_back(place: FilePath, given: Sequence[Given], progress: Progress = lambda share, said: None) -> CameBack:
    """Finds the delivery that a movie stems from and says what was done to it.

    Raises UnreadableFile for a file that is no movie, BadValue where it is like none of the deliveries.
    """
    footage = open_footage(place)
    if not isinstance(footage, Movie):
        raise UnreadableFile(place, "is no movie. A movie that came back is held against its delivery; stills are not.")
    if footage.facts.frames > LONGEST:
        raise UnreadableFile(place, f"has more than {LONGEST} frames. Cut it and hand its parts in.")
    digest, _ = digest_of([place])
    if twin := next((one for one in given if one.sha256 == digest), None):
        return CameBack(place.name, twin.name, "its checksum", 0, twin.order.frames, 1.0, True, True, (), (), 0.0)
    mine = _marks(footage)
    best: _Fit | None = None
    problems = []
    for number, one in enumerate(sorted(given, key=lambda one: not _may_hold(footage, one.order))):
        progress(0.7 * number / max(len(given), 1), f"Looking at {one.name}")
        try:
            found = _fit(footage, mine, one)
        except (UnreadableFile, BadValue) as error:
            problems.append(str(error))
            continue
        if best is None or (found.alike, found.by == TIMECODE) > (best.alike, best.by == TIMECODE):
            best = found
        if best.alike > SURE and best.by == TIMECODE:
            break
    if best is None or best.alike < ALIKE:
        why = f" {problems[0]}" if problems and best is None else ""
        raise BadValue(
            f"{place.name} is like none of these deliveries: neither its pictures nor its timecode say which.{why}"
        )
    progress(0.75, f"Comparing with {best.given.name}")
    return _told(footage, best)


@dataclass(frozen=True)
class _Fit:
    given: Given
    first: int
    frames: int
    alike: float
    by: str
    said: tuple[str, ...] = ()


def _marks(footage: Movie) -> Float32:
    """Every frame as means over squares (N, rows × columns), brightness and contrast taken out."""
    return _normal(np.stack([np.asarray(one, dtype=np.float32) for one in footage.luma_frames(ROWS, COLUMNS)]))


def _normal(means: Any) -> Float32:
    flat = np.asarray(means, dtype=np.float32).reshape(len(means), -1)
    flat = flat - flat.mean(axis=1, keepdims=True)
    return np.asarray(flat / np.maximum(np.linalg.norm(flat, axis=1, keepdims=True), 1e-4), dtype=np.float32)


def _given_marks(one: Given) -> Float32:
    """Those of a delivery: of its file, else of its order's exact pictures."""
    if (delivered := one.movie) is not None:
        return _marks(delivered)
    rows = []
    for piece in one.order.pieces:
        renderer = Renderer(one.order, piece)
        for source in source_frames(one.order, piece, piece.first, piece.last):
            rows.append(grid_mean(renderer.signal(source.code, source.number)[..., 1], ROWS, COLUMNS))
    return _normal(np.stack(rows))


def _fit(footage: Movie, mine: Float32, one: Given) -> _Fit:
    """Where in a delivery a file's frames lie: where its timecode says, unless its pictures say otherwise."""
    theirs = _given_marks(one)
    at, alike = _best_place(mine, theirs)
    by, said = PICTURES, tuple[str, ...]()
    label, begins = _label(footage, one.order), one.order.label
    if label is not None and begins is not None:
        told = label.count - begins.count
        there = _alike_at(mine, theirs, told) if 0 <= told < len(theirs) else -1.0
        if there >= 0 and 1 - there <= FARTHER * (1 - alike) + LEAST:
            at, alike, by = told, there, TIMECODE
        else:
            moved = at - told
            said = (
                f"Its timecode says that it begins at frame {told} of the delivery, and its pictures are those from "
                f"frame {at}: shifted by {moved:+d} frame{'' if abs(moved) == 1 else 's'}.",
            )
    return _Fit(one, at, min(len(mine), len(theirs) - at), alike, by, said or _slips(mine, theirs, at))


def _may_hold(footage: Movie, order: Order) -> bool:
    """Whether a file's timecode lies in a delivery; those are looked at first."""
    label, begins = _label(footage, order), order.label
    return label is not None and begins is not None and 0 <= label.count - begins.count < order.frames


def _label(footage: Movie, order: Order) -> Timecode | None:
    said = str(footage.facts.metadata.get("timecode", ""))
    return Timecode.read(said, float(order.exact_rate)) if said else None


def _alike_at(mine: Float32, theirs: Float32, at: int) -> float:
    count = min(len(mine), len(theirs) - at)
    return float((mine[:count] * theirs[at : at + count]).sum(axis=1).mean()) if count > 0 else -1.0


def _best_place(mine: Float32, theirs: Float32) -> tuple[int, float]:
    """The frame of a delivery at which a file begins, and how alike they are from there on, over half of it or more."""
    last = max(len(theirs) - max(1, len(mine) // 2), 0)
    fits = [_alike_at(mine, theirs, at) for at in range(last + 1)]
    at = int(np.argmax(fits))
    return at, fits[at]


def _slips(mine: Float32, theirs: Float32, first: int) -> tuple[str, ...]:
    """Frames that are dropped or repeated on the way: from where on the pictures are others than counted."""
    said: list[str] = []
    moved = 0
    for number in range(len(mine)):
        at = first + number + moved
        if not 0 <= at < len(theirs):
            break
        own = float(mine[number] @ theirs[at])
        others = {by: float(mine[number] @ theirs[at + by]) for by in range(-3, 4) if 0 <= at + by < len(theirs) and by}
        by = max(others, key=lambda one: others[one], default=0)
        # A still picture looks the same before and after: only a clear gain over several frames is a slip.
        if not by or others[by] - own <= SLIP:
            continue
        stays, goes = (_alike_at(mine[number:], theirs, at + moves) for moves in (0, by))
        if goes > stays + LEAST:
            what = f"{by} dropped" if by > 0 else f"{-by} repeated"
            said.append(f"From its frame {number} on, {what}: it shows frame {at + by} of the delivery there.")
            moved += by
        if len(said) > 6:
            break
    return tuple(said)


def _told(footage: Movie, fit: _Fit) -> CameBack:
    """What was done to a file whose place is known."""
    order, one = fit.given.order, fit.given
    there = one.movie
    done = list(fit.said)
    same_packets = there is not None and packets_digest(footage.path) == packets_digest(there.path)
    if there is not None:
        done += _of_container(footage, there, same_packets)
    if footage.facts.frames != order.frames:
        done.append(_count_said(footage.facts.frames, fit, order.frames))
    changes, apart, sizes = _of_picture(footage, fit, there)
    done += sizes
    range_tag = next((text for text in done if text.startswith("Its tag for range")), "")
    done += [_RETAGGED if range_tag and change.name in RANGES else change.said for change in changes]
    return CameBack(
        footage.path.name,
        one.name,
        fit.by,
        fit.first,
        fit.frames,
        fit.alike,
        False,
        same_packets,
        tuple(done),
        changes,
        apart,
    )


def _count_said(have: int, fit: _Fit, ordered: int) -> str:
    head, tail = fit.first, ordered - fit.first - fit.frames
    gone = [f"{count} at the {end}" for count, end in ((head, "head"), (tail, "tail")) if count > 0]
    more = f"; {have - fit.frames} of its frames are none of the delivery’s" if have > fit.frames else ""
    left = f", without {' and '.join(gone)}" if gone else ""
    return f"It has {count_of(have, 'frame')} where {ordered} were delivered{left}{more}."


def _of_container(mine: Movie, theirs: Movie, same_packets: bool) -> list[str]:
    """Codec, container, rate, timecode and tags that are not what was delivered."""
    said = []
    if not same_packets:
        kinds = f"{theirs.facts.codec} {theirs.facts.depth} bit", f"{mine.facts.codec} {mine.facts.depth} bit"
        what = "as " + kinds[1] if kinds[0] == kinds[1] else f"from {kinds[0]} to {kinds[1]}"
        said.append(f"It was encoded again, {what}.")
    elif mine.facts.container != theirs.facts.container:
        said.append(f"It was copied into another container, {mine.facts.container}, without encoding it again.")
    if abs(mine.facts.rate - theirs.facts.rate) > 1e-3:
        said.append(f"It runs at {mine.facts.rate:g} frames a second where {theirs.facts.rate:g} were delivered.")
    if theirs.facts.metadata.get("timecode") and not mine.facts.metadata.get("timecode"):
        said.append(f"Its timecode is lost; {theirs.facts.metadata['timecode']} was delivered.")
    given, now = theirs.facts.tags.as_dict(), mine.facts.tags.as_dict()
    for name in given:
        if name not in now:
            said.append(f"Its tag for {name} is lost; {given[name]} was delivered.")
        elif now[name] != given[name]:
            said.append(f"Its tag for {name} says {now[name]} where {given[name]} was delivered.")
    return said


def _of_picture(footage: Movie, fit: _Fit, delivered: Movie | None) -> tuple[tuple[Change, ...], float, list[str]]:
    """Changes of the picture that several frames agree on, the mean difference left in 10-bit codes, and what its size
    says.
    """
    order = fit.given.order
    numbers = sorted({int(n) for n in np.linspace(0, fit.frames - 1, min(LOOKED_AT, fit.frames))})
    mine = dict(frames_of(footage.path, numbers, 0.0))
    places = [fit.first + n for n in numbers]
    theirs = dict(frames_of(delivered.path, places, 0.0)) if delivered else {n: _exact(order, n) for n in places}
    pairs = [(mine[n], theirs[n + fit.first]) for n in numbers]
    changes, apart = change_of(pairs)
    have, want = pairs[0][0].shape[:2], pairs[0][1].shape[:2]
    said = []
    if have != want:
        rounded = abs(have[0] - want[0] * have[1] / want[1]) <= ROUNDED
        way = "scaled" if rounded else "scaled or cropped to another shape"
        said.append(f"It was {way}: {have[1]} × {have[0]} where {want[1]} × {want[0]} was delivered.")
    return changes, apart, said


def _exact(order: Order, number: int) -> Float64:
    piece_number, frame = order.source_of(number)
    piece = order.pieces[piece_number]
    source = next(source_frames(order, piece, frame, frame))
    return np.asarray(np.clip(Renderer(order, piece).exact(source.code, frame), 0, 1))
