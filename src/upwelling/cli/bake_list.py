"""`upwelling bake SRC… FOLDER`: a proved table of each footage file or recipe, in a folder or a zip."""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Sequence
from functools import partial
from pathlib import Path as FilePath
from typing import Any

from upwelling.cli.footage import middle_frame, recognised
from upwelling.cli.paths import path_from
from upwelling.core.bake import RECEIVERS, BakeOrder, Receiver
from upwelling.core.bake.receivers import plain_receiver
from upwelling.core.errors import BadValue
from upwelling.core.packages.made import Item, Made, Prepared
from upwelling.core.packages.naming import FIELDS
from upwelling.core.packages.package import make_package
from upwelling.core.path import Path
from upwelling.core.patterns import named_by
from upwelling.core.proof import frame_sample

GRIDS = (9, 17, 25, 33, 49, 65, 129)
"""Points a side that are tried for a program that takes any."""
_SURE = ("known", "likely")


def add_options(parser: argparse.ArgumentParser) -> None:
    """What a list alone takes."""
    parser.add_argument(
        "--called",
        metavar="PATTERN",
        default="",
        help=f"of several sources: names of the tables, of {', '.join(f'{{{name}}}' for name in FIELDS)}",
    )
    parser.add_argument(
        "--alike", action="store_true", help="of several sources: one table for those that come out alike"
    )


def receivers_named(names: Sequence[str]) -> list[Receiver]:
    """Generic receivers of these names; raises BadValue."""
    known = {receiver.name.lower(): receiver for receiver in RECEIVERS}
    for name in names:
        if name.lower() not in known:
            raise BadValue(f"There is no receiver “{name}”; known are {', '.join(r.name for r in RECEIVERS)}.")
    return [known[name.lower()] for name in names]


def bake_list(options: argparse.Namespace) -> int:
    """0 where all tables hold, 1 where one does not or could not be made."""
    *sources, target = (FilePath(place) for place in options.places)
    if target.suffix.lower() not in ("", ".zip"):
        raise BadValue(
            f"Several sources go into a folder or a .zip, and {target.name} is a file. To bake one table of a recipe, "
            "write `upwelling bake OUT --recipe FILE`."
        )
    if options.size is not None or options.curve or options.shaper != "none" or options.report is not None:
        raise BadValue(
            "Of several sources the smallest table that holds is searched for: leave out --size and the like."
        )
    named_by(options.called or "x", dict.fromkeys(FIELDS, "x"), FIELDS)
    receivers = receivers_named(options.receiver) or [
        plain_receiver(GRIDS[0], options.range or "full").model_copy(update={"grids": GRIDS})
    ]
    taken = [(source, _path_of(options, source)) for source in sources]
    items = [_item(options, same, receiver) for same in _alike(options, taken, receivers[0]) for receiver in receivers]
    made = make_package(
        items, target, title="Tables", production="", who=os.environ.get("USER", "someone"), progress=_progress()
    )
    for one in made:
        _say(one)
    return 0 if all(one.certificate and one.certificate.usable for one in made) else 1


def _progress() -> Any:
    said = [""]

    def progress(_share: float, message: str) -> None:
        subject = message.partition(":")[0]
        if subject != said[0]:
            said[0] = subject
            sys.stderr.write(f"{subject}\n")

    return progress


def _say(one: Made) -> None:
    if one.certificate is None:
        print(f"▲ {one.problem}")
        return
    proof = one.certificate
    print(f"{one.file}: {proof.verdict}, {proof.metric} 99 % {proof.overall.p99:.2f}, worst {proof.hunted.delta_e:.2f}")
    for text in [*(f"leaves out {lost}" for lost in one.lost), *([one.note] if one.note else [])]:
        print(f"  {text}")


def _path_of(options: argparse.Namespace, source: FilePath) -> Path:
    """The path of a recipe, or of footage by the options, its encoding recognised where --from does not say it."""
    if source.suffix.lower() == ".json":
        return path_from(argparse.Namespace(**{**vars(options), "recipe": str(source)}))
    if options.source or options.recipe:
        return path_from(options)
    _, found = recognised(source)
    best = found.candidates[0].encoding if found.candidates else ""
    if found.state not in _SURE or not best:
        raise BadValue(f"{source.name}: what its codes are is not sure ({found.state}). Say it with --from.")
    sys.stderr.write(f"upwelling: note: {source}: taken for {best}, which is {found.state}.\n")
    return path_from(argparse.Namespace(**{**vars(options), "source": best}))


def _alike(
    options: argparse.Namespace, taken: Sequence[tuple[FilePath, Path]], receiver: Receiver
) -> list[list[tuple[FilePath, Path]]]:
    """The sources of each table."""
    if not options.alike:
        return [[one] for one in taken]
    kinds: dict[str, list[tuple[FilePath, Path]]] = {}
    for source, path in taken:
        kinds.setdefault(_order(options, path, receiver).section_fingerprint, []).append((source, path))
    return list(kinds.values())


def _order(options: argparse.Namespace, path: Path, receiver: Receiver) -> BakeOrder:
    moves = any(step.moves for _, step in path.steps())
    still = options.frame if options.frame is not None else 0 if moves and options.leave_out else None
    return BakeOrder.checked(
        {
            "path": path,
            "frozen": still,
            "section": {"start": options.start, "end": options.end, "carrier": options.carrier},
            "receiver": receiver,
            "format": receiver.formats[0],
            "size": receiver.sizes(receiver.formats[0])[0],
        }
    )


def _item(options: argparse.Namespace, same: Sequence[tuple[FilePath, Path]], receiver: Receiver) -> Item:
    source, path = same[0]
    others = [one.name for one, _ in same[1:]]
    return Item(
        source.stem,
        receiver.name,
        partial(_prepared, options, [one for one, _ in same], path, receiver),
        folder=(receiver.name,),
        fields={"file": source.stem},
        pattern=options.called,
        leaves_out=bool(options.leave_out),
        note=f"Also for {', '.join(others)}, whose tables come out alike." if others else "",
    )


def _prepared(options: argparse.Namespace, sources: Sequence[FilePath], path: Path, receiver: Receiver) -> Prepared:
    """A table's order, tested on its own sources where they are pictures, and on --frames."""
    order = _order(options, path, receiver)
    frames, code, whole = [], None, None
    for place in [*(one for one in sources if one.suffix.lower() != ".json"), *map(FilePath, options.frames)]:
        still, at = middle_frame(str(place), path.camera.range)
        frames.append(frame_sample(order, place.name, still.code, None, at))
        if code is None:
            code, whole = still.code, at
    if code is None and order.stuck:
        raise BadValue("What leaving a step out costs is measured on a picture: give one with --frames.")
    return Prepared(order, frames, code, whole)
