"""A production's life: renamed, described, archived, removed after a grace period, copied as a template."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import timedelta
from pathlib import Path as FilePath
from typing import Any

from django.db import transaction
from django.utils import timezone

from upwelling.web.bakes.models import OwnReceiver
from upwelling.web.common.requests import Refused
from upwelling.web.deliveries.models import OwnForm
from upwelling.web.encodings.models import OwnEncoding
from upwelling.web.footage.models import Camera, LayerVersion, Look, LookVersion, SharedLayer
from upwelling.web.jobs.sweeping import sweeps
from upwelling.web.productions.models import OwnOutput, Production
from upwelling.web.productions.services import create_production

GRACE = timedelta(days=14)
"""How long a production that someone removed can be had back."""


def describe(production: Production, name: str, description: str) -> None:
    """Another name and description; its address stays, so that links keep leading to it."""
    name = name.strip()
    if not name:
        raise Refused("A production needs a name.")
    if len(name) > 120 or len(description) > 300:
        raise Refused("A name may have 120 characters, a description 300.")
    Production.objects.filter(pk=production.pk).update(name=name, description=description.strip())


def archive(production: Production, *, archived: bool) -> None:
    """Puts a production out of the way, where nothing in it changes, or takes it back."""
    Production.objects.filter(pk=production.pk).update(archived=timezone.now() if archived else None)


def ask_removal(production: Production, typed: str) -> None:
    """Lets a production go after ``GRACE``, unchanged until then; raises Refused unless its name was typed."""
    if typed.strip() != production.name:
        raise Refused(f"Type the production’s name, “{production.name}”, to remove it. Nothing was removed.")
    now = timezone.now()
    Production.objects.filter(pk=production.pk).update(removing=now + GRACE, archived=production.archived or now)


def keep(production: Production) -> None:
    """Takes a removal back; the production stays archived."""
    Production.objects.filter(pk=production.pk).update(removing=None)


def remove_due() -> list[str]:
    """Removes the productions whose time is over, with all they have; gives their names. Their files are swept as
    leftovers; registered footage and delivered files stay where they lie.
    """
    gone = []
    for production in Production.objects.filter(removing__lte=timezone.now()):
        gone.append(production.name)
        production.delete()
    return gone


@sweeps
def due_productions() -> Iterable[FilePath]:
    """Before leftovers are looked for, what is due goes."""
    remove_due()
    return ()


@transaction.atomic
def copy_as_template(production: Production, user: Any, name: str) -> Production:
    """A new production with the rules, cameras, own encodings and outputs, layers of cameras and finishes, Looks (the
    newest version of each), receivers and delivery presets of another; without footage, members, bakes, deliveries,
    notes or record.
    """
    name = name.strip()
    if not name:
        raise Refused("The copy needs a name.")
    made = create_production(user, name[:120], production.description)
    made.rules = production.rules
    made.save(update_fields=["rules"])
    for model in (OwnEncoding, OwnOutput, OwnReceiver, OwnForm):
        _copy(model.objects.filter(production=production), made, user)
    cameras: dict[int, Camera] = {}
    for camera in production.cameras.all():
        cameras[camera.pk] = camera
        camera.pk, camera.production, camera.corrected_from, camera.corrected_to = None, made, None, None
        camera._state.adding = True
        camera.save()
    for layer in production.layers.filter(group=None).exclude(number=0):
        copied = SharedLayer.objects.create(
            production=made, camera=cameras.get(layer.camera_id or 0), output=layer.output, number=1
        )
        version = layer.versions.get(number=layer.number)
        LayerVersion.objects.create(layer=copied, number=1, label=version.label, body=version.body, created_by=user)
    looks: dict[int, Look] = {}
    for look in production.looks.filter(retired=False):
        newest = look.newest
        looks[look.pk] = Look.objects.create(production=made, name=look.name, created_by=user)
        LookVersion.objects.create(look=looks[look.pk], number=1, steps=newest.steps, note=newest.note, created_by=user)
    for given in production.looks_given.filter(group=None):
        if given.look_id in looks:
            made.looks_given.create(look=looks[given.look_id], strength=given.strength)
    return made


def _copy(rows: Iterable[Any], made: Production, user: Any) -> None:
    for row in rows:
        row.pk, row.production = None, made
        row._state.adding = True
        if hasattr(row, "created_by"):
            row.created_by = user
        row.save()
