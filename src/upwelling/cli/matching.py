"""The commands that match one picture to another, and that recover a table from two."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path as FilePath
from typing import Any

from upwelling.cli.footage import read_frame
from upwelling.cli.paths import add_range_option
from upwelling.core import engine
from upwelling.core.errors import BadValue
from upwelling.core.files import whole_file
from upwelling.core.match import BY_ITSELF, METHODS, Match, Picture, by_pairs, space_of
from upwelling.core.match.outcome import for_camera, put
from upwelling.core.match.pairs import SIDE, Marked
from upwelling.core.match.table import SIZE
from upwelling.core.media import RawFootage, read_still
from upwelling.core.path import CameraFile, Display, Input, Layer, Path
from upwelling.core.raw import RawSettings
from upwelling.core.recovery import recover_named
from upwelling.core.strict_json import BadJson, read_json
from upwelling.core.tables.files import write_lut


def add_commands(commands: Any) -> None:
    """`match` and `recover`."""
    _add_recover(commands)
    match = commands.add_parser("match", help="find the steps that bring one picture to another")
    match.add_argument("src", help="what is to be changed")
    match.add_argument("reference", metavar="ref", help="what it should sit beside")
    match.add_argument("--from", dest="source", metavar="ENCODING", help="what SRC's codes are")
    match.add_argument(
        "--reference-from", metavar="ENCODING", help="what REF's codes are (default: the same as --from)"
    )
    match.add_argument(
        "--method",
        choices=[*METHODS],
        default="scene",
        help="; ".join(f"{name}: {text[0].lower()}{text[1:]}" for name, text in METHODS.items()) + " (default: scene)",
    )
    match.add_argument(
        "--pairs",
        metavar="FILE",
        help='JSON: {"pairs": [{"source": [x, y], "reference": [x, y]}, …]}, shares of width and height, or pixels '
        'with "unit": "pixels"; a third number is the side of the place',
    )
    match.add_argument("--to", dest="target", metavar="OUTPUT", default="BT.709 BT.1886", help="output of the recipe")
    match.add_argument("--recipe-out", metavar="FILE", help="write a recipe of SRC's path with the steps in its trim")
    match.add_argument("--frame", type=int, metavar="N", help="frame of SRC (default: 0, said on stderr)")
    match.add_argument("--reference-frame", type=int, metavar="N", help="frame of REF (default: 0, said on stderr)")
    match.add_argument(
        "--for-camera",
        action="store_true",
        help="the recipe holds the steps as the camera's correction, between Input and Trim, instead of in the trim",
    )
    match.add_argument("--json", action="store_true", help="print the figures as JSON")
    add_range_option(match)
    match.set_defaults(run=_match)


def _add_recover(commands: Any) -> None:
    recover = commands.add_parser(
        "recover", help="recover the table between a picture and the same picture after an unknown conversion"
    )
    recover.add_argument("before", help="a still as it was")
    recover.add_argument("after", help="the same still after it")
    recover.add_argument("out", help="the table to write, .cube or another format that holds a cube")
    recover.add_argument("--size", type=int, default=SIZE, metavar="N", help=f"nodes along an axis (default: {SIZE})")
    recover.add_argument("--json", action="store_true", help="print the figures as JSON")
    recover.set_defaults(run=_recover)


def _recover(options: argparse.Namespace) -> int:
    before, after = read_still(options.before), read_still(options.after)
    made = recover_named(before.code, after.code, options.size)
    write_lut(made.lut, FilePath(options.out))
    facts = {"nearest": made.name if made.followed else "", "codes_off": made.near.mean_codes}
    facts["legal"] = made.near.codes_legal
    facts |= {"support": made.found.support, "error_codes": made.found.error * 1023}
    facts |= {"kept": made.found.kept, "follows_nearest": made.followed}
    sys.stdout.write(json.dumps(facts, ensure_ascii=False) + "\n" if options.json else "\n".join(made.said) + "\n")
    return 0


def _match(options: argparse.Namespace) -> int:
    path, mine = _picture(options, options.src, options.source, options.frame, "--from")
    other = options.reference_from or options.source
    _, its = _picture(options, options.reference, other, options.reference_frame, "--reference-from")
    space = space_of(path.working_primaries)
    found = _found(options, mine, its, space)
    name = FilePath(options.reference).name
    if options.recipe_out:
        said = f"By {options.method}, of {FilePath(options.src).name}:"
        if options.for_camera and found.steps:
            held = for_camera(found, name, said)
            recipe = path.model_copy(update={"input": path.input.model_copy(update={"correction": held})})
        else:
            steps, groups = put((), (), found, name, said)
            recipe = path.with_layers(trim=Layer(steps=steps, groups=groups))
        with whole_file(options.recipe_out) as temporary:
            temporary.write_text(recipe.to_recipe(), encoding="utf-8")
    if options.json:
        sys.stdout.write(json.dumps(_said(found), ensure_ascii=False) + "\n")
    else:
        sys.stdout.write(f"{found.sentence()}\n")
        for step in found.steps:
            sys.stdout.write(f"  {step.title}: {step.summary()}\n")
        for remark in found.remarks:
            sys.stdout.write(f"{remark}\n")
    return 0


def _found(options: argparse.Namespace, mine: Picture, its: Picture, space: Any) -> Match:
    if options.method == "pairs":
        if not options.pairs:
            raise BadValue("--method pairs wants --pairs FILE with the places that belong together.")
        return by_pairs(mine, its, space, _pairs(options.pairs, mine, its))
    if options.pairs:
        raise BadValue("--pairs goes with --method pairs.")
    return BY_ITSELF[options.method](mine, its, space)


def _picture(
    options: argparse.Namespace, place: str, encoding: str | None, frame: int | None, flag: str
) -> tuple[Path, Picture]:
    """A frame in working light, with the path that made it."""
    read = argparse.Namespace(src=place, frame=frame, matrix=options.matrix, chroma=options.chroma)
    still, footage, side = read_frame(read, options.range)
    if isinstance(footage, RawFootage):
        camera = CameraFile(raw=RawSettings(profile=footage.profile), depth=16)
        source = Input(encoding="linear/AP1")
    else:
        if encoding is None:
            raise BadValue(f"{flag} is missing: say what the codes of {FilePath(place).name} are.")
        camera = CameraFile(depth=still.integer_depth, range=side)
        source = Input(encoding=encoding, **({"adaptation": options.adaptation} if options.adaptation else {}))
    path = Path(camera=camera, input=source, display=Display(output=options.target))
    segments = path.segments()
    light = engine.run(engine.compile_operations((*segments["camera"], *segments["input"])), still.code)
    return path, Picture.of(light, still.code)


def _pairs(place: str, mine: Picture, its: Picture) -> list[tuple[Marked, Marked]]:
    """The pairs of a file, as shares."""
    try:
        body = read_json(FilePath(place).read_bytes(), largest=200_000, most=5000)
    except BadJson as error:
        raise BadValue(f"{place}: the text {error}.") from None
    rows = body.get("pairs") if isinstance(body, dict) else body
    pixels = isinstance(body, dict) and body.get("unit") == "pixels"
    if not isinstance(rows, list) or not rows:
        raise BadValue(f"{place} holds no “pairs”: a list of places of the source and of the reference.")
    found = []
    for number, row in enumerate(rows, 1):
        places = (row.get("source"), row.get("reference")) if isinstance(row, dict) else row
        if not isinstance(places, list | tuple) or len(places) != 2:
            raise BadValue(f"{place}: pair {number} should say a “source” and a “reference”.")
        a, b = (
            _marked(one, picture, pixels, f"{place}: pair {number}")
            for one, picture in zip(places, (mine, its), strict=True)
        )
        found.append((a, b))
    return found


def _marked(said: Any, picture: Picture, pixels: bool, where: str) -> Marked:
    numbers = isinstance(said, list) and len(said) in (2, 3) and all(isinstance(v, int | float) for v in said)
    if not numbers:
        raise BadValue(f"{where}: a place is [x, y] or [x, y, side].")
    x, y, side = (*map(float, said), SIDE)[:3] if len(said) == 2 else map(float, said)
    if pixels:
        width, height = picture.size
        x, y, side = (x + 0.5) / width, (y + 0.5) / height, side / height if len(said) == 3 else side
    if not (0 <= x <= 1 and 0 <= y <= 1 and 0 < side <= 1):
        raise BadValue(
            f"{where}: {said} lies outside the picture. Places are shares of width and height from 0 to 1, or pixels "
            'with "unit": "pixels".'
        )
    return x, y, side


def _said(found: Match) -> dict[str, Any]:
    figures = found.figures
    return {
        "method": found.method,
        "model": found.model,
        "steps": [step.model_dump(mode="json", exclude_defaults=True) | {"kind": step.kind} for step in found.steps],
        "before": figures.before,
        "after": figures.after,
        "worst_95": figures.worst,
        "count": figures.count,
        "left_out": figures.left_out,
        "samples": list(found.samples),
        "hues_off": list(found.hues),
        "outliers": [n + 1 for n, wrong in enumerate(found.outliers) if wrong],
        "remarks": list(found.remarks),
        **found.facts,
    }
