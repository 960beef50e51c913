"""Changes to shots: bring in, settle what a file is, apply settings, undo, redo."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from pathlib import Path as FilePath
from typing import Any

from django.conf import settings as conf
from django.db import transaction
from django.utils import timezone

from upwelling.core.errors import UnreadableFile
from upwelling.core.media import ENDINGS, Raw, open_footage
from upwelling.core.recognise import read_sidecars
from upwelling.core.steps import AnyStep
from upwelling.core.stored import sealed
from upwelling.web.errors import Refused
from upwelling.web.footage.models import Mark, SharedChange, Shot, ShotState
from upwelling.web.footage.recognition import apply_recognition, camera_by_metadata, facts_as_json, probe, signal_as_json
from upwelling.web.footage.shot_settings import ShotSettings
from upwelling.web.productions.models import Production


class Outdated(Refused):
    """Someone else changed the shot in between. ``kept`` is the Mark that holds what could not be saved, once it is kept."""

    kept: Mark | None = None


class AlreadyHere(Refused):
    """The same content is already a shot of this production."""

    def __init__(self, name: str, shot: Shot) -> None:
        self.shot = shot
        super().__init__(f"{name} is already here as “{shot.name}”: the content is the same.")


def bring_in(production: Production, user: Any, original_name: str, place: FilePath, *, name: str = "", encoding_name: str = "",
             registered: bool = False, members: Sequence[FilePath] = ()) -> Shot:
    """Makes a shot of a file: looked at, recognised, and what is sure is applied.

    A file that is not ``registered`` (left where it lies, under the media folder) is taken over from ``place``. Raises
    UnreadableFile or AlreadyHere, in which case nothing is kept.
    """
    display_name = original_name.rsplit("/", 1)[-1][-255:]
    if not registered and place.stat().st_size > conf.UPLOAD_LIMIT:
        raise UnreadableFile(display_name, f"is larger than {conf.UPLOAD_LIMIT // 2**20} MiB, the most one upload may be. "
                                           "Put it under the media folder and register that instead.")
    digest, size = _digest(members or [place])
    twin = production.shots.filter(sha256=digest).first()
    if twin:
        raise AlreadyHere(display_name, twin)
    try:
        footage = open_footage(place, members)
        facts, signal, middle = probe(footage)
    except UnreadableFile as error:
        raise UnreadableFile(display_name, error.problem) from None
    relative = str(place.relative_to(FilePath(conf.MEDIA_FOLDER).resolve())) if registered else _keep(place, display_name, digest)
    raw_profile = sealed("raw profile", footage.profile.model_dump(mode="json")) if isinstance(footage, Raw) else None
    integer = int(facts.depth) if facts.depth in ("8", "10", "12") else 16
    shot = Shot(
        production=production, name=(name or display_name.rsplit(".", 1)[0])[:120], original_name=display_name, file=relative,
        registered=registered, members=[str(m.relative_to(FilePath(conf.MEDIA_FOLDER).resolve())) for m in members], sha256=digest,
        size_bytes=size, kind=facts.kind, container=facts.container, codec=facts.codec, depth=facts.depth, integer_depth=integer,
        width=facts.width, height=facts.height, frames=facts.frames, rate=facts.rate, frame=middle, ycbcr=facts.ycbcr,
        raw_profile=raw_profile, facts_json=facts_as_json(facts), signal_json=signal_as_json(signal), notes=list(facts.notes),
        sidecar=read_sidecars(place) if registered else {}, metadata=dict(facts.metadata), created_by=user,
    )
    shot.camera = camera_by_metadata(shot)
    apply_recognition(shot)
    if encoding_name:
        shot.encoding, shot.state = production.checked_encoding(encoding_name), Shot.State.SETTLED
    shot.save()
    return shot


def _digest(paths: Sequence[FilePath]) -> tuple[str, int]:
    """SHA-256 over the contents in order, and their size."""
    whole, size = hashlib.sha256(), 0
    for path in paths:
        with path.open("rb") as stream:
            while chunk := stream.read(4 * 2**20):
                whole.update(chunk)
                size += len(chunk)
    return whole.hexdigest(), size


def _keep(place: FilePath, display_name: str, digest: str) -> str:
    """Moves an uploaded file to its place by content; the ending is kept when it is one that is known."""
    suffix = FilePath(display_name).suffix.lower()
    relative = f"footage/{digest[:2]}/{digest}{suffix if suffix in ENDINGS else '.bin'}"
    target = FilePath(conf.FILES) / relative
    if not target.exists():
        target.parent.mkdir(parents=True, exist_ok=True)
        place.chmod(0o644)
        place.replace(target)
    return relative


def settle_encoding(shot: Shot, name: str, code_range: str) -> Shot:
    """Says what a shot's codes are; an empty name or range returns it to what it inherits."""
    if code_range not in ("", "full", "legal"):
        raise Refused("The code range is either full, legal or as inherited.")
    if shot.is_raw and name:
        raise Refused(f"{shot.name} is a raw mosaic: its colour comes from the matrices in the file, not from an encoding.")
    shot.encoding = shot.production.checked_encoding(name)
    shot.range = code_range
    shot.state = Shot.State.SETTLED
    shot.save(update_fields=["encoding", "range", "state"])
    return shot


