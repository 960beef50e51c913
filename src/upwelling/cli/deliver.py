"""The command that renders files to be handed out."""

from __future__ import annotations

import argparse
import json
import os
import re
import sys
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path as FilePath
from typing import TYPE_CHECKING, Any

from upwelling.cli.footage import reading_of
from upwelling.cli.paths import add_path_options, path_from
from upwelling.core.count_of import count_of
from upwelling.core.delivery.presets import PRESETS
from upwelling.core.encodings import ENCODINGS, encoding
from upwelling.core.errors import BadValue, UnknownName, UpwellingError
from upwelling.core.media import open_footage
from upwelling.core.outputs import OUTPUTS
from upwelling.core.path import Path

if TYPE_CHECKING:
    from upwelling.core.delivery.form import Form
    from upwelling.core.delivery.order import Order
    from upwelling.core.delivery.run import Engine, Outcome, Progress
    from upwelling.core.delivery.through import Through

_WRITTEN_IN_LINEAR = "linear/AP0"
_BETWEEN = 0.5
"""Seconds between two words of progress as JSON."""


def add_commands(commands: Any) -> None:
    """Declares deliver."""
    deliver = commands.add_parser("deliver", help="render movies, sequences and stills to be handed out, with proof")
    add = deliver.add_argument
    add("sources", nargs="+", metavar="SRC", help="movies, stills, or all files of a numbered sequence")
    add("destination", metavar="DST", help="the file; of stills their name; a folder for several sources")
    add_path_options(deliver)
    names = ", ".join(form.preset for form in PRESETS)
    add("--preset", metavar="NAME", help=f"what is written (default: by the ending of DST): {names}")
    add("--boundary", choices=["input", "trim", "look", "display"], help="where in the path it is taken")
    add("--as", dest="written", metavar="ENCODING", help="what scene light is written in (also --to ENCODING)")
    add("--size", metavar="WxH", help="another size, with bars where the shape differs")
    add("--fit-in", metavar="WxH", help="the largest size of the source's shape that fits")
    add("--rate", metavar="FPS", help="the same frames at another rate")
    add("--frames", metavar="A-B", help="frames of the source, from 0")
    add("--timecode", metavar="HH:MM:SS:FF", help="of the first frame (default: the source's)")
    add("--reel", metavar="NAME", help="default: the source's")
    add("--out-range", choices=["full", "legal"], help="code range of the file (default: the preset's)")
    add("--quality", type=int, metavar="CRF", help="constant quality of H.264 and H.265, 1 to 51")
    add("--bitrate", type=float, metavar="MBIT", help="megabits a second of H.264 and H.265, in two passes")
    add("--bits", type=int, choices=[8, 10, 12, 16], help="refuse what is given fewer bits than this")
    add(
        "--through",
        metavar="TABLE",
        help="a proved table of this path stands for it, its certificate beside it; said in name and proof",
    )
    add("--dither", choices=["blue noise", "diffused", "none"], help="default: blue noise where 8 bit are written")
    add("--no-sound", action="store_true", help="leave sound out")
    add(
        "--sound-kbps",
        type=int,
        default=0,
        metavar="N",
        help="kbit/s of a channel, where sound is encoded (default: 96)",
    )
    add(
        "--uneven",
        choices=["hold", "count"],
        default="hold",
        help="frames of a movie of uneven rate: held in their times, or written one after the other without sound",
    )
    add("--as-recorded", action="store_true", help="pictures are not turned, whatever the file asks for")
    add("--damaged", choices=["stop", "repeat"], default="stop", help="what a frame that cannot be read does")
    add("--clash", choices=["refuse", "version"], default="refuse", help="where the name is taken")
    add("--no-proof", action="store_true", help="do not open the file again and compare it")
    where = deliver.add_mutually_exclusive_group()
    where.add_argument("--workers", type=int, metavar="N", help="processes on this machine (default: its cores)")
    where.add_argument("--scheduler", metavar="ADDRESS", help="a Dask scheduler, as tcp://host:8786")
    add("--json", action="store_true", help="one object a line")
    deliver.set_defaults(run=_deliver)


