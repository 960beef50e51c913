"""One frame under one path at the boundaries of the Column: each computed once, and only when it is asked for."""

from __future__ import annotations

import threading
from typing import Any

import numpy as np
from django.conf import settings

from upwelling.core import engine
from upwelling.core.arrays import Float32
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.operations import Encode, Operation
from upwelling.core.path import Path, StageName
from upwelling.web.footage.kept import Kept
from upwelling.web.footage.pictures import view_operations

_kept: Kept[Float32] = Kept(lambda: settings.PREVIEW_MEMORY, lambda array: int(array.nbytes))
_local = threading.local()


def memory(name: str, shape: tuple[int, ...]) -> Float32:
    """An array of this thread's own, kept between requests; what it held is gone."""
    held: dict[str, Float32] = _local.__dict__.setdefault("held", {})
    if name not in held or held[name].shape != shape:
        held[name] = np.empty(shape, np.float32)
    return held[name]


class Computed:
    """Values of ``code`` (H, W, 3) under a path. ``place`` is the stage, and step, that a person has in hand: what comes before it
    is kept between requests, so that moving a control there redoes nothing below it.

    Arrays it gives live until the thread's next request.
    """

    def __init__(self, key: tuple[Any, ...], code: Float32, path: Path, place: tuple[StageName, str] = ("trim", "")) -> None:
        # Scopes and screen want full-range signal, whatever range the output's code has.
        self.path = path.model_copy(update={"display": path.display.model_copy(update={"range": "full"})})
        self.original = path
        self.key, self.code, self.place = key, code, place
        self._made: dict[str, Float32] = {}

    def _up_to(self, operations: tuple[Operation, ...]) -> Float32:
        """The result of operations on the code, kept between requests."""
        if not operations:
            return self.code
        key = (self.key, operations)
        found = _kept.get(key)
        if found is None:
            found = engine.run(engine.compile_operations(operations), self.code)
            found.setflags(write=False)
            _kept.put(key, found)
        return found

    def before(self, stage: StageName, step: str = "") -> Float32:
        """Scene light that enters a stage or a step of the trim."""
        return self._up_to(self.path.until(stage, step))

    def scene(self, after: StageName = "look") -> Float32:
        """Scene-linear working light after the input, trim or look."""
        if after == "input":
            return self.before("trim")
        if after not in self._made:
            operations = self.path.until("look" if after == "trim" else "rendering")
            prefix = self.path.until(*self.place) if self.place[0] in ("trim", "look", "rendering") else self.path.until("trim")
            if operations[:len(prefix)] != prefix:
                prefix = self.path.until("trim")
            rest = operations[len(prefix):]
            kept = self._up_to(prefix)
            self._made[after] = engine.run(engine.compile_operations(rest), kept, memory(f"scene {after}", kept.shape)) if rest else kept
        return self._made[after]

    @property
    def signal(self) -> Float32:
        """Full-range display signal 0…1."""
        if "signal" not in self._made:
            segments, scene = self.path.segments(), self.scene()
            program = engine.compile_operations((*segments["rendering"], *segments["display"]))
            self._made["signal"] = engine.run(program, scene, memory("signal", scene.shape))
        return self._made["signal"]

    @property
    def display_light(self) -> Float32:
        """Display light over the output's peak, in the output's primaries."""
        if "light" not in self._made:
            scene = self.scene()
            self._made["light"] = engine.run(engine.compile_operations(self.path.segments()["rendering"]), scene, memory("light", scene.shape))
        return self._made["light"]

    @property
    def view(self) -> Float32:
        """Code for the browser's sRGB screen."""
        operations = view_operations(self.path)
        if not operations:
            return self.signal
        return engine.run(engine.compile_operations(operations), self.signal, memory("view", self.code.shape))

    def signal_at(self, boundary: str) -> Float32:
        """What a level scope draws at a boundary, 0…1: code, working log code, display light over the peak, or display signal."""
        if boundary == "display":
            return self.signal
        if boundary == "rendering":
            return self.display_light
        if boundary == "camera":
            return self._up_to(self.path.segments()["camera"] if self.path.camera.raw is None else ())
        scene = self.scene(boundary)  # type: ignore[arg-type]
        return engine.run(engine.compile_operations((Encode(ACESCCT),)), scene, memory("log", scene.shape))

    def light_at(self, boundary: str) -> tuple[Float32, Any]:
        """Linear light at a boundary and its primaries; the camera's code counts as the light it stands for."""
        if boundary in ("rendering", "display"):
            return self.display_light, self.path.target.primaries
        stage: Any = "input" if boundary == "camera" else boundary
        return self.scene(stage), self.path.working_primaries
