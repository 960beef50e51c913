"""A Look as one versioned JSON file: its name, note and steps, tables included."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Annotated, Any, Self

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError

from upwelling.core.errors import RecipeError
from upwelling.core.steps import AnyStep, Step

VERSION = 1
MOST_STEPS = 24
STEP_LIST: TypeAdapter[tuple[AnyStep, ...]] = TypeAdapter(Annotated[tuple[AnyStep, ...], Field(max_length=MOST_STEPS)])


class LookRecipe(BaseModel):
    """What travels of a Look."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    name: str = Field(min_length=1, max_length=60)
    note: str = Field("", max_length=500)
    steps: Annotated[tuple[AnyStep, ...], Field(max_length=MOST_STEPS)] = ()

    def to_text(self) -> str:
        """Versioned JSON, indented, ending in a line feed."""
        return json.dumps({"upwelling_look": VERSION, **self.model_dump(mode="json")}, indent=2, ensure_ascii=False) + "\n"

    @classmethod
    def from_text(cls, text: str | bytes) -> Self:
        """Reads a Look, or takes the look of a whole path's recipe; raises RecipeError that names the place and what is wrong."""
        try:
            body = json.loads(text)
        except (ValueError, RecursionError) as error:
            raise RecipeError(f"this is not JSON ({str(error)[:120]}).") from None
        if isinstance(body, dict) and "upwelling_recipe" in body:
            look = body.get("look") or {}
            body = {"upwelling_look": VERSION, "name": look.get("name") or "Look of a recipe", "steps": look.get("steps", [])}
        if not isinstance(body, dict) or "upwelling_look" not in body:
            raise RecipeError("“upwelling_look” is missing, so this is not a Look.")
        version = body.pop("upwelling_look")
        if version != VERSION:
            raise RecipeError(f"version {version!r} is not known here; this program reads version {VERSION}.")
        try:
            made = cls.model_validate(body)
        except ValidationError as error:
            first = error.errors()[0]
            raise RecipeError(first["msg"].removeprefix("Value error, ").rstrip(".") + ".", ".".join(str(part) for part in first["loc"])) from None
        return made.model_copy(update={"steps": with_ids(made.steps)})


def with_ids(steps: Sequence[Step]) -> tuple[Any, ...]:
    """The steps, each with an id of its own; those that have one keep it."""
    out: list[Step] = []
    taken: set[str] = set()
    for step in steps:
        stem = step.kind.replace("_", "")[:9]
        name = step.id if step.id and step.id not in taken else next(n for n in (stem, *(f"{stem}{k}" for k in range(2, 100))) if n not in taken)
        taken.add(name)
        out.append(step if step.id == name else step.model_copy(update={"id": name}))
    return tuple(out)
