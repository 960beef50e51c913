"""Stored JSON: every value carries the version of its shape, and there is a way from each older shape to today's.

Version 0 is what was stored before values carried one. A kind's upgrades stand in a row, each from one version to the next; adding one raises
the version. tests/data/stored.json holds a frozen sample of every version of every kind.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from upwelling.core.errors import BadValue, refusal

M = TypeVar("M", bound=BaseModel)

Upgrade = Callable[[Any], Any]
KEY, LIST = "stored_version", "items"


def _unstamped(body: Any) -> Any:
    """Version 0 to 1: the same shape, without its version."""
    return body


UPGRADES: dict[str, tuple[Upgrade, ...]] = {
    "shot settings": (_unstamped,), "look steps": (_unstamped,), "rules": (_unstamped,), "own output": (_unstamped,), "own encoding": (_unstamped,),
    "receiver": (_unstamped,), "bake order": (_unstamped,), "development": (_unstamped,), "raw profile": (_unstamped,), "file facts": (_unstamped,),
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
        body = value[LIST] if LIST in value and len(value) == 2 else {name: inner for name, inner in value.items() if name != KEY}
    upgrades = UPGRADES[kind]
    if not isinstance(version, int) or not 0 <= version <= len(upgrades):
        raise BadValue(f"This {kind} was stored by a later version of Upwelling ({version!r}; this one reads up to {len(upgrades)}). Update Upwelling.")
    for upgrade in upgrades[version:]:
        body = upgrade(body)
    return body


def read_stored(kind: str, name: str, shape: type[M], value: Any) -> M:
    """A stored value as a model; raises BadValue that names it when it is no longer possible."""
    try:
        return shape.model_validate(opened(kind, value))
    except ValidationError as error:
        raise BadValue(f"The {kind} “{name}” is stored with a value that is no longer possible ({refusal(error)}) Define it anew under its name; "
                       "what was stored is kept until then.") from None
