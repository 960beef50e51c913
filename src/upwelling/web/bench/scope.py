"""The scopes of the Bench, as the page draws them: shades of planes, and what is written beside them."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from pydantic import BaseModel, Field, ValidationError, field_validator

from upwelling.core.arrays import MID_GREY
from upwelling.core.colour.primaries import Primaries, xy_to_xyz
from upwelling.core.colour.spectral_locus import LOCUS
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.encodings import full_to_legal
from upwelling.core.errors import BadValue
from upwelling.core.frozen import Frozen
from upwelling.core.media.ycbcr import LUMA
from upwelling.core.path import Path
from upwelling.core.scopes import SCOPES, Boundary, Looked
from upwelling.core.scopes.dots import SKIN_DEGREES, UV_TOP, vector_targets
from upwelling.core.scopes.facts import STOP_HIGH, STOP_LOW
from upwelling.core.scopes.levels import LEVEL_HIGH, LEVEL_LOW
from upwelling.core.scopes.spans import Region, box_of, within_box
from upwelling.core.steps.white_balance import uv_of
from upwelling.web.bench.frame_values import FrameValues

BOUNDARIES = {
    "camera": "camera code",
    "input": "after input",
    "trim": "after trim",
    "look": "after look",
    "rendering": "display light",
    "display": "display code",
}
SCALES = {"percent": "%", "code": "code", "light": "cd/m²", "stops": "stops"}
_FITTING = {
    "camera": ("percent", "code"),
    "input": ("stops", "code"),
    "trim": ("stops", "code"),
    "look": ("stops", "code"),
    "rendering": ("light", "percent"),
    "display": ("percent", "code", "light"),
}
SKIN_BANDS = (("lighter skin", 0.60, 0.70), ("darker skin", 0.40, 0.60), ("skin overall", 0.30, 0.75))
"""Shares of display signal between which skin usually lies. Common practice, no source."""


class ScopeChoice(Frozen):
    """Which scope a place of the page shows, of which boundary, and how."""

    kind: str = "parade"
    boundary: Boundary = "display"
    scale: Literal["percent", "code", "light", "stops"] = "percent"
    gain: Literal[1, 2, 4, 8] = 1
    skin: bool = False

    @field_validator("kind")
    @classmethod
    def _known(cls, kind: str) -> str:
        if kind not in SCOPES:
            raise ValueError(f"There is no scope “{kind}”")
        return kind


class _Choices(BaseModel):
    scopes: tuple[ScopeChoice, ...] = Field((), max_length=4)
    region: Region | None = None


def read_choices(body: dict[str, Any]) -> tuple[tuple[ScopeChoice, ...], Region | None]:
    """The scopes and region a page asks for; raises BadValue."""
    try:
        chosen = _Choices.model_validate({"scopes": body.get("scopes") or (), "region": body.get("region")})
    except ValidationError:
        raise BadValue("The page asked for a scope or region that is not known here. Reload it.") from None
    return chosen.scopes, chosen.region


def luma_weights(path: Path) -> tuple[float, float]:
    """BT.2020's for its primaries, else BT.709's."""
    return LUMA["BT.2020" if path.target.primaries_name == "BT.2020" else "BT.709"]


FEW = 64
"""Pixels of a region under which a distribution says little; our own limit."""


def draw(
    choice: ScopeChoice, made: FrameValues, spans: Any, histogram: Any, *, of_region: bool = False
) -> tuple[Any, dict[str, Any]]:
    """uint8 (planes, rows, columns) of a scope, and its description for the page. The levels of a region fill the
    scope, from its left to its right.
    """
    scope, path = SCOPES[choice.kind], made.path
    boundary = choice.boundary if choice.boundary in scope.boundaries else scope.boundaries[0]
    fills = of_region and scope.drawing == "levels"
    box = box_of(spans) if fills else (slice(None), slice(None))
    looked = Looked(
        lambda: np.ascontiguousarray(made.signal_at(boundary)[box]) if fills else made.signal_at(boundary),
        lambda: made.light_at(boundary),
        luma_weights(path),
        within_box(spans, box) if fills else spans,
        choice.gain,
    )
    shades = scope.shades(looked)
    said: dict[str, Any] = {
        "kind": scope.name,
        "boundary": choice.boundary,
        "title": scope.title,
        "of": BOUNDARIES[boundary],
        "drawing": scope.drawing,
        "side_by_side": scope.side_by_side,
    }
    if scope.drawing == "stops":
        said |= {
            "unit": "stops from mid grey",
            "counts": histogram.tolist(),
            "low": STOP_LOW,
            "high": STOP_HIGH,
            "marks": stop_marks(path),
        }
    elif scope.drawing == "chromaticities":
        said |= {"unit": "u′ across, v′ up", "top": UV_TOP, "locus": _locus(), "gamuts": _gamuts(path)}
    elif scope.drawing == "colour differences":
        said |= {
            "unit": f"Pb across, Pr up, ×{choice.gain}",
            "targets": vector_targets(looked.weights),
            "skin": SKIN_DEGREES,
            "gain": choice.gain,
        }
    else:
        scale, unit, ticks = level_ticks(choice, made.original)
        bands = SKIN_BANDS[:2] if choice.skin and boundary == "display" else ()
        said |= {
            "unit": unit,
            "scale": scale,
            "ticks": ticks,
            "low": LEVEL_LOW,
            "high": LEVEL_HIGH,
            "bands": [{"name": n, "low": a, "high": b} for n, a, b in bands],
        }
    if of_region:
        pixels = looked.pixels
        few = f", {pixels} pixels only" if pixels < FEW else ""
        said["unit"] += f" · {'the region across' if fills else 'the region'}{few}"
    return shades, {**said, "planes": shades.shape[0], "levels": shades.shape[1], "columns": shades.shape[2]}


def level_ticks(choice: ScopeChoice, path: Path) -> tuple[str, str, list[dict[str, Any]]]:
    """The scale in force, its unit, and ticks as place (0…1 of signal) and label.

    A scale that does not fit the boundary gives way.
    """
    boundary = choice.boundary
    scale = choice.scale if choice.scale in _FITTING[boundary] else _FITTING[boundary][0]
    if scale == "stops":
        places = {
            f"{s:+d}".replace("-", "−") if s else "0": float(ACESCCT.from_linear(np.array(MID_GREY * 2.0**s)))
            for s in (-6, -4, -2, 0, 2, 4, 6, 8, 10)
        }
        return scale, "stops from mid grey", _ticks(places)
    if scale == "light":
        peak = path.target.peak_nits
        values = [v for v in (0, 1, 5, 10, 25, 50, 100, 200, 400, 1000, 2000, 4000, 10000) if v <= peak] + (
            [peak] if peak == 48 or peak == 80 else []
        )
        if boundary == "rendering":
            places = {f"{v:g}": v / peak for v in values if v == 0 or v >= peak / 10}
        else:
            places = {f"{v:g}": float(path.target.to_code(np.array(max(path.target.relative(v), 0.0)))) for v in values}
        return scale, "cd/m²", _ticks(places)
    if scale == "code":
        if boundary in ("input", "trim", "look"):
            return scale, "log code 0…1", _ticks({f"{v / 5:g}": v / 5 for v in range(6)})
        depth = path.camera.depth if boundary == "camera" else path.display.depth
        legal = (path.camera.range if boundary == "camera" else path.display.range) == "legal"
        shares = [0.0, 0.25, 0.5, 0.75, 1.0]
        codes = [round(float(full_to_legal(np.array(s), depth) if legal else s) * (2**depth - 1)) for s in shares]
        return (
            scale,
            f"{depth}-bit code, {'legal' if legal else 'full'}",
            _ticks(dict(zip(map(str, codes), shares, strict=True))),
        )
    return (
        scale,
        "% of display peak" if boundary == "rendering" else "%",
        _ticks({str(p): p / 100 for p in (0, 25, 50, 75, 100)}),
    )


def _ticks(places: dict[str, float]) -> list[dict[str, Any]]:
    return [{"label": label, "place": round(place, 5)} for label, place in places.items()]


def stop_marks(path: Path) -> list[dict[str, Any]]:
    """Mid grey, diffuse white, and the brightest neutral that the file's codes can hold, in stops from mid grey."""
    marks = [{"label": "grey", "stops": 0.0}, {"label": "white", "stops": float(np.log2(1 / MID_GREY))}]
    if path.input.on or path.camera.raw is not None:
        code = (
            np.ones(3)
            if path.camera.range == "full"
            else np.full(3, float(full_to_legal(np.array(1.0), path.camera.depth)))
        )
        light = float(path.to_working(code)[1])
        if light > 0:
            marks.append({"label": "clip", "stops": float(np.log2(light / MID_GREY))})
    return marks


def _uv(space: Primaries) -> list[list[float]]:
    return [[round(float(v), 4) for v in uv_of(xy_to_xyz(xy))] for xy in space.xy]


def _gamuts(path: Path) -> list[dict[str, Any]]:
    return [
        {"name": name, "points": _uv(space)}
        for name, space in (
            ("camera", path.source.primaries),
            ("working", path.working_primaries),
            ("output", path.target.gamut),
        )
    ]


def _locus() -> list[list[float]]:
    return [[round(float(v), 4) for v in uv_of(xy_to_xyz((x, y)))] for _, x, y in LOCUS]
