"""Changes to shared layers: saved as versions, undone and redone for all shots at once, put together with another's."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.db.models import F, Max, Q, QuerySet
from django.db.models.fields.json import KT

from upwelling.core.documents import sealed
from upwelling.core.path import OUTPUT_KINDS
from upwelling.web.common.requests import Refused
from upwelling.web.footage.history import Outdated, stand_before
from upwelling.web.footage.layer_content import LayerContent, LayerUse
from upwelling.web.footage.layer_models import LayerVersion, SharedKind, SharedLayer, forget_layers
from upwelling.web.footage.look_models import Look
from upwelling.web.footage.merging import merged
from upwelling.web.footage.models import Shot, ShotState
from upwelling.web.productions.models import Production


class LayerOutdated(Outdated):
    """Someone else changed the layer in between; what came too late is kept as a version that is not in force."""


APART = "not saved:"
"""Begins the label of a version that came too late."""


def followers(layer: SharedLayer) -> QuerySet[Any]:
    """Every shot that follows a layer, those that leave it out among them."""
    shots = layer.production.shots
    if layer.camera_id:
        return shots.filter(camera=layer.camera_id)
    return shots.filter(group=layer.group_id) if layer.group_id else shots.all()


def exceptions(layer: SharedLayer) -> list[tuple[ShotState, str]]:
    """The present states of its shots that take it otherwise than as it is, each with that in words."""
    return taken_otherwise(followers(layer), layer.kind)


def look_exceptions(look: Look) -> list[tuple[ShotState, str]]:
    """The same for shots whose group has a Look over the first one."""
    over = look.production.looks_given.filter(look=look, over=True).values("group")
    return taken_otherwise(look.production.shots.filter(group__in=over), "group_look")


def taken_otherwise(shots: QuerySet[Any], kind: str) -> list[tuple[ShotState, str]]:
    """The present states of shots that take a layer of a kind otherwise than as it is, each with that in words."""
    states = ShotState.objects.filter(shot__in=shots, position=F("shot__position")).select_related("shot")
    own = {name: KT(f"settings__{kind}__{name}") for name in ("strength", "own")}
    otherwise = Q(strength__isnull=False) | Q(own__isnull=False) | Q(**{f"settings__{kind}__on": False})
    rows = states.annotate(**own).filter(otherwise)
    uses = ((state, LayerUse.model_validate(state.settings[kind])) for state in rows.order_by("shot__name"))
    return [(state, use.sentence()) for state, use in uses if use.is_exception]


@transaction.atomic
def layer_for(shot: Shot, kind: SharedKind, output: str = "") -> SharedLayer:
    """The layer of a kind that a shot would follow, made where there is none yet; ``output``: which finish. Raises
    Refused for a shot without camera or group.
    """
    production = shot.production
    if kind == "finish":
        return SharedLayer.objects.get_or_create(production=production, camera=None, group=None, output=output)[0]
    owner = {"camera_trim": "camera", "group_trim": "group"}[kind]
    if getattr(shot, f"{owner}_id") is None:
        raise Refused(
            f"{shot.name} has no {owner}, so there is no layer to share. Give it one in Intake or Shots first."
        )
    given = {owner: getattr(shot, owner)}
    return SharedLayer.objects.get_or_create(production=production, **given)[0]


def save_layer(
    layer: SharedLayer, user: Any, content: LayerContent, *, number: int, label: str, base: LayerContent | None = None
) -> tuple[LayerVersion, bool]:
    """Puts a new version in force, and says whether it was put together with what came meanwhile. ``number`` is the
    version that it was made from. Raises LayerOutdated where both changed the same: what came too late is kept as a
    version that is not in force.
    """
    check_light(layer, content)
    with transaction.atomic():
        fresh = SharedLayer.objects.select_for_update().get(pk=layer.pk)
        together = fresh.number != number
        both: LayerContent | None = content
        if together:
            both = merged(base, content, fresh.content) if base is not None else None
        if both is not None:
            made = _add(fresh, user, both, label, fresh.number)
            _stand_at(fresh, made.number)
            return made, together
        last = fresh.present
        who = f"{last.created_by} ({last.label})" if last and last.created_by else "someone else"
        apart = _add(fresh, user, content, f"{APART} {label}", number)
    raise LayerOutdated(
        f"{fresh} was changed meanwhile by {who}. What you had is kept as its version {apart.number}, which is not in "
        "force; the page now shows theirs."
    )


def check_light(layer: SharedLayer, content: LayerContent) -> None:
    """Raises BadValue for a step that cannot work in the layer's light, Refused for an output it cannot be for."""
    content.layer(layer.kind, layer.whose)
    if layer.kind == "finish":
        check_output(layer.production, layer.output)


