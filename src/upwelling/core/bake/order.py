"""BakeOrder: everything that decides what a bake's numbers are, as one frozen value that travels with the file."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from functools import cached_property
from typing import Annotated, Any, Literal, Self

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from upwelling.core.arrays import Float64
from upwelling.core.bake.exact import exact
from upwelling.core.bake.judge import Judge
from upwelling.core.bake.receivers import FITTED_UP_TO, SMALLEST, Receiver
from upwelling.core.bake.section import Section
from upwelling.core.encodings import full_to_legal
from upwelling.core.errors import BadValue, RecipeError, refusal
from upwelling.core.lut_files import FORMATS, FormatName
from upwelling.core.operations import Matrix, Operation, encode_operations, run_reference
from upwelling.core.path import STAGES, CameraFile, Input, Look, Path, RenderingStage, Trim, without_tables
from upwelling.core.primaries import rgb_to_rgb
from upwelling.core.steps import AnyStep

Shaper = Literal["none", "adapted"]
Entries = Literal["sampled", "fitted"]


class BakeOrder(BaseModel):
    """A path, the part of it that is baked, for whom, and as which kind of table.

    ``left_out`` names steps of the path that the table does not carry, with a person's consent: the exact path it is tested against is
    the path without them. ``density`` is where an adapted shaper puts its grid points, in equal parts of the domain; empty, it follows
    the path's curvature. ``entries`` of a cube are the path's own at its grid points, or fitted to the receiver's interpolation.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")
    path: Path
    section: Section = Section()
    receiver: Receiver
    format: FormatName = "cube"
    dimensions: Literal[1, 3] = 3
    size: int = Field(33, ge=SMALLEST, le=65536)
    shaper: Shaper = "none"
    density: tuple[Annotated[float, Field(gt=0, le=1000)], ...] = Field((), max_length=256)
    entries: Entries = "sampled"
    left_out: tuple[str, ...] = ()

    @model_validator(mode="after")
    def _receivable(self) -> Self:
        form, name = FORMATS[self.format], self.receiver.name
        if self.format not in self.receiver.formats:
            taken = ", ".join(FORMATS[f].title for f in self.receiver.formats)
            raise ValueError(f"{name} takes {taken}, not {form.title}")
        if self.dimensions == 1:
            if self.format == "hald":
                raise ValueError("a Hald image holds a cube, not a 1D table")
            if self.size > self.receiver.most_entries:
                raise ValueError(f"{name} takes 1D tables of at most {self.receiver.most_entries} entries")
        elif self.size not in self.receiver.sizes(self.format):
            sizes = ", ".join(map(str, self.receiver.sizes(self.format))) or "none in this format"
            raise ValueError(f"A grid of {self.size} cannot be baked for {name}; it takes {sizes}")
        if self.shaper != "none" and (not form.shaper or self.dimensions == 1):
            raise ValueError(f"a shaper before the cube needs the Common LUT Format; a {form.title} table holds one table")
        if self.density and (self.shaper == "none" or len(self.density) < 2):
            raise ValueError("a density of grid points belongs to a shaper, and has two parts at the least")
        if self.entries == "fitted" and self.dimensions == 1:
            raise ValueError("entries are fitted in a cube; a 1D table keeps those of the path")
        if self.entries == "fitted" and self.size > FITTED_UP_TO:
            raise ValueError(f"entries are fitted in grids of up to {FITTED_UP_TO} points a side; a larger one keeps those of the path")
        return self

    @classmethod
    def checked(cls, body: Any) -> Self:
        """From plain data or values; raises BadValue, or RecipeError from the path."""
        try:
            made = cls.model_validate(body)
        except ValidationError as error:
            raise BadValue(refusal(error, leave_out=("path",))) from None
        made.operations  # noqa: B018  the sections that cannot be are refused here
        return made

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """As pydantic's, without what was derived from the old values."""
        copied = super().model_copy(update=update, deep=deep)
        for derived in ("kept_path", "operations", "judge"):
            copied.__dict__.pop(derived, None)
        return copied

    @cached_property
    def kept_path(self) -> Path:
        """The path without the steps left out."""
        if not self.left_out:
            return self.path
        trim, look = (stage.model_copy(update={"steps": tuple(s for s in stage.steps if s.id not in self.left_out)}) for stage in (self.path.trim, self.path.look))
        return self.path.model_copy(update={"trim": trim, "look": look})

    @cached_property
    def operations(self) -> tuple[Operation, ...]:
        """The exact function that the table stands for."""
        r = self.receiver
        return self.section.operations(self.kept_path, r.input_range, r.input_depth, r.output_range, r.output_depth)

    @cached_property
    def judge(self) -> Judge:
        """How its output is seen."""
        r = self.receiver
        return Judge(self.kept_path.target, self.section.after(self.kept_path, r.output_range, r.output_depth))

    @property
    def stuck(self) -> tuple[AnyStep, ...]:
        """Steps of the section that no table can carry and that are not left out."""
        steps = (*(self.kept_path.trim.steps if "trim" in self.section.stages else ()), *(self.kept_path.look.steps if "look" in self.section.stages else ()))
        return tuple(s for s in steps if not s.fits_in_lut and not s.changes_nothing and self.path.takes(s))

    def check_carried(self) -> None:
        """Raises BadValue while a step that no table can carry is not left out."""
        if self.stuck:
            raise BadValue(f"No table can carry {', '.join(step.shown_name for step in self.stuck)}. Leave that out, with a yes, or switch it off.")

    @property
    def can_fit(self) -> bool:
        """Whether its entries are sampled and could be fitted."""
        return self.entries == "sampled" and self.dimensions == 3 and self.size <= FITTED_UP_TO

    @property
    def holds_codes(self) -> bool:
        """Whether outputs are held to 0…1: display code always is, and integers can be nothing else."""
        return self.section.to_display or self.receiver.precision > 0 or self.format == "hald"

    def held(self, code: Any) -> Float64:
        """Exact output as it may be given out."""
        return np.clip(code, 0.0, 1.0) if self.holds_codes else np.asarray(code)

    def snapped(self, code: Any) -> Float64:
        """Input codes as the receiver's depth has them."""
        top = 2**self.receiver.input_depth - 1
        return np.asarray(np.round(np.asarray(code) * top) / top) if self.receiver.input_depth else np.asarray(code)

    def table_code(self, frame_code: Any, own: Path | None = None) -> Float64:
        """The table's input (N, 3) of a frame's codes (…, 3), which are those of the order's path, or of ``own``."""
        return self._ranged(exact(self.section.before(own or self.path), np.asarray(frame_code, dtype=np.float64).reshape(-1, 3)))

    def code_of_working(self, rgb_linear: Any) -> Float64:
        """The table's input (N, 3) of working light as it leaves the Input."""
        source, working = self.path.source, self.path.working_primaries
        if self.section.from_camera:
            encode = (Matrix.of(rgb_to_rgb(working, source.primaries, self.path.input.adaptation)), *encode_operations(source))
            return self._ranged(run_reference(encode, np.asarray(rgb_linear, dtype=np.float64)))
        segments = self.path.segments()
        between = [op for stage in STAGES[2:STAGES.index(self.section.start)] for op in segments[stage]]  # type: ignore[index]
        return self._ranged(run_reference((*between, *self.section.to_carrier(self.path)), np.asarray(rgb_linear, dtype=np.float64)))

    def _ranged(self, code: Float64) -> Float64:
        return np.asarray(full_to_legal(code, self.receiver.input_depth or 10)) if self.receiver.input_range == "legal" else code

    @property
    def section_fingerprint(self) -> str:
        """As the path's fingerprint, over what the section holds of it alone: a change elsewhere leaves the table as good as it was."""
        path, stages = self.kept_path, self.section.stages
        inside: dict[str, Any] = {"camera": path.camera.model_copy(update={"range": "full", "depth": 10}) if self.section.from_camera else CameraFile(),
                                  "display": path.display.model_copy(update={"range": "full", "depth": 10})}
        if "input" not in stages:
            inside["input"] = Input(encoding="linear/AP1", adaptation=path.input.adaptation)
        for stage, rest in (("trim", Trim()), ("look", Look()), ("rendering", RenderingStage())):
            if stage not in stages:
                inside[stage] = rest
        return path.model_copy(update=inside).fingerprint

    @property
    def fingerprint(self) -> str:
        """SHA-256 over the path's fingerprint and all else; equal means equal tables."""
        return self._digest(self.kept_path.fingerprint)

    def is_marked(self, fingerprint: str, path_fingerprint: str) -> bool:
        """Whether two fingerprints are this order's and its path's, also ones from before what does not act was left out of them."""
        return self.kept_path.is_marked(path_fingerprint) and fingerprint == self._digest(path_fingerprint)

    def _digest(self, path_fingerprint: str) -> str:
        resting = {name for name, value in (("density", ()), ("entries", "sampled")) if getattr(self, name) == value}
        body = self.model_dump(mode="json", exclude={"path", *resting})
        text = json.dumps({**without_tables(body), "path": path_fingerprint}, sort_keys=True, separators=(",", ":"))
        return hashlib.sha256(text.encode()).hexdigest()

    def said(self, by_formulas: bool = False) -> str:
        """The kind of table in a few words; ``by_formulas``: it came out without a cube."""
        if by_formulas:
            return f"{FORMATS[self.format].title} · formulas, no cube"
        kind = f"{self.size}³ grid" if self.dimensions == 3 else f"1D, {self.size} entries"
        return f"{FORMATS[self.format].title} · {kind}" + (f" after a {'fitted ' if self.density else ''}shaper" if self.shaper != "none" else "") + (", fitted entries" if self.entries == "fitted" else "")


def order_from_recipe(recipe: Any) -> BakeOrder:
    """A BakeOrder from a certificate's or an order's plain data; raises RecipeError."""
    if not isinstance(recipe, dict):
        raise RecipeError("the bake's description is missing.")
    return BakeOrder.checked(recipe)
