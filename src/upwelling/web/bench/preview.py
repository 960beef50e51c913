"""One preview: picture, scopes, numbers, Column lines and trace from the same frame, in one answer."""

from __future__ import annotations

import copy
import json
import struct
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from upwelling.core import engine
from upwelling.core.arrays import Float32
from upwelling.core.colour.primaries import Primaries
from upwelling.core.operations import Matte, ShowMatte
from upwelling.core.path import LayerKind, Path, StageName
from upwelling.core.scopes.facts import STOP_HIGH, STOP_LOW, LevelFacts, SceneFacts, scene_facts
from upwelling.core.scopes.picture_views import (
    BAND_COLOURS,
    CLIP_COLOURS,
    FIRST_BAND,
    clip_view,
    false_colour,
    to_bytes,
)
from upwelling.core.scopes.spans import Region, pixels_in, thinned, whole
from upwelling.core.steps import Step, ZoneBalance
from upwelling.core.steps.tonal_report import tonal_report
from upwelling.core.steps.track import Keyed
from upwelling.core.viewing import Viewing
from upwelling.web.bench.column import column, trim_fits
from upwelling.web.bench.curve_ground import curve_ground, curve_line_of, has_curve, traced
from upwelling.web.bench.figures import (
    channels_at_ends,
    extremes_of,
    half_code,
    measure,
    numbers,
    percent,
    region_facts,
    spans_of,
)
from upwelling.web.bench.frame_values import FrameValues
from upwelling.web.bench.hand import IN_HAND, in_hand
from upwelling.web.bench.risks import risks
from upwelling.web.bench.scope import ScopeChoice, draw
from upwelling.web.bench.tickets import NEVER_OVERTAKEN, Ticket
from upwelling.web.bench.together import Joint, Role
from upwelling.web.bench.tone_plot import tone_points
from upwelling.web.bench.trace import trace
from upwelling.web.bench.viewing import NONE, seen_operations
from upwelling.web.bench.zone_plot import zone_points
from upwelling.web.common.pictures import WORKING_HEIGHT, WORKING_WIDTH, jpeg, png, rgba
from upwelling.web.footage.frames import Frame
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_at
from upwelling.web.footage.shot_settings import ShotSettings

View = Literal["picture", "stops", "clip", "selection", "over", "matte"]
THROUGH_LAYER = ("picture", "selection", "over")
"""The views that the viewing layer lies over; the others show facts."""
_packers = ThreadPoolExecutor(max_workers=4, thread_name_prefix="packing")
RAW = "image/x-rgba"
"""Our own name for bytes R, G, B, A, row by row."""
DRAGGED_QUALITY = 90
"""JPEG quality while a hand moves; the still that follows is lossless."""
DIMMED = 0.3
"""How bright the picture stays where a matte that lies over it does not reach."""
WHOLE = (slice(None), slice(None))
GREY = np.uint8(118)
"""sRGB code of 18 % reflectance, shown where a selection does not reach."""


@dataclass(frozen=True)
class Wish:
    """What a page wants of a preview. ``point`` is in pixels of the full frame, ``part`` (x, y, width, height) too:
    what is shown of it, None for all. ``stage``, ``step`` and a ``curve`` of it are in hand. ``without`` leaves layers
    out, and ``unmanaged`` shows the file's own numbers; ``drafts`` are shared layers that come with changes not saved
    yet. What is made is handed to a ``joint`` look in its ``role``.
    """

    without_trim: bool = False
    without: tuple[LayerKind, ...] = ()
    unmanaged: bool = False
    drafts: tuple[str, ...] = ()
    lossless: bool = False
    raw: bool = False
    point: tuple[int, int] | None = None
    scopes: tuple[ScopeChoice, ...] = ()
    region: Region | None = None
    bars: bool = False
    view: View = "picture"
    part: tuple[int, int, int, int] | None = None
    stage: StageName = "trim"
    step: str = ""
    curve: str = ""
    output: str = ""
    viewing: Viewing = NONE
    ticket: Ticket = NEVER_OVERTAKEN
    joint: Joint | None = None
    role: Role = "here"


