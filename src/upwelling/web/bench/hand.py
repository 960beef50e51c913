"""The layer of steps in hand on the Bench: the shot's trim, or one that it shares, sent as a copy of its own."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

from upwelling.core.colour.primaries import Primaries
from upwelling.core.path import LAYER_TITLES, Path
from upwelling.core.steps import AnyStep
from upwelling.web.common.requests import one_of
from upwelling.web.footage.layer_content import LayerContent
from upwelling.web.footage.shot_settings import ShotSettings

InHand = Literal["camera_trim", "group_trim", "trim", "finish"]
IN_HAND: tuple[InHand, ...] = ("camera_trim", "group_trim", "trim", "finish")
"""Layers whose steps are worked at on the Bench."""


@dataclass(frozen=True)
class Hand:
    """Which layer, and its steps as the page has them now."""

    kind: InHand
    steps: tuple[AnyStep, ...]

    def find(self, step: str) -> AnyStep | None:
        """The step of an id."""
        return next((one for one in self.steps if one.id == step), None)

    @property
    def title(self) -> str:
        return LAYER_TITLES[self.kind].lower()

    def shown(self, settings: ShotSettings) -> ShotSettings:
        """The settings with this layer on, for what is measured before one of its steps."""
        if self.kind == "trim":
            return settings.model_copy(update={"trim_on": True})
        use = settings.use_of(self.kind)
        own = (use.own or LayerContent()).model_copy(update={"on": True})
        return settings.model_copy(update={self.kind: use.model_copy(update={"on": True, "own": own})})

    def primaries(self, path: Path) -> Primaries:
        """Of the light that its steps work on."""
        return path.target.gamut if self.kind == "finish" else path.working_primaries


def in_hand(settings: ShotSettings, asked: Any) -> Hand:
    """The layer that a page names, with the steps that it sent; the shot's trim for any other name."""
    kind = one_of(asked, IN_HAND, "trim")
    if kind == "trim":
        return Hand("trim", settings.steps)
    own = settings.use_of(kind).own
    return Hand(kind, own.steps if own else ())


def put_steps(hand: Hand, settings: ShotSettings, steps: Sequence[AnyStep]) -> dict[str, Any]:
    """Plain settings with other steps in the layer in hand."""
    plain = [step.model_dump() for step in steps]
    body = settings.model_dump()
    if hand.kind == "trim":
        return {**body, "steps": plain}
    own = (settings.use_of(hand.kind).own or LayerContent()).model_dump()
    return {**body, hand.kind: {**body[hand.kind], "own": {**own, "steps": plain}}}
