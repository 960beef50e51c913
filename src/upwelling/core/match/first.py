"""Proposals for a first pass: exposure and balance of a picture by itself, each with its evidence, none where that is
poor.

Evidence, the surest first: what a person marked (a white, a grey, skin), the 24-patch chart where it is found, and for
the balance alone the greyest places, where several that lie apart and differ in brightness agree.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

import cv2
import numpy as np

from upwelling.core.arrays import MID_GREY, Float64
from upwelling.core.charts.find import NoChart, find_chart
from upwelling.core.charts.patch_chart import NEUTRALS, chart_linear
from upwelling.core.errors import BadValue
from upwelling.core.match.light import Match, MatchFigures, Picture, Space
from upwelling.core.operations import run_reference
from upwelling.core.parameters import signed
from upwelling.core.steps import AnyStep, Exposure, WhiteBalance
from upwelling.core.steps.white_balance import UNEVEN, NeutralFound, balance_neutral, unevenness

MarkKind = Literal["white", "grey", "skin"]
WHITE, SKIN = 0.9, (0.10, 0.50)
"""Reflectance of a white, and those between which skin lies from dark to light; common practice, no source."""
LEAST_STOPS, LEAST_CAST = 0.05, 0.0015
"""Stops and distance in u'v' under which nothing is worth changing."""
SURE, LIKELY = "sure", "likely"
NO_FIGURES = MatchFigures(0.0, 0.0, 0.0, 0)
"""Where nothing ought to be grey."""


@dataclass(frozen=True)
class Evidence:
    """Light (3,) that ought to be neutral or at a level, how sure, and what it is, in words."""

    rgb: Float64
    sure: str
    what: str
    level: float | None = None
    many: bool = False

    @property
    def are(self) -> str:
        return f"{self.what} {'are' if self.many else 'is'}"

    @property
    def they(self) -> str:
        return "they" if self.many else "it"


def propose(picture: Picture, space: Space, marks: Mapping[MarkKind, Any]) -> Match:
    """The steps that a picture asks for by itself, with their evidence as remarks. ``marks`` are the pixels (N, 3) of
    what a person marked. No steps where the evidence is poor, or nothing is off.
    """
    marked, remarks = _marked(marks)
    chart = _chart(picture, space)
    neutral = marked.get("grey") or marked.get("white") or chart or greyest(picture, space)
    steps: list[AnyStep] = []
    if neutral is None:
        remarks.append("Balance: nothing in the picture says what is neutral.")
    else:
        step, said = _balanced(neutral, space)
        remarks.append(f"Balance: {said}")
        steps += [step] if step else []
    placed = marked.get("white") or marked.get("grey") or chart or marked.get("skin")
    if placed is None:
        remarks.append("Exposure: nothing in the picture says how bright it ought to be.")
    else:
        stops = _stops(placed, steps, space)
        remarks.append(f"Exposure: {_exposure_said(placed, stops)}")
        if abs(stops) >= LEAST_STOPS:
            steps.insert(0, Exposure(stops=round(stops, 2)))
    told = neutral or placed
    figures = _figures(told, steps, space) if told else NO_FIGURES
    words = " · ".join(step.values_text() for step in steps) or "Nothing is proposed"
    return Match("first pass", "evidence", tuple(steps), figures, tuple(remarks), words=words)


def _marked(marks: Mapping[MarkKind, Any]) -> tuple[dict[str, Evidence], list[str]]:
    """What was marked, by its kind, and why a mark was left aside."""
    levels = {"white": WHITE, "grey": MID_GREY, "skin": None}
    found: dict[str, Evidence] = {}
    remarks = []
    for kind, pixels in marks.items():
        light = np.asarray(pixels, dtype=np.float64).reshape(-1, 3)
        mean = light.mean(axis=0) if len(light) else np.zeros(3)
        if not len(light) or not np.all(mean > 1e-4):
            remarks.append(f"The marked {kind} holds no light that the camera did not clip: it is left aside.")
        elif unevenness(light) > UNEVEN:
            remarks.append(f"The marked {kind} is uneven: it is left aside.")
        else:
            sure = LIKELY if kind == "skin" else SURE
            found[kind] = Evidence(mean, sure, f"the marked {kind}", levels[kind])
    return found, remarks


def _chart(picture: Picture, space: Space) -> Evidence | None:
    """The greys of the chart, with their mean reflectance, where one is found and none of them is clipped."""
    try:
        found = find_chart(picture.rgb, space.working)
    except NoChart:
        return None
    greys = found.patches[list(NEUTRALS)]
    if not np.all(greys > 1e-4):
        return None
    # By geometric means: light that falls off over the chart weighs on every patch alike.
    level = float(np.exp(np.log(chart_linear(space.working.name)[list(NEUTRALS)] @ space.luminance).mean()))
    return Evidence(np.exp(np.log(greys).mean(axis=0)), SURE, "the greys of the chart", level, many=True)


def _balanced(neutral: Evidence, space: Space) -> tuple[WhiteBalance | None, str]:
    at_rest = WhiteBalance(target="working white")
    try:
        found = balance_neutral(neutral.rgb, space.working, at_rest)
    except BadValue:
        return None, f"{neutral.what} would need a light that is none; nothing is proposed."
    if found.uv < LEAST_CAST:
        return None, f"{neutral.are} neutral already."
    step = at_rest.model_copy(update=found.fields)
    return step, f"{neutral.sure}, from {neutral.what}: {_cast(found)}."


def _cast(found: NeutralFound) -> str:
    return f"{signed(found.red_stops, 2)} stops red, {signed(found.blue_stops, 2)} blue over green"


def _after(rgb: Float64, steps: list[AnyStep], space: Space) -> Float64:
    operations = [operation for step in steps for operation in step.operations(space.working)]
    return np.asarray(run_reference(tuple(operations), rgb[None])[0])


def _stops(placed: Evidence, steps: list[AnyStep], space: Space) -> float:
    """Stops that bring what is placed to its level; skin only as far as skin goes."""
    light = float(_after(placed.rgb, steps, space) @ space.luminance)
    level = placed.level if placed.level is not None else float(np.clip(light, *SKIN))
    return float(np.log2(level / light))


def _exposure_said(placed: Evidence, stops: float) -> str:
    if abs(stops) < LEAST_STOPS:
        return f"{placed.are} as bright as wanted."
    return f"{placed.sure}, from {placed.what}: {signed(-stops, 2)} stops from where {placed.they} ought to be."


def _figures(told: Evidence, steps: list[AnyStep], space: Space) -> MatchFigures:
    """ΔE 2000 of what ought to be grey from a grey of its level, before and after."""
    after = _after(told.rgb, steps, space)
    errors = []
    for light in (told.rgb, after):
        wanted = np.full(3, told.level if told.level is not None else float(light @ space.luminance))
        errors.append(float(space.delta_e(light[None], wanted[None])[0]))
    return MatchFigures(errors[0], errors[1], errors[1], 1)


# --- the greyest places -----------------------------------------------------------------------------------------------
BLOCK = 12
"""Pixels of the side of a place, of a picture 640 across."""
EVEN, DARKEST, BRIGHTEST = 0.08, -4.0, 3.0
"""Spread over mean of a place, and the stops from mid grey between which places are looked at."""
GREYISH = 0.09
"""Oklab chroma over lightness that a grey may have under a light that is a little off; a coloured thing has more."""
AGREE = 0.035
"""Stops of red and blue over green by which places of one colour differ."""
LEAST_AREAS, LEAST_STOPS_APART, LEAST_SHARE = 8, 1.5, 0.01
"""Separate areas, stops between the darkest and the brightest of them, and share of the picture that must agree."""
MOST_RIVALS = 0.5
"""Share of the best group that another group of greyish places may have."""


def greyest(picture: Picture, space: Space) -> Evidence | None:
    """Light (3,) of the greyest places, where enough that lie apart agree; None where they do not, or another group of
    places would be as good.
    """
    size = (640, max(1, round(640 * picture.rgb.shape[0] / picture.rgb.shape[1])))
    light = cv2.resize(picture.rgb, size, interpolation=cv2.INTER_AREA)
    usable = cv2.resize(np.asarray(picture.usable, np.float32), size, interpolation=cv2.INTER_AREA) > 0.99
    mean, good = _places(light, usable)
    stops = np.log2(np.maximum(mean @ space.luminance, 1e-6) / MID_GREY)
    _, chroma = space.hue_and_chroma(np.maximum(mean, 1e-6))
    good &= (stops > DARKEST) & (stops < BRIGHTEST) & (chroma < GREYISH)
    if good.mean() < LEAST_SHARE:
        return None
    ratios = np.log2(np.maximum(mean[..., (0, 2)], 1e-6) / np.maximum(mean[..., 1:2], 1e-6))
    groups = _groups(ratios, good, stops)
    if not groups or (len(groups) > 1 and groups[1][0] > MOST_RIVALS * groups[0][0]):
        return None
    weight, mask = groups[0]
    rgb = np.exp(np.log(np.maximum(mean[mask], 1e-6)).mean(axis=0))
    return Evidence(rgb.astype(np.float64), LIKELY, f"{weight} grey places that lie apart", many=True)


def _places(light: Any, usable: Any) -> tuple[Any, Any]:
    """Means (h, w, 3) of blocks, and which of them are even and usable (h, w)."""
    h, w = light.shape[0] // BLOCK, light.shape[1] // BLOCK
    blocks = light[: h * BLOCK, : w * BLOCK].reshape(h, BLOCK, w, BLOCK, 3).swapaxes(1, 2).reshape(h, w, -1, 3)
    whole = usable[: h * BLOCK, : w * BLOCK].reshape(h, BLOCK, w, BLOCK).all(axis=(1, 3))
    mean, spread = blocks.mean(axis=2), blocks.std(axis=2)
    return mean, whole & np.all(mean > 1e-4, axis=-1) & (spread.max(-1) < EVEN * mean.max(-1))


def _groups(ratios: Any, good: Any, stops: Any) -> list[tuple[int, Any]]:
    """Groups of places whose colours agree: the number of separate areas of each and where they are, the most first."""
    left, found = good.copy(), []
    for _ in range(6):
        if left.mean() < LEAST_SHARE:
            break
        points = ratios[left]
        near = np.linalg.norm(points[:, None] - points[None], axis=-1) < AGREE
        centre = points[near[near.sum(axis=1).argmax()]].mean(axis=0)
        mask = left & (np.linalg.norm(ratios - centre, axis=-1) < AGREE)
        left &= np.linalg.norm(ratios - centre, axis=-1) >= 2 * AGREE
        count, labels = cv2.connectedComponents(mask.astype(np.uint8), connectivity=8)
        sizes = np.bincount(labels.ravel(), minlength=count)[1:]
        areas = int((sizes >= 2).sum())
        apart = float(np.ptp(stops[mask])) if mask.any() else 0.0
        if areas >= LEAST_AREAS and apart >= LEAST_STOPS_APART and mask.mean() >= LEAST_SHARE:
            found.append((areas, mask))
    return sorted(found, key=lambda one: -one[0])
