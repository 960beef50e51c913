"""Renderings compared by numbers on the same frame: what each does to levels, hue, contrast and colour.

All is measured on display light, against scene light or against the HDR version of the same shot.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core import engine
from upwelling.core.arrays import MID_GREY, Float32, Float64
from upwelling.core.charts.patch_chart import chart_linear
from upwelling.core.colour.difference import delta_e_itp, ictcp
from upwelling.core.colour.primaries import Adaptation, Primaries, primaries, rgb_to_rgb, rgb_to_xyz
from upwelling.core.curves import CURVES
from upwelling.core.operations import Operation, run_reference
from upwelling.core.outputs import Output
from upwelling.core.rendering import Rise, ToneMap

BRIGHT, DARK = 1.5, -3.0
"""Stops from mid grey above which light counts as a highlight, below which as a shadow."""
SATURATED = 0.25
"""Share of the largest channel that the smallest must stay under for a highlight to count as saturated."""
SEEN = 0.01
"""Chroma in ICtCp under which hue means nothing."""
MOVED = 1.0
"""ΔE ITP from which a pixel counts as moved by the gamut fit."""
WINDOW = 9


@dataclass(frozen=True)
class Figures:
    """What is printed of one rendering. Shares and contrasts are 0…1; ``None``:
    the frame has nothing to measure it on.
    """

    mid_grey_nits: float
    mid_grey_signal: float
    light_skin_signal: float
    dark_skin_signal: float
    at_peak: float
    at_black: float
    hue_mean: float | None
    hue_worst: float | None
    highlight_contrast: float | None
    shadow_contrast: float | None
    colourfulness: float
    from_hdr: float | None
    fit_share: float
    fit_mean: float
    fit_worst: float


@dataclass(frozen=True)
class Rendered:
    """A frame by one rendering: relative display light before and after the gamut fit, and full-range signal, all (H,
    W, 3).
    """

    before_fit: Float32
    light: Float32
    signal: Float32


def render(method: ToneMap, scene: Float32, working: Primaries, target: Output, adaptation: Adaptation) -> Rendered:
    """Runs a rendering in the engine; raises BadValue when its settings cannot meet."""
    tone = method.tone(working, target, adaptation)
    before = _run(tone, scene)
    light = _run(method.operations(working, target, adaptation), scene)
    return Rendered(before, light, _run(target.encode_operations(), light))


def _run(operations: tuple[Operation, ...], values: Float32) -> Float32:
    return engine.run(engine.compile_operations(operations), values) if operations else values


def hdr_reference(
    scene: Float32, working: Primaries, adaptation: Adaptation, hdr: Output, method: ToneMap | None = None
) -> Float64:
    """The HDR version's light in cd/m², BT.2020: by the production's rendering where that makes HDR, else by Rise."""
    light = _run((method or Rise()).operations(working, hdr, adaptation), scene)
    return np.asarray(hdr.nits(light) @ rgb_to_rgb(hdr.gamut, primaries("BT.2020"), adaptation).T)


def figures(
    method: ToneMap,
    rendered: Rendered,
    scene: Float32,
    working: Primaries,
    target: Output,
    adaptation: Adaptation,
    hdr_nits: Float64 | None = None,
    hdr_grey_nits: float = 26.0,
) -> Figures:
    """Measures one rendering of a frame; what needs no neighbours is measured on every second pixel of every second
    row.
    """
    operations = method.operations(working, target, adaptation)
    patches = np.stack(
        [np.full(3, MID_GREY), *chart_linear("AP1")[[1, 0]] @ rgb_to_rgb(primaries("AP1"), working, adaptation).T]
    )
    shown = run_reference(operations, patches)
    signal = target.to_code(shown)
    weights = rgb_to_xyz(target.gamut)[1]
    to_2020 = rgb_to_rgb(target.gamut, primaries("BT.2020"), adaptation)
    scene_y = scene @ rgb_to_xyz(working)[1]
    shown_y = rendered.light @ weights
    light, before, sparse = rendered.light[::2, ::2], rendered.before_fit[::2, ::2], scene[::2, ::2]
    shown_itp = ictcp(target.nits(light) @ to_2020.T)
    hue_mean, hue_worst = _hue(sparse, shown_itp, target.nits(light @ weights), working, adaptation)
    moved = delta_e_itp(ictcp(target.nits(before) @ to_2020.T), shown_itp)
    return Figures(
        mid_grey_nits=float(target.nits(shown[0, 1])),
        mid_grey_signal=float(signal[0, 1]),
        light_skin_signal=float(signal[1] @ weights),
        dark_skin_signal=float(signal[2] @ weights),
        at_peak=float(np.mean((rendered.light >= 1 - 1e-4).any(axis=-1))),
        at_black=float(np.mean((rendered.light <= 1e-6).any(axis=-1))),
        hue_mean=hue_mean,
        hue_worst=hue_worst,
        highlight_contrast=_contrast(scene_y, shown_y, scene_y > MID_GREY * 2**BRIGHT),
        shadow_contrast=_contrast(scene_y, shown_y, (scene_y < MID_GREY * 2**DARK) & (scene_y > MID_GREY * 2.0**-9)),
        colourfulness=colourfulness(_srgb(light, target, adaptation)),
        from_hdr=None
        if hdr_nits is None
        else _from_hdr(hdr_nits[::2, ::2], hdr_grey_nits, shown_itp, target, adaptation),
        fit_share=float(np.mean(moved > MOVED)),
        fit_mean=float(moved.mean()),
        fit_worst=float(moved.max()),
    )


def hue_turn(a: Float64, b: Float64) -> Float64:
    """Degrees between the hues of two ICtCp colours (…, 3), 0…180."""
    angle = np.degrees(np.arctan2(a[..., 1], a[..., 2]) - np.arctan2(b[..., 1], b[..., 2]))
    return np.asarray(np.abs((angle + 180) % 360 - 180))


def scene_hue(scene: Any, nits: Any, working: Primaries, adaptation: Adaptation) -> Float64:
    """ICtCp of scene light (…, 3) brought, by a gain, to the luminance it is shown at, ``nits`` (…,).

    At the same luminance, because the hue angle of ICtCp turns with level even where the chromaticity stays.
    """
    light = np.asarray(scene, dtype=np.float64) @ rgb_to_rgb(working, primaries("BT.2020"), adaptation).T
    luminance = np.maximum(light @ rgb_to_xyz(primaries("BT.2020"))[1], 1e-9)
    return ictcp(light * (np.asarray(nits) / luminance)[..., None])


def _hue(
    scene: Float32, shown_itp: Float64, nits: Any, working: Primaries, adaptation: Adaptation
) -> tuple[float | None, float | None]:
    """Mean and worst turn of hue over bright saturated pixels that still have a hue."""
    largest = scene.max(axis=-1)
    bright = (largest > MID_GREY * 2**BRIGHT) & (scene.min(axis=-1) < SATURATED * largest)
    seen = bright & (np.hypot(shown_itp[..., 1], shown_itp[..., 2]) > SEEN)
    if not seen.any():
        return None, None
    turn = hue_turn(scene_hue(scene[seen], nits[seen], working, adaptation), shown_itp[seen])
    return float(turn.mean()), float(np.percentile(turn, 99.5))


def _contrast(scene_y: Any, shown_y: Any, where: Any) -> float | None:
    """Local contrast of log light that is kept: its mean size after over before, in windows of 9 pixels."""
    if np.count_nonzero(where) < 50:
        return None

    def detail(light: Any) -> Any:
        from scipy.ndimage import uniform_filter  # loaded when first used: it takes a while

        stops = np.log2(np.maximum(light, 1e-5)).astype(np.float32)
        return np.abs(stops - uniform_filter(stops, WINDOW))[where].mean()

    before = float(detail(scene_y))
    return None if before < 1e-4 else float(detail(shown_y)) / before


def colourfulness(srgb: Any) -> float:
    """M(3) of Hasler and Süsstrunk, “Measuring colourfulness in natural images” (2003), of sRGB signal 0…1 (…, 3), in
    its 0…255 units.
    """
    red, green, blue = np.moveaxis(255 * np.asarray(srgb, dtype=np.float64), -1, 0)
    rg, yb = red - green, 0.5 * (red + green) - blue
    return float(np.hypot(rg.std(), yb.std()) + 0.3 * np.hypot(rg.mean(), yb.mean()))


def _srgb(light: Any, target: Output, adaptation: Adaptation) -> Float64:
    """Signal of an sRGB screen, diffuse white of HDR outputs at its peak."""
    scaled = (
        light @ rgb_to_rgb(target.gamut, primaries("BT.709"), adaptation).T * (target.peak_nits / target.white_nits)
    )
    return np.asarray(CURVES["sRGB"].from_linear(np.clip(scaled, 0, 1)))


def _from_hdr(
    hdr_nits: Float64, hdr_grey_nits: float, shown_itp: Float64, target: Output, adaptation: Adaptation
) -> float | None:
    """Mean ΔE ITP from the HDR version dimmed until its mid grey is this output's, over the tones that this output can
    show.
    """
    dimmed = hdr_nits * (target.mid_grey_nits / hdr_grey_nits)
    here = dimmed @ rgb_to_rgb(primaries("BT.2020"), target.gamut, adaptation).T
    both = ((here >= 0) & (here <= target.peak_nits)).all(axis=-1)
    if np.count_nonzero(both) < 50:
        return None
    return float(delta_e_itp(ictcp(dimmed[both]), shown_itp[both]).mean())
