"""What a page sent, read: JSON bodies, whole numbers, typed numbers. Nothing here trusts it."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterable
from typing import Any, TypeVar

from django.http import HttpRequest

from upwelling.core.errors import BadValue, UpwellingError
from upwelling.core.strict_json import BadJson, read_json

T = TypeVar("T")
LARGEST_BODY, MOST_VALUES = 2 * 2**20, 100_000
"""Bytes of what a component sends, and members and entries in it."""
MOST_WHOLE = 10**15
"""A whole number beyond this is no number, frame or pixel of ours."""


class Refused(UpwellingError):
    """A change that the rules of the job do not allow now; shown as it is."""


def wants_json(request: HttpRequest) -> bool:
    """True for requests made by a component."""
    return request.headers.get("Accept", "").startswith("application/json")


def json_body(request: HttpRequest, what: str) -> dict[str, Any]:
    """The JSON object a component sent; raises Refused, calling it ``what``, for anything else."""
    try:
        body = read_json(request.body, largest=LARGEST_BODY, most=MOST_VALUES)
    except BadJson as error:
        raise Refused(f"The page sent a {what} that {error}. Reload it.") from None
    if not isinstance(body, dict):
        raise Refused(f"The page sent something that is not a {what}. Reload it.")
    return body


def text_of(value: Any, most: int = 200) -> str:
    """A text that a component sent, cut at ``most`` characters; empty for anything that is none."""
    return value[:most].replace("\0", "") if isinstance(value, str) else ""


def one_of(value: Any, known: Collection[T], otherwise: T) -> T:
    """A name that a component sent, where it is one of the known ones."""
    return next((name for name in known if type(name) is type(value) and name == value), otherwise)


def list_of(value: Any) -> list[Any]:
    """A list that a component sent; empty for anything that is none."""
    return value if isinstance(value, list) else []


def whole(value: Any) -> int:
    """A whole number that a component sent; raises Refused."""
    if not isinstance(value, int) or isinstance(value, bool) or abs(value) >= MOST_WHOLE:
        raise Refused("The page sent something that is not a whole number. Reload it.")
    return value


def number(value: Any) -> float:
    """A finite number that a component sent; raises Refused."""
    if not isinstance(value, int | float) or isinstance(value, bool):
        raise Refused("The page sent something that is not a number. Reload it.")
    return float(value)


def whole_or(text: Any, otherwise: int = 0) -> int:
    """A whole number from 0 up that a form or an address gives in plain digits; ``otherwise`` for anything else."""
    digits = isinstance(text, str) and text.isascii() and text.isdigit() and len(text) < len(str(MOST_WHOLE))
    return int(text) if digits else otherwise


def whole_list(values: Iterable[str]) -> set[int]:
    """The whole numbers of a list of form values."""
    return {number for value in values if (number := whole_or(value, -1)) >= 0}


def numbers_in_turn(values: Iterable[str]) -> list[int]:
    """As ``whole_list``, each once, in the order in which they were given."""
    return list(dict.fromkeys(number for value in values if (number := whole_or(value, -1)) >= 0))


def typed_number(text: str | None, name: str, hint: str = "") -> float:
    """A number as a person types it, with a real minus sign or a decimal comma.

    Raises BadValue that names the field.
    """
    try:
        found = float((text or "").replace("−", "-").replace(",", ".").strip())
    except ValueError:
        found = float("nan")
    if not math.isfinite(found):
        raise BadValue(f"“{name}” must be a number{hint}.")
    return found
