"""Proof: a delivered file opened again, what it says compared with what was ordered, and frames of it with the exact
path.
"""

from __future__ import annotations

import json
import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path as FilePath
from typing import Any

import numpy as np

from upwelling.core.delivery.every_frame import every_movie_frame, frames_elsewhere, lattice_of
from upwelling.core.delivery.faults import fault_of
from upwelling.core.delivery.frames import Renderer, source_frames
from upwelling.core.delivery.make import remarks_on
from upwelling.core.delivery.names import still_name
from upwelling.core.delivery.order import Order
from upwelling.core.delivery.run import Outcome
from upwelling.core.delivery.said import checks_of
from upwelling.core.delivery.tags import movie_settings
from upwelling.core.delivery.tolerance import FrameFigures, Tolerance, tolerance_for
from upwelling.core.documents import read_versioned
from upwelling.core.encodings import legal_to_full
from upwelling.core.errors import BadValue, UnreadableFile
from upwelling.core.files import digest_of, whole_file
from upwelling.core.measure.judge import Judge
from upwelling.core.media import read_still
from upwelling.core.media.independent import frames_of, with_chroma_halved
from upwelling.core.path.recipe import ARITHMETIC

PROOF_VERSION = 1
SAMPLED = 5
"""Frames compared: the first, the last, and others that the order's fingerprint picks."""
SQUARE = 8
ENDING = ".proof.json"


@dataclass(frozen=True)
class Check:
    """One thing that the file says, and what was ordered."""

    what: str
    ordered: str
    found: str

    @property
    def holds(self) -> bool:
        return self.ordered == self.found


@dataclass(frozen=True)
class Proof:
    """All that a proof says; ``order`` is what the file was made from."""

    order: Order
    file: str
    files: int
    sha256: str
    size: int
    checks: tuple[Check, ...]
    figures: tuple[FrameFigures, ...]
    metric: str
    tolerance: Tolerance
    repeated: tuple[tuple[int, int, int], ...] = ()
    remarks: tuple[str, ...] = ()
    clipped: float = 0.0
    max_cll: float = 0.0
    max_fall: float = 0.0
    digests: tuple[tuple[str, str], ...] = field(default=())
    """Of stills, each file's name and SHA-256."""

    @property
    def said_right(self) -> bool:
        return all(check.holds for check in self.checks)

    @property
    def looks_right(self) -> bool:
        return bool(self.figures) and all(self.tolerance.holds(one) for one in self.figures)

    @property
    def holds(self) -> bool:
        return self.said_right and self.looks_right

    @property
    def worst(self) -> dict[str, float]:
        """The worst of all frames; nothing where none could be compared."""
        if not self.figures:
            return {}
        return {
            "psnr": min(one.psnr for one in self.figures),
            "median": max(one.median for one in self.figures),
            "p99": max(one.p99 for one in self.figures),
            "worst": max(one.worst for one in self.figures),
            "codes_off": max(one.codes_off for one in self.figures),
            "even": max(one.even for one in self.figures),
        }

    @property
    def sentence(self) -> str:
        """The verdict in words."""
        bad = [check.what for check in self.checks if not check.holds]
        worst = self.worst
        if not worst:
            return "Does not hold: it is not the file that was proved, and its pictures cannot be compared."
        seen = (
            f"PSNR {worst['psnr']:.1f} dB at least, {self.metric} {worst['median']:.2f} median and "
            f"{worst['p99']:.2f} at 99 %, {worst['even']:.2f} median of 8 × 8 pixels together"
        )
        if self.holds:
            return f"Holds: it says what was ordered, and its pictures are the exact path's ({seen})."
        parts = []
        if bad:
            parts.append(f"its {', '.join(bad)} {'are' if len(bad) > 1 else 'is'} not what was ordered")
        parts += [check.found for check in self.checks if check.what == "picture" and not check.holds]
        if not self.looks_right:
            parts.append(f"its pictures are not the exact path's ({seen}; {self.tolerance.sentence(self.metric)})")
        return f"Does not hold: {'; '.join(parts)}."

    def as_json(self) -> dict[str, Any]:
        """As versioned JSON; the order is in it, so that the proof can be made again from the files alone."""
        return {
            "upwelling_proof": PROOF_VERSION,
            "verdict": "holds" if self.holds else "does not hold",
            "sentence": self.sentence,
            "file": self.file,
            "files": self.files,
            "sha256": self.sha256,
            "size": self.size,
            "fingerprint": self.order.fingerprint,
            "arithmetic": ARITHMETIC,
            "recipes": [piece.path.fingerprint for piece in self.order.pieces],
            "checks": [{**vars(check), "holds": check.holds} for check in self.checks],
            "metric": self.metric,
            "worst": self.worst,
            "frames": [vars(one) for one in self.figures],
            "tolerance": self.tolerance.as_json(),
            "clipped": self.clipped,
            "max_cll": self.max_cll,
            "max_fall": self.max_fall,
            "repeated": [list(row) for row in self.repeated],
            "remarks": list(self.remarks),
            "digests": [list(row) for row in self.digests],
            "order": json.loads(self.order.to_json()),
        }


