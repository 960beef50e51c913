"""Moving a step between a shot's trim and a layer that it shares, and what that changes of its picture."""

from __future__ import annotations

from typing import Any

import numpy as np
from django.db import transaction

from upwelling.core.errors import UpwellingError
from upwelling.core.operations import Place
from upwelling.core.operations.exact import exact
from upwelling.core.path import LAYER_TITLES, Path
from upwelling.core.steps import AnyStep
from upwelling.web.bench.hand import InHand
from upwelling.web.bench.layers import acts_for_main, held_layer
from upwelling.web.common.requests import Refused
from upwelling.web.footage.frames import Frame, frame_of
from upwelling.web.footage.history import Outdated, next_state
from upwelling.web.footage.layer_content import LayerContent, LayerUse, read_content
from upwelling.web.footage.layer_models import SharedKind, SharedLayer, title_of
from upwelling.web.footage.layer_services import layer_for, save_layer
from upwelling.web.footage.models import Shot, ShotState
from upwelling.web.footage.paths import path_at
from upwelling.web.footage.shot_settings import ShotSettings, free_id, read_settings, unlinked

SAME = 1e-9
"""Codes that differ by less are the same: the exact path's own arithmetic in another order."""
LOOKED_AT = 96
"""Rows of the working frame, spread over it, on which the pictures before and after are compared."""


class Moved:
    """A step as it would stand in another layer: the shot's settings, the layer's content, and both pictures."""

    def __init__(self, shot: Shot, step: str, origin: InHand, to: InHand, output: str) -> None:
        self.shot, self.settings = shot, shot.settings
        if (origin == "trim") == (to == "trim"):
            raise Refused("A step moves between the shot’s trim and a layer that it shares.")
        self.kind: SharedKind = to if origin == "trim" else origin  # type: ignore[assignment]
        self.output, self.into_layer = output, origin == "trim"
        self.layer = held_layer(shot, self.kind, output)
        if self.settings.use_of(self.kind).own is not None:
            raise Refused(
                f"This shot has a copy of its own of {LAYER_TITLES[self.kind].lower()}. Return to the shared one first."
            )
        self.content = self.layer.content if self.layer else LayerContent()
        held = self.settings.steps if self.into_layer else self.content.steps
        found = next((one for one in held if one.id == step), None)
        if found is None:
            raise Refused("That step is no longer there. Reload the page.")
        self.step = found

    @property
    def after(self) -> tuple[ShotSettings, LayerContent]:
        """Settings and content with the step in its new place: last in a layer below the trim, as its neighbour there,
        and first in the trim when it comes from below; from the finish it comes last.
        """
        mine, theirs = list(self.settings.steps), list(self.content.steps)
        left, come = (mine, theirs) if self.into_layer else (theirs, mine)
        left.remove(self.step)
        step: AnyStep = unlinked(self.step)
        if any(one.id == step.id for one in come):
            step = step.model_copy(update={"id": free_id(come, step.kind)})
        first = not self.into_layer and self.kind != "finish"
        come.insert(0 if first else len(come), step)
        settings = read_settings({**self.settings.model_dump(), **_listed(mine, self.settings.groups)})
        content = read_content({**self.content.model_dump(), **_listed(theirs, self.content.groups)})
        content.layer(self.kind, "")
        return settings, content

    def sentence(self) -> str:
        """What the move changes of this shot's picture."""
        settings, content = self.after
        frame = frame_of(self.shot)
        before = path_at(self.shot, chosen=self.settings)
        # A finish that is not for the main output changes nothing there but what the trim lost or came to.
        if acts_for_main(self.shot.production, self.kind, self.output):
            use: LayerUse = settings.use_of(self.kind).model_copy(update={"own": content})
            settings = settings.model_copy(update={self.kind: use})
        after = path_at(self.shot, chosen=settings)
        apart = _apart(before, after, frame)
        if apart <= SAME:
            return "This shot’s picture stays what it is, to the last digit."
        why = self._why()
        return f"This shot’s picture changes by up to {100 * apart:.2f} % of the signal: {why}."

    def _why(self) -> str:
        use = self.settings.use_of(self.kind)
        if not use.on:
            return "it leaves the layer out"
        if (self.content.strength if use.strength is None else use.strength) < 1:
            return "the layer is mixed in by a strength"
        if self.kind == "finish":
            return "the step works on display light there, and on scene light in the trim"
        return "steps that stand between the two places now act after it, or before it"

    @transaction.atomic
    def save(self, user: Any, version: int, number: int) -> SharedLayer:
        """Saves both as one change that one undo takes back. Raises Outdated where either was changed meanwhile."""
        settings, content = self.after
        shot = Shot.objects.select_for_update().get(pk=self.shot.pk)
        if shot.version != version:
            raise Outdated("This shot was changed meanwhile. Reload the page, then move the step again.")
        layer = layer_for(self.shot, self.kind, self.output)
        if layer.number != number:
            raise Outdated(f"{layer} was changed meanwhile. Reload the page, then move the step again.")
        where = title_of(self.kind, layer.whose)
        label = f"{self.step.shown_name} {'to' if self.into_layer else 'from'} {where}"
        shot.production = self.shot.production
        save_layer(layer, user, content, number=number, label=label)
        next_state(shot, user, settings, label)
        state = ShotState.objects.get(shot=shot, position=shot.position)
        layer.refresh_from_db()
        layer.versions.filter(number=layer.number).update(shot_state=state)
        return layer


def _listed(steps: list[AnyStep], groups: Any) -> dict[str, Any]:
    """Plain steps, and the groups that still have any."""
    used = {step.group for step in steps}
    return {
        "steps": [step.model_dump() for step in steps],
        "groups": [group.model_dump() for group in groups if group.id in used],
    }


def _apart(before: Path, after: Path, frame: Frame) -> float:
    """The largest difference of display code between two paths on rows spread over a frame."""
    rows = np.linspace(0, frame.working.shape[0] - 1, min(LOOKED_AT, frame.working.shape[0])).astype(int)
    try:
        if before.needs or after.needs:
            whole = np.asarray(frame.working, dtype=np.float64)
            place: Place | None = frame.place
            return float(
                np.abs(exact(after.operations(), whole, place) - exact(before.operations(), whole, place)).max()
            )
        some = np.asarray(frame.working[rows, ::4], dtype=np.float64)
        return float(np.abs(after.apply(some) - before.apply(some)).max())
    except UpwellingError:
        return float("inf")