def reconsider(shot: Shot) -> Shot:
    """Takes a person's word back: the file is recognised afresh."""
    shot.state, shot.encoding, shot.range = Shot.State.UNKNOWN, "", ""
    apply_recognition(shot)
    shot.save(update_fields=["encoding", "range", "state", "recognition"])
    return shot


def accept(shot: Shot) -> Shot:
    """Confirms the encoding in force; raises Refused when there is none to confirm."""
    if not shot.settled.is_settled:
        raise Refused(f"{shot.name} has no encoding to accept. Choose one.")
    shot.state = Shot.State.SETTLED
    shot.save(update_fields=["state"])
    return shot


def already_display(shot: Shot) -> Shot:
    """The picture is finished already: the Input inverts the display's encoding instead of converting twice."""
    name = "sRGB/BT.709" if not shot.ycbcr and shot.kind == "still" and shot.depth == "8" else "BT.1886/BT.709"
    return settle_encoding(shot, name, shot.range)


def set_managed(shot: Shot, managed: bool | None) -> Shot:
    """Colour management of one shot on, off, or as the production has it (None)."""
    shot.managed = managed
    shot.save(update_fields=["managed"])
    return shot


def stand_for(shot: Shot, frame: int) -> Shot:
    """Chooses the frame that stands for the shot."""
    if not shot.first_frame <= frame <= shot.last_frame:
        raise Refused(f"{shot.name} has frames {shot.first_frame} to {shot.last_frame}.")
    shot.frame = frame
    shot.save(update_fields=["frame"])
    return shot


@transaction.atomic
def apply_settings(shot: Shot, user: Any, settings: ShotSettings, *, version: int, label: str) -> Shot:
    """Saves new settings as the next state; raises Outdated when ``version`` is not the newest, and changes nothing."""
    fresh = Shot.objects.select_for_update().get(pk=shot.pk)
    if fresh.version != version:
        last = fresh.states.filter(position=fresh.position).select_related("created_by").first()
        who = f"{last.created_by} ({last.label})" if last and last.created_by else "someone else"
        raise Outdated(f"This shot was changed meanwhile by {who}.")
    return next_state(fresh, user, settings, label)


def apply_or_keep(shot: Shot, user: Any, settings: ShotSettings, *, version: int, label: str) -> Shot:
    """As ``apply_settings``; settings that come too late are kept as a Mark, and Outdated says so and carries it."""
    try:
        return apply_settings(shot, user, settings, version=version, label=label)
    except Outdated as error:
        kept = Mark.objects.create(shot=shot, name=f"{user}, not saved {timezone.localtime():%H:%M:%S}"[-60:], kept=True, created_by=user,
                                   settings=sealed("shot settings", settings.model_dump(mode="json")))
        late = Outdated(f"{error} What you had is kept as the Mark “{kept.name}”; the shot now shows theirs.")
        late.kept = kept
        raise late from None


