"""Stored JSON: every value carries the version of its shape, and there is a way from each older shape to today's.

Version 0 is what was stored before values carried one. A kind's upgrades stand in a row, each from one version to the
next; adding one raises the version. tests/data/stored.json holds a frozen sample of every version of every kind.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from upwelling.core.errors import BadValue, RecipeError
from upwelling.core.parameters import refusal
from upwelling.core.strict_json import BadJson, read_json

M = TypeVar("M", bound=BaseModel)

Upgrade = Callable[[Any], Any]
KEY, LIST = "stored_version", "items"
LARGEST, MOST_VALUES = 64 * 2**20, 200_000
"""Bytes, and members and entries in all, of a Look or recipe from outside; tables travel packed, as one text."""


def _unstamped(body: Any) -> Any:
    """Version 0 to 1: the same shape, without its version."""
    return body


def _with_mattes(body: Any) -> Any:
    """Version 1 to 2: a step's limit is a matte of selections; a matte reads the lone colour range of before itself."""
    return body


def _with_correction(body: Any) -> Any:
    """Version 2 to 3: an Input may hold its camera's correction, and a shot may leave it out; none had one before."""
    return body


def _with_display_look(body: Any) -> Any:
    """A rendering may have a Look of the display over it; none had one before."""
    return body


def _with_layers(body: Any) -> Any:
    """A shot may take the layers that it shares otherwise than as they are; none were there before."""
    return body


def _with_layers_in_a_row(body: Any) -> Any:
    """A path's trim and look are layers in a row; it reads those of before by their names."""
    return body


def _with_nine_curves(body: Any) -> Any:
    """Version 2 to 3: colour curves have four curves more, which rest where they are not said."""
    return body


def _with_pixels(body: Any) -> Any:
    """Version 1 to 2: a file may say of pixels that are not square, and of fields; what is not said is not known."""
    return body


UPGRADES: dict[str, tuple[Upgrade, ...]] = {
    "shot settings": (_unstamped, _with_mattes, _with_correction, _with_display_look, _with_layers),
    "layer": (_unstamped,),
    "look steps": (_unstamped, _with_mattes, _with_nine_curves),
    "rules": (_unstamped, _with_display_look),
    "own output": (_unstamped,),
    "own encoding": (_unstamped,),
    "receiver": (_unstamped,),
    "bake order": (_unstamped, _with_mattes, _with_correction, _with_display_look, _with_layers_in_a_row),
    "camera correction": (_unstamped,),
    "delivery form": (_unstamped,),
    "development": (_unstamped,),
    "raw profile": (_unstamped,),
    "camera measurement": (_unstamped,),
    "file facts": (_unstamped, _with_pixels),
    "signal facts": (_unstamped,),
}
"""How each kind of value is brought from version to version; its length is today's version."""


def sealed(kind: str, body: Any) -> dict[str, Any]:
    """A value as it is stored: an object with its version, a list in one."""
    version = len(UPGRADES[kind])
    return {KEY: version, LIST: body} if isinstance(body, list) else {KEY: version, **body}


def opened(kind: str, value: Any) -> Any:
    """A stored value in today's shape; raises BadValue for one of a later version, or of none."""
    version, body = 0, value
    if isinstance(value, dict) and KEY in value:
        version = value[KEY]
        body = (
            value[LIST]
            if LIST in value and len(value) == 2
            else {name: inner for name, inner in value.items() if name != KEY}
        )
    upgrades = UPGRADES[kind]
    if not isinstance(version, int) or not 0 <= version <= len(upgrades):
        raise BadValue(
            f"This {kind} was stored by a later version of Upwelling ({version!r}; this one reads up to "
            f"{len(upgrades)}). Update Upwelling."
        )
    for upgrade in upgrades[version:]:
        body = upgrade(body)
    return body


def read_stored(kind: str, name: str, shape: type[M], value: Any) -> M:
    """A stored value as a model; raises BadValue that names it when it is no longer possible."""
    try:
        return shape.model_validate(opened(kind, value))
    except ValidationError as error:
        raise BadValue(
            f"The {kind} “{name}” is stored with a value that is no longer possible ({refusal(error)}) Define it anew "
            "under its name; what was stored is kept until then."
        ) from None


def read_versioned(text: str | bytes, key: str, kind: str, version: int) -> dict[str, Any]:
    """The object without its version; raises RecipeError when it is no JSON, not of this kind (“a recipe”), or of a
    later version.
    """
    try:
        body = read_json(text, largest=LARGEST, most=MOST_VALUES)
    except BadJson as error:
        raise RecipeError(f"the text {error}.") from None
    if not isinstance(body, dict) or key not in body:
        raise RecipeError(f"“{key}” is missing, so this is not {kind}.")
    found = body.pop(key)
    if isinstance(found, bool) or not isinstance(found, int) or not 1 <= found <= version:
        raise RecipeError(f"version {found!r} is not known here; this program reads versions up to {version}.")
    return body
