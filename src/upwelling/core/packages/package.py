"""A package: tables for several cameras and receivers with recipes, certificates, test pictures, a README and
checksums, as one zip.
"""

from __future__ import annotations

import datetime
import hashlib
import os
import re
import shutil
import unicodedata
import zipfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path as FilePath
from typing import Any

from upwelling.core.bake.make import Progress, bake, formulas, no_report
from upwelling.core.bake.order import BakeOrder
from upwelling.core.errors import UpwellingError
from upwelling.core.files import whole_file
from upwelling.core.operations import Place
from upwelling.core.packages.setup_pictures import write_test_pictures
from upwelling.core.proof.certificate import Certificate
from upwelling.core.proof.lut_box import LutBox
from upwelling.core.proof.samples import FrameSample, write_frames
from upwelling.core.proof.solver import solve
from upwelling.core.proof.tolerances import Tolerances, tolerances_for
from upwelling.core.proof.verify import verify
from upwelling.core.tables.files import write_lut
from upwelling.core.tables.formats import FORMATS

Limits = Callable[[bool], Tolerances]
"""The limits of SDR (False) or HDR outputs."""
MOST_TRIED = 3
"""How many tables that the search finds to hold are verified in full until one does."""
README, SUMS = "README.txt", "SHA256SUMS"


@dataclass(frozen=True)
class Item:
    """One table of a package: what for, how, and the frames that test it; ``prepare`` is asked when its turn comes
    for the order, the test frames, and the code of a frame with where it lies. ``note`` is told beside it."""

    camera: str
    receiver: str
    prepare: Callable[[], tuple[BakeOrder, Sequence[FrameSample], Any, Place | None]]
    note: str = ""


@dataclass(frozen=True)
class Made:
    """What became of an item: its file and certificate, or why there is none; ``note``: why no table for this receiver
    holds, and what would.
    """

    camera: str
    receiver: str
    file: str
    certificate: Certificate | None
    problem: str
    note: str = ""


def plain_name(*parts: str) -> str:
    """A file name without an ending, from which a person knows what the file is."""
    words = (unicodedata.normalize("NFKD", part).encode("ascii", "ignore").decode() for part in parts)
    return "_".join(re.sub(r"[^A-Za-z0-9.]+", "-", word).strip("-.")[:48] or "x" for word in words)


def table_name(production: str, what: str, order: BakeOrder) -> str:
    """The name of a table's file."""
    section, r = order.section, order.receiver
    kind = "formulas" if formulas(order) else f"{order.size}" if order.dimensions == 3 else f"1D-{order.size}"
    return (
        plain_name(
            production,
            what,
            section.input_name(order.path),
            "to",
            section.output_name(order.path),
            r.name,
            kind,
            r.input_range,
        )
        + FORMATS[order.format].ending
    )


def make_package(
    items: Sequence[Item],
    place: FilePath,
    *,
    title: str,
    production: str,
    who: str,
    tolerances: Limits = lambda is_hdr: tolerances_for(is_hdr),
    progress: Progress = no_report,
) -> list[Made]:
    """Makes every item and writes the zip, whole or not at all.

    An item that cannot be made is said in the README; raises only when none can be.
    """
    place.parent.mkdir(parents=True, exist_ok=True)
    folder = place.parent / f".part-{place.stem}"
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir()
    try:
        made = []
        homes = _homes(items, folder)
        for index, item in enumerate(items):

            def part(done: float, message: str, at: int = index, one: Item = item) -> None:
                progress((at + done) / (len(items) + 0.5), f"{one.camera} for {one.receiver}: {message}")

            made.append(_make(item, homes[index], folder, production, tolerances, part))
        if not any(one.certificate for one in made):
            raise UpwellingError("Nothing could be made: " + " ".join(one.problem for one in made[:3]))
        (folder / README).write_text(_readme(title, production, who, made), encoding="utf-8")
        files = sorted(p for p in folder.rglob("*") if p.is_file())
        sums = "".join(f"{hashlib.sha256(p.read_bytes()).hexdigest()}  {p.relative_to(folder)}\n" for p in files)
        (folder / SUMS).write_text(sums, encoding="utf-8")
        progress(len(items) / (len(items) + 0.5), "Packing")
        with (
            whole_file(place) as temporary,
            zipfile.ZipFile(temporary, "w", zipfile.ZIP_DEFLATED, compresslevel=3) as archive,
        ):
            for path in [*files, folder / SUMS]:
                archive.write(path, FilePath(place.stem) / path.relative_to(folder))
        return made
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _homes(items: Sequence[Item], folder: FilePath) -> list[FilePath]:
    """A folder for each item, by camera and receiver; those whose names make the same one are numbered."""
    found: dict[tuple[str, ...], str] = {}

    def place(*names: str) -> str:
        if names not in found:
            plain = plain_name(names[-1])
            taken = {name.lower() for key, name in found.items() if key[:-1] == names[:-1]}
            found[names] = next(
                name for name in (plain, *(f"{plain}-{n}" for n in range(2, 1000))) if name.lower() not in taken
            )
        return found[names]

    return [folder / place(item.camera) / place(item.camera, item.receiver) for item in items]