def preview(shot: Shot, frame: Frame, settings: ShotSettings, wish: Wish) -> bytes:
    """A little-endian uint32 length, that much JSON, the picture, then each scope as uint8 (planes, rows, columns).

    The JSON names the sizes. Bars that intake found are left out of scopes and numbers unless they are wished for.
    Raises Overtaken when the page has asked for something newer meanwhile.
    """
    taken = settings.model_copy(update={"trim_on": False}) if wish.without_trim else settings
    if wish.unmanaged:
        shot = copy.copy(shot)
        shot.managed = False
    path = path_at(shot, frame.number, taken, wish.output).without_layers(*wish.without)
    made = FrameValues(frame.key, frame.working, path, (wish.stage, wish.step), place=frame.place)
    every = spans_of(shot, frame, wish.region, wish.bars)
    spans = every if wish.lossless else thinned(every)
    wish.ticket.check()
    if wish.view in ("picture", "selection", "over") and wish.part is None:
        made.render()
    shown, cut = (made, WHOLE) if wish.part is None else _of_part(frame, made, wish.part)
    picture = np.ascontiguousarray(_picture(shown, frame, settings, wish)[cut])
    wish.ticket.check()
    if wish.joint is not None:
        wish.joint.show(wish.role, picture, f"{shot.name}, {shot.frame_said(frame.number)}", still=wish.lossless)
    # The picture is packed on a thread of its own while scopes and numbers are made.
    packed = _packers.submit(*_packing(picture, wish))
    scene, signal = measure(made, frame, spans)
    histogram = scene.counts if path.input.on or path.camera.raw else 0 * scene.counts
    drawn = [draw(choice, made, spans, histogram, of_region=wish.region is not None) for choice in wish.scopes]
    chosen = in_hand(settings, wish.stage).find(wish.step) if wish.stage in IN_HAND else None
    step = chosen.at(frame.number) if chosen else None
    head = {
        "width": picture.shape[1],
        "height": picture.shape[0],
        "mime": _mime(wish),
        "scopes": [said for _, said in drawn],
        "numbers": _numbers(shot, frame, made, spans, wish, scene, signal),
        "measured": percent(pixels_in(every) / (frame.working.shape[0] * frame.working.shape[1])),
        "region": region_facts(made, signal, spans) if wish.region else [],
        "column": column(shot, path, settings, wish.drafts),
        # Where steps look around, one pixel's values take a window of them: at rest only.
        "trace": trace(shot, path, frame, wish.point) if wish.lossless or "neighbours" not in path.needs else None,
        "fits": trim_fits(path, settings),
        "says": _says(step, made, chosen.moves, frame, wish) if step and chosen and _speaks(step, wish) else None,
        "zones": zone_points(step, _primaries(made)) if isinstance(step, ZoneBalance) else None,
        "timecode": shot.timecode(frame.number),
        "now": _now(step) if step else None,
        "legend": _legend(wish.view),
        "screen": _screen(path),
        "viewing": wish.viewing.summary(path) if wish.view in THROUGH_LAYER else "",
        "line": curve_line_of(step, wish.curve) if step and has_curve(type(step), wish.curve) else None,
        "tone": tone_points(path) if wish.stage == "rendering" else None,
        "tones": scene.counts.tolist() if wish.stage == "rendering" else None,
        "bins": [STOP_LOW, STOP_HIGH],
        "fingerprint": path.fingerprint[:12],
    }
    wish.ticket.check()
    data = packed.result()
    text = json.dumps({**head, "picture_bytes": len(data)}).encode()
    return b"".join((struct.pack("<I", len(text)), text, data, *(bytes(shades.tobytes()) for shades, _ in drawn)))


def _numbers(
    shot: Shot, frame: Frame, made: FrameValues, spans: Any, wish: Wish, scene: SceneFacts, signal: LevelFacts
) -> list[dict[str, str]]:
    extremes = extremes_of(made.signal, spans) if wish.lossless else None
    channels = channels_at_ends(made, spans) if wish.lossless else {}
    return numbers(
        shot, frame, made.original, scene, signal, at_rest=wish.lossless, extremes=extremes, channels=channels
    )


def _mime(wish: Wish) -> str:
    return RAW if wish.raw else "image/png" if wish.lossless else "image/jpeg"