def _deliver(options: argparse.Namespace) -> int:
    """0 where all are delivered and their proofs hold, 1 where a proof does not, 2 where one cannot be made."""
    from upwelling.core.delivery.through import IN_NAME
    from upwelling.core.media.sequence import group

    target = FilePath(options.destination)
    groups = group([FilePath(source) for source in options.sources])
    into_folder = target.is_dir()
    if len(groups) > 1 and not into_folder:
        raise BadValue(f"{len(groups)} sources go into a folder, and {target} is none. Make it first.")
    if into_folder and not options.preset:
        raise BadValue("Name a --preset where DST is a folder.")
    _settle_hand_over(options)
    path = path_from(options)
    form = _form(options, "" if into_folder else target.suffix, path)
    orders = [(members, _order(options, members, path, form)) for members in groups]
    worst = 0
    with _engine(options, [order for _, order in orders]) as engine:
        for members, order in orders:
            stem = members[0].stem
            by = IN_NAME if options.through else ""
            place = target / ((stem.rstrip("0123456789").rstrip("._-") or stem) + by + form.ending)
            worst = max(worst, _one(options, order, place if into_folder else target, engine))
    return worst


def _settle_hand_over(options: argparse.Namespace) -> None:
    """--to may name an encoding: scene light is then written in it, and what the display would be does not matter."""
    said = (options.target or "").strip().lower()
    if said and said not in {name.lower() for name in OUTPUTS}:
        found = next((name for name in ENCODINGS if name.lower() == said), "")
        if not found:
            raise UnknownName("output or encoding", options.target, [*OUTPUTS, *ENCODINGS])
        options.written = options.written or found
        if encoding(found).referred == "display":
            sys.stderr.write(
                f"upwelling: note: scene light is written as {found}, nothing rendered; an output renders, as does "
                "“BT.709 BT.1886” (upwelling encodings lists both).\n"
            )
        options.target = None if options.recipe else "BT.709 BT.1886"
    elif options.written and not options.target and not options.recipe:
        options.target = "BT.709 BT.1886"
    elif said and not options.written and not options.boundary:
        options.boundary = "display"
    if options.written:
        options.written = encoding(options.written).name


def _form(options: argparse.Namespace, ending: str, path: Path) -> Form:
    from upwelling.core.delivery.form import Form
    from upwelling.core.delivery.presets import preset, preset_for, with_ending

    form = preset(options.preset) if options.preset else preset_for(ending, path.target)
    if ending:
        form = with_ending(form, ending)
    body = form.model_dump()
    boundary = options.boundary or ("look" if options.written else form.boundary)
    body["boundary"] = boundary
    kept = form.encoding or _WRITTEN_IN_LINEAR
    body["encoding"] = "" if boundary == "display" else options.written or (kept if form.is_float else "")
    if boundary != "display" and not body["encoding"]:
        raise BadValue("Scene light is written in an encoding: name it with --as.")
    if options.written and boundary == "display":
        raise BadValue("--as is for scene light; the display boundary is in the output's own codes.")
    for name, sizing in (("size", "exact"), ("fit_in", "fit")):
        if said := getattr(options, name):
            body["sizing"] = sizing
            body["width"], body["height"] = _size(said)
    if options.out_range:
        body["range"] = options.out_range
    if options.bits:
        body["least_bits"] = options.bits
    if options.dither:
        body["dither"] = options.dither
    if (options.quality is not None or options.bitrate is not None) and (form.movie is None or form.movie.intra):
        raise BadValue(f"{form.preset} has a quality of its own; --quality and --bitrate are for H.264 and H.265.")
    if options.quality is not None:
        body["quality"] = options.quality
    if options.bitrate is not None:
        body["bits_per_second"] = round(options.bitrate * 1e6)
    return Form.checked(body)


def _size(text: str) -> tuple[int, int]:
    found = re.fullmatch(r"(\d{1,5})\s*[x×X]\s*(\d{1,5})", text.strip())
    if found is None or not int(found[1]) or not int(found[2]):
        raise BadValue(f"“{text}” is no size. Write 1920x1080.")
    return int(found[1]), int(found[2])


def _frames(text: str | None, count: int) -> tuple[int, int]:
    if not text:
        return 0, count - 1
    found = re.fullmatch(r"(\d{1,9})(?:-(\d{1,9}))?", text.strip())
    if found is None:
        raise BadValue(f"“{text}” are no frames. Write 0-47.")
    return int(found[1]), int(found[2] or found[1])


