"""How options become a Path: a recipe if given, with the options laid over it."""

from __future__ import annotations

import argparse
import hashlib
import sys
from pathlib import Path as FilePath
from typing import Any

from pydantic import ValidationError

from upwelling.cli.layers import add_layer_options, with_layers_asked
from upwelling.core.errors import BadValue, RecipeError
from upwelling.core.lut.carried import CarriedLut
from upwelling.core.media.decoding import MATRICES
from upwelling.core.media.ycbcr import SITINGS
from upwelling.core.parameters import refusal
from upwelling.core.path import Path, changed_since, recipe_arithmetic
from upwelling.core.path.look_recipe import STEP_LIST, with_ids
from upwelling.core.rendering import FITS, TONE_MAPS
from upwelling.core.steps import STEPS, Exposure
from upwelling.core.strict_json import BadJson, read_json
from upwelling.core.tables.files import read_lut

METHODS = [str(method.model_fields["kind"].default) for method in TONE_MAPS]
KINDS = [str(step.model_fields["kind"].default) for step in STEPS]
MOST_TEXT, MOST_VALUES = 1_000_000, 50_000
NO_DISPLAY_LOOK = {"display_look": None, "display_look_for": None, "display_look_strength": None}
"""What a command that has none of these options lets ``path_from`` see."""
FIT_NAMES = [str(fit.model_fields["kind"].default) for fit in FITS]


def add_path_options(parser: argparse.ArgumentParser) -> None:
    """--from, --to, --rendering, --fit, --exposure, --recipe, --range, for commands that render through a Path."""
    parser.add_argument("--from", dest="source", metavar="ENCODING", help="what the file's codes are")
    parser.add_argument("--to", dest="target", metavar="OUTPUT", help="the display rendered for")
    parser.add_argument(
        "--rendering", metavar="METHOD", choices=METHODS, help=f"the tone map (default: rise): {', '.join(METHODS)}"
    )
    parser.add_argument("--fit", choices=FIT_NAMES, help="the gamut fit (default: smooth)")
    parser.add_argument(
        "--display-look", metavar="FILE", help="a table from display code to display code, laid over the rendering"
    )
    parser.add_argument(
        "--display-look-for", metavar="OUTPUT", help="the display it was made for (default: the one of --to)"
    )
    parser.add_argument("--display-look-strength", type=float, metavar="0..1", help="how much of it (default: 1)")
    parser.add_argument("--exposure", type=float, metavar="STOPS", help="exposure in stops, before the recipe's trim")
    parser.add_argument(
        "--step",
        action="append",
        default=[],
        metavar="JSON",
        help='a step after the recipe\'s trim, as {"kind": "glow", …}; what it does not name is at its default. '
        f"Repeatable. Kinds: {', '.join(KINDS)}",
    )
    add_layer_options(parser)
    parser.add_argument("--recipe", metavar="FILE", help="a path saved as JSON; the other options are laid over it")
    add_range_option(parser)


def add_range_option(parser: argparse.ArgumentParser) -> None:
    """--range, how movies are decoded, and --adaptation, shared by all commands that read codes."""
    parser.add_argument("--range", choices=["full", "legal"], help="code range of input and output (default: full)")
    parser.add_argument("--matrix", choices=MATRICES, help="of a Y'CbCr movie's planes (default: as it says)")
    parser.add_argument("--chroma", choices=SITINGS, help="where a movie's chroma sits (default: as it says)")
    parser.add_argument("--adaptation", choices=["CAT02", "Bradford"], help="chromatic adaptation (default: CAT02)")


def path_from(options: argparse.Namespace) -> Path:
    """The Path that the options describe; raises RecipeError or BadValue."""
    body: dict[str, Any]
    if options.recipe:
        try:
            text = FilePath(options.recipe).read_bytes()
        except OSError as error:
            raise RecipeError(f"{options.recipe} cannot be read ({error.strerror}).") from None
        body = Path.from_recipe(text).model_dump(mode="json")
        changed = changed_since(recipe_arithmetic(text))
        if changed:
            sys.stderr.write(
                f"upwelling: {options.recipe} was written by an earlier version; its settings are kept, its numbers "
                f"have changed: {changed}.\n"
            )
    else:
        for name, flag in (("source", "--from"), ("target", "--to")):
            if getattr(options, name) is None:
                raise BadValue(f"{flag} is missing. Give {flag}, or a --recipe that holds it.")
        body = {"input": {}, "display": {}}
    if options.source:
        body["input"] |= {"encoding": options.source, "custom": None}
    if options.target:
        body["display"] |= {"output": options.target, "custom": None}
    if options.rendering:
        fit = body.get("rendering", {}).get("method", {}).get("fit", {"kind": "smooth"})
        body["rendering"] = body.get("rendering", {}) | {"method": {"kind": options.rendering, "fit": fit}}
    if options.display_look:
        body.setdefault("rendering", {})["look"] = _display_look(options, body)
    elif options.display_look_for or options.display_look_strength is not None:
        raise BadValue("--display-look-for and --display-look-strength are for a --display-look.")
    if options.fit:
        method = body.setdefault("rendering", {}).setdefault("method", {"kind": "rise"})
        method["fit"] = {"kind": options.fit}
    if options.adaptation:
        body["input"]["adaptation"] = options.adaptation
    if options.range:
        body.setdefault("camera", {})["range"] = options.range
        body["display"]["range"] = options.range
    path = with_layers_asked(Path.checked(body), options)
    trim = path.layer("trim")
    before = [] if options.exposure is None else [Exposure(stops=0).model_dump() | {"stops": options.exposure}]
    after = [_step_of(text) for text in options.step or ()]
    if before or after:
        held = trim.model_dump(mode="json")
        steps = [*before, *held["steps"], *after]
        if after:
            steps = [step.model_dump(mode="json") for step in with_ids(STEP_LIST.validate_python(steps))]
        path = Path.checked({**path.without_layers("trim").model_dump(mode="json"), "trim": {**held, "steps": steps}})
    path.at(0).segments()
    return path


def _display_look(options: argparse.Namespace, body: dict[str, Any]) -> dict[str, Any]:
    """The table of --display-look as a Path's plain data; raises BadLut or BadValue."""
    place = FilePath(options.display_look)
    table = read_lut(place)
    made_for = options.display_look_for or body["display"].get("output", "")
    carried = CarriedLut.of(table, place.name, hashlib.sha256(place.read_bytes()).hexdigest())
    lut = {"table": carried.model_dump(mode="json"), "expects": made_for, "gives": made_for}
    strength = 1.0 if options.display_look_strength is None else options.display_look_strength
    return {"lut": lut, "strength": strength}


def _step_of(text: str) -> Any:
    """A step from its JSON; raises BadValue that says what is wrong with it."""
    try:
        body = read_json(text, largest=MOST_TEXT, most=MOST_VALUES)
    except BadJson as error:
        raise BadValue(f"--step: the text {error}.") from None
    if not isinstance(body, dict) or body.get("kind") not in KINDS:
        raise BadValue(f"--step wants a JSON object with a “kind”, one of {', '.join(KINDS)}; found {text[:60]}.")
    try:
        return STEP_LIST.validate_python([body])[0]
    except ValidationError as error:
        raise BadValue(f"--step {body['kind']}: {refusal(error, leave_out=(body['kind'],))}") from None
