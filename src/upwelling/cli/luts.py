"""Commands on encodings and lookup tables: encodings, bake, verify, inspect."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Sequence
from pathlib import Path as FilePath
from typing import Any

from pydantic import ValidationError

from upwelling.cli import bake_list
from upwelling.cli.footage import middle_frame
from upwelling.cli.paths import add_path_options, path_from
from upwelling.core.bake import RECEIVERS, BakeOrder, bake
from upwelling.core.bake.order import SHAPE, without_shape
from upwelling.core.bake.receivers import plain_receiver
from upwelling.core.bake.section import ENDS, STARTS
from upwelling.core.encodings import ENCODINGS
from upwelling.core.errors import BadValue, RecipeError, UnwritableFile
from upwelling.core.files import whole_file
from upwelling.core.outputs import OUTPUTS
from upwelling.core.parameters import refusal
from upwelling.core.path import ARITHMETIC, changed_since
from upwelling.core.proof import Certificate, FrameSample, frame_sample, solve, verify
from upwelling.core.proof.samples import TESTED_PIXELS, read_frames, write_frames
from upwelling.core.tables.evidence import Nearest, evidence
from upwelling.core.tables.facts import measure
from upwelling.core.tables.files import ENDINGS, format_of, read_lut, write_lut

USUAL_GRID = 33
"""Points a side of a cube where nobody says how many."""
_FRAMES_HELP = (
    "pictures to test the table on, as the camera wrote them: stills, sequences or movies (their middle frame). "
    "Without any, only made samples and the scenes that ship are tried, and the verdict says so"
)


def add_commands(commands: Any) -> None:
    """Declares encodings, bake, verify and inspect."""
    listing = commands.add_parser(
        "encodings", help="list encodings and outputs, with codes of 0, 18 and 90 %% and sources"
    )
    listing.add_argument("--json", action="store_true")
    listing.set_defaults(run=_encodings)

    baking = commands.add_parser(
        "bake",
        help="bake the path into a table: .cube, .clf, or a Hald image (.png); of several sources, a proved table each",
        usage="upwelling bake [options] OUT\n       upwelling bake [options] SRC… FOLDER",
    )
    baking.add_argument(
        "places",
        nargs="+",
        metavar="OUT",
        help="the table; or footage files and recipes (.json), and last the new folder or .zip for a table of each",
    )
    add_path_options(baking)
    _add_order_options(baking)
    bake_list.add_options(baking)
    baking.add_argument(
        "--solve", action="store_true", help="take the smallest grid (and a shaper, in .clf) that holds"
    )
    baking.add_argument(
        "--report",
        nargs="?",
        const="",
        metavar="FILE.json",
        help="verify what was written and save the certificate (default: OUT.certificate.json beside the table)",
    )
    baking.add_argument("--frames", nargs="+", default=[], metavar="PICTURE", help=_FRAMES_HELP)
    baking.set_defaults(run=_bake)

    verifying = commands.add_parser(
        "verify", help="test a table against the exact path: exit 0 holds, 1 does not, 2 cannot tell"
    )
    verifying.add_argument("lut", metavar="LUT")
    verifying.add_argument(
        "--certificate",
        metavar="FILE.json",
        help="reproduce this certificate (default, without a path: LUT.certificate.json beside the table, else the one "
        "certificate in its folder that is of this table)",
    )
    verifying.add_argument("--frames", nargs="+", default=[], metavar="PICTURE", help=_FRAMES_HELP)
    add_path_options(verifying)
    _add_order_options(verifying)
    verifying.add_argument("--json", action="store_true")
    verifying.set_defaults(run=_verify)

    inspecting = commands.add_parser("inspect", help="say what a table is and does, and what it may be for")
    inspecting.add_argument("lut", metavar="LUT")
    inspecting.add_argument("--json", action="store_true")
    inspecting.set_defaults(run=_inspect)


def _add_order_options(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--size",
        type=int,
        help=f"grid points a side, or entries of a 1D table (default: {USUAL_GRID}, which HDR outputs and trilinear "
        "receivers seldom hold with: --solve finds what does)",
    )
    parser.add_argument("--curve", action="store_true", help="a 1D table")
    parser.add_argument(
        "--shaper",
        nargs="?",
        const="adapted",
        default="none",
        choices=["adapted", "display"],
        help="before the cube (.clf): a curve adapted to the path (default), or formulas up to the rendering, so that "
        "the cube stands on display light (HDR)",
    )
    parser.add_argument(
        "--fit-entries",
        action=argparse.BooleanOptionalAction,
        default=None,
        help="entries fitted to the receiver's interpolation (default: in grids of up to 36 points)",
    )
    parser.add_argument(
        "--receiver",
        metavar="NAME",
        action="append",
        default=[],
        help="who uses it: " + ", ".join(r.name for r in RECEIVERS) + " (default: any program, floating point)",
    )
    parser.add_argument(
        "--start", choices=STARTS, default="camera", help="the stage before which the table begins (default: camera)"
    )
    parser.add_argument(
        "--end", choices=ENDS, default="display", help="the stage after which it ends (default: display)"
    )
    parser.add_argument(
        "--leave-out",
        nargs="?",
        const="steps",
        choices=["steps", "shapes"],
        help="leave out what no table can carry: the steps (default), or only their shapes where that is enough, so "
        "that they act everywhere",
    )
    parser.add_argument("--frame", type=int, metavar="N", help="freeze steps that change along the shot at this frame")
    parser.add_argument(
        "--carrier",
        default="",
        metavar="ENCODING",
        help="what light is coded as between stages (default: the working log)",
    )


def _order(options: argparse.Namespace) -> BakeOrder:
    path, form = path_from(options), format_of(options.lut)
    if form is None:
        raise UnwritableFile(options.lut, f"tables are written as {', '.join(ENDINGS)}.")
    usual = options.size if options.size is not None else USUAL_GRID
    receiver = plain_receiver(USUAL_GRID if options.curve else usual, path.camera.range, path.display.range)
    if options.receiver:
        receiver = bake_list.receivers_named(options.receiver)[-1]
    elif options.solve if "solve" in options else False:
        receiver = receiver.model_copy(update={"grids": bake_list.GRIDS})
    solving = getattr(options, "solve", False)
    size = receiver.sizes(form.name)[0] if solving and receiver.sizes(form.name) else usual
    if options.size is None and not solving and not options.curve:
        _say_of_the_usual_grid(path.target.is_hdr, receiver.interpolation)
    fitted = (
        options.fit_entries
        if options.fit_entries is not None
        else not options.curve and options.shaper != "display" and receiver.prefers_fitted(size)
    )
    leaves = options.leave_out and options.frame is None
    moving = tuple(layer.name_of(step) for layer, step in path.steps() if step.moves) if leaves else ()
    order = BakeOrder.checked(
        {
            "path": path,
            "left_out": moving,
            "frozen": options.frame,
            "section": {"start": options.start, "end": options.end, "carrier": options.carrier},
            "receiver": receiver,
            "format": form.name,
            "dimensions": 1 if options.curve else 3,
            "size": size,
            "shaper": options.shaper,
            "entries": "fitted" if fitted else "sampled",
        }
    )
    if options.leave_out:
        order = order.model_copy(update={"left_out": (*moving, *_left_out(order, options.leave_out == "shapes"))})
    if order.stuck:
        raise BadValue(
            f"No table can carry {', '.join(step.shown_name for _, step in order.stuck)}: what it does depends on "
            "where a pixel stands or on what lies around it. Give --leave-out to bake the path without."
        )
    return order


def _say_of_the_usual_grid(is_hdr: bool, interpolation: str) -> None:
    """Where a grid that nobody chose seldom holds."""
    why = "on an HDR output" if is_hdr else "read trilinearly" if interpolation == "trilinear" else ""
    if why:
        sys.stderr.write(
            f"upwelling: note: {USUAL_GRID} points are taken unasked, and {why} they seldom hold; --solve finds what "
            "does.\n"
        )


def _left_out(order: BakeOrder, shapes: bool) -> tuple[str, ...]:
    return tuple(f"{name}{SHAPE}" if shapes and without_shape(step).fits_in_lut else name for name, step in order.stuck)


def _encodings(options: argparse.Namespace) -> int:
    rows: list[dict[str, Any]] = [
        {
            "name": e.name,
            "curve": e.curve_name,
            "primaries": e.primaries_name,
            "referred": e.referred,
            "default_range": e.default_range,
            "codes_10bit": [round(e.code_of(r) * 1023, 2) for r in (0.0, 0.18, 0.90)],
            "source": e.source,
        }
        for e in ENCODINGS.values()
    ]
    outputs: list[dict[str, Any]] = [
        {"name": o.name, "peak_nits": o.peak_nits, "mid_grey_nits": o.mid_grey_nits, "source": o.source}
        for o in OUTPUTS.values()
    ]
    if options.json:
        print(json.dumps({"encodings": rows, "outputs": outputs}, indent=2, ensure_ascii=False))
        return 0
    print(f"{'encoding':32}{'0 %':>8}{'18 %':>8}{'90 %':>8}   10-bit full-range code; source")
    for row in rows:
        print("{:32}{:8.1f}{:8.1f}{:8.1f}   {}".format(row["name"], *row["codes_10bit"], row["source"]))
    print(f"\n{'output':32}{'peak':>8}{'18 %':>8}           cd/m²; source")
    for out in outputs:
        print(f"{out['name']:32}{out['peak_nits']:8.0f}{out['mid_grey_nits']:8.1f}           {out['source']}")
    return 0


def _sampled(order: BakeOrder, places: Sequence[str]) -> list[FrameSample]:
    """Pixels of the pictures in files, each read as a frame of the order's camera; raises UnreadableFile."""
    frames = []
    for name in places:
        still, place = middle_frame(name, order.path.camera.range)
        frames.append(frame_sample(order, FilePath(name).name, still.code, None, place))
    return frames


