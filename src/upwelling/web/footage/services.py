"""Changes to shots: bring in, settle the encoding, apply settings, undo, redo."""

from __future__ import annotations

import hashlib
from pathlib import Path as FilePath
from typing import Any

from django.conf import settings as conf
from django.db import transaction

from upwelling.core.encodings import encoding
from upwelling.core.errors import UnreadableFile
from upwelling.core.media import CONTAINERS, read_still, recognise
from upwelling.web.errors import Refused
from upwelling.web.footage.models import Shot, ShotState
from upwelling.web.footage.shot_settings import ShotSettings
from upwelling.web.productions.models import Production


class Outdated(Refused):
    """Someone else changed the shot in between."""


def bring_in(production: Production, user: Any, original_name: str, temporary: FilePath, *, name: str = "",
             encoding_name: str = "") -> Shot:
    """Makes a shot of a file that lies at ``temporary``; recognised by content, read once to be sure it is whole.

    Raises UnreadableFile, in which case nothing is kept.
    """
    display_name = original_name.rsplit("/", 1)[-1][-255:]
    if temporary.stat().st_size > conf.UPLOAD_LIMIT:
        raise UnreadableFile(display_name, f"is larger than {conf.UPLOAD_LIMIT // 2**20} MiB, the most one upload may be.")
    with temporary.open("rb") as stream:
        head = stream.read(16)
        container = recognise(head)
        if container is None:
            known = ", ".join(c.name for c in CONTAINERS)
            raise UnreadableFile(display_name, f"is not a still this program reads. Use {known}.")
        stream.seek(0)
        digest = hashlib.file_digest(stream, "sha256").hexdigest()
    try:
        still = read_still(temporary)
    except UnreadableFile as error:
        raise UnreadableFile(display_name, error.problem) from None
    relative = f"footage/{digest[:2]}/{digest}{container.suffixes[0]}"
    place = FilePath(conf.FILES) / relative
    if not place.exists():
        place.parent.mkdir(parents=True, exist_ok=True)
        temporary.chmod(0o644)
        temporary.replace(place)
    return Shot.objects.create(
        production=production, name=(name or display_name.rsplit(".", 1)[0])[:120], original_name=display_name,
        file=relative, sha256=digest, size_bytes=place.stat().st_size, container=still.container, depth=still.depth,
        integer_depth=still.integer_depth, width=still.width, height=still.height, notes=list(still.notes),
        metadata=dict(still.metadata), encoding=encoding(encoding_name).name if encoding_name else "", created_by=user,
    )


def settle_encoding(shot: Shot, name: str, code_range: str) -> Shot:
    """Says what a shot's codes are; an empty name returns it to the production's default."""
    if code_range not in ("full", "legal"):
        raise Refused("The code range is either full or legal.")
    shot.encoding = encoding(name).name if name else ""
    shot.range = code_range
    shot.save(update_fields=["encoding", "range"])
    return shot


@transaction.atomic
def apply_settings(shot: Shot, user: Any, settings: ShotSettings, *, version: int, label: str) -> Shot:
    """Saves new settings as the next state; raises Outdated when ``version`` is not the newest, and changes nothing."""
    fresh = Shot.objects.select_for_update().get(pk=shot.pk)
    if fresh.version != version:
        last = fresh.states.filter(position=fresh.position).select_related("created_by").first()
        who = f"{last.created_by} ({last.label})" if last and last.created_by else "someone else"
        raise Outdated(f"This shot was changed meanwhile by {who}. Reload to see that change, then set yours again.")
    fresh.path(settings)
    if not fresh.states.exists():
        ShotState.objects.create(shot=fresh, position=0, label="as brought in", created_by=user,
                                 settings=ShotSettings().model_dump(mode="json"))
    fresh.states.filter(position__gt=fresh.position).delete()
    fresh.position += 1
    fresh.version += 1
    ShotState.objects.create(shot=fresh, position=fresh.position, label=label[:120], created_by=user,
                             settings=settings.model_dump(mode="json"))
    fresh.save(update_fields=["position", "version"])
    return fresh


@transaction.atomic
def move_in_history(shot: Shot, by: int) -> Shot:
    """Undo (−1) or redo (+1); raises Refused at either end."""
    fresh = Shot.objects.select_for_update().get(pk=shot.pk)
    if not fresh.states.filter(position=fresh.position + by).exists():
        raise Refused("There is nothing to undo." if by < 0 else "There is nothing to redo.")
    fresh.position += by
    fresh.version += 1
    fresh.save(update_fields=["position", "version"])
    return fresh


def history_ends(shot: Shot) -> dict[str, Any]:
    """What undo and redo would do now: their labels, or None."""
    labels = dict(shot.states.values_list("position", "label"))
    return {"version": shot.version, "undo": labels.get(shot.position) if shot.position > 0 else None,
            "redo": labels.get(shot.position + 1)}