def prove(order: Order, outcome: Outcome) -> Proof:
    """Opens what was delivered and compares it; raises UnreadableFile when file or source cannot be read."""
    remarks = tuple(dict.fromkeys((*remarks_on(order), *outcome.remarks)))
    if outcome.repeated:
        remarks += (f"{len(outcome.repeated)} damaged frames of the source are shown by their neighbours.",)
    summed = digest_of(outcome.files)
    return _proof(order, outcome.target, outcome.files, summed, outcome.repeated, remarks, outcome)


def _proof(
    order: Order,
    target: FilePath,
    files: Sequence[FilePath],
    summed: tuple[str, int],
    repeated: Sequence[tuple[int, int, int]],
    remarks: tuple[str, ...],
    outcome: Outcome | None,
) -> Proof:
    digest, size = summed
    level = outcome.level if outcome else None
    figures, metric, fault = _figures(order, target, repeated)
    return Proof(
        order,
        target.name,
        len(files),
        digest,
        size,
        (
            *_made_through(order),
            *(Check(*row) for row in checks_of(order, target, files, level)),
            *_places(order, target),
            *fault,
        ),
        tuple(figures),
        metric,
        tolerance_for(order.form, metric == "ΔE ITP"),
        tuple(repeated),
        remarks,
        outcome.clipped if outcome else 0.0,
        level.max_cll if level else 0.0,
        level.max_fall if level else 0.0,
        tuple((file.name, digest_of([file])[0]) for file in files) if order.form.movie is None else (),
    )


def _made_through(order: Order) -> tuple[Check, ...]:
    """That a table stood for the path; the pictures are compared with the exact path all the same."""
    return (Check("made", order.through.sentence, order.through.sentence),) if order.through is not None else ()


def _places(order: Order, target: FilePath) -> tuple[Check, ...]:
    """Whether each frame is the one ordered there."""
    delivered = (
        (lattice_of(signal) for _, signal in _delivered(order, target, range(order.frames)))
        if order.form.movie is None
        else every_movie_frame(target)
    )
    wrong, count = frames_elsewhere(order, delivered)
    right = f"each of {count} the one ordered"
    if not wrong:
        return (Check("every frame", right, right),)
    listed = ", ".join(map(str, wrong[:8])) + (f" and {len(wrong) - 8} more" if len(wrong) > 8 else "")
    return (Check("every frame", right, f"{listed}: another frame than ordered"),)


def sampled(order: Order) -> list[int]:
    """The frames compared, the same ones for the same order."""
    count = order.frames
    if count <= SAMPLED:
        return list(range(count))
    rng = np.random.default_rng(int(order.fingerprint[:12], 16))
    middle = rng.choice(np.arange(1, count - 1), SAMPLED - 2, replace=False)
    return [0, *sorted(int(n) for n in middle), count - 1]


