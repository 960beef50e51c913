"""One frame under one path at the boundaries of the Column: each computed once, and only when it is asked for."""

from __future__ import annotations

import threading
from collections.abc import Iterable
from typing import Any

import numpy as np
from django.conf import settings

from upwelling.core import engine
from upwelling.core.arrays import Float32
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.operations import Aside, Encode, Operation, Place, Tap
from upwelling.core.path import SCENE_LAYERS, Path, StageName, stages_between
from upwelling.web.common.kept import Kept
from upwelling.web.footage.pictures import light_to_screen, view_operations

SCENE_LIT = (*SCENE_LAYERS, "rendering")
"""Stages that scene light enters and that a hand works at."""
_kept: Kept[Float32] = Kept(lambda: settings.PREVIEW_MEMORY, lambda array: int(array.nbytes))
_local = threading.local()


def memory(name: str, shape: tuple[int, ...]) -> Float32:
    """An array of this thread's own, kept between requests; what it held is gone."""
    held: dict[str, Float32] = _local.__dict__.setdefault("held", {})
    if name not in held or held[name].shape != shape:
        held[name] = np.empty(shape, np.float32)
    return held[name]


class FrameValues:
    """Values of ``code`` (H, W, 3), which lies at ``place``, under a path. ``in_hand`` is the stage, and step, that a
    person works at:
    what comes before it is kept between requests, so that moving a control there redoes nothing below it.

    Arrays it gives live until the thread's next request.
    """

    def __init__(
        self,
        key: tuple[Any, ...],
        code: Float32,
        path: Path,
        in_hand: tuple[StageName, str] = ("trim", ""),
        *,
        place: Place | None = None,
    ) -> None:
        self.original = path
        # Scopes and screen want full-range signal, whatever range the output's code has.
        self.path = path.model_copy(update={"display": path.display.model_copy(update={"range": "full"})})
        self.segments = self.path.segments()
        self.key, self.code, self.in_hand, self.place = key, code, in_hand, place
        self._made: dict[str, Float32] = {}

    def _up_to(self, operations: tuple[Operation, ...]) -> Float32:
        """The result of operations on the code, kept between requests."""
        if not operations:
            return self.code
        key = (self.key, operations)
        found = _kept.get(key)
        if found is None:
            found = engine.run(engine.compile_operations(operations), self.code, place=self.place)
            _kept.put(key, found)
        return found

    def _run(self, operations: tuple[Operation, ...], source: Float32, name: str) -> Float32:
        if not operations:
            return source
        return engine.run(engine.compile_operations(operations), source, memory(name, source.shape), place=self.place)

    def _scene(self, stages: Iterable[StageName]) -> tuple[Operation, ...]:
        return tuple(op for stage in stages for op in self.segments[stage])

    @property
    def _rendered(self) -> tuple[Operation, ...]:
        """From scene light to the display's, the finish included."""
        return (*self.segments["rendering"], *self.segments["finish"])

    def before(self, stage: StageName, step: str = "") -> Float32:
        """Light that enters a stage or a step of a layer, kept between requests."""
        return self._up_to(self.path.until(stage, step))

    def scene(self, after: StageName = "look") -> Float32:
        """Scene-linear working light after the input, the trims or the Looks."""
        if after not in self._made:
            base = (*self.segments["camera"], *self.segments["input"])
            whole = base if after == "input" else self._scene(stages_between("camera", after))
            prefix = self.path.until(*self.in_hand) if self.in_hand[0] in SCENE_LIT else base
            if whole[: len(prefix)] != prefix:
                prefix = whole if after == "input" else base
            self._made[after] = self._run(whole[len(prefix) :], self._up_to(prefix), f"scene {after}")
        return self._made[after]

    def render(self) -> None:
        """Scene light, display signal and view in one pass, for a picture that needs all three."""
        whole, least = self.path.until("rendering"), self.path.until("camera_trim")
        base = self.path.until(*self.in_hand) if self.in_hand[0] in SCENE_LIT else least
        if self.in_hand[0] == "finish":
            base = whole
        if whole[: len(base)] != base:
            base = least
        to_view = view_operations(self.path)
        # The view begins by undoing the display's curve; it is taken from the light before that curve instead.
        signal: tuple[Operation, ...] = (*self.segments["display"], Tap(1))
        if to_view:
            signal = (Aside(signal), *light_to_screen(self.path.target))
        operations = (*whole[len(base) :], Tap(0), *self._rendered, *signal)
        source = self._up_to(base)
        taps = memory("taps", (2, *source.shape))
        self._made["view"] = engine.run(
            engine.compile_operations(operations), source, memory("view", source.shape), taps, self.place
        )
        self._made["look"], self._made["signal"] = taps

    @property
    def display_light(self) -> Float32:
        """Display light over the output's peak, in the output's primaries."""
        if "light" not in self._made:
            self._made["light"] = self._run(self._rendered, self.scene(), "light")
        return self._made["light"]

    @property
    def signal(self) -> Float32:
        """Full-range display signal 0…1."""
        if "signal" not in self._made:
            self._made["signal"] = self._run(self.segments["display"], self.display_light, "signal")
        return self._made["signal"]

    @property
    def view(self) -> Float32:
        """Code for the browser's sRGB screen."""
        if "view" not in self._made:
            self.render()
        return self._made["view"]

    def signal_at(self, boundary: str) -> Float32:
        """What a level scope draws at a boundary, 0…1: code, working log code, display light over the peak, or display
        signal.
        """
        if boundary == "display":
            return self.signal
        if boundary == "rendering":
            return self.display_light
        if boundary == "camera":
            return self._up_to(self.segments["camera"] if self.path.camera.raw is None else ())
        return self._run((Encode(ACESCCT),), self.scene(boundary), "log")  # type: ignore[arg-type]

    def light_at(self, boundary: str) -> tuple[Float32, Any]:
        """Linear light at a boundary and its primaries; the camera's code counts as the light it stands for."""
        if boundary in ("rendering", "display"):
            return self.display_light, self.path.target.gamut
        stage: Any = "input" if boundary == "camera" else boundary
        return self.scene(stage), self.path.working_primaries
