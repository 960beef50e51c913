"""Commands on pictures: convert, render, apply."""

from __future__ import annotations

import argparse
import sys
from typing import Any

from upwelling.cli.footage import add_frame_option, read_frame, reading_of, say_notes
from upwelling.cli.paths import FIT_NAMES, METHODS, NO_DISPLAY_LOOK, add_path_options, add_range_option, path_from
from upwelling.core import engine
from upwelling.core.delivery.frames import FramesAround, camera_of
from upwelling.core.encodings import Range, encoding
from upwelling.core.errors import BadValue, UnreadableFile, UnwritableFile
from upwelling.core.media import Depth, RawFootage, container_for, read_still, write_still
from upwelling.core.operations import Place, legal_in, run_reference
from upwelling.core.path import convert_operations
from upwelling.core.rendering import to_scene
from upwelling.core.tables.files import read_lut

_DEPTHS = ["8", "10", "12", "16", "half", "float"]
_BITS = {"8": 8, "10": 10, "12": 12}


def add_commands(commands: Any) -> None:
    """Declares convert, render and apply."""
    convert = commands.add_parser(
        "convert", help="change the encoding of a still or a movie's frame, colourimetrically: no tone map"
    )
    convert.add_argument("src", metavar="SRC")
    convert.add_argument("dst", metavar="DST")
    convert.add_argument("--from", dest="source", required=True, metavar="ENCODING")
    convert.add_argument("--to", dest="target", required=True, metavar="ENCODING")
    add_range_option(convert)
    convert.set_defaults(run=_convert)

    render = commands.add_parser(
        "render", help="render a still, raw or movie's frame for a display, through trim, look and tone map"
    )
    render.add_argument("src", metavar="SRC")
    render.add_argument("dst", metavar="DST")
    add_path_options(render)
    render.set_defaults(run=_render)

    undo = commands.add_parser(
        "undo", help="turn a rendered picture back to scene-linear light, by the inverse of its rendering"
    )
    undo.add_argument("src", metavar="SRC")
    undo.add_argument(
        "dst", metavar="DST", help="an OpenEXR or float TIFF; light is scene-linear in the working primaries"
    )
    undo.add_argument("--to", dest="target", required=True, metavar="OUTPUT", help="the display it was rendered for")
    undo.add_argument("--rendering", choices=METHODS, help="the tone map it was rendered by (default: rise)")
    undo.add_argument("--fit", choices=FIT_NAMES, help="the gamut fit it was rendered by (default: smooth)")
    undo.add_argument("--recipe", metavar="FILE", help="a recipe whose rendering and working space it was rendered by")
    add_range_option(undo)
    undo.set_defaults(run=_undo, source="linear/AP1", exposure=None, step=[], **NO_DISPLAY_LOOK)

    apply = commands.add_parser("apply", help="put a still through a lookup table")
    apply.add_argument("lut", metavar="LUT")
    apply.add_argument("src", metavar="SRC")
    apply.add_argument("dst", metavar="DST")
    apply.add_argument("--interpolation", choices=["tetrahedral", "trilinear"], default="tetrahedral")
    apply.set_defaults(run=_apply)
    render.add_argument("--exact", action="store_true", help="compute in float64 instead of the float32 engine")
    for command in (convert, render):
        add_frame_option(command)
    for command in (convert, render, undo, apply):
        command.add_argument("--depth", choices=_DEPTHS, help="depth written, where the format allows it")


def _convert(options: argparse.Namespace) -> int:
    source, target = encoding(options.source), encoding(options.target)
    container = container_for(options.dst)
    still, footage, side = read_frame(options, options.range)
    if isinstance(footage, RawFootage):
        raise UnreadableFile(
            options.src, "is a raw mosaic, which has no encoding to convert from. Use `upwelling render`."
        )
    target_range: Range = options.range or "full"
    depth: Depth = options.depth or container.depths[-1]
    operations = convert_operations(
        source,
        target,
        options.adaptation or "CAT02",
        source_range=side,
        target_range=target_range,
        source_depth=still.integer_depth,
        target_depth=_BITS.get(depth, 16),
    )
    code = run_reference(operations, still.code.astype("float64"))
    tags = {
        "primaries": target.primaries,
        "transfer": target.curve_name,
        "encoding": target.name,
        "range": target_range,
    }
    _write(options.dst, code, depth, tags)
    return 0


def _render(options: argparse.Namespace) -> int:
    path = path_from(options)
    container = container_for(options.dst)
    still, footage, side = read_frame(options, path.camera.range if options.recipe else options.range)
    path = camera_of(footage, path)
    depth: Depth = options.depth or ("16" if "16" in container.depths else container.depths[-1])
    if not options.recipe:  # a legal range means the legal codes of the depths that are read and written
        path = path.model_copy(
            update={
                "camera": path.camera.model_copy(update={"depth": still.integer_depth, "range": side}),
                "display": path.display.model_copy(update={"depth": _BITS.get(depth, 16)}),
            }
        )
    place = Place.whole(still.width, still.height)
    path = path.at(options.frame).fed(FramesAround(footage, options.frame, reading_of(options, footage, side)))
    program = engine.compile_operations(path.operations())
    code = path.apply(still.code, place) if options.exact else engine.run(program, still.code, place=place)
    _write(
        options.dst,
        code,
        depth,
        {
            "primaries": path.target.primaries,
            "transfer": path.target.curve_name,
            "range": path.display.range,
            "encoding": f"{path.target.curve_name}/{path.target.primaries_name}",
        },
    )
    return 0


def _undo(options: argparse.Namespace) -> int:
    if options.recipe:
        options.source = None
    path = path_from(options)
    container = container_for(options.dst)
    if "float" not in container.depths:
        raise UnwritableFile(
            options.dst, "cannot hold scene light, which goes beyond 1. Write an .exr or a float .tif."
        )
    still = read_still(options.src)
    say_notes(options.src, still.notes)
    signal = still.code.astype("float64")
    if path.display.range == "legal":
        signal = run_reference((legal_in(still.integer_depth),), signal)
    over = path.rendering.look
    if over is not None and over.acts:
        raise BadValue(
            f"{over.lut.table.name} lies over the rendering, and a table has no exact inverse: leave the Look of the "
            "display out."
        )
    light = run_reference(path.target.decode_operations(), signal)
    scene = to_scene(path.rendering.method, light, path.working_primaries, path.target, path.input.adaptation)
    _write(
        options.dst,
        scene.astype("float32"),
        options.depth or "float",
        {"primaries": path.working_primaries, "transfer": "linear", "encoding": f"linear/{path.working}"},
    )
    return 0


def _apply(options: argparse.Namespace) -> int:
    lut = read_lut(options.lut)
    container = container_for(options.dst)
    still = read_still(options.src)
    say_notes(options.src, still.notes)
    depth: Depth = options.depth or (still.depth if still.depth in container.depths else container.depths[-1])
    _write(options.dst, lut.apply(still.code, options.interpolation), depth, {})
    return 0


def _write(place: str, code: Any, depth: Depth, tags: dict[str, Any]) -> None:
    clipped = write_still(place, code, depth, tags)
    if clipped:
        sys.stderr.write(
            f"upwelling: note: {clipped:.2%} of the pixels lie outside 0…1 and were clipped by the "
            f"integer file. Write --depth float to keep them.\n"
        )