def _figures(
    order: Order, target: FilePath, repeated: Sequence[tuple[int, int, int]]
) -> tuple[list[FrameFigures], str, tuple[Check, ...]]:
    """Figures of the sampled frames, their metric, and a check that names the known fault that explains all of them."""
    numbers = sampled(order)
    faults = set()
    stands_for = {(piece, frame): shown for piece, frame, shown in repeated}
    judge = Judge(order.pieces[0].path.target, ()) if order.form.boundary == "display" else None
    found = []
    for number, signal in _delivered(order, target, numbers):
        piece_number, frame = order.source_of(number)
        piece = order.pieces[piece_number]
        shown = stands_for.get((piece_number, frame), frame)
        source = next(source_frames(order, piece, shown, shown))
        wanted = Renderer(order, piece).exact(source.code, frame)
        found.append(_compared(order, number, signal, wanted, judge))
        if not order.form.is_float:
            faults.add(fault_of(signal, _at_best(order, np.clip(wanted, *_limits(order))), _squares))
    named = faults.pop() if len(faults) == 1 else ""
    check = (Check("picture", "the exact path's", f"not the exact path's: {named}"),) if named else ()
    if order.form.is_float:
        return found, "difference in %", check
    metric = judge.metric if judge else "difference in % of the code scale"
    return found, metric, check


def _delivered(order: Order, target: FilePath, numbers: Sequence[int]) -> Any:
    if order.form.movie is not None:
        yield from frames_of(target, numbers, float(order.exact_rate))
        return
    for number in numbers:
        code: Any = read_still(still_name(target, order.first_number + number, order.frames == 1)).code
        if order.form.range == "legal" and not order.form.is_float:
            code = legal_to_full(code.astype(np.float64), order.form.code_bits)
        yield number, code.astype(np.float64)


def _compared(order: Order, number: int, signal: Any, wanted: Any, judge: Judge | None) -> FrameFigures:
    if signal.shape != wanted.shape:
        raise UnreadableFile(
            order.title or "The file",
            f"is {signal.shape[1]} × {signal.shape[0]} where {wanted.shape[1]} × {wanted.shape[0]} was ordered.",
        )
    if order.form.is_float:
        kept = wanted.astype(np.float16 if order.form.depth == "half" else np.float32).astype(np.float64)
        off = np.abs(signal - kept) / np.maximum(np.abs(kept), 2.0**-14)
        return FrameFigures(number, _psnr_of(float(np.mean(off**2))), *_three(off.ravel() * 100), float(off.max()))
    held = np.clip(wanted, *_limits(order))
    apart = signal - held
    steps = float(np.abs(apart).max()) * _codes(order)
    psnr = _psnr_of(float(np.mean((np.clip(signal, 0, 1) - np.clip(held, 0, 1)) ** 2)))
    even = float(np.median(_apart(_squares(signal), _squares(_at_best(order, held)), judge)))
    return FrameFigures(number, psnr, *_three(_apart(signal, held, judge)), steps, even)


def _at_best(order: Order, held: Any) -> Any:
    """A signal as the form's chroma holds it at best."""
    if order.form.movie is None:
        return held
    wide = movie_settings(order).matrix == "BT.2020"
    return with_chroma_halved(held, order.form.movie.subsampling, wide)


def _apart(signal: Any, wanted: Any, judge: Judge | None) -> Any:
    """Differences of two pictures (H, W, 3), as seen on the output, or in hundredths of the code scale."""
    signal, wanted = np.clip(signal, 0, 1), np.clip(wanted, 0, 1)
    if judge is None:
        return np.abs(signal - wanted).max(axis=-1).ravel() * 100
    return judge.apart(*(judge.seen(part.reshape(-1, 3)) for part in (signal, wanted)))


def _squares(picture: Any) -> Any:
    """Means over whole squares; a picture smaller than one is one mean."""
    side = min(SQUARE, *picture.shape[:2])
    rows, columns = picture.shape[0] // side, picture.shape[1] // side
    cut = picture[: rows * side, : columns * side]
    return cut.reshape(rows, side, columns, side, 3).mean(axis=(1, 3))


def _limits(order: Order) -> tuple[float, float]:
    """The lowest and highest signal that the file's codes hold."""
    if order.form.range == "full":
        return 0.0, 1.0
    bits = order.form.code_bits
    low, high = (legal_to_full(np.array([0.0, 1.0]), bits)).tolist()
    return low, high


def _codes(order: Order) -> float:
    bits = order.form.code_bits
    return float(219 * 2 ** (bits - 8) if order.form.range == "legal" else 2**bits - 1)


