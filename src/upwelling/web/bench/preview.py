"""One preview: picture, scopes, numbers, Column lines and trace from the same frame, in one answer."""

from __future__ import annotations

import json
import struct
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from upwelling.core import engine
from upwelling.core.arrays import Float32
from upwelling.core.colour_operations import ShowSelection
from upwelling.core.path import Path, StageName
from upwelling.core.picture_views import BAND_COLOURS, CLIP_COLOURS, FIRST_BAND, clip_view, false_colour, to_bytes
from upwelling.core.scopes import STOP_HIGH, STOP_LOW, Region, scene_facts, whole
from upwelling.core.steps import Ladder, Step
from upwelling.core.steps.tonal_report import tonal_report
from upwelling.web.bench.column import column, trim_fits
from upwelling.web.bench.computed import Computed
from upwelling.web.bench.measured import measure, numbers, percent, plateau_of, region_facts, spans_of
from upwelling.web.bench.newest import NEVER_OVERTAKEN, Ticket
from upwelling.web.bench.scope import ScopeChoice, draw
from upwelling.web.bench.trace import trace
from upwelling.web.footage.frames import Frame
from upwelling.web.footage.models import Shot
from upwelling.web.footage.pictures import WORKING_HEIGHT, WORKING_WIDTH, jpeg, png
from upwelling.web.footage.shot_settings import ShotSettings

View = Literal["picture", "stops", "clip", "selection"]
_packers = ThreadPoolExecutor(max_workers=4, thread_name_prefix="packing")
GREY = np.uint8(118)
"""sRGB code of 18 % reflectance, shown where a selection does not reach."""


@dataclass(frozen=True)
class Wish:
    """What a page wants of a preview. ``point`` is in pixels of the full frame, ``part`` (x, y, width, height) too: what is shown of
    it, None for all. ``stage`` and ``step`` are in hand."""

    without_trim: bool = False
    lossless: bool = False
    point: tuple[int, int] | None = None
    scopes: tuple[ScopeChoice, ...] = ()
    region: Region | None = None
    bars: bool = False
    view: View = "picture"
    part: tuple[int, int, int, int] | None = None
    stage: StageName = "trim"
    step: str = ""
    output: str = ""
    ticket: Ticket = NEVER_OVERTAKEN


def preview(shot: Shot, frame: Frame, settings: ShotSettings, wish: Wish) -> bytes:
    """A little-endian uint32 length, that much JSON, the picture, then each scope as uint8 (planes, rows, columns).

    The JSON names the sizes. Bars that intake found are left out of scopes and numbers unless they are wished for. Raises Overtaken
    when the page has asked for something newer meanwhile.
    """
    shown = settings.model_copy(update={"trim_on": False}) if wish.without_trim else settings
    path = shot.path(shown, wish.output)
    made = Computed(frame.key, frame.working, path, (wish.stage, wish.step))
    spans = spans_of(shot, frame, wish.region, wish.bars)
    wish.ticket.check()
    if wish.view in ("picture", "selection") and wish.part is None:
        made.render()
    picture = _picture(made if wish.part is None else _of_part(frame, made, wish.part), frame, settings, wish)
    wish.ticket.check()
    # The picture is packed on a thread of its own while scopes and numbers are made.
    packed = _packers.submit(png if wish.lossless else jpeg, picture)
    scene, signal = measure(made, frame, spans)
    histogram = scene.counts if path.input.on or path.camera.raw else 0 * scene.counts
    drawn = [draw(choice, made, spans, histogram) for choice in wish.scopes]
    step = next((s for s in settings.steps if s.id == wish.step), None) if wish.stage == "trim" else None
    head = {
        "width": picture.shape[1], "height": picture.shape[0], "mime": "image/png" if wish.lossless else "image/jpeg",
        "scopes": [said for _, said in drawn], "numbers": numbers(shot, frame, path, scene, signal, at_rest=wish.lossless),
        "measured": percent(scene.pixels / (frame.working.shape[0] * frame.working.shape[1])),
        "region": region_facts(made, signal, spans) if wish.region else [],
        "column": column(shot, path, settings), "trace": trace(shot, path, frame, wish.point), "fits": trim_fits(settings),
        "says": _says(step, made) if step else None, "legend": _legend(wish.view), "screen": _screen(path),
        "tones": scene.counts.tolist() if wish.stage == "rendering" else None, "bins": [STOP_LOW, STOP_HIGH], "fingerprint": path.fingerprint[:12],
    }
    wish.ticket.check()
    data = packed.result()
    text = json.dumps({**head, "picture_bytes": len(data)}).encode()
    return b"".join((struct.pack("<I", len(text)), text, data, *(bytes(shades.tobytes()) for shades, _ in drawn)))


