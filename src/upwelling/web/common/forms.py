"""The one reader of forms: what a page sent for the fields of a model, as the model takes it; the model judges."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from types import UnionType
from typing import Any, Literal, Union, get_args, get_origin

from django.http import QueryDict
from pydantic import BaseModel
from pydantic.fields import FieldInfo

from upwelling.core.errors import BadValue
from upwelling.web.common.requests import typed_number, whole_or

CORNERS = ("red", "green", "blue", "white")


def read_fields(
    model: type[BaseModel], given: Mapping[str, Any], names: Sequence[str] = (), prefix: str = ""
) -> dict[str, Any]:
    """The named fields of a model (all, if none are named) from a form whose inputs are called ``prefix`` and the name.

    Numbers are read as a person types them, lists of whole numbers with commas or spaces between, the rest as text. An
    empty field that the model can do without is left out, and so is a text that the form does not have; a number that
    is missing is refused. Raises BadValue.
    """
    body: dict[str, Any] = {}
    for name in names or model.model_fields:
        field, key = model.model_fields[name], prefix + name
        value = given.get(key)
        if not value and not field.is_required() and field.default is None:
            continue
        if value is None and not _is_number(field.annotation):
            continue
        body[name] = _read(field, field.annotation, key, given)
    return body


def _is_number(annotation: Any) -> bool:
    one = get_args(annotation) if get_origin(annotation) is Literal else ()
    return annotation in (int, float) or (bool(one) and all(isinstance(value, int) for value in one))


def _label(field: FieldInfo, key: str) -> tuple[str, str]:
    """What a field is called in a refusal, and its unit."""
    unit = ", in cd/m²" if key.endswith("_nits") else ""
    return field.title or key.rsplit(".", 1)[-1].replace("_nits", "").replace("_", " "), unit


def _read(field: FieldInfo, annotation: Any, key: str, given: Mapping[str, Any]) -> Any:
    origin, inner = get_origin(annotation), get_args(annotation)
    if origin in (Union, UnionType):
        return _read(field, next(one for one in inner if one is not type(None)), key, given)
    if origin is tuple:
        return _list(field, inner[0], key, given)
    if annotation is float:
        return typed_number(given.get(key), *_label(field, key))
    if _is_number(annotation):
        number = typed_number(given.get(key), *_label(field, key))
        return int(number) if number == int(number) else number
    if annotation is bool:
        return given.get(key) not in ("", "False", None)
    return str(given.get(key, "")).strip()


def _list(field: FieldInfo, inner: Any, key: str, given: Mapping[str, Any]) -> list[Any]:
    if inner is not int:
        return given.getlist(key) if isinstance(given, QueryDict) else list(given[key])
    numbers = [whole_or(part, -1) for part in str(given.get(key, "")).replace(",", " ").split()]
    if -1 in numbers:
        raise BadValue(f"{(field.title or key).capitalize()} are whole numbers, such as 17, 33, 65.")
    return numbers


def read_primaries(given: Mapping[str, Any], named: str) -> Any:
    """Chromaticities of a form's own primaries, or the name where it gives none."""
    if not str(given.get("red_x", "")).strip():
        return named
    about = ", a CIE 1931 chromaticity"
    return {
        corner: [typed_number(given.get(f"{corner}_{axis}"), f"{corner} {axis}", about) for axis in "xy"]
        for corner in CORNERS
    }
