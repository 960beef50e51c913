"""From what a page asks for to a BakeOrder, and the production's own frames that test it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from upwelling.core.bake import RECEIVERS, BakeOrder, FrameSample, Receiver, Section, frame_sample
from upwelling.core.errors import BadValue, UpwellingError
from upwelling.web.bakes.variants import variant_of, variant_path
from upwelling.web.errors import Refused
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.models import Shot, shots_of
from upwelling.web.productions.models import Production, readable

MOST_FRAMES = 3


def receivers_of(production: Production) -> list[Receiver]:
    """The production's own receivers, then the generic ones."""
    return [*(row.receiver for row in readable(production.receivers.all(), "receiver")[0]), *RECEIVERS]


def receiver_named(production: Production, name: str) -> Receiver:
    """Raises Refused for a name nobody has."""
    found = next((r for r in receivers_of(production) if r.name == name), None)
    if found is None:
        raise Refused(f"There is no receiver “{name}”. Choose one of the list, or define it on the Receivers page.")
    return found


def check_bakeable(shot: Shot, section: Section) -> None:
    """Raises Refused for a shot without a path to bake."""
    if shot.is_raw and section.from_camera:
        raise Refused(f"{shot.name} is a raw mosaic, and no table can carry its development. Begin above the Input, in working light.")
    if not shot.is_managed:
        raise Refused(f"Colour management is off for {shot.name}, so there is no path to bake. Switch it on first.")
    if not shot.settled_encoding:
        raise Refused(f"{shot.name} has no encoding yet. Say what the file is first; then it can be baked.")


def order_for(shot: Shot, wish: dict[str, Any]) -> BakeOrder:
    """The order of what a page wishes: start, end, carrier, receiver, format, dimensions, size, shaper, density, entries, output, trim, look, left_out.

    What is not wished for is as usual: the largest grid, and fitted entries where it can have them. Raises Refused or BadValue.
    """
    receiver = wish["receiver"] if isinstance(wish.get("receiver"), Receiver) else receiver_named(shot.production, str(wish.get("receiver") or RECEIVERS[0].name))
    try:
        section = Section(start=wish.get("start") or "camera", end=wish.get("end") or "display", carrier=wish.get("carrier") or "")
    except ValueError as error:
        raise BadValue(str(error).split("Value error, ")[-1].split(" [type")[0].capitalize() + ".") from None
    check_bakeable(shot, section)
    form = wish.get("format") or receiver.formats[0]
    size = str(wish.get("size") or (receiver.sizes(str(form)) or (0,))[-1])
    flat = str(wish.get("dimensions")) == "1"
    usual = "fitted" if not flat and size.isdigit() and receiver.prefers_fitted(int(size)) else "sampled"
    path = variant_path(shot, variant_of(wish), str(wish.get("output") or ""))
    names = {step.id for step in (*path.trim.steps, *path.look.steps)}
    return BakeOrder.checked({
        "path": path, "section": section, "receiver": receiver, "format": form, "dimensions": 1 if flat else 3,
        "size": int(size) if size.isdigit() else 0, "shaper": wish.get("shaper") or "none", "density": _density(wish.get("density")), "entries": wish.get("entries") or usual,
        "left_out": tuple(n for n in wish.get("left_out") or () if n in names)})


def _density(given: Any) -> tuple[float, ...]:
    """Numbers, as a list or as text with commas between; raises BadValue."""
    parts = given.split(",") if isinstance(given, str) else given or ()
    try:
        return tuple(float(part) for part in parts if part != "")
    except (TypeError, ValueError):
        raise BadValue("The shaper’s density should be numbers. Let the page find it again with “Try every grid”.") from None


def test_frames(shot: Shot, order: BakeOrder) -> list[FrameSample]:
    """Pixels of the shot's own frame and of up to two more that this table will meet: of the same encoding where it begins at the camera's code."""
    frames = []
    now = shot.settled
    kin = [s for s in shots_of(shot.production) if s.pk != shot.pk and s.settled.is_settled and s.is_managed and (
        not order.section.from_camera or (s.settled.encoding == now.encoding and not s.is_raw))]
    for one in [shot, *_spread(kin, MOST_FRAMES - 1)]:
        try:
            frames.append(frame_sample(order, one.name, frame_code(one), one.path(None, order.path.display.output)))
        except UpwellingError:
            if one.pk == shot.pk:
                raise
    return frames


def frame_code(shot: Shot) -> Any:
    """The codes of the frame that stands for the shot, at working size."""
    return np.asarray(frame_of(shot).working)


def _spread(shots: Sequence[Shot], count: int) -> list[Shot]:
    """A few, evenly through the list."""
    if len(shots) <= count:
        return list(shots)
    return [shots[round((k + 0.5) * len(shots) / count - 0.5)] for k in range(count)]


def model_shots(shots: Sequence[Shot]) -> list[tuple[str, Shot]]:
    """For each camera, and for each encoding of shots without one, the shot that stands for it: settled, managed, of the camera's own encoding first."""
    by_camera: dict[str, Shot] = {}
    for shot in sorted(shots, key=lambda s: (s.encoding != "", s.pk)):
        if shot.settled.is_settled and shot.is_managed:
            by_camera.setdefault(shot.camera.name if shot.camera else f"No camera, {shot.settled.encoding}", shot)
    return sorted(by_camera.items())