def _screen(path: Path) -> str:
    """What this screen cannot show of an HDR output, and how it is shown instead."""
    target = path.target
    return f"{target.name}: this screen shows up to {target.white_nits:g} cd/m²; brighter is white here" if target.is_hdr and path.display.on else ""


def _of_part(frame: Frame, made: Computed, part: tuple[int, int, int, int]) -> Computed:
    x, y, width, height = part
    x, y = min(max(x, 0), frame.width - 8), min(max(y, 0), frame.height - 8)
    width, height = min(max(width, 8), frame.width - x), min(max(height, 8), frame.height - y)
    code = frame.part(x, y, width, height, (WORKING_WIDTH, WORKING_HEIGHT))
    return Computed((*frame.key, x, y, width, height), code, made.original, made.place)


def _picture(made: Computed, frame: Frame, settings: ShotSettings, wish: Wish) -> Any:
    """uint8 (H, W, 3) for the browser."""
    if wish.view == "stops":
        return false_colour(made.scene(), made.path.working_primaries)
    if wish.view == "clip":
        half_code = 0.5 / (2**made.path.display.depth - 1)
        return clip_view(made.signal, made.code, plateau_of(frame), half_code, 1 - half_code)
    picture = to_bytes(made.view)
    if wish.view == "selection":
        step = next((s for s in settings.steps if s.id == wish.step), None)
        if step is not None and step.limit is not None:
            weight = _selection(made, step)
            picture = np.rint(GREY + weight[..., None] * (picture.astype(np.float32) - GREY)).astype(np.uint8)
    return picture


def _selection(made: Computed, step: Step) -> Float32:
    """How much of each pixel a step's colour range selects, 0…1 (H, W)."""
    assert step.limit is not None
    operations = (step.limit.operation(made.path.working_primaries), ShowSelection())
    return engine.run(engine.compile_operations(operations), made.before("trim", step.id))[..., 0]


def _says(step: Step, made: Computed) -> dict[str, Any]:
    """What the step in hand says of itself, with numbers: tones it harms, what it pushes below 0, how much it selects.

    Shares are of every ninth pixel, which is enough for a share.
    """
    working = made.path.working_primaries
    said = [] if step.changes_nothing else list(tonal_report(step, working))
    before = np.ascontiguousarray(made.before("trim", step.id)[1::3, 1::3])
    spans = whole(*before.shape[:2])
    facts = scene_facts(before, working, np.eye(3), spans)
    out: dict[str, Any] = {"step": step.id, "histogram": facts.counts.tolist() if isinstance(step, Ladder) else None}
    if step.on and not step.changes_nothing:
        after = engine.run(engine.compile_operations(step.operations(working)), before)
        pushed = scene_facts(after, working, np.eye(3), spans).negative - facts.negative
        if pushed >= 0.0005:
            said.append(f"pushes {percent(pushed)} of the picture below 0")
    out["tones"] = [text[0].upper() + text[1:] + "." for text in said]
    if step.limit is not None:
        weight = engine.run(engine.compile_operations((step.limit.operation(working), ShowSelection())), before)[..., 0]
        out["selected"] = f"selects {percent(float(weight.mean()))} of the picture · "
    out["lut"] = "A LUT can carry it" if step.fits_in_lut else "A LUT cannot carry it"
    out["inverse"] = "can be undone exactly" if step.invertible and step.strength == 1 and step.limit is None else "has no exact inverse"
    out["neutral"] = step.neutral
    return out


def _legend(view: View) -> list[dict[str, str]]:
    """What the colours of a view mean."""
    if view == "stops":
        last = len(BAND_COLOURS) - 1
        return [{"colour": "#{:02x}{:02x}{:02x}".format(*colour),
                 "label": ("≤" if i == 0 else "") + f"{FIRST_BAND + i:+d}".replace("-", "−").replace("+0", "0") + ("…" if i == last else "")}
                for i, colour in enumerate(BAND_COLOURS)]
    if view == "clip":
        return [{"colour": "#{:02x}{:02x}{:02x}".format(*colour), "label": name} for name, colour in CLIP_COLOURS.items()]
    return []
