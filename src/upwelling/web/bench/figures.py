"""What is printed about a picture or a region of it: levels, what clips, what lies outside, what may band."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from upwelling.core.arrays import MID_GREY
from upwelling.core.colour.primaries import rgb_to_rgb, rgb_to_xyz
from upwelling.core.measure.banding import RISKY, banding
from upwelling.core.path import Path
from upwelling.core.scopes.dots import LEAST_CHROMA, SKIN_DEGREES, colour_difference, luma_of, off_skin_line
from upwelling.core.scopes.facts import LevelFacts, SceneFacts, scene_facts, signal_facts
from upwelling.core.scopes.spans import Region, common, inner, mask_of, region_spans
from upwelling.web.bench.bars import bars_in
from upwelling.web.bench.frame_values import FrameValues
from upwelling.web.bench.scope import SKIN_BANDS, luma_weights
from upwelling.web.footage.frames import Frame
from upwelling.web.footage.models import Shot

NO_PLATEAU = 1e30
SCENE, DISPLAY, FILE = "scene", "display", "file"
"""At which boundary a figure holds: scene light after the look, the display's signal, the file's codes."""


def spans_of(shot: Shot, frame: Frame, region: Region | None, bars: bool) -> Any:
    """What is measured of a working frame: all but the bars intake found, unless ``bars``,
    and the region's part of it.
    """
    height, width = frame.working.shape[:2]
    spans = inner(height, width, (0, 0, 0, 0) if bars else bars_in(shot, frame))
    return common(spans, region_spans(height, width, region)) if region else spans


def half_code(path: Path) -> float:
    """Half a code of the display: what is no further from 0 or 1 is at its black or its peak."""
    return float(0.5 / (2**path.display.depth - 1))


def measure(made: FrameValues, frame: Frame, spans: Any) -> tuple[SceneFacts, LevelFacts]:
    """Facts of the scene light after the look, and of the display signal."""
    path = made.path
    half = half_code(path)
    to_output = rgb_to_rgb(path.working_primaries, path.target.gamut, path.input.adaptation)
    return (
        scene_facts(made.scene(), path.working_primaries, to_output, spans),
        signal_facts(made.signal, made.code, frame.plateaus.starts, half, 1 - half, spans),
    )


def numbers(
    shot: Shot,
    frame: Frame,
    path: Path,
    scene: SceneFacts,
    signal: LevelFacts,
    *,
    at_rest: bool = True,
    extremes: tuple[Any, Any] | None = None,
    channels: Mapping[str, Any] | None = None,
) -> list[dict[str, str]]:
    """Name, value and explanation of each printed number, and the boundary at which it holds.

    The risk of banding, the ``extremes`` and the shares of ``channels`` at the ends, by the name of the row they stand
    under, are said when the hand is at rest.
    """
    known = shot.settled.is_settled and shot.is_managed
    rows = [
        ("Below 0", scene.negative, "Any channel of scene light after the look below 0", known, SCENE),
        ("Above white", scene.above_white, "Luminance of scene light above diffuse white 1.0", known, SCENE),
        ("At black", signal.at_black, "Any channel at the display’s black", True, DISPLAY),
        ("At peak", signal.at_peak, "Any channel at the display’s peak", True, DISPLAY),
        ("– clipped by us", signal.ours, "At the display’s peak though the camera had not clipped", True, DISPLAY),
        ("Clipped in camera", signal.camera, _plateau_words(frame, path), True, FILE),
        ("Outside gamut", scene.out_of_gamut, f"Outside {path.target.gamut.name} before the gamut fit", known, SCENE),
    ]
    said = [
        {"name": name, "value": percent(share), "title": title, "at": at}
        for name, share, title, shown, at in rows
        if shown
    ]
    for name, shares in (channels or {}).items():
        _under(said, name, shares, f"{name}, each channel by itself", DISPLAY)
    if signal.camera:
        _under(said, "Clipped in camera", signal.camera_channels, _plateau_words(frame, path), FILE)
    if extremes is not None:
        least, most = extremes
        for name, found in (("Least", least), ("Most", most)):
            value = "  ".join(f"{100 * v:.1f}" for v in found) + " %"
            title = f"{name} display signal of each channel"
            said.append({"name": f"{name} R G B", "value": value, "title": title, "at": DISPLAY})
    risk = banding(path, *frame.used_codes) if known and at_rest else None
    if risk:
        said.append(
            {
                "name": "Banding risk",
                "at": DISPLAY,
                "value": f"{risk.risky} of {risk.steps} steps" if risk.risky else "none",
                "title": f"Neighbouring {path.camera.depth}-bit codes of the file lie up to {risk.widest:.1f} 10-bit "
                f"codes apart on the display; more than {RISKY:g} may show as bands in a smooth slope",
            }
        )
    return said


def _under(said: list[dict[str, str]], name: str, shares: Any, title: str, at: str) -> None:
    """Puts the shares of the channels under the row of that name, where it has any."""
    place = next(i for i, row in enumerate(said) if row["name"] == name) + 1
    if max(shares):
        value = " ".join(percent(share).removesuffix(" %") for share in shares) + " %"
        said.insert(place, {"name": "– red, green, blue", "value": value, "title": title, "at": at})


def channels_at_ends(made: FrameValues, spans: Any) -> dict[str, tuple[float, ...]]:
    """Shares of each channel at the display's black and at its peak, of what lies in spans."""
    half, inside = half_code(made.path), mask_of(spans, made.signal.shape[1])
    total = max(int(inside.sum()), 1)
    planes = [made.signal[..., channel] for channel in range(3)]
    return {
        "At black": tuple(np.count_nonzero((plane <= half) & inside) / total for plane in planes),
        "At peak": tuple(np.count_nonzero((plane >= 1 - half) & inside) / total for plane in planes),
    }