def _bake(options: argparse.Namespace) -> int:
    if len(options.places) > 1:
        return bake_list.bake_list(options)
    options.lut = options.places[0]
    order = _order(options)
    frames = _sampled(order, options.frames)
    if options.solve:
        solution = solve(
            order.model_copy(update={"receiver": order.receiver.model_copy(update={"formats": (order.format,)})}),
            frames=frames,
        )
        best = solution.best
        order = order.model_copy(update=best.wish)
        for tried in solution.tried:
            mark = "→" if tried is best else " "
            sys.stderr.write(f"{mark} {tried.share:6.2f} × the tolerance: {tried.summary()}\n")
        sys.stderr.write(f"{solution.summary()}\n")
    write_lut(
        bake(order, title=f"{order.section.input_name(order.path)} to {order.section.output_name(order.path)}"),
        options.lut,
    )
    if options.report is None:
        if frames:
            sys.stderr.write("upwelling: --frames test what --report writes; without it only --solve uses them.\n")
        return 0
    table = FilePath(options.lut)
    if frames:
        pixels = FilePath(options.report or table).with_name(table.name + TESTED_PIXELS)
        write_frames(frames, pixels)
        # As they will be read back, so that the certificate can be reproduced from the files to the digit.
        frames = read_frames(pixels, [(f.name, len(f.codes), f.outside) for f in frames])
    certificate = verify(table, order, frames=frames)
    with whole_file(options.report or f"{table}.certificate.json") as temporary:
        temporary.write_text(certificate.model_dump_json(indent=2) + "\n", encoding="utf-8")
    _say(certificate, sys.stderr)
    return 0


