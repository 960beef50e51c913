"""Layers from files: --camera-layer, --group-layer, --look, --group-look and --finish."""

from __future__ import annotations

import argparse
import re
from pathlib import Path as FilePath

from pydantic import ValidationError

from upwelling.core.errors import BadValue, RecipeError
from upwelling.core.parameters import refusal
from upwelling.core.path import Layer, LayerKind, Path
from upwelling.core.path.look_recipe import LookRecipe

OPTIONS: dict[LayerKind, tuple[str, str]] = {
    "camera_trim": ("--camera-layer", "what the camera needs, before all other steps"),
    "group_trim": ("--group-layer", "what the scene needs, after it"),
    "look": ("--look", "the Look, in the place of the recipe's"),
    "group_look": ("--group-look", "a second Look over it"),
    "finish": ("--finish", "steps on display light, after the rendering"),
}
_WEAKENED = re.compile(r"(.+)@(\d{1,3}(?:\.\d+)?)")


def add_layer_options(parser: argparse.ArgumentParser) -> None:
    """One option for each layer but the shot's own trim."""
    for kind, (flag, words) in OPTIONS.items():
        parser.add_argument(
            flag, dest=f"layer_{kind}", metavar="FILE[@PERCENT]", help=f"{words}: a Look file's steps, at a strength"
        )


def with_layers_asked(path: Path, options: argparse.Namespace) -> Path:
    """The path with the layers that the options name; raises RecipeError or BadValue."""
    asked = {kind: getattr(options, f"layer_{kind}", None) for kind in OPTIONS}
    return path.with_layers(**{kind: _read(kind, text) for kind, text in asked.items() if text})


def _read(kind: LayerKind, text: str) -> Layer:
    weakened = None if FilePath(text).exists() else _WEAKENED.fullmatch(text)
    place, percent = (FilePath(weakened[1]), float(weakened[2])) if weakened else (FilePath(text), 100.0)
    if percent > 100:
        raise BadValue(f"{OPTIONS[kind][0]}: {percent:g} % is no strength; it lies between 0 and 100.")
    try:
        held = LookRecipe.from_text(place.read_bytes())
    except OSError as error:
        raise RecipeError(f"{place} cannot be read ({error.strerror}).") from None
    try:
        return Layer(kind=kind, name=held.name, steps=held.steps, strength=percent / 100)
    except ValidationError as error:
        raise BadValue(f"{place}: {refusal(error)}") from None
