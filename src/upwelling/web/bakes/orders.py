"""From what a page asks for to a BakeOrder, and the production's own frames that test it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db.models import Case, QuerySet, Value, When

from upwelling.core.bake import RECEIVERS, BakeOrder, Receiver, Section
from upwelling.core.bake.order import SHAPE
from upwelling.core.errors import BadValue, UpwellingError
from upwelling.core.proof import FrameSample, frame_sample
from upwelling.core.tables.formats import FORMATS
from upwelling.web.bakes.variants import variant_of, variant_path
from upwelling.web.common.requests import Refused, list_of, number, text_of, typed_number, whole_or
from upwelling.web.footage.around import ShotFrames
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.layer_models import layers_of
from upwelling.web.footage.listing import loaded, managed
from upwelling.web.footage.look_models import looks_of
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_at, path_of
from upwelling.web.productions.models import Production, readable

MOST_DENSITY = 100_000
"""Characters of a shaper’s density as text."""


def receivers_of(production: Production) -> list[Receiver]:
    """The production's own receivers, then the generic ones."""
    return [*(row.receiver for row in readable(production.receivers.all(), "receiver")[0]), *RECEIVERS]


def receiver_named(production: Production, name: str) -> Receiver:
    """Raises Refused for a name nobody has."""
    found = next((r for r in receivers_of(production) if r.name == name), None)
    if found is None:
        raise Refused(f"There is no receiver “{name}”. Choose one of the list, or define it on the Receivers page.")
    return found


def usual_start(shot: Shot) -> str:
    """Where the table of a shot begins unless someone says otherwise: a raw one above its development, which no table
    carries.
    """
    if not shot.is_raw:
        return "camera"
    correction = path_of(shot).input.correction
    return "input" if correction is not None and correction.acts else "trim"


def check_bakeable(shot: Shot, section: Section) -> None:
    """Raises Refused for a shot without a path to bake."""
    if shot.is_raw and section.from_camera:
        raise Refused(
            f"{shot.name} is a raw mosaic, and no table can carry its development. Begin above the Input, in "
            "working light."
        )
    if not shot.is_managed:
        raise Refused(f"Colour management is off for {shot.name}, so there is no path to bake. Switch it on first.")
    if not shot.settled_encoding:
        raise Refused(f"{shot.name} has no encoding yet. Say what the file is first; then it can be baked.")


def order_for(shot: Shot, wish: dict[str, Any]) -> BakeOrder:
    """The order of what a page wishes: start, end, carrier, receiver, format, dimensions, size, shaper, density,
    entries, output, trim, look, left_out, frozen, still (what moves is frozen at the shot's frame).

    What is not wished for is as usual: the largest grid, and fitted entries where it can have them. Raises Refused or
    BadValue.
    """
    receiver = (
        wish["receiver"]
        if isinstance(wish.get("receiver"), Receiver)
        else receiver_named(shot.production, text_of(wish.get("receiver")) or RECEIVERS[0].name)
    )
    try:
        section = Section(
            start=text_of(wish.get("start")) or "camera",
            end=text_of(wish.get("end")) or "display",
            carrier=text_of(wish.get("carrier")),
        )
    except ValueError as error:
        raise BadValue(str(error).split("Value error, ")[-1].split(" [type")[0].capitalize() + ".") from None
    check_bakeable(shot, section)
    form = text_of(wish.get("format")) or receiver.formats[0]
    if form not in FORMATS:
        raise BadValue(f"{receiver.name} does not take “{form}”; it takes {', '.join(receiver.formats)}.")
    size = text_of(wish.get("size")) or str((receiver.sizes(form) or (0,))[-1])
    flat = text_of(wish.get("dimensions")) == "1"
    usual = "fitted" if not flat and receiver.prefers_fitted(whole_or(size, 10**6)) else "sampled"
    path = variant_path(shot, variant_of(wish), text_of(wish.get("output")))
    path = path.fed(ShotFrames(shot, shot.frame))
    names = {layer.name_of(step) for layer, step in path.steps()}
    frozen = text_of(wish.get("frozen"))
    if wish.get("still") and any(step.moves for _, step in path.steps()):
        frozen = str(shot.frame)
    return BakeOrder.checked(
        {
            "path": path,
            "section": section,
            "receiver": receiver,
            "format": form,
            "dimensions": 1 if flat else 3,
            "size": whole_or(size),
            "shaper": text_of(wish.get("shaper")) or "none",
            "density": _density(wish.get("density")),
            "entries": text_of(wish.get("entries")) or usual,
            "frozen": whole_or(frozen) if frozen else None,
            "left_out": tuple(n for n in map(text_of, list_of(wish.get("left_out"))) if n.removesuffix(SHAPE) in names),
        }
    )


