"""Another setting of the path: encoding, camera's correction, adaptation, output, tone map, exposure."""

from __future__ import annotations

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.encodings import ENCODINGS
from upwelling.core.errors import UpwellingError
from upwelling.core.outputs import OUTPUTS
from upwelling.core.proof.mistakes.base import Case, Tried, apart
from upwelling.core.rendering import FITS, TONE_MAPS
from upwelling.core.steps import Exposure

_ADAPTATIONS = ("CAT02", "Bradford")
_FEW = 60
"""Places at which an exposure is searched for."""


def tries(case: Case) -> Tried:
    """Every built-in one in turn."""
    order, path = case.order, case.order.path
    if order.section.from_camera and path.input.custom is None:
        for name in ENCODINGS:
            yield from _other(
                case,
                "input",
                f"It expects {name} code, not {path.input.encoding}. Check the input encoding.",
                encoding=name,
            )
    for name in _ADAPTATIONS:
        yield from _other(
            case,
            "input",
            f"White was adapted by {name}, where the path has {path.input.adaptation}. Check the chromatic adaptation.",
            adaptation=name,
        )
    correction = path.input.correction
    if "input" in order.section.stages and correction is not None and correction.acts:
        yield from _other(
            case,
            "input",
            f"It was made without the camera's correction (“{correction.name}”). Check whose table it is.",
            correction=None,
        )
    if order.section.to_display and path.display.custom is None:
        for name in OUTPUTS:
            yield from _other(
                case, "display", f"It gives code for {name}, not {path.display.output}. Check the output.", output=name
            )
    if "rendering" in order.section.stages and path.rendering.on:
        for method in TONE_MAPS:
            yield from _other(
                case,
                "rendering",
                f"It is rendered by {method.title}, not by {path.rendering.method.title}. Check the rendering.",
                method=method(),
            )
        for fit in FITS:
            yield from _other(
                case,
                "rendering",
                f"Its gamut fit is “{fit.title}”, not “{path.rendering.method.fit.title}”. Check the rendering.",
                method=path.rendering.method.model_copy(update={"fit": fit()}),
            )
        if path.rendering.look is not None and path.rendering.look.acts:
            name = path.rendering.look.lut.table.name
            yield from _other(
                case,
                "rendering",
                f"It was made without the Look of the display ({name}). Check the rendering.",
                look=None,
            )
        yield from _other(case, "rendering", "It was made without the rendering. Switch the rendering on.", on=False)
    if "trim" in order.section.stages:
        yield from _exposure(case)


def _other(case: Case, stage: str, words: str, **fields: object) -> Tried:
    other = case.with_path(stage, **fields)
    if other is not None:
        yield case.at(case.codes, other), words


def _exposure(case: Case) -> Tried:
    """The gain of scene light that fits best, by halving the step of a search in stops."""
    path = case.order.path
    some = np.random.default_rng(3).choice(len(case.codes), min(_FEW, len(case.codes)), replace=False)

    def made(stops: float, codes: Float64) -> Float64:
        trim = path.layer("trim")
        steps = (Exposure(stops=stops), *(trim.steps if trim.on else ()))
        other = path.with_layers(trim=trim.model_copy(update={"on": True, "steps": steps}))
        return case.at(codes, case.order.model_copy(update={"path": other}))

    try:
        best, step = 0.0, 1.0
        while step > 0.004:
            best = min(
                (best - step, best, best + step),
                key=lambda stops: apart(made(float(np.clip(stops, -8, 8)), case.codes[some]), case.entries[some]),
            )
            step /= 1.6
    except UpwellingError:
        return
    if abs(best) > 0.01:
        yield (
            made(best, case.codes),
            f"Its scene light is {'more' if best > 0 else 'less'} by {abs(best):.2f} stops: an exposure that the path "
            "does not have. Check the trim.",
        )