def _verify(options: argparse.Namespace) -> int:
    table = FilePath(options.lut)
    given = FilePath(options.certificate) if options.certificate else None
    if given is None and not (options.recipe or options.source):
        given = _certificate_beside(table)
    if given is None:
        order = _order(options)
        certificate, before = verify(table, order, frames=_sampled(order, options.frames)), None
    else:
        before = _read_certificate(given)
        frames = _tested_pixels(before, given, table, options)
        certificate = verify(table, before.bake_order, frames=frames, tolerances=before.tolerances)
    if options.json:
        print(certificate.model_dump_json(indent=2))
    else:
        _say(certificate, sys.stdout)
    if before is not None and not before.bake_order.is_marked(before.fingerprint, before.path_fingerprint):
        sys.stderr.write(
            "upwelling: the certificate is from an earlier version, and the same settings give other numbers now: "
            f"{changed_since(ARITHMETIC - 1)}. The file was tested against the present ones.\n"
        )
    if before is not None:
        same = certificate.lut_sha256 == before.lut_sha256
        sys.stderr.write(
            f"upwelling: the file is {'the one' if same else 'not the one'} its certificate was made for (SHA-256 "
            f"{'equal' if same else 'differs'}).\n"
        )
        if not same:
            return 1
    return 0 if certificate.usable else 1


def _tested_pixels(
    before: Certificate, given: FilePath, table: FilePath, options: argparse.Namespace
) -> list[FrameSample]:
    """The pixels that a certificate's table was tested on, where they lie beside it or were named, and those of further
    pictures given.
    """
    kept = [name for name in options.frames if name.endswith(TESTED_PIXELS)]
    place = FilePath(kept[0]) if kept else given.with_name(table.name + TESTED_PIXELS)
    more = _sampled(before.bake_order, [name for name in options.frames if name not in kept])
    if before.frames and (kept or place.exists()):
        return read_frames(place, [(f.name, f.count, f.outside) for f in before.frames]) + more
    if before.frames:
        sys.stderr.write(f"upwelling: {place.name} is missing, so the frames' pixels are not tested again.\n")
    elif kept:
        raise BadValue(f"{kept[0]} cannot be used: the certificate says nothing of tested pixels. Give pictures.")
    return more