def check_output(production: Production, output: str) -> None:
    """Raises Refused for what is no output, kind of output, or “every”."""
    rules = production.rule_set
    known = ("", *OUTPUT_KINDS, rules.output, *(aim.output for aim in rules.deliveries))
    if output not in known:
        raise Refused(f"“{output}” is no output of this production, so there is no finish for it.")


def _add(layer: SharedLayer, user: Any, content: LayerContent, label: str, before: int) -> LayerVersion:
    last = layer.versions.aggregate(last=Max("number"))["last"] or 0
    return LayerVersion.objects.create(
        layer=layer,
        number=last + 1,
        before=before,
        label=label[:120],
        body=sealed("layer", content.model_dump(mode="json")),
        created_by=user,
    )


def _stand_at(layer: SharedLayer, number: int) -> None:
    layer.number = number
    layer.save(update_fields=["number"])
    forget_layers(layer.production)


@transaction.atomic
def undo_layer(layer: SharedLayer) -> SharedLayer:
    """Goes back to the version that the present one was made from, for all its shots; a step that was moved with it
    goes back into its shot. Raises Refused where there is nothing to undo.
    """
    fresh = SharedLayer.objects.select_for_update().get(pk=layer.pk)
    now = fresh.present
    if now is None:
        raise Refused(f"There is nothing to undo in {fresh}.")
    if now.shot_state is not None:
        stand_before(now.shot_state)
    _stand_at(fresh, now.before)
    return fresh


@transaction.atomic
def redo_layer(layer: SharedLayer) -> SharedLayer:
    """Goes on to the newest version that was made from the present one. Raises Refused where there is none."""
    fresh = SharedLayer.objects.select_for_update().get(pk=layer.pk)
    after = _after(fresh)
    if after is None:
        raise Refused(f"There is nothing to redo in {fresh}.")
    if after.shot_state is not None:
        raise Refused("That moved a step between a shot and the layer. Move it again instead.")
    _stand_at(fresh, after.number)
    return fresh


def _after(layer: SharedLayer) -> LayerVersion | None:
    made = layer.versions.filter(before=layer.number, number__gt=layer.number)
    return made.exclude(label__startswith=APART).first()


@transaction.atomic
def bring_back(layer: SharedLayer, user: Any, number: int) -> LayerVersion:
    """An earlier version, or one kept apart, as the newest and in force."""
    fresh = SharedLayer.objects.select_for_update().get(pk=layer.pk)
    held = fresh.versions.filter(number=number).first()
    if held is None:
        raise Refused("That version is not there. Reload the page.")
    made = _add(fresh, user, held.content, f"as in version {number}", fresh.number)
    _stand_at(fresh, made.number)
    return made


def layer_ends(layer: SharedLayer | None) -> dict[str, Any]:
    """What undo and redo would do now: their labels, or None; and the version in force."""
    now, after = (layer.present, _after(layer)) if layer else (None, None)
    return {
        "number": layer.number if layer else 0,
        "undo": now.label if now else None,
        "redo": after.label if after and after.shot_state_id is None else None,
    }