def _make(
    item: Item, home: FilePath, folder: FilePath, production: str, tolerances: Limits, progress: Progress
) -> Made:
    """The simplest table that holds for the item's receiver, verified; where none does, the one that comes nearest."""
    try:
        asked, frames, frame_code, place = item.prepare()
        limits = tolerances(asked.judge.target.is_hdr)
        solution = solve(asked, frames=frames, tolerances=limits, progress=lambda d, m: progress(0.4 * d, m))
        home.mkdir(parents=True, exist_ok=True)
        for one in solution.in_turn[:MOST_TRIED]:
            order = asked.model_copy(update=one.wish)
            name = table_name(production, item.camera, order)
            write_lut(
                bake(order, title=f"{production}, {item.camera}", progress=lambda d, m: progress(0.4 + 0.1 * d, m)),
                home / name,
            )
            certificate = verify(
                home / name, order, frames=frames, tolerances=limits, progress=lambda d, m: progress(0.5 + 0.45 * d, m)
            )
            if certificate.usable:
                break
            (home / name).rename(home / "not-held")
        else:
            (home / "not-held").rename(home / name)
        (home / f"{name}.certificate.json").write_text(certificate.model_dump_json(indent=2) + "\n", encoding="utf-8")
        (home / f"{name}.recipe.json").write_text(order.path.to_recipe(), encoding="utf-8")
        if frames:
            write_frames(frames, home / f"{name}.frames.png")
        pictures = home / "test-pictures"
        pictures.mkdir()
        write_test_pictures(order, LutBox.load(order.receiver, home / name), frame_code, pictures, place)
        return Made(
            item.camera,
            item.receiver,
            os.fspath((home / name).relative_to(folder)),
            certificate,
            "",
            " ".join(filter(None, (item.note, "" if certificate.usable else solution.summary()))),
        )
    except UpwellingError as error:
        return Made(item.camera, item.receiver, "", None, f"{item.camera} for {item.receiver}: {error}")


def _readme(title: str, production: str, who: str, made: Sequence[Made]) -> str:
    lines = [
        title,
        "=" * len(title),
        "",
        f"Production: {production}",
        f"Made {datetime.datetime.now(datetime.UTC):%Y-%m-%d %H:%M} UTC by {who} with Upwelling",
        "",
    ]
    for one in made:
        if one.certificate is None:
            continue
        order = one.certificate.bake_order
        lines += [
            one.file,
            f"  for {one.receiver}: {one.certificate.summary}, {order.receiver.interpolation} interpolation",
            f"  takes {order.section.input_name(order.path)} code, {order.receiver.input_range} range; gives "
            f"{order.section.output_name(order.path)} code, {order.receiver.output_range} range",
            *([f"  leaves out {', '.join(order.left_out_said)}"] if order.left_out else []),
            f"  {one.certificate.verdict}: {one.certificate.metric} 99 % {one.certificate.overall.p99:.2f}, worst "
            f"place {one.certificate.hunted.delta_e:.2f}",
            *([f"  ! {one.note}"] if one.note else []),
            *(f"  ! {reason}" for reason in one.certificate.reasons_said),
            "",
        ]
    problems = [one.problem for one in made if one.problem]
    if problems:
        lines += ["Not made:", *(f"  {text}" for text in problems), ""]
    lines += [
        "Setting up a receiver",
        "  test-pictures/ beside each table holds the 24-patch chart and a frame: 1 going in, 2 as it must come out, 3 "
        "as the modelled receiver",
        "  makes it. Send picture 1 through the device with the table loaded; what it shows must look like 2. A "
        "difference that is all over the",
        "  picture is a wrong range or interpolation; compare the settings above.",
        "",
        "Proving a table again",
        "  upwelling verify FILE   reads the certificate and frames beside it and tests the file anew.",
        f"  sha256sum -c {SUMS}   says whether every file is the one that was packed.",
        "",
    ]
    return "\n".join(lines)
