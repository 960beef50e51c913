"""The viewing layer: what is laid over the picture for the eyes alone; no path, recipe, bake or delivery has it."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from upwelling.core.colour.primaries import rgb_to_xyz
from upwelling.core.curves.segmented_power import PurePower
from upwelling.core.frozen import Frozen
from upwelling.core.operations import Affine, Decode, Matrix, Operation
from upwelling.core.operations.declared_lut import DeclaredLut
from upwelling.core.outputs import OUTPUTS, Output
from upwelling.core.outputs.monitor import REFLECTANCE, Monitor
from upwelling.core.path import LAYERS, Path, stages_between
from upwelling.core.rendering import DisplayLook, DisplayTable, LutRendering
from upwelling.core.rendering.limit import Limit
from upwelling.core.steps import LutStep

Bypassed = Literal["camera_trim", "group_trim", "trim", "look", "group_look", "rendering", "finish"]
NAMES: dict[Bypassed, str] = {
    "camera_trim": "without the camera’s trim",
    "group_trim": "without the group’s trim",
    "trim": "without trim",
    "look": "without Look",
    "group_look": "without the group’s Look",
    "rendering": "without rendering",
    "finish": "without finish",
}
MOST_STOPS = 8.0


class Viewing(Frozen):
    """``stops`` brightens scene light before the rendering; ``grey`` shows luminance alone; ``without`` leaves stages
    out; ``until`` names the last step of the trim that acts. A ``table`` from scene code to a display's takes the
    rendering's place, one between scene codes comes before it, one between displays lies over it. ``monitor``
    simulates a display.
    """

    stops: float = Field(0.0, ge=-MOST_STOPS, le=MOST_STOPS)
    grey: bool = False
    without: frozenset[Bypassed] = frozenset()
    until: str = Field("", max_length=12)
    table: Annotated[DeclaredLut | DisplayTable | None, Field(union_mode="left_to_right")] = None
    monitor: Monitor | None = None

    @property
    def acts(self) -> bool:
        """Whether anything is seen otherwise."""
        return self != Viewing()

    def summary(self, path: Path) -> str:
        """What it does, in a few words."""
        step = next((one for one in path.layer("trim").steps if one.id == self.until), None)
        words = [
            self._brighter(path),
            "black and white" if self.grey else "",
            *(words for stage, words in NAMES.items() if stage in self.without),
            f"up to {step.shown_name}" if step is not None else "",
            f"through {self.table.table.name}" if self.table is not None else "",
            "on a simulated monitor" if self.monitor is not None else "",
        ]
        return " · ".join(filter(None, words))

    def _brighter(self, path: Path) -> str:
        if not self.stops:
            return ""
        if not path.input.on:
            return "exposure has no effect while the input is off"
        return f"{self.stops:+g} stop{'' if abs(self.stops) == 1 else 's'}".replace("-", "−")

    def path(self, path: Path) -> Path:
        """The path as it is seen up to the display's light: stages and later steps left out, the table put in. Raises
        BadValue where the table cannot serve the output.
        """
        rendering, trim = path.rendering, path.layer("trim")
        if self.until:
            ids = [step.id for step in trim.steps]
            end = ids.index(self.until) + 1 if self.until in ids else len(ids)
            path = path.with_layers(trim=trim.with_steps(trim.steps[:end]))
        if "rendering" in self.without:
            rendering = rendering.model_copy(update={"on": False})
        elif self.table is not None and not self._before and not isinstance(self.table, DisplayTable):
            rendering = rendering.model_copy(update={"method": LutRendering(lut=self.table), "on": True})
        path = path.without_layers(*(kind for kind in LAYERS if kind in self.without))
        return path.model_copy(update={"rendering": rendering})

    @property
    def _before(self) -> bool:
        """Whether the table runs on scene light and gives scene light."""
        return self.table is not None and self.table.gives not in OUTPUTS

    def operations(self, path: Path) -> tuple[Operation, ...]:
        """From the file's code to light over the display's peak, in the output's primaries."""
        seen, target = self.path(path), path.target
        segments = seen.segments()
        scene = tuple(op for stage in stages_between("camera", "look") for op in segments[stage])
        if self.table is not None and self._before:
            scene += LutStep(lut=self.table).work(path.working_primaries)
        if self.stops and path.input.on:
            scene += (Affine(2.0**self.stops),)
        over: tuple[Operation, ...] = ()
        if isinstance(self.table, DisplayTable):
            over = DisplayLook(lut=self.table).operations(target, path.input.adaptation)
        if self.grey:
            weights = rgb_to_xyz(target.gamut)[1]
            over += (Matrix.of(np.array([weights] * 3)),)
        if self.monitor is not None:
            over += monitor_operations(self.monitor, target)
        return (*scene, *segments["rendering"], *segments["finish"], *over)


def monitor_operations(monitor: Monitor, target: Output) -> tuple[Operation, ...]:
    """``Monitor.shown`` as operations: light over the output's peak as a less than perfect display shows it."""
    bend = PurePower(
        "monitor", "A simulated display's error of its EOTF", "Simulated", exponent=1 + monitor.gamma_error / 2.4
    )
    peak = target.peak_nits * monitor.peak / 100
    to_target = np.linalg.inv(rgb_to_xyz(target.gamut)) @ rgb_to_xyz(monitor.primaries(target))
    veil = target.black_nits + monitor.black_nits + monitor.ambient_lux * REFLECTANCE / np.pi
    span = target.peak_nits - target.black_nits
    return (
        Limit(0.0, 1.0),
        Decode(bend, 1.0),
        Matrix.of(to_target * ((peak - target.black_nits) / span)),
        Affine(1.0, float((veil - target.black_nits) / span)),
    )
