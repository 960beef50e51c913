"""Groups of steps within a trim: named, switched and mixed in together."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import groupby
from typing import Any

from pydantic import Field

from upwelling.core.frozen import Frozen
from upwelling.core.steps.base import Step

MOST_GROUPS = 12


class StepGroup(Frozen):
    """Steps that stand together, known by ``id``; ``strength`` mixes what they do together into what came before them,
    in the working log space.
    """

    id: str = Field(min_length=1, max_length=12, pattern=r"^[a-z0-9]+$")
    name: str = Field("", max_length=60)
    on: bool = True
    strength: float = Field(1.0, ge=0, le=1)

    @property
    def acts(self) -> bool:
        """Whether anything of it is seen."""
        return self.on and self.strength > 0


def runs_of(steps: Sequence[Any], groups: Sequence[StepGroup]) -> Iterator[tuple[StepGroup | None, list[Any]]]:
    """The steps in order, those of one group together."""
    known = {group.id: group for group in groups}
    for name, run in groupby(steps, key=lambda step: step.group if step.group in known else ""):
        yield known.get(name), list(run)


def check_groups(steps: Sequence[Step], groups: Sequence[StepGroup]) -> None:
    """Raises ValueError unless groups differ, every step's group is there, and its steps stand together."""
    names = [group.id for group in groups]
    if len(set(names)) < len(names):
        raise ValueError("Each group of steps needs an id of its own")
    for step in steps:
        if step.group and step.group not in names:
            raise ValueError(f"{step.shown_name} is in a group that is not there (“{step.group}”)")
    seen = [name for name, _ in groupby(step.group for step in steps) if name]
    for name in seen:
        if seen.count(name) > 1:
            title = next(group.name or group.id for group in groups if group.id == name)
            raise ValueError(f"The steps of the group “{title}” must stand together")