def _packing(picture: Any, wish: Wish) -> tuple[Any, ...]:
    """How a picture is packed: as it is for a page on this machine; else lossless for a still, and as JPEG while a hand
    moves.
    """
    if wish.raw:
        return rgba, picture
    return (png, picture) if wish.lossless else (jpeg, picture, DRAGGED_QUALITY)


def _screen(path: Path) -> str:
    """What this screen cannot show of an HDR output, and how it is shown instead."""
    target = path.target
    return (
        f"{target.name}: this screen shows up to {target.white_nits:g} cd/m²; brighter is white here"
        if target.is_hdr and path.display.on
        else ""
    )


def _of_part(
    frame: Frame, made: FrameValues, part: tuple[int, int, int, int]
) -> tuple[FrameValues, tuple[slice, slice]]:
    """The values of a part of the full frame, with as much around it as its steps look at, and what of them it is."""
    x, y, width, height = part
    x, y = min(max(x, 0), frame.width - 8), min(max(y, 0), frame.height - 8)
    width, height = min(max(width, 8), frame.width - x), min(max(height, 8), frame.height - y)
    most = (WORKING_WIDTH, WORKING_HEIGHT)
    code, place, cut = frame.part(x, y, width, height, most, made.original.reach)
    key = (*frame.key, place, code.shape)
    return FrameValues(key, code, made.original, made.in_hand, place=place), cut


def _picture(made: FrameValues, frame: Frame, settings: ShotSettings, wish: Wish) -> Any:
    """uint8 (H, W, 3) for the browser."""
    if wish.view == "stops":
        return false_colour(made.scene(), made.path.working_primaries)
    if wish.view == "clip":
        half = half_code(made.path)
        return clip_view(made.signal, made.code, frame.plateaus.starts, half, 1 - half)
    picture = to_bytes(_seen(made, wish.viewing) if wish.viewing.acts else made.view)
    if wish.view in ("selection", "over", "matte"):
        held = in_hand(settings, wish.stage).find(wish.step)
        weight = _matte(made, held.at(frame.number) if held else None)
        if weight is not None:
            return _through(picture, weight[..., None], wish.view)
    return picture


def _seen(made: FrameValues, viewing: Viewing) -> Float32:
    """The picture through the viewing layer, which scopes and numbers know nothing of."""
    return engine.run(engine.compile_operations(seen_operations(viewing, made.path)), made.code, place=made.place)


def _through(picture: Any, weight: Any, view: View) -> Any:
    """A picture uint8 (H, W, 3) seen through a matte: cut out on grey, dimmed where it does not reach, or it alone."""
    if view == "matte":
        return np.repeat(np.rint(255 * weight), 3, axis=-1).astype(np.uint8)
    if view == "over":
        return np.rint(picture * (DIMMED + (1 - DIMMED) * weight)).astype(np.uint8)
    return np.rint(GREY + weight * (picture.astype(np.float32) - GREY)).astype(np.uint8)


def _matte(made: FrameValues, step: Step | None) -> Float32 | None:
    """How much of each pixel a step's matte selects, 0…1 (H, W); None where it has none."""
    matte = step.limit.operation(_primaries(made)) if step is not None and step.limit else None
    if step is None or matte is None:
        return None
    return engine.run(_shown(matte), made.before(made.in_hand[0], step.id), place=made.place)[..., 0]


def _primaries(made: FrameValues) -> Primaries:
    """Of the light that the step in hand works on."""
    return made.path.target.gamut if made.in_hand[0] == "finish" else made.path.working_primaries


def _shown(matte: Matte) -> engine.Program:
    return engine.compile_operations((ShowMatte(matte),))


def _now(step: Step) -> dict[str, Any]:
    """What of the step in hand may change along the shot, as it stands at this frame: by the place of its holder."""
    holders: dict[str, Keyed] = {"": step}
    if step.limit is not None:
        holders |= {f"limit.selections.{n}": one for n, one in enumerate(step.limit.selections)}
    return {place: {name: getattr(holder, name) for name in holder.keyable()} for place, holder in holders.items()} | {
        "step": step.id
    }