def _order(options: argparse.Namespace, members: Sequence[FilePath], path: Path, form: Form) -> Order:
    from upwelling.core.delivery.frames import camera_of
    from upwelling.core.delivery.make import order_for, piece_of

    footage = open_footage(members[0], members if len(members) > 1 else ())
    facts = footage.facts
    said = path.camera.range if options.recipe else options.range
    reading = reading_of(options, footage, said)
    if not options.recipe:
        bits: Any = {"8": 8, "10": 10, "12": 12}.get(facts.depth, 16)
        path = path.model_copy(
            update={"camera": path.camera.model_copy(update={"depth": bits, "range": reading.range})}
        )
    path = camera_of(footage, path)
    first, last = _frames(options.frames, facts.frames)
    piece = piece_of(
        members[0].absolute(),
        path,
        first,
        last,
        reading,
        members=[member.absolute() for member in members] if len(members) > 1 else (),
        uneven=options.uneven,
        turn=not options.as_recorded,
    )
    return order_for(
        [piece],
        form,
        through=_through(options, path),
        rate=options.rate or "",
        timecode=options.timecode,
        reel=options.reel,
        sound=not options.no_sound,
        sound_kbps=options.sound_kbps,
        damage=options.damaged,
    )


def _through(options: argparse.Namespace, path: Path) -> Through | None:
    if not options.through:
        return None
    from upwelling.cli.luts import certificate_of
    from upwelling.core.delivery.through import check_stands_for, through_of

    table = FilePath(options.through)
    certificate = certificate_of(table)
    check_stands_for(certificate.bake_order, path)
    return through_of(certificate, table)


@contextmanager
def _engine(options: argparse.Namespace, orders: Sequence[Order]) -> Iterator[Engine]:
    """Where parts are rendered: in this process where there is one part or one worker, else on a cluster."""
    from upwelling.core.delivery import cluster
    from upwelling.core.delivery.run import Here

    if options.workers is not None and not 1 <= options.workers <= 256:
        raise BadValue("--workers is between 1 and 256.")
    if options.scheduler:
        with cluster.scheduler(options.scheduler) as found:
            yield found
        return
    workers = options.workers or os.cpu_count() or 1
    if workers == 1 or sum(len(order.parts()) for order in orders) <= workers:
        yield Here()
        return
    with cluster.local(workers) as own:
        yield own


def _one(options: argparse.Namespace, order: Order, place: FilePath, engine: Engine) -> int:
    from upwelling.core.delivery.make import remarks_on
    from upwelling.core.delivery.proof import prove, write_proof
    from upwelling.core.delivery.run import Stopped, deliver, tidy

    remarks = remarks_on(order)
    for text in remarks:
        sys.stderr.write(f"upwelling: note: {text}\n")
    with _shown(options, place.name) as progress:
        try:
            outcome = deliver(
                order, place, engine=engine, clash=options.clash, progress=progress, keep_parts=not options.no_proof
            )
        except Stopped:  # nobody asks a command to pause
            return 2
    for text in outcome.remarks:
        sys.stderr.write(f"upwelling: note: {text}\n")
    if options.no_proof:
        _say(options, outcome, None, remarks)
        return 0
    proof = prove(order, outcome)
    write_proof(proof, outcome.target)
    tidy(order, outcome.target)
    _say(options, outcome, proof.as_json(), remarks)
    return 0 if proof.holds else 1


def _say(options: argparse.Namespace, outcome: Outcome, proof: Any, remarks: Sequence[str]) -> None:
    if options.json:
        body = {
            "event": "delivered",
            "file": str(outcome.target),
            "files": len(outcome.files),
            "frames": outcome.frames,
            "seconds": round(outcome.seconds, 3),
            "frames_per_second": round(outcome.frames / max(outcome.seconds, 1e-6), 2),
            "clipped": outcome.clipped,
            "repeated": [list(row) for row in outcome.repeated],
            "max_cll": outcome.level.max_cll,
            "max_fall": outcome.level.max_fall,
            "remarks": [*remarks, *outcome.remarks],
            "verdict": proof["verdict"] if proof else None,
            "proof": proof,
        }
        print(json.dumps(body, ensure_ascii=False), flush=True)
        return
    print(f"{outcome.target}: {count_of(outcome.frames, 'frame')} in {outcome.seconds:.1f} s")
    if proof:
        print(f"  {proof['sentence']}")
        for row in proof["checks"]:
            if not row["holds"]:
                print(f"  ▲ {row['what']}: {row['found']} where {row['ordered']} was ordered")


