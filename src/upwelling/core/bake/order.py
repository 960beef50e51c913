"""BakeOrder: everything that decides what a bake's numbers are, as one frozen value that travels with the file."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from functools import cached_property
from typing import Annotated, Any, Literal, Self

import numpy as np
from pydantic import Field, ValidationError, model_validator

from upwelling.core.arrays import Float64
from upwelling.core.bake.receivers import FITTED_UP_TO, SMALLEST, Receiver
from upwelling.core.bake.section import Section
from upwelling.core.colour.primaries import rgb_to_rgb
from upwelling.core.encodings import full_to_legal
from upwelling.core.errors import BadValue, RecipeError
from upwelling.core.frozen import Frozen
from upwelling.core.lut.process import HALFS
from upwelling.core.measure.judge import Judge
from upwelling.core.operations import Matrix, Operation, Place, encode_operations, needs_of, run_reference
from upwelling.core.operations.exact import exact
from upwelling.core.parameters import refusal
from upwelling.core.path import LAYERS, CameraFile, Input, Layer, Path, RenderingStage, stages_between, without_tables
from upwelling.core.steps import AnyStep
from upwelling.core.tables.formats import FORMATS, FormatName

SHAPE = ":shape"
"""Ends the name of a step whose shape alone is left out."""
Shaper = Literal["none", "adapted", "display"]
"""What stands before a cube: nothing, a curve that puts grid points where the path bends, or formulas up to the
rendering and the display's own light (``display_cube``).
"""
Entries = Literal["sampled", "fitted"]


_BEFORE = {"none": "", "adapted": " after a {}shaper", "display": " behind formulas"}


class BakeOrder(Frozen):
    """A path, the part of it that is baked, for whom, and as which kind of table.

    ``left_out`` names steps of the path that the table does not carry, with a person's consent: the exact path it is
    tested against is the path without them; a name followed by “:shape” leaves out only where in the picture that step
    acts. ``frozen`` is the frame at which steps that change along the shot stand. ``density`` is where an adapted
    shaper puts its grid points, in equal parts of the domain; empty, it follows the path's curvature. ``entries`` of a
    cube are the path's own at its grid points, or fitted to the receiver's interpolation.
    """

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
    frozen: int | None = Field(None, ge=0)

    @model_validator(mode="after")
    def _receivable(self) -> Self:
        form, name = FORMATS[self.format], self.receiver.name
        if self.format not in self.receiver.formats:
            taken = ", ".join(FORMATS[f].title for f in self.receiver.formats)
            raise ValueError(f"{name} takes {taken}, not {form.title}")
        if self.dimensions == 1:
            if not form.curves:
                raise ValueError(f"a {form.title} holds a cube, not a 1D table")
            if self.size > self.receiver.most_entries:
                raise ValueError(f"{name} takes 1D tables of at most {self.receiver.most_entries} entries")
        elif self.size not in self.receiver.sizes(self.format):
            sizes = ", ".join(map(str, self.receiver.sizes(self.format))) or "none in this format"
            raise ValueError(f"A grid of {self.size} cannot be baked for {name}; it takes {sizes}")
        if self.shaper != "none" and (not form.shaper or self.dimensions == 1):
            raise ValueError(
                f"a shaper before the cube needs the Common LUT Format; a {form.title} table holds one table"
            )
        if self.shaper == "display" and not self.takes_display_cube:
            raise ValueError(
                f"formulas before the cube need a receiver of floating-point tables over all halfs; {name} is none"
            )
        if self.shaper == "display" and self.entries == "fitted":
            raise ValueError("entries are not fitted behind formulas; they keep those of the path")
        if self.density and (self.shaper != "adapted" or len(self.density) < 2):
            raise ValueError("a density of grid points belongs to a shaper, and has two parts at the least")
        if self.entries == "fitted" and self.dimensions == 1:
            raise ValueError("entries are fitted in a cube; a 1D table keeps those of the path")
        if self.entries == "fitted" and self.size > FITTED_UP_TO:
            raise ValueError(
                f"entries are fitted in grids of up to {FITTED_UP_TO} points a side; a larger one keeps those of "
                "the path"
            )
        return self

    @classmethod
    def checked(cls, body: Any) -> Self:
        """From plain data or values; raises BadValue, or RecipeError from the path."""
        made = super().checked(body)
        made.operations  # noqa: B018  the sections that cannot be are refused here
        return made

    @classmethod
    def refused(cls, error: ValidationError) -> str:
        return refusal(error, leave_out=("path",))

    @cached_property
    def kept_path(self) -> Path:
        """The path without the steps left out."""
        moves = any(step.moves for _, step in self.path.steps())
        return self.path.with_steps(self._kept) if self.left_out or moves else self.path

    def _kept(self, layer: Layer, step: AnyStep) -> AnyStep | None:
        """A step as the table has it: left out, without its shape, standing still."""
        name = layer.name_of(step)
        if name and name in self.left_out:
            return None
        if f"{name}{SHAPE}" in self.left_out:
            step = without_shape(step)
        # What no table carries stands still as well, so that it can be told what it costs.
        return step.at(self.frozen or 0) if self.frozen is not None or not step.fits_in_lut else step

    @cached_property
    def operations(self) -> tuple[Operation, ...]:
        """The exact function that the table stands for."""
        r = self.receiver
        moving = [step.shown_name for _, step in self.steps if step.moves]
        if moving:
            raise BadValue(
                f"{', '.join(moving)} changes along the shot, and a table is the same on every frame. Say at which "
                "frame it is to stand still, or leave it out."
            )
        return self.section.operations(self.kept_path, r.input_range, r.input_depth, r.output_range, r.output_depth)

    @cached_property
    def judge(self) -> Judge:
        """How its output is seen."""
        r = self.receiver
        return Judge(self.kept_path.target, self.section.after(self.kept_path, r.output_range, r.output_depth))

    @property
    def stuck(self) -> tuple[tuple[str, AnyStep], ...]:
        """Steps of the section that no table can carry and that are not left out, each after its name in the path."""
        return tuple((layer.name_of(step), step) for layer, step in self.steps if not step.fits_in_lut)

    @property
    def steps(self) -> tuple[tuple[Layer, AnyStep], ...]:
        """What acts of the kept path's steps within the section, each with its layer."""
        return tuple(self.kept_path.acting(self.section.stages))

    def without(self, name: str) -> BakeOrder:
        """The order with one thing more left out."""
        return self.model_copy(update={"left_out": (*self.left_out, name)})

    @property
    def left_out_said(self) -> tuple[str, ...]:
        """What the table does not carry of its path, by the names people know."""
        steps = {layer.name_of(step): step for layer, step in self.path.steps()}
        said = []
        for name in self.left_out:
            step = steps.get(name.removesuffix(SHAPE))
            said.append(
                (f"the shape of {step.shown_name}" if name.endswith(SHAPE) else step.shown_name) if step else name
            )
        return tuple(said)

    def check_carried(self) -> None:
        """Raises BadValue while a step that no table can carry is not left out."""
        if self.stuck:
            raise BadValue(
                f"No table can carry {', '.join(step.shown_name for _, step in self.stuck)}. Leave that out, with a "
                "yes, or switch it off."
            )

    @property
    def takes_display_cube(self) -> bool:
        """Whether the receiver takes the nodes that a cube behind formulas needs."""
        return self.receiver.precision == 0 and self.receiver.most_entries >= HALFS

    @property
    def can_fit(self) -> bool:
        """Whether its entries are sampled and could be fitted."""
        return (
            self.entries == "sampled"
            and self.dimensions == 3
            and self.shaper != "display"
            and self.size <= FITTED_UP_TO
        )

    @property
    def holds_codes(self) -> bool:
        """Whether outputs are held to 0…1: display code always is, and integers can be nothing else."""
        return self.section.to_display or self.receiver.precision > 0 or FORMATS[self.format].unit_only

    def held(self, code: Any) -> Float64:
        """Exact output as it may be given out."""
        return np.clip(code, 0.0, 1.0) if self.holds_codes else np.asarray(code)

    def snapped(self, code: Any) -> Float64:
        """Input codes as the receiver's depth has them."""
        top = 2**self.receiver.input_depth - 1
        return np.asarray(np.round(np.asarray(code) * top) / top) if self.receiver.input_depth else np.asarray(code)

    def table_code(self, frame_code: Any, own: Path | None = None, place: Place | None = None) -> Float64:
        """The table's input (…, 3) of a frame's codes (…, 3), which are those of the order's path, or of ``own``.

        ``place`` is where a picture (H, W, 3) lies; PlaceNeeded is raised without it where what comes before the table
        needs it.
        """
        return self._ranged(exact(self.section.before(self._standing(own)), frame_code, place))

    def _standing(self, own: Path | None) -> Path:
        """The path that a frame's codes come through, standing still."""
        return (own or self.path).at(self.frozen or 0)

    def picked_code(
        self, frame_code: Any, pick: Callable[[Float64], Float64], own: Path | None = None, place: Place | None = None
    ) -> Float64:
        """As ``table_code``, of some pixels of a frame, (N, 3): ``pick`` takes them from all of it, (M, 3).

        They are picked before the path is run, unless it needs the frame whole: then it is run at ``place``, and they
        are picked after.
        """
        if needs_of(self.section.before(self._standing(own))):
            return pick(self.table_code(frame_code, own, place).reshape(-1, 3))
        return self.table_code(pick(np.asarray(frame_code).reshape(-1, 3)), own)

    def code_of_working(self, rgb_linear: Any) -> Float64:
        """The table's input (N, 3) of working light as the encoding has it, or as it reaches where the table begins."""
        source, working = self.path.source, self.path.working_primaries
        if self.section.from_camera:
            encode = (
                Matrix.of(rgb_to_rgb(working, source.primaries, self.path.input.adaptation)),
                *encode_operations(source),
            )
            return self._ranged(run_reference(encode, np.asarray(rgb_linear, dtype=np.float64)))
        segments = self._standing(None).segments()
        below = stages_between("trim", "display")
        between = [op for stage in below[: below.index(self.section.stages[0])] for op in segments[stage]]
        return self._ranged(
            run_reference((*between, *self.section.to_carrier(self.path)), np.asarray(rgb_linear, dtype=np.float64))
        )

    def _ranged(self, code: Float64) -> Float64:
        return (
            np.asarray(full_to_legal(code, self.receiver.input_depth or 10))
            if self.receiver.input_range == "legal"
            else code
        )

    @property
    def section_fingerprint(self) -> str:
        """As the path's fingerprint, over what the section holds of it alone: a change elsewhere leaves the table as
        good as it was.
        """
        path, stages = self.kept_path, self.section.stages
        inside: dict[str, Any] = {
            "camera": path.camera.model_copy(update={"range": "full", "depth": 10})
            if self.section.from_camera
            else CameraFile(),
            "display": path.display.model_copy(update={"range": "full", "depth": 10}),
        }
        if "input" not in stages:
            inside["input"] = Input(encoding="linear/AP1", adaptation=path.input.adaptation)
        if "rendering" not in stages:
            inside["rendering"] = RenderingStage()
        kept = path.without_layers(*(kind for kind in LAYERS if kind not in stages))
        return kept.model_copy(update=inside).fingerprint

    @property
    def fingerprint(self) -> str:
        """SHA-256 over the path's fingerprint and all else; equal means equal tables."""
        return self._digest(self.kept_path.fingerprint)

    def is_marked(self, fingerprint: str, path_fingerprint: str) -> bool:
        """Whether two fingerprints are this order's and its path's, also ones from before what does not act was left
        out of them.
        """
        return self.kept_path.is_marked(path_fingerprint) and fingerprint == self._digest(path_fingerprint)

    def _digest(self, path_fingerprint: str) -> str:
        rest = (("density", ()), ("entries", "sampled"), ("frozen", None))
        resting = {name for name, value in rest if getattr(self, name) == value}
        body = self.model_dump(mode="json", exclude={"path", *resting})
        text = json.dumps({**without_tables(body), "path": path_fingerprint}, sort_keys=True, separators=(",", ":"))
        return hashlib.sha256(text.encode()).hexdigest()

    def summary(self, by_formulas: bool = False) -> str:
        """The kind of table in a few words; ``by_formulas``: it came out without a cube."""
        if by_formulas:
            return f"{FORMATS[self.format].title} · formulas, no cube"
        kind = f"{self.size}³ grid" if self.dimensions == 3 else f"1D, {self.size} entries"
        return (
            f"{FORMATS[self.format].title} · {kind}"
            + _BEFORE[self.shaper].format("fitted " if self.density else "")
            + (", fitted entries" if self.entries == "fitted" else "")
        )


def without_shape(step: AnyStep) -> AnyStep:
    """A step that acts wherever its colour ranges let it: everywhere without any."""
    return step.model_copy(update={"limit": step.limit.unplaced() if step.limit else None})


def order_from_recipe(recipe: Any) -> BakeOrder:
    """A BakeOrder from a certificate's or an order's plain data; raises RecipeError."""
    if not isinstance(recipe, dict):
        raise RecipeError("the bake's description is missing.")
    return BakeOrder.checked(recipe)
