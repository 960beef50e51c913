"""A Look's steps as fields of a form, and back."""

from __future__ import annotations

from typing import Any

from django.http import QueryDict
from pydantic import ValidationError

from upwelling.core.errors import BadValue
from upwelling.core.parameters import refusal
from upwelling.core.path.look_recipe import STEP_LIST
from upwelling.core.steps import AnyStep, LutStep
from upwelling.web.common.controls import controls
from upwelling.web.common.requests import typed_number


def rows_of(steps: tuple[AnyStep, ...]) -> list[dict[str, Any]]:
    """For each step: its words, and fields for what is a number or a choice. Curves are bent on the Bench."""
    rows = []
    for step in steps:
        fields: list[dict[str, Any]] = []
        body = step.model_dump(mode="json")
        for row in [] if isinstance(step, LutStep) else controls(type(step), ""):
            if row["kind"] == "number":
                fields += [
                    {
                        "name": f"{step.id}:{cell['path']}",
                        "label": cell["label"],
                        "unit": row["unit"],
                        "value": f"{_at(body, cell['path']) * row['times']:g}".replace("-", "−"),
                        "times": row["times"],
                        "help": row["help"],
                    }
                    for cell in row["cells"]
                ]
            elif row["kind"] == "choice" and row["path"] != "kind":
                fields.append(
                    {
                        "name": f"{step.id}:{row['path']}",
                        "label": row["title"],
                        "choices": row["values"],
                        "value": body[row["path"]],
                        "help": row["help"],
                    }
                )
        rows.append(
            {
                "step": step,
                "fields": fields,
                "curved": any(
                    row["kind"] == "curves" for row in ([] if isinstance(step, LutStep) else controls(type(step), ""))
                ),
                "strength": f"{step.strength * 100:g}",
            }
        )
    return rows


def _at(body: Any, path: str) -> Any:
    for key in path.split("."):
        body = body[int(key)] if isinstance(body, list) else body[key]
    return body


def steps_from(given: QueryDict, steps: tuple[AnyStep, ...]) -> tuple[AnyStep, ...]:
    """The steps with what the form says of them; removed ones gone, the rest in the order of their numbers.

    Raises BadValue.
    """
    listed: list[tuple[float, dict[str, Any]]] = []
    for index, row in enumerate(rows_of(steps), 1):
        step: AnyStep = row["step"]
        if given.get(f"{step.id}:remove"):
            continue
        body = step.model_dump(mode="json")
        body["on"] = bool(given.get(f"{step.id}:on"))
        body["strength"] = (
            typed_number(given.get(f"{step.id}:strength"), f"{step.shown_name}, strength", " of percent") / 100
        )
        for field in row["fields"]:
            name, path = field["name"], field["name"].split(":", 1)[1].split(".")
            value: Any = given.get(name, field["value"])
            if "choices" not in field:
                value = typed_number(value, f"{step.shown_name}, {field['label'].lower()}") / field["times"]
            place = body
            for key in path[:-1]:
                place = place[key]
            place[int(path[-1]) if isinstance(place, list) else path[-1]] = value
        listed.append((typed_number(given.get(f"{step.id}:order", str(index)), f"{step.shown_name}, place"), body))
    try:
        return STEP_LIST.validate_python([body for _, body in sorted(listed, key=lambda pair: pair[0])])
    except ValidationError as error:
        raise BadValue(refusal(error)) from None
