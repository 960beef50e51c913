"""A Look as one versioned JSON file: its name, note and steps, tables included."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Annotated, Any, Self

from pydantic import AfterValidator, Field, TypeAdapter, ValidationError

from upwelling.core.documents import read_versioned
from upwelling.core.errors import RecipeError
from upwelling.core.frozen import Frozen
from upwelling.core.parameters import dotted, spoken
from upwelling.core.path.layers import by_their_names
from upwelling.core.path.recipe import RECIPE_VERSION
from upwelling.core.steps import AnyStep, LutStep, Step

VERSION = 2
MOST_STEPS = 24
MOST_ENTRIES = 256**3
"""Triples in all tables of a Look together: those of the largest cube, 200 MB in memory."""


def _tables_fit(steps: tuple[AnyStep, ...]) -> tuple[AnyStep, ...]:
    entries = sum(step.lut.table.entries for step in steps if isinstance(step, LutStep))
    if entries > MOST_ENTRIES:
        raise ValueError(
            f"Its tables hold {entries / 1e6:.0f} million entries together; at most {MOST_ENTRIES / 1e6:.0f} million "
            "are taken. Leave one out, or bring smaller ones in"
        )
    return steps


Steps = Annotated[tuple[AnyStep, ...], Field(max_length=MOST_STEPS), AfterValidator(_tables_fit)]
STEP_LIST: TypeAdapter[tuple[AnyStep, ...]] = TypeAdapter(Steps)


class LookRecipe(Frozen):
    """What travels of a Look."""

    name: str = Field(min_length=1, max_length=60)
    note: str = Field("", max_length=500)
    steps: Steps = ()

    def to_text(self) -> str:
        """Versioned JSON, indented, ending in a line feed."""
        return (
            json.dumps({"upwelling_look": VERSION, **self.model_dump(mode="json")}, indent=2, ensure_ascii=False) + "\n"
        )

    @classmethod
    def from_text(cls, text: str | bytes) -> Self:
        """Reads a Look, or takes the look of a whole path's recipe; raises RecipeError that names the place and what is
        wrong.
        """
        try:
            body = read_versioned(text, "upwelling_look", "a Look", VERSION)
        except RecipeError:
            look = _look_of_a_path(text)
            if look is None:
                raise
            body = look
        try:
            made = cls.model_validate(body)
        except ValidationError as error:
            raise RecipeError(spoken(error), dotted(error)) from None
        return made.model_copy(update={"steps": with_ids(made.steps)})


def _look_of_a_path(text: str | bytes) -> dict[str, Any] | None:
    """Name and steps of the look in a whole path's recipe, or None for anything else."""
    try:
        body = by_their_names(read_versioned(text, "upwelling_recipe", "a recipe", RECIPE_VERSION))
    except RecipeError:
        return None
    look = next(
        (layer for layer in body.get("layers", ()) if isinstance(layer, dict) and layer.get("kind") == "look"), {}
    )
    return {"name": look.get("name") or "Look of a recipe", "steps": look.get("steps", [])}


def with_ids(steps: Sequence[Step]) -> tuple[Any, ...]:
    """The steps, each with an id of its own; those that have one keep it."""
    out: list[Step] = []
    taken: set[str] = set()
    for step in steps:
        stem = step.kind.replace("_", "")[:9]
        name = (
            step.id
            if step.id and step.id not in taken
            else next(n for n in (stem, *(f"{stem}{k}" for k in range(2, 100))) if n not in taken)
        )
        taken.add(name)
        out.append(step if step.id == name else step.model_copy(update={"id": name}))
    return tuple(out)