def certificate_of(table: FilePath) -> Certificate:
    """The certificate beside a table; raises BadValue where there is none, RecipeError for one that cannot be read."""
    found = _certificate_beside(table)
    if found is None:
        raise BadValue(f"There is no certificate beside {table.name}. Bake it with --report, or keep the two together.")
    return _read_certificate(found)


def _certificate_beside(table: FilePath) -> FilePath | None:
    """The table's certificate: under the usual name, else the one certificate in its folder that is of a table of this
    name, whatever it is called. None where there is none; raises BadValue for several.
    """
    beside = table.with_name(table.name + ".certificate.json")
    if beside.exists():
        return beside
    found = []
    for place in sorted(table.absolute().parent.glob("*.json")):
        try:
            if _read_certificate(place).lut_file == table.name:
                found.append(place)
        except RecipeError:
            continue
    if len(found) > 1:
        raise BadValue(
            f"{', '.join(place.name for place in found)} are all certificates of {table.name}. Say which with "
            "--certificate."
        )
    return found[0] if found else None


def _read_certificate(place: FilePath) -> Certificate:
    try:
        return Certificate.model_validate_json(place.read_bytes())
    except OSError as error:
        raise RecipeError(f"{place.name} cannot be read ({error.strerror}).") from None
    except ValidationError as error:
        raise RecipeError(f"{place.name} is no certificate this program reads ({refusal(error)})") from None


def _say(certificate: Certificate, stream: Any) -> None:
    stream.write(f"{certificate.lut_file}: {certificate.verdict}\n")
    for figures in certificate.sets:
        stream.write(
            f"  {figures.name:20} {figures.count:7d} samples   {certificate.metric} median {figures.median:.3f}   "
            f"95 % {figures.p95:.3f}   99 % {figures.p99:.3f}   max {figures.maximum:.2f}\n"
        )
    stream.write(
        f"  {'worst place hunted':20} {certificate.hunt_samples:7d} samples   {certificate.metric} "
        f"{certificate.hunted.delta_e:.2f} at code " + " ".join(f"{v:.4f}" for v in certificate.hunted.code) + "\n"
    )
    for reason in certificate.reasons_said:
        stream.write(f"  {reason}\n")


def _said(one: Nearest) -> str:
    kind = f"{one.expects} → {one.gives}" if one.expects else "no conversion"
    codes = ", legal codes" if one.codes_legal else ""
    return f"{kind}{codes}: {one.mean_codes:.1f} codes of 10 bit on average, {one.worst_codes:.0f} at worst"


def _inspect(options: argparse.Namespace) -> int:
    lut = read_lut(options.lut)
    found, seems = measure(lut), evidence(lut)
    neutral = found.curves[0]
    facts = {
        "file": FilePath(options.lut).name,
        "title": lut.title,
        "kind": found.kind,
        "dimensions": {"1D": 1, "3D": 3}.get(found.kind, 0),
        "size": lut.size,
        "nodes": list(found.nodes),
        "passed_over": list(found.notes),
        "domain": {"low": list(found.low), "high": list(found.high)},
        "lowest": list(found.lowest),
        "highest": list(found.highest),
        "entries_at_or_below_0": found.clipped_low,
        "entries_at_or_above_1": found.clipped_high,
        "neutral_output": {
            f"{v:.2f}": [round(float(c), 6) for c in neutral[round(v * (len(neutral) - 1))]]
            for v in (0.0, 0.25, 0.41, 0.5, 0.75, 1.0)
        },
        "neutral_spread": found.neutral_spread,
        "neutral_falls": list(found.neutral_falls),
        "second_difference_10bit": {"mean": found.roughness_mean, "worst": found.roughness_worst},
        "cells_turned_inside_out": found.folds,
        "evidence": list(seems.sentences),
        "nearest": [_said(one) for one in seems.nearest],
        "comments": list(lut.comments),
    }
    if options.json:
        print(json.dumps(facts, indent=2, ensure_ascii=False))
        return 0
    for key, value in facts.items():
        print(f"{key.replace('_', ' '):28} {value}")
    return 0