def _density(given: Any) -> tuple[float, ...]:
    """Numbers, as a list or as text with commas between; raises BadValue."""
    parts = text_of(given, MOST_DENSITY).split(",") if isinstance(given, str) else list_of(given)
    try:
        return tuple(typed_number(p, "density") if isinstance(p, str) else number(p) for p in parts if p != "")
    except UpwellingError:
        raise BadValue(
            "The shaper’s density should be numbers. Let the page find it again with “Try every grid”."
        ) from None


def frames_that_test(shot: Shot, order: BakeOrder, others: Sequence[int] = ()) -> list[FrameSample]:
    """Pixels of the shot's own frame and of up to three more that this table will meet: the hardest of the ``others``
    that it is made for too; else of the production's, of the same encoding where it begins at the camera's code.
    """
    frames = []
    kin = managed(shot.production).exclude(pk=shot.pk).order_by("name", "pk")
    if others:
        kin = kin.filter(pk__in=others)
    elif order.section.from_camera:
        kin = kin.filter(in_force=shot.settled.encoding, raw_profile__isnull=True)
    for one in [shot, *loaded(shot.production, _hardest(kin))]:
        try:
            frame = frame_of(one)
            own = path_at(one, None, None, order.path.display.output)
            frames.append(frame_sample(order, one.name, frame.working, own, frame.place))
        except UpwellingError:
            if one.pk == shot.pk:
                raise
    return frames


def _hardest(shots: QuerySet[Any]) -> list[int]:
    """The numbers of the shots with the most saturated, the brightest and the darkest picture, as intake measured them;
    with fewer shots than that, all.
    """
    listed = shots.values_list("pk", "signal_json__chroma", "signal_json__high", "signal_json__low")
    rows = [(pk, chroma or 0.0, high or 0.0, -(low or 0.0)) for pk, chroma, high, low in listed]
    found: list[int] = []
    for measure in range(1, 4):
        rest = [row for row in rows if row[0] not in found]
        found += [max(rest, key=lambda row: row[measure])[0]] if rest else []
    return found


def model_shots(production: Production) -> dict[str, int]:
    """For each camera, and for each encoding of shots without one, the number of the shot that stands for it: settled,
    managed, of the camera's own encoding first. After them the same for each group that has layers of its own.
    """
    found: dict[str, int] = {}
    own_last = Case(When(encoding="", then=Value(0)), default=Value(1))
    rows = managed(production).order_by(own_last, "pk").values_list("pk", "camera__name", "in_force")
    for pk, camera, in_force in rows:
        found.setdefault(camera or f"No camera, {in_force}", pk)
    return dict(sorted(found.items())) | group_shots(production)


def group_shots(production: Production) -> dict[str, int]:
    """For each camera and each group that has layers of its own, a shot of both: such a group has tables of its own,
    named after it.
    """
    looks, layers = looks_of(production), layers_of(production)
    groups = {pk for pk, held in layers.groups.items() if held.content.acts} | set(looks.over)
    rows = managed(production).filter(group__in=groups).order_by("camera__name", "group__name", "pk")
    found: dict[str, int] = {}
    for pk, camera, in_force, group in rows.values_list("pk", "camera__name", "in_force", "group__name"):
        found.setdefault(f"{camera or f'No camera, {in_force}'}, {group}", pk)
    return found