def _lut_says(step: Step, moves: bool) -> str:
    if step.fits_in_lut:
        return "A LUT carries one frame of it: it changes along the shot" if moves else "A LUT can carry it"
    return "A LUT cannot carry it"


ACTS_BY = 1e-6
"""Share of the picture's highest light below which a step's difference is none: float32's own."""


def _speaks(step: Step, wish: Wish) -> bool:
    """While a hand moves only a step that selects says how much; the rest is said when it rests."""
    return wish.lossless or step.limit is not None


def _says(step: Step, made: FrameValues, moves: bool, frame: Frame, wish: Wish) -> dict[str, Any]:
    """What the step in hand says of itself, with numbers: tones it harms, what it pushes below 0, how much it selects.

    Shares are of every ninth pixel, which is enough for a share. While a hand moves only what it selects is said.
    """
    working = _primaries(made)
    matte = step.limit.operation(working) if step.limit else None
    if not wish.lossless:
        return {"step": step.id, "selected": _selected(matte, step, made)}
    said = [] if step.changes_nothing else list(tonal_report(step, working))
    before = np.ascontiguousarray(made.before(made.in_hand[0], step.id)[1::3, 1::3])
    spans = whole(*before.shape[:2])
    facts = scene_facts(before, working, np.eye(3), spans)
    pixel = traced(made.before(made.in_hand[0], step.id), frame, wish.point)
    ground = curve_ground(step, before, facts.counts.tolist(), pixel, working)
    out: dict[str, Any] = {"step": step.id, "ground": ground}
    changed = step.camera_light and bool(made.path.layer("trim").steps_before(step.id))
    if step.on and not step.changes_nothing:
        after = _thinned(engine.compile_operations(step.operations(working)), step, made, before)
        if np.abs(after - before).max(initial=0.0) <= ACTS_BY * max(float(np.abs(before).max(initial=0.0)), 1.0):
            said.append(
                "changes nothing in this picture"
                + (": the camera's clip does not come to it, as another step changes the light before" * changed)
            )
        pushed = scene_facts(after, working, np.eye(3), spans).negative - facts.negative
        if pushed >= 0.0005:
            said.append(f"pushes {percent(pushed)} of the picture below 0")
    if step.on and not step.changes_nothing:
        said += risks(made, frame)
    out["tones"] = [text[0].upper() + text[1:] + "." for text in said]
    out["selected"] = _selected(matte, step, made)
    out["lut"] = _lut_says(step, moves)
    out["inverse"] = "can be undone exactly" if step.invertible and step.acts_wholly else "has no exact inverse"
    out["neutral"] = step.neutral
    return out


def _selected(matte: Matte | None, step: Step, made: FrameValues) -> str:
    if matte is None:
        return ""
    before = np.ascontiguousarray(made.before(made.in_hand[0], step.id)[1::3, 1::3])
    share = float(_thinned(_shown(matte), step, made, before)[..., 0].mean())
    return f"selects {percent(share)} of the picture · "


def _thinned(program: engine.Program, step: Step, made: FrameValues, before: Float32) -> Float32:
    """What a program makes of every ninth pixel that reaches a step; one that needs neighbours is run on all of them,
    and picked from after.
    """
    if "neighbours" in program.needs:
        return np.ascontiguousarray(
            engine.run(program, made.before(made.in_hand[0], step.id), place=made.place)[1::3, 1::3]
        )
    return engine.run(program, before, place=made.place.part(1, 1, every=3) if made.place else None)


def _legend(view: View) -> list[dict[str, str]]:
    """What the colours of a view mean."""
    if view == "stops":
        last = len(BAND_COLOURS) - 1
        return [
            {
                "colour": "#{:02x}{:02x}{:02x}".format(*colour),
                "label": ("≤" if i == 0 else "")
                + f"{FIRST_BAND + i:+d}".replace("-", "−").replace("+0", "0")
                + ("…" if i == last else ""),
            }
            for i, colour in enumerate(BAND_COLOURS)
        ]
    if view == "clip":
        return [
            {"colour": "#{:02x}{:02x}{:02x}".format(*colour), "label": name} for name, colour in CLIP_COLOURS.items()
        ]
    return []