@contextmanager
def _shown(options: argparse.Namespace, name: str) -> Iterator[Any]:
    """Progress: one object a line as JSON, a bar on a terminal, else nothing."""
    if options.json:
        last = 0.0

        def say(now: Progress) -> None:
            nonlocal last
            if time.monotonic() - last < _BETWEEN:
                return
            last = time.monotonic()
            row = {"event": "progress", "done": now.done, "frames": now.frames, "frames_per_second": now.per_second}
            print(json.dumps({**row, "doing": now.doing}), flush=True)

        yield say
        return
    if not sys.stderr.isatty():
        yield None
        return
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, TextColumn, TimeRemainingColumn
    from rich.progress import Progress as Bar

    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), TextColumn("{task.fields[pace]}"))
    with Bar(*columns, TimeRemainingColumn(), console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task(name, total=None, pace="")
        yield lambda now: bar.update(task, completed=now.done, total=now.frames, pace=f"{now.per_second:.1f} fps")


def add_others(commands: Any) -> None:
    """Declares verify-delivery and worker."""
    verify = commands.add_parser("verify-delivery", help="compare a delivered file with what it was ordered to be")
    verify.add_argument("file", metavar="FILE", help="the movie, or any of the stills")
    verify.add_argument("--report", metavar="FILE.json", help="its proof (default: the one beside it)")
    verify.add_argument(
        "--of",
        nargs="+",
        metavar="PROOF",
        help="a movie that came back: say which of these deliveries it stems from, and what was done to it; proofs, or "
        "folders with them",
    )
    verify.add_argument("--json", action="store_true")
    verify.set_defaults(run=_verify)
    worker = commands.add_parser("worker", help="render parts of deliveries for a scheduler, until it is stopped")
    worker.add_argument("--scheduler", required=True, metavar="ADDRESS", help="as tcp://host:8786, or tls://…")
    worker.add_argument("--processes", type=int, metavar="N", help="default: the machine's cores")
    worker.add_argument("--media", metavar="FOLDER", help="where this machine sees the footage, if elsewhere")
    worker.add_argument("--deliveries", metavar="FOLDER", help="where it sees the folder of deliveries, if elsewhere")
    worker.add_argument("--memory", type=int, metavar="MB", help="for each process (default: its share of 80 %%)")
    worker.set_defaults(run=_worker)


def _worker(options: argparse.Namespace) -> int:
    from upwelling.core.delivery.cluster import DELIVERIES, MEDIA, serve

    for folder in (options.media, options.deliveries):
        if folder and not FilePath(folder).is_dir():
            raise BadValue(f"{folder} is no folder.")
    roots = {
        name: str(FilePath(folder).resolve())
        for name, folder in ((MEDIA, options.media), (DELIVERIES, options.deliveries))
        if folder
    }
    try:
        serve(options.scheduler, options.processes or os.cpu_count() or 1, roots, options.memory or 0)
    except UpwellingError:
        raise
    except (OSError, ValueError) as error:
        said = f" ({str(error)[:80]})" if str(error) else ""
        raise BadValue(f"No scheduler answers at {options.scheduler}{said}.") from None
    return 0


def _came_back(options: argparse.Namespace) -> int:
    """0 as it was delivered, 1 where something was done to it, 2 cannot tell."""
    from upwelling.core.delivery.came_back import came_back, given_of

    found = came_back(FilePath(options.file), given_of([FilePath(place) for place in options.of]))
    if options.json:
        print(json.dumps(found.as_json(), ensure_ascii=False))
    else:
        print(f"{options.file}: {found.sentence}")
        for text in found.done:
            print(f"  {text}")
    return 0 if found.untouched else 1


def _verify(options: argparse.Namespace) -> int:
    """0 holds, 1 does not, 2 cannot tell."""
    from upwelling.core.delivery.proof import verify_again

    if options.of:
        return _came_back(options)
    proof = verify_again(FilePath(options.file), FilePath(options.report) if options.report else None)
    if options.json:
        print(json.dumps(proof.as_json(), ensure_ascii=False))
    else:
        print(f"{options.file}: {proof.sentence}")
        for check in proof.checks:
            if not check.holds:
                print(f"  ▲ {check.what}: {check.found} where {check.ordered} was ordered")
        for remark in proof.remarks:
            print(f"  {remark}")
    return 0 if proof.holds else 1
