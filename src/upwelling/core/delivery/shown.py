"""What somebody without the output's display is shown on a screen of theirs: stills that say what they are, each opened
again and compared, and a strip by which the screen itself is judged.

SDR light goes out in sRGB codes of the output's primaries, so that light keeps its ratios on any screen that
follows its files' tags, or is an sRGB one; HDR light goes out as it is, and says so (cICP).
"""

from __future__ import annotations

import hashlib
import json
from dataclasses import asdict, dataclass
from pathlib import Path as FilePath
from typing import Any

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.charts.patch_chart import chart_linear
from upwelling.core.colour.primaries import PRIMARIES
from upwelling.core.curves import CURVES
from upwelling.core.delivery.form import Form
from upwelling.core.delivery.frames import Renderer, source_frames
from upwelling.core.delivery.order import Order, Piece
from upwelling.core.delivery.tolerance import tolerance_for
from upwelling.core.errors import BadValue
from upwelling.core.media import read_still, write_still
from upwelling.core.media.icc_write import display_profile
from upwelling.core.media.tags import PRIMARIES as NUMBERED
from upwelling.core.outputs import CustomOutput, Output
from upwelling.core.path import Path

SCREEN_CURVE = "sRGB"
_NAMED = ("BT.709", "P3-D65", "P3-DCI", "BT.2020")
BLACK_STEPS, WHITE_STEPS = (0, 2, 4, 8, 12, 18), (255, 252, 249, 245, 240, 234)
"""Codes of 255 of the strip's first and last fields; common practice, no source."""
WEDGE = 12
STRIP = (480, 96)
"""Width and height of the strip."""


@dataclass(frozen=True)
class Shown:
    """A still as it was made: its size, the largest difference from the exact path in codes, and the file's sum."""

    width: int
    height: int
    codes_off: float
    bits: int
    sha256: str

    def as_json(self) -> dict[str, Any]:
        return asdict(self)


def screen_path(path: Path) -> Path:
    """The path with its light coded for a screen: that of an SDR output in sRGB codes, any other as it is; full range.

    Where nothing is made of a file's codes (``shows_numbers``), they go out as they are, as codes of the screen.
    """
    display = path.display.model_copy(update={"range": "full"})
    target = path.target
    if not target.is_hdr and target.curve_name != SCREEN_CURVE:
        display = display.model_copy(update={"custom": _in_screen_codes(target)})
    return path.model_copy(update={"display": display})


def shows_numbers(path: Path) -> bool:
    """Whether a path has no display's light to show, only numbers: its Input or its Display code is off."""
    return not (path.input.on and path.display.on)


def _in_screen_codes(target: Output) -> CustomOutput:
    """The same display by name, primaries and light; what is finished for it by its name stays so."""
    own = target.primaries
    known = next((name for name in _NAMED if PRIMARIES[name] == own), None)
    corners = {name: getattr(own, name) for name in ("red", "green", "blue", "white")}
    return CustomOutput.model_validate(
        {
            "name": target.name,
            "note": f"The light of {target.curve_name} in sRGB codes",
            "curve": SCREEN_CURVE,
            "primaries": known or corners,
            "limit": target.limit_name,
            "peak_nits": target.peak_nits,
            "black_nits": target.black_nits,
            "mid_grey_nits": target.mid_grey_nits,
            "white_nits": target.white_nits,
            "surround": target.surround,
        }
    )


def screened(order: Order) -> Order:
    """The order with each piece's light coded for a screen; raises BadValue."""
    by_recipe: dict[str, Any] = {}
    pieces = []
    for piece in order.pieces:
        key = json.dumps(piece.recipe, sort_keys=True)
        if key not in by_recipe:
            by_recipe[key] = json.loads(screen_path(piece.path).to_recipe())
        pieces.append(piece.model_copy(update={"recipe": by_recipe[key]}).model_dump(mode="json"))
    return Order.checked({**order.model_dump(mode="json"), "pieces": pieces})


def still_order(piece: Piece, title: str = "") -> Order:
    """The order of a still of one frame, for the piece's own output: PNG, 8 bit or for HDR 16, in the source's size."""
    depth: Any = "16" if piece.path.target.is_hdr else "8"
    form = Form(preset="Shown", ending=".png", depth=depth, range="full", dither="none")
    return Order(pieces=(piece,), form=form, title=title[:200])


def make_shown(order: Order, place: FilePath) -> Shown:
    """Renders the first frame of an order for a screen and writes it; opened again, each of its pixels is compared with
    the exact path.

    Raises BadValue where the file cannot say what its codes are, or does not hold what the exact path says.
    """
    order = screened(order)
    piece = order.pieces[0]
    renderer = Renderer(order, piece)
    code = next(source_frames(order, piece, piece.first, piece.first)).code
    bits = order.form.code_bits
    tags = shown_tags(piece.path.target)
    write_still(place, renderer.signal(code, piece.first), order.form.depth, tags)
    kept = np.asarray(read_still(place).code, np.float64)
    wanted = np.clip(renderer.exact(code, piece.first), 0, 1)
    top = 2**bits - 1
    off = float(np.max(np.abs(kept - wanted))) * top if kept.shape == wanted.shape else float("inf")
    if off > (tolerance_for(order.form).codes_off or 0.0):
        place.unlink(missing_ok=True)
        raise BadValue(f"{piece.name}: its still is {off:.3g} of {top} codes from the exact path, so it is not shown.")
    height, width = kept.shape[:2]
    return Shown(width, height, round(off, 4), bits, hashlib.sha256(place.read_bytes()).hexdigest())


def write_small(still: FilePath, place: FilePath, target: Output, width: int = 240) -> None:
    """A small picture of an SDR still, by the mean of its light over blocks of pixels, saying the same of its codes."""
    code = np.asarray(read_still(still).code, np.float64)
    block = max(1, code.shape[1] // width)
    rows, columns = (side // block for side in code.shape[:2])
    light = CURVES[SCREEN_CURVE].to_linear(code[: rows * block, : columns * block])
    mean = light.reshape(rows, block, columns, block, 3).mean(axis=(1, 3))
    write_still(place, CURVES[SCREEN_CURVE].from_linear(mean), "8", shown_tags(target))


def shown_tags(target: Output) -> dict[str, Any]:
    """What a still of an output's codes says: BT.709 and HDR by number (cICP), others by a profile. Raises BadValue."""
    tags: dict[str, Any] = {"primaries": target.primaries, "transfer": target.curve_name, "range": "full"}
    if target.is_hdr:
        if target.primaries.name not in NUMBERED.values():
            raise BadValue(
                f"ITU-T H.273 has no number for {target.primaries.name} primaries, so an HDR PNG cannot say them."
            )
        return tags
    if target.primaries == PRIMARIES["BT.709"]:
        return tags
    return {**tags, "icc": display_profile(target)}


def judging_strip() -> Float64:
    """(H, W, 3) sRGB codes 0…1: black steps, a wedge of greys even in code, two skins of the 24-patch chart, white
    steps.
    """
    width, height = STRIP
    skins = CURVES[SCREEN_CURVE].from_linear(np.clip(chart_linear("BT.709")[:2], 0, 1))
    greys = [*BLACK_STEPS, *np.linspace(0, 255, WEDGE)]
    fields = [*(np.full(3, code / 255) for code in greys), *skins, *(np.full(3, code / 255) for code in WHITE_STEPS)]
    edges = np.linspace(0, width, len(fields) + 1).round().astype(int)
    strip = np.empty((height, width, 3))
    for field, left, right in zip(fields, edges, edges[1:], strict=False):
        strip[:, left:right] = field
    return strip
