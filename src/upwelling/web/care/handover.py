"""The hand-over report: what each camera is, what its shots do otherwise, Looks, what was delivered and from which
settings, remarks and open questions.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from django.db.models import Count, Min
from django.utils import timezone

from upwelling.web.bakes.models import Bake
from upwelling.web.bakes.variants import with_shots
from upwelling.web.deliveries.models import Delivery
from upwelling.web.footage.layer_services import exceptions
from upwelling.web.footage.listing import loaded, looks_in_force, touched, with_settled
from upwelling.web.footage.look_models import looks_of
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import problem_of
from upwelling.web.productions.models import Production
from upwelling.web.productions.remarks import Remark, in_state
from upwelling.web.showings.models import Showing

MOST_LINE, MOST_CHECKED = 300, 25
"""Characters of what acts on a shot; bakes, the newest, of which the report works out whether they are still right."""
MOST_ON_PAGE = 100
"""Changed shots, tables and deliveries that the page names; the file names all of them."""


@dataclass(frozen=True, slots=True)
class CameraFacts:
    """A camera as it is handed over; ``encoding`` for its shots and ``correction`` in words, both may be empty."""

    name: str
    encoding: str
    range: str
    shots: int
    correction: str
    remarks: list[Remark]


@dataclass(frozen=True, slots=True)
class Otherwise:
    """A shot that does something else than its camera and production say, and what."""

    shot: Shot
    what: list[str]


@dataclass(frozen=True)
class Report:
    """All that the page prints, in its order."""

    made: Any
    rules: Any
    cameras: list[CameraFacts]
    loose: int
    exceptions: list[Otherwise]
    not_looked_at: int
    unsettled: int
    looks: list[tuple[str, str, int]]
    given: str
    layers: list[tuple[str, str, int]]
    bakes: list[Bake]
    deliveries: list[Delivery]
    showings: list[Showing]
    not_listed: int
    verdicts: dict[str, int]
    open: list[Remark]
    remarks: list[Remark]
    people: list[tuple[str, str]]
    shots: int
    trouble: list[str] = field(default_factory=list)
    stale: set[int] = field(default_factory=set)
    checked: int = 0


def report_of(production: Production, most: int | None = None) -> Report:
    """The report as things are now, naming at most so many changed shots, tables and deliveries."""
    begun = in_state(production.remarks, "").select_related("created_by", "answered_by")
    remarks = list(begun.prefetch_related("replies__created_by"))
    changed = list(touched(production).order_by("name", "pk").values_list("pk", flat=True))
    exceptions, trouble = _exceptions(production, changed[:most])
    made = production.bakes.exclude(verdict="").select_related("created_by")
    checked = list(made[:MOST_CHECKED])
    bakes = [*checked, *made.defer("order", "recipe", "variant", "certificate_json")[MOST_CHECKED:most]]
    sent = Delivery.objects.filter(production=production).exclude(verdict="").select_related("created_by")
    delivered = list(sent.defer("order_json", "recipes", "proof")[:most])
    verdicts = [*made.values_list("verdict", flat=True), *sent.values_list("verdict", flat=True)]
    return Report(
        made=timezone.now(),
        rules=production.rule_set,
        cameras=[_camera(camera, remarks) for camera in production.cameras.annotate(many=Count("shots"))],
        loose=production.shots.filter(camera=None).count(),
        exceptions=exceptions,
        not_looked_at=len(changed[most:]) if most else 0,
        unsettled=with_settled(production).filter(in_force="").count(),
        looks=_looks(production),
        given=looks_of(production).for_all.summary(),
        layers=_layers(production),
        bakes=bakes,
        stale={one.pk for one in with_shots(production, checked) if one.is_stale},
        checked=MOST_CHECKED,
        deliveries=delivered,
        showings=list(production.showings.prefetch_related("visitors").select_related("created_by")[:most]),
        not_listed=len(verdicts) - len(bakes) - len(delivered),
        verdicts=_counted(verdicts),
        open=[remark for remark in remarks if remark.is_open],
        remarks=[remark for remark in remarks if not remark.is_open and remark.kind != "camera"],
        people=[
            (str(member.user), str(member.role))
            for member in production.members.select_related("user").order_by("role", "user__username")
        ],
        shots=production.shots.count(),
        trouble=trouble,
    )


def _camera(camera: Any, remarks: list[Remark]) -> CameraFacts:
    try:
        correction = camera.own_correction
        said = "" if correction is None else f"{correction.name}{'' if correction.acts else ' (switched off)'}"
    except Exception as error:
        said = f"cannot be read: {error}"
    mine = [remark for remark in remarks if remark.kind == "camera" and remark.number == camera.pk]
    return CameraFacts(camera.name, camera.encoding, camera.range, camera.many, said, mine)


def _exceptions(production: Production, changed: list[int]) -> tuple[list[Otherwise], list[str]]:
    """What changed shots do otherwise, and which shots cannot be computed.

    A shot that nobody changed fails as all of its camera and group do: one of each is tried.
    """
    found, trouble = [], []
    kinds = production.shots.order_by().values_list("camera", "group").annotate(Min("pk"))
    for shot in loaded(production, [*changed, *({first for _, _, first in kinds} - set(changed))]):
        if problem_of(shot):
            trouble.append(f"{shot.name}: {problem_of(shot)}")
        elif what := _otherwise(shot):
            found.append(Otherwise(shot, what))
    return found, trouble


def _otherwise(shot: Shot) -> list[str]:
    """What a shot does otherwise than its camera and its production say."""
    settings, said = shot.settings, []
    if shot.encoding and shot.camera and shot.camera.encoding and shot.encoding != shot.camera.encoding:
        said.append(f"encoding {shot.encoding}")
    if shot.range:
        said.append(f"{shot.range} range")
    if shot.managed is not None:
        said.append(f"colour management {'on' if shot.managed else 'off'}")
    if not settings.correction_on:
        said.append("without its camera’s correction")
    if settings.rendering is not None:
        said.append("its own rendering")
    if settings.development is not None:
        said.append("its own development")
    if settings.look is not None:
        said.append("its own Look")
    said += _shared(shot)
    said += _own_steps(shot)
    for stage in ("trim", "look", "rendering", "display"):
        if not getattr(settings, f"{stage}_on"):
            said.append(f"{stage} off")
    return said


def _shared(shot: Shot) -> list[str]:
    """How the shot takes the layers that it shares otherwise than as they are."""
    settings = shot.settings
    kinds = {
        "camera_trim": "camera’s trim",
        "group_trim": "group’s trim",
        "group_look": "group’s Look",
        "finish": "finish",
    }
    return [f"{words} {said}" for kind, words in kinds.items() if (said := settings.use_of(kind).sentence())]


def _own_steps(shot: Shot) -> list[str]:
    """The corrections that act on a shot alone, in a line: its trim's steps, which of them move or follow, its Look."""
    acting = shot.settings.active
    if not acting:
        return []
    moving = [step.shown_name for step in acting if step.moves]
    line = f"trim of {len(acting)}: {', '.join(step.summary() for step in acting)}"[:MOST_LINE]
    return [line + (f" ({', '.join(moving)} change along the shot)" if moving else "")]


def _layers(production: Production) -> list[tuple[str, str, int]]:
    """Each layer that holds something: its name, what it does, and how many shots take it otherwise."""
    held = production.layers.exclude(number=0).select_related("camera", "group")
    return [(f"{one}, version {one.number}", one.content.summary() or "rests", len(exceptions(one))) for one in held]


def _looks(production: Production) -> list[tuple[str, str, int]]:
    """Each Look that is in force somewhere: its name, its version and on how many shots."""
    table = looks_of(production).versions
    counts: dict[int, int] = {}
    for _, look in looks_in_force(production):
        counts[look] = counts.get(look, 0) + 1
    for group, (over, _, _) in looks_of(production).over.items():
        counts[over or 0] = counts.get(over or 0, 0) + production.shots.filter(group=group).count()
    return sorted(
        (table[look].name, f"version {table[look].number}", many) for look, many in counts.items() if look in table
    )


def _counted(verdicts: list[str]) -> dict[str, int]:
    return {verdict: verdicts.count(verdict) for verdict in sorted(set(verdicts))}
