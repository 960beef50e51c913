"""A camera's correction: what brings everything one camera shoots to another camera, before anyone trims a shot."""

from __future__ import annotations

from typing import Annotated, Any, Self

from pydantic import Field, model_validator

from upwelling.core.colour.primaries import Primaries
from upwelling.core.frozen import Frozen
from upwelling.core.operations import Operation, mixed_in_log
from upwelling.core.path.look_recipe import with_ids
from upwelling.core.steps import AnyStep, LutStep

MOST_STEPS = 12
"""Of one correction; also of several put one after the other."""


class Correction(Frozen):
    """Steps that act on scene-linear working light at the end of the Input, the same for every pixel and every frame.

    ``strength`` mixes what they do together into what came before them, in the working log space. Name and note are for
    people and change no number.
    """

    name: str = Field("", max_length=60)
    note: str = Field("", max_length=500)
    steps: Annotated[tuple[AnyStep, ...], Field(max_length=MOST_STEPS)] = ()
    strength: float = Field(1.0, ge=0, le=1)
    on: bool = True

    @model_validator(mode="after")
    def _same_everywhere(self) -> Self:
        for step in self.steps:
            if isinstance(step, LutStep):
                raise ValueError(f"{step.shown_name}: a LUT belongs in a Look, not in a camera's correction")
            if step.moves or step.limit is not None or step.output or not step.fits_in_lut:
                raise ValueError(
                    f"{step.shown_name} does not do the same to every pixel of every frame for every output, as a "
                    "camera's correction must"
                )
        return self

    @property
    def acts(self) -> bool:
        """Whether anything of it is seen."""
        return self.on and self.strength > 0 and any(step.on and not step.changes_nothing for step in self.steps)

    def operations(self, working: Primaries) -> tuple[Operation, ...]:
        """From scene-linear working light to the same."""
        if not self.acts:
            return ()
        made = tuple(op for step in self.steps if step.on for op in step.operations(working))
        return made if self.strength == 1 else mixed_in_log(made, self.strength)

    def numbers(self, body: dict[str, Any]) -> dict[str, Any]:
        """What of its plain data changes numbers, for fingerprints."""
        kept = [
            {name: value for name, value in row.items() if name not in ("id", "name", "note", "group", "output", "on")}
            for step, row in zip(self.steps, body["steps"], strict=True)
            if step.on and not step.changes_nothing and step.strength > 0
        ]
        return {"steps": kept, "strength": self.strength}

    def summary(self) -> str:
        """Its steps in a few words each."""
        text = " · ".join(step.summary() for step in self.steps if step.on and not step.changes_nothing)
        return text if self.strength == 1 else f"{text}, at {self.strength * 100:.0f} %"

    def then(self, steps: tuple[AnyStep, ...]) -> tuple[AnyStep, ...]:
        """Its steps that act with others after them, freshly named; what stands switched off is left out."""
        mine = self.steps if self.acts else ()
        free = [step.model_copy(update={"id": "", "group": "", "note": ""}) for step in (*mine, *steps) if step.on]
        return with_ids(free)