def next_state(fresh: Shot, user: Any, settings: ShotSettings, label: str, shared: SharedChange | None = None) -> Shot:
    """Puts a state after the present one, cutting what lay there; the shot must be locked or fresh."""
    fresh.path(settings)
    if not fresh.states.exists():
        ShotState.objects.create(shot=fresh, position=0, label="as brought in", created_by=user,
                                 settings=sealed("shot settings", ShotSettings().model_dump(mode="json")))
    fresh.states.filter(position__gt=fresh.position).delete()
    fresh.position += 1
    fresh.version += 1
    ShotState.objects.create(shot=fresh, position=fresh.position, label=label[:120], created_by=user, shared=shared,
                             settings=sealed("shot settings", settings.model_dump(mode="json")))
    fresh.save(update_fields=["position", "version"])
    return fresh


@transaction.atomic
def move_in_history(shot: Shot, by: int) -> Shot:
    """Undo (−1) or redo (+1); raises Refused at either end."""
    fresh = Shot.objects.select_for_update().get(pk=shot.pk)
    if not fresh.states.filter(position=fresh.position + by).exists():
        raise Refused("There is nothing to undo." if by < 0 else "There is nothing to redo.")
    return _stand_at(fresh, fresh.position + by)


@transaction.atomic
def return_to(shot: Shot, position: int) -> Shot:
    """Goes to any state of the history; what lies after it stays for redo. Raises Refused when there is no such state."""
    fresh = Shot.objects.select_for_update().get(pk=shot.pk)
    if not fresh.states.filter(position=position).exists():
        raise Refused("That state is no longer in the history. Reload the page.")
    return _stand_at(fresh, position)


def _stand_at(fresh: Shot, position: int) -> Shot:
    fresh.position = position
    fresh.version += 1
    fresh.save(update_fields=["position", "version"])
    return fresh


@transaction.atomic
def set_mark(shot: Shot, user: Any, name: str, settings: ShotSettings) -> Mark:
    """Saves a state under a name; an empty name is numbered."""
    name = " ".join(name.split()) or f"Mark {shot.marks.count() + 1}"
    if len(name) > 60:
        raise Refused(f"A Mark’s name has at most 60 characters; this one has {len(name)}.")
    if shot.marks.filter(name=name).exists():
        raise Refused(f"This shot has a Mark “{name}” already. Choose another name.")
    return Mark.objects.create(shot=shot, name=name, created_by=user, settings=sealed("shot settings", settings.model_dump(mode="json")))


@transaction.atomic
def share_steps(production: Production, user: Any, source: Shot, steps: Sequence[AnyStep], targets: Sequence[Shot]) -> SharedChange:
    """Gives steps to shots, each as its own next state under one SharedChange; all or none."""
    if not steps or not targets:
        raise Refused("Choose at least one step and one shot.")
    names = ", ".join(step.shown_name for step in steps)[:300]
    change = SharedChange.objects.create(production=production, source=source.name, steps=names, created_by=user)
    for target in Shot.objects.select_for_update().filter(pk__in=[shot.pk for shot in targets], production=production):
        next_state(target, user, target.settings.with_steps(steps), f"{names} from {source.name}", change)
    return change


@transaction.atomic
def unshare(change: SharedChange) -> list[Shot]:
    """Takes a shared change back wherever it still is the present state; returns the shots changed since, left alone."""
    if change.undone:
        raise Refused("That was taken back already.")
    left = []
    for state in change.states.select_related("shot"):
        shot = Shot.objects.select_for_update().get(pk=state.shot_id)
        if shot.position == state.position:
            _stand_at(shot, shot.position - 1)
        else:
            left.append(shot)
    change.undone = True
    change.save(update_fields=["undone"])
    return left


def history_ends(shot: Shot) -> dict[str, Any]:
    """What undo and redo would do now: their labels, or None."""
    labels = dict(shot.states.values_list("position", "label"))
    return {"version": shot.version, "undo": labels.get(shot.position) if shot.position > 0 else None,
            "redo": labels.get(shot.position + 1)}
