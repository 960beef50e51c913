"""Reading footage on the command line, and the command that says what a file is."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Sequence
from dataclasses import asdict, replace
from pathlib import Path as FilePath
from typing import Any

from upwelling.core.count_of import count_of
from upwelling.core.encodings import Range
from upwelling.core.errors import UnreadableFile
from upwelling.core.media import Footage, RawFootage, Reading, Still, looked_at, open_footage, reading_for
from upwelling.core.media.decoding import decoding_of
from upwelling.core.operations import Place
from upwelling.core.recognise import FileClues, Recognition, read_sidecars, recognise_file, recognise_raw, signal_facts


def add_commands(commands: Any) -> None:
    """Declares probe."""
    probing = commands.add_parser("probe", help="say what files are: format, tags, probable encoding and why, remarks")
    probing.add_argument("files", nargs="+", metavar="FILE")
    probing.add_argument("--json", action="store_true")
    probing.set_defaults(run=_probe)


def add_frame_option(command: argparse.ArgumentParser) -> None:
    """Declares --frame."""
    command.add_argument("--frame", type=int, help="frame of a movie or sequence, from 0 (default: 0, said on stderr)")


def read_frame(options: argparse.Namespace, said: Range | None) -> tuple[Still, Footage, Range]:
    """A frame of SRC, its footage, and the range it is read in: as said, as a movie is tagged, else full."""
    footage = open_footage(options.src)
    if options.frame is None:
        options.frame = 0
        if footage.facts.frames > 1:
            sys.stderr.write(
                f"upwelling: note: {options.src}: frame 0 of {footage.facts.frames} is taken; --frame takes another.\n"
            )
    reading = reading_of(options, footage, said)
    still = footage.frame(options.frame, reading)
    say_notes(options.src, footage.facts.notes)
    return still, footage, reading.range


def reading_of(options: argparse.Namespace, footage: Footage, said: Range | None) -> Reading:
    """How a file is read: as the options say, then as it says itself, then as is usual."""
    reading = reading_for(footage, said)
    matrix, siting = getattr(options, "matrix", None), getattr(options, "chroma", None)
    return replace(reading, matrix=matrix or reading.matrix, siting=siting or reading.siting)


def say_notes(place: str, notes: Sequence[str]) -> None:
    """What is to be known of how a file was read, on stderr."""
    for note in notes:
        sys.stderr.write(f"upwelling: note: {place}: {note}\n")


def middle_frame(place: str, said: Range | None) -> tuple[Still, Place]:
    """The middle frame of a picture file that a table is to be tested on, and where it lies; raises UnreadableFile."""
    footage = open_footage(place)
    if isinstance(footage, RawFootage):
        raise UnreadableFile(place, "is a raw mosaic, and no table is applied to one. Give a developed picture.")
    still = footage.frame(footage.facts.frames // 2, reading_for(footage, said))
    say_notes(place, footage.facts.notes)
    return still, Place.whole(still.width, still.height)


def recognised(path: FilePath) -> tuple[Any, Recognition]:
    """Facts of a file and what its codes are, by all it says and shows; raises UnreadableFile."""
    footage = open_footage(path)
    seen = looked_at(footage)
    facts, signal = replace(footage.facts, notes=(*footage.facts.notes, *seen.notes)), signal_facts(seen.stills)
    if isinstance(footage, RawFootage):
        return facts, recognise_raw(facts, signal)
    return facts, recognise_file(facts, signal, FileClues(path.name, read_sidecars(path)))


def _probe(options: argparse.Namespace) -> int:
    rows, failed = [], False
    for name in options.files:
        try:
            facts, found = recognised(FilePath(name))
        except UnreadableFile as error:
            failed = True
            rows.append({"file": name, "error": str(error)})
            continue
        body = found.as_json()
        decoded = decoding_of(facts, Reading(facts.tags.range or "legal"))
        rows.append(
            {
                "file": name,
                "kind": facts.kind,
                "container": facts.container,
                "codec": facts.codec,
                "depth": facts.depth,
                "width": facts.width,
                "height": facts.height,
                "frames": facts.frames,
                "rate": facts.rate,
                "tags": asdict(facts.tags),
                "decoding": [asdict(row) for row in decoded],
                **{key: body[key] for key in ("state", "candidates", "contradictions", "remarks", "evidence", "raw")},
            }
        )
    if options.json:
        print(json.dumps(rows, indent=2, ensure_ascii=False))
    else:
        for row in rows:
            _say(row)
    return 2 if failed else 0


def _say(row: dict[str, Any]) -> None:
    if "error" in row:
        print(f"{row['file']}: {row['error']}")
        return
    best = (
        "raw mosaic"
        if row["raw"]
        else ", ".join(f"{c['encoding']} ({c['range']})" for c in row["candidates"][:1])
        or "nothing speaks for any encoding"
    )
    print(f"{row['file']}: {row['state']}: {best}")
    print(
        f"  {row['container']} {row['codec']}, {row['width']} × {row['height']}, {row['depth']} bit, "
        + count_of(row["frames"], "frame")
    )
    for text in [
        *(f"{r['what']} {r['value']}, {r['how']}" for r in row["decoding"]),
        *row["contradictions"],
        *(e["text"] for e in row["evidence"] if e["kind"] != "signal"),
        *(r["text"] for r in row["remarks"]),
    ]:
        print(f"  {text}")
