"""A package: tables for several cameras or shots and receivers with recipes, certificates, test pictures, a README and
checksums, as a folder or one zip.
"""

from __future__ import annotations

import hashlib
import os
import shutil
import zipfile
from collections import Counter
from collections.abc import Callable, Sequence
from pathlib import Path as FilePath

from upwelling.core.bake.make import Progress, bake, no_report
from upwelling.core.bake.order import BakeOrder
from upwelling.core.errors import BadValue, UpwellingError
from upwelling.core.files import whole_file
from upwelling.core.packages.made import Item, Made, Prepared
from upwelling.core.packages.naming import table_name
from upwelling.core.packages.readme import SUMS, readme
from upwelling.core.packages.setup_pictures import write_test_pictures
from upwelling.core.patterns import plain_name
from upwelling.core.proof.certificate import Certificate
from upwelling.core.proof.left_out import left_out, standing_still
from upwelling.core.proof.lut_box import LutBox
from upwelling.core.proof.samples import TESTED_PIXELS, write_frames
from upwelling.core.proof.solver import Solution, solve
from upwelling.core.proof.tolerances import Tolerances, tolerances_for
from upwelling.core.proof.verify import verify
from upwelling.core.tables.files import write_lut

Limits = Callable[[bool], Tolerances]
"""The limits of SDR (False) or HDR outputs."""
MOST_TRIED = 3
"""How many tables that the search finds to hold are verified in full until one does."""
README = "README.txt"


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
    """Makes every item and writes a zip, or a folder where the place has no such ending: whole or not at all.

    An item that cannot be made is said in the README; raises only when none can be, or where the folder is there.
    """
    zips = place.suffix.lower() == ".zip"
    if not zips and place.exists():
        raise BadValue(f"{place} is there already. Name a folder that is not, so that nothing in it is laid over.")
    place.parent.mkdir(parents=True, exist_ok=True)
    folder = place.parent / f".part-{place.stem}"
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir()
    try:
        made = []
        homes = _homes(items, folder)
        dwellers = Counter(homes)
        for index, item in enumerate(items):

            def part(done: float, message: str, at: int = index, one: Item = item) -> None:
                progress((at + done) / (len(items) + 0.5), f"{one.of} for {one.receiver}: {message}")

            home = homes[index]
            made.append(_made(item, home, folder, production, tolerances, part, dwellers[home] > 1))
        if not any(one.certificate for one in made):
            raise UpwellingError("Nothing could be made: " + " ".join(one.problem for one in made[:3]))
        (folder / README).write_text(readme(title, production, who, made), encoding="utf-8")
        files = sorted(p for p in folder.rglob("*") if p.is_file())
        sums = "".join(f"{hashlib.sha256(p.read_bytes()).hexdigest()}  {p.relative_to(folder)}\n" for p in files)
        (folder / SUMS).write_text(sums, encoding="utf-8")
        progress(len(items) / (len(items) + 0.5), "Packing")
        if zips:
            _zip([*files, folder / SUMS], folder, place)
        else:
            folder.rename(place)
        return made
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _zip(files: Sequence[FilePath], folder: FilePath, place: FilePath) -> None:
    with (
        whole_file(place) as temporary,
        zipfile.ZipFile(temporary, "w", zipfile.ZIP_DEFLATED, compresslevel=3) as archive,
    ):
        for path in files:
            archive.write(path, FilePath(place.stem) / path.relative_to(folder))


def _homes(items: Sequence[Item], folder: FilePath) -> list[FilePath]:
    """The folder of each item; different ones whose names make the same are numbered."""
    found: dict[tuple[str, ...], str] = {}

    def place(*names: str) -> str:
        if names not in found:
            plain = plain_name(names[-1])
            taken = {name.lower() for key, name in found.items() if key[:-1] == names[:-1]}
            found[names] = next(
                name for name in (plain, *(f"{plain}-{n}" for n in range(2, 1000))) if name.lower() not in taken
            )
        return found[names]

    return [folder.joinpath(*(place(*one.folder[: n + 1]) for n in range(len(one.folder)))) for one in items]