def extremes_of(signal: Any, spans: Any) -> tuple[Any, Any] | None:
    """Least and most of each channel of a signal (H, W, 3) in spans; None where they take in nothing."""
    if not any(b > a for a, b in spans):
        return None
    # By whole rows: a reduction over pixels of three channels at a time is thirty times as slow.
    least, most = (np.full(signal.shape[1:], end, np.float32) for end in (np.inf, -np.inf))
    for row, (a, b) in zip(signal, spans, strict=True):
        np.minimum(least[a:b], row[a:b], out=least[a:b])
        np.maximum(most[a:b], row[a:b], out=most[a:b])
    return least.min(axis=0), most.max(axis=0)


def _plateau_words(frame: Frame, path: Path) -> str:
    """The codes at which channels pile up."""
    found, top = frame.plateaus, 2**path.camera.depth - 1
    if not found.found:
        return "No channel of the file piles up at its top"
    codes = ", ".join(
        f"{name} at {round(code * top)}"
        for name, code, share in zip(("red", "green", "blue"), found.codes, found.shares, strict=True)
        if share
    )
    return f"Channels pile up at the top of what the file holds: {codes}"


def percent(share: float) -> str:
    """A share as the page prints it; what is there is never printed as 0."""
    value = share * 100
    return "0 %" if value == 0 else "<0.1 %" if value < 0.05 else f"{value:.1f} %"


def region_facts(made: FrameValues, signal: LevelFacts, spans: Any) -> list[dict[str, str]]:
    """Mean and spread of the display signal, its hue beside the skin-tone line, and its distance from neutral."""
    path, weights = made.path, luma_weights(made.path)
    mean = np.array(signal.mean)
    luma = luma_of(mean, weights)
    chroma = float(np.hypot(*colour_difference(mean, weights)))
    scene = made.scene()
    light = np.array(signal_facts(scene, scene, NO_PLATEAU, -NO_PLATEAU, NO_PLATEAU, spans).mean)
    luminance = float(light @ rgb_to_xyz(path.working_primaries)[1])
    angle = off_skin_line(mean, weights)
    skin = [name for name, low, high in SKIN_BANDS if low <= luma <= high]
    rows = [
        (
            "Mean R G B",
            "  ".join(f"{100 * v:.1f}" for v in mean) + " %",
            "Mean display signal of each channel",
            DISPLAY,
        ),
        (
            "Spread",
            "  ".join(f"{100 * v:.1f}" for v in signal.spread) + " %",
            "Standard deviation of each channel",
            DISPLAY,
        ),
        (
            "Luma",
            f"{100 * luma:.1f} %",
            "Common practice: "
            + "; ".join(f"{n} {100 * a:.0f}…{100 * b:.0f} %" for n, a, b in SKIN_BANDS)
            + (f". Now in: {', '.join(skin)}" if skin else ". Now in none"),
            DISPLAY,
        ),
        (
            "From mid grey",
            f"{np.log2(luminance / MID_GREY):+.2f} stops".replace("-", "−") if luminance > 0 else "no light",
            "Mean scene light after the look",
            SCENE,
        ),
        (
            "From skin line",
            f"{angle:+.1f}°".replace("-", "−") if chroma > LEAST_CHROMA else "no hue",
            f"Vectorscope angle less the skin line’s {SKIN_DEGREES:g}°; common practice",
            DISPLAY,
        ),
        (
            "From neutral",
            f"{100 * chroma:.2f} %",
            "Length of the mean colour difference (Pb, Pr); 0 is neutral",
            DISPLAY,
        ),
    ]
    return [{"name": n, "value": v, "title": t, "at": at} for n, v, t, at in rows]