def _three(values: Any) -> tuple[float, float, float]:
    median, high = np.percentile(values, [50, 99])
    return float(median), float(high), float(np.max(values))


def _psnr_of(square: float) -> float:
    """In dB of full scale; 200 stands for equal."""
    return 200.0 if square <= 1e-20 else float(-10 * np.log10(square))


def proof_place(target: FilePath) -> FilePath:
    """Where the proof of a file lies, beside it."""
    return target.with_name(target.name + ENDING)


def proof_for(target: FilePath) -> FilePath:
    """The proof beside a file, or beside the numbered stills that it is one of."""
    place = proof_place(target)
    if place.exists():
        return place
    for other in sorted(target.parent.glob(f"*{target.suffix}{ENDING}")):
        base = other.name.removesuffix(ENDING)
        if re.fullmatch(re.escape(FilePath(base).stem) + r"\.\d{4,9}" + re.escape(target.suffix), target.name):
            return other
        if (marks := re.search(r"#+|%0\dd", base)) and re.fullmatch(
            re.escape(base[: marks.start()]) + r"\d+" + re.escape(base[marks.end() :]), target.name
        ):
            return other
    return place


def write_proof(proof: Proof, target: FilePath) -> FilePath:
    """Writes the proof, and the checksums as `sha256sum -c` reads them, beside what was delivered; gives the proof's
    place.
    """
    place = proof_place(target)
    with whole_file(place) as temporary:
        temporary.write_text(json.dumps(proof.as_json(), ensure_ascii=False, indent=1) + "\n", encoding="utf-8")
    rows = proof.digests or ((proof.file, proof.sha256),)
    with whole_file(target.with_name(target.name + ".sha256")) as temporary:
        temporary.write_text("".join(f"{digest}  {name}\n" for name, digest in rows), encoding="utf-8")
    return place


def read_proof(place: FilePath) -> tuple[dict[str, Any], Order]:
    """A proof's own words and the order in it. Raises UnreadableFile, RecipeError or BadValue for one that cannot be
    read.
    """
    try:
        body = read_versioned(place.read_bytes(), "upwelling_proof", "a proof of a delivery", PROOF_VERSION)
    except OSError as error:
        raise UnreadableFile(place, f"the proof cannot be read ({error.strerror}). Name it with --report.") from None
    if not isinstance(body.get("order"), dict):
        raise BadValue(f"{place.name} holds no settings, so nothing can be compared.")
    return body, Order.from_json(json.dumps(body["order"]))


def verify_again(target: FilePath, report: FilePath | None = None) -> Proof:
    """The proof made anew from the files alone: the delivered ones, their proof, and the sources it names.

    Raises RecipeError for a proof that cannot be read, UnreadableFile where a file is gone.
    """
    place = report or proof_for(target)
    body, order = read_proof(place)
    if body.get("fingerprint") != order.fingerprint and body.get("arithmetic") == ARITHMETIC:
        raise BadValue(f"{place.name} was altered: its settings are not those its fingerprint is of.")
    files = [target]
    if order.form.movie is None:
        first = FilePath(target.parent, body["file"])
        files = [still_name(first, order.first_number + n, order.frames == 1) for n in range(order.frames)]
        target = first
    missing = next((file for file in files if not file.exists()), None)
    if missing is not None:
        raise UnreadableFile(missing, "is not there.")
    repeated = tuple((int(a), int(b), int(c)) for a, b, c in body.get("repeated", []))
    digest, size = digest_of(files)
    first_sum = Check("checksum", str(body.get("sha256", "")), digest)
    try:
        made = _proof(order, target, files, (digest, size), repeated, (), None)
    except UnreadableFile:
        if first_sum.holds:  # then it is a source that cannot be read, and nothing can be told
            raise
        tolerance = tolerance_for(order.form)
        return Proof(order, target.name, len(files), digest, size, (first_sum,), (), "", tolerance)
    checks = (first_sum, *made.checks)
    if body.get("arithmetic") != ARITHMETIC:
        remark = "It was made by an earlier version, whose numbers may differ."
        return Proof(**{**vars(made), "checks": checks, "remarks": (remark,)})
    return Proof(**{**vars(made), "checks": checks})