def _made(
    item: Item, home: FilePath, folder: FilePath, production: str, tolerances: Limits, progress: Progress, shared: bool
) -> Made:
    """The simplest table that holds for the item's receiver, verified; where none does, the one that comes nearest."""
    try:
        ready, lost = _without_lost(item)
        limits = tolerances(ready.order.judge.target.is_hdr)
        solution = solve(
            ready.order, frames=ready.frames, tolerances=limits, progress=lambda d, m: progress(0.4 * d, m)
        )
        home.mkdir(parents=True, exist_ok=True)
        order, table, certificate = _proved(item, ready, solution, limits, home, production, progress)
        _write_beside(table, order, ready, certificate, shared)
        return Made(
            item.of,
            item.receiver,
            os.fspath(table.relative_to(folder)),
            certificate,
            "",
            lost,
            " ".join(filter(None, (item.note, "" if certificate.usable else solution.summary()))),
        )
    except UpwellingError as error:
        return Made(item.of, item.receiver, "", None, f"{item.of} for {item.receiver}: {error}")


def _without_lost(item: Item) -> tuple[Prepared, tuple[str, ...]]:
    """An item with what no table can carry left out of its order, and each of it in words with its cost."""
    ready = item.prepare()
    order, code, place = ready.order, ready.frame_code, ready.place
    if not item.leaves_out:
        order.check_carried()
    found = standing_still(order, code, place, at=ready.ends) + left_out(order, code, place)
    steps = tuple(one.step for one in found if one.step)
    kept = order.model_copy(update={"left_out": (*order.left_out, *steps)}) if steps else order
    metric = order.judge.metric
    return ready._replace(order=kept), tuple(f"{one.name}: {one.why} {one.cost(metric)}" for one in found)


def _proved(
    item: Item,
    ready: Prepared,
    solution: Solution,
    limits: Tolerances,
    home: FilePath,
    production: str,
    progress: Progress,
) -> tuple[BakeOrder, FilePath, Certificate]:
    """The first table of a search's that holds in full, else the last tried."""
    title = ", ".join(filter(None, (production, item.of)))
    fields = {"production": production, "name": item.of, **item.fields}
    table: FilePath | None = None
    for one in solution.in_turn[:MOST_TRIED]:
        if table is not None:
            table.unlink()
        order = ready.order.model_copy(update=one.wish)
        table = _free(home / table_name(order, fields, item.pattern))
        write_lut(bake(order, title=title, progress=lambda d, m: progress(0.4 + 0.1 * d, m)), table)
        certificate = verify(
            table, order, frames=ready.frames, tolerances=limits, progress=lambda d, m: progress(0.5 + 0.45 * d, m)
        )
        if certificate.usable:
            break
    assert table is not None
    return order, table, certificate


def _free(place: FilePath) -> FilePath:
    """The place, or with a number before its ending where it is taken."""
    numbered = (place.with_name(f"{place.stem}_{n}{place.suffix}") for n in range(2, 10_000))
    return place if not place.exists() else next(one for one in numbered if not one.exists())


def _write_beside(table: FilePath, order: BakeOrder, ready: Prepared, certificate: Certificate, shared: bool) -> None:
    """A table's certificate, recipe, tested pixels and test pictures; these in a folder of their own where the table's
    is ``shared`` with others.
    """
    table.with_name(f"{table.name}.certificate.json").write_text(
        certificate.model_dump_json(indent=2) + "\n", encoding="utf-8"
    )
    table.with_name(f"{table.name}.recipe.json").write_text(order.path.to_recipe(), encoding="utf-8")
    if ready.frames:
        write_frames(ready.frames, table.with_name(table.name + TESTED_PIXELS))
    pictures = table.parent / "test-pictures"
    pictures = pictures / table.stem if shared else pictures
    pictures.mkdir(parents=True)
    write_test_pictures(order, LutBox.load(order.receiver, table), ready.frame_code, pictures, ready.place)
