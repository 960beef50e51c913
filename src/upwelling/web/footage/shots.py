"""Shots brought in, and what their files are: encodings settled, recognition accepted,
the frame that stands for one.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path as FilePath
from typing import Any

from django.conf import settings as conf

from upwelling.core.documents import sealed
from upwelling.core.errors import UnreadableFile
from upwelling.core.files import digest_of, whole_file
from upwelling.core.media import ENDINGS, RawFootage, open_footage
from upwelling.core.recognise import read_sidecars
from upwelling.web.common.requests import Refused
from upwelling.web.footage.decoding import set_decoding, set_rate, set_runs
from upwelling.web.footage.models import Shot
from upwelling.web.footage.recognition import (
    apply_recognition,
    camera_by_metadata,
    facts_as_json,
    probe,
    settle_by_camera,
    signal_as_json,
)
from upwelling.web.productions.models import Production


class AlreadyHere(Refused):
    """The same content is already a shot of this production."""

    def __init__(self, name: str, shot: Shot) -> None:
        self.shot = shot
        super().__init__(f"{name} is already here as “{shot.name}”: the content is the same.")


def bring_in(
    production: Production,
    user: Any,
    original_name: str,
    place: FilePath,
    *,
    name: str = "",
    encoding_name: str = "",
    registered: bool = False,
    members: Sequence[FilePath] = (),
    digest: tuple[str, int] | None = None,
) -> Shot:
    """Makes a shot of a file: looked at, recognised, and what is sure is applied.

    A file that is not ``registered`` (left where it lies, under the media folder) is taken over from ``place``.
    ``digest``: what ``digest_of`` gives, where that is known already. Raises UnreadableFile or
    AlreadyHere, in which case nothing is kept.
    """
    display_name = original_name.rsplit("/", 1)[-1][-255:]
    if not registered and place.stat().st_size > conf.UPLOAD_LIMIT:
        raise UnreadableFile(
            display_name,
            f"is larger than {conf.UPLOAD_LIMIT // 2**20} MiB, the most one upload may be. "
            "Put it under the media folder and register that instead.",
        )
    sha256, size = digest or digest_of(members or [place])
    twin = production.shots.filter(sha256=sha256).first()
    if twin:
        raise AlreadyHere(display_name, twin)
    try:
        footage = open_footage(place, members)
        facts, signal, middle = probe(footage)
    except UnreadableFile as error:
        raise UnreadableFile(display_name, error.problem) from None
    relative = (
        str(place.relative_to(FilePath(conf.MEDIA_FOLDER).resolve()))
        if registered
        else _keep(place, display_name, sha256)
    )
    raw_profile = (
        sealed("raw profile", footage.profile.model_dump(mode="json")) if isinstance(footage, RawFootage) else None
    )
    integer = int(facts.depth) if facts.depth in ("8", "10", "12") else 16
    shot = Shot(
        production=production,
        name=(name or display_name.rsplit(".", 1)[0])[:120],
        original_name=display_name,
        file=relative,
        registered=registered,
        members=[str(m.relative_to(FilePath(conf.MEDIA_FOLDER).resolve())) for m in members],
        sha256=sha256,
        size_bytes=size,
        kind=facts.kind,
        container=facts.container,
        codec=facts.codec,
        depth=facts.depth,
        integer_depth=integer,
        width=facts.width,
        height=facts.height,
        frames=facts.frames,
        rate=facts.rate,
        frame=middle,
        ycbcr=facts.ycbcr,
        raw_profile=raw_profile,
        facts_json=facts_as_json(facts),
        signal_json=signal_as_json(signal),
        notes=list(facts.notes),
        sidecar=read_sidecars(place) if registered else {},
        metadata=dict(facts.metadata),
        created_by=user,
    )
    shot.camera = camera_by_metadata(shot)
    apply_recognition(shot)
    settle_by_camera(shot)
    if encoding_name:
        shot.encoding, shot.state = production.checked_encoding(encoding_name), Shot.State.SETTLED
    shot.save()
    return shot


def _keep(place: FilePath, display_name: str, digest: str) -> str:
    """Gives an uploaded file its place by content too; the ending is kept when it is one that is known."""
    suffix = FilePath(display_name).suffix.lower()
    relative = f"footage/{digest[:2]}/{digest}{suffix if suffix in ENDINGS else '.bin'}"
    target = FilePath(conf.FILES) / relative
    if not target.exists():
        target.parent.mkdir(parents=True, exist_ok=True)
        # A second name first: whoever is killed here finds the file again where it was handed in.
        with whole_file(target) as temporary:
            temporary.unlink(missing_ok=True)
            temporary.hardlink_to(place)
    return relative


def settle_encoding(shot: Shot, name: str, code_range: str) -> Shot:
    """Says what a shot's codes are; an empty name or range returns it to what it inherits."""
    if code_range not in ("", "full", "legal"):
        raise Refused("The code range is either full, legal or as inherited.")
    if shot.is_raw and name:
        raise Refused(
            f"{shot.name} is a raw mosaic: its colour comes from the matrices in the file, not from an encoding."
        )
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


def _settle_alone(shot: Shot, value: str) -> None:
    settle_encoding(shot, value, shot.range)


def _range_alone(shot: Shot, value: str) -> None:
    settle_encoding(shot, shot.encoding, value)


CHANGES: dict[str, Callable[[Shot, str], Any]] = {
    "encoding": _settle_alone,
    "range": _range_alone,
    "accept": lambda shot, _: accept(shot),
    "display": lambda shot, _: already_display(shot),
    "reconsider": lambda shot, _: reconsider(shot),
    "matrix": lambda shot, value: set_decoding(shot, "matrix", value),
    "siting": lambda shot, value: set_decoding(shot, "siting", value),
    "rate": set_rate,
    "runs": set_runs,
    "managed": lambda shot, value: set_managed(shot, {"on": True, "off": False}.get(value)),
}
"""What can be changed of many shots at once, by name."""


def change_shot(shot: Shot, verb: str, value: str) -> None:
    """One of ``CHANGES`` on one shot; raises Refused for a verb that is none, and what the change itself raises."""
    if verb not in CHANGES:
        raise Refused("The page asked for a change that does not exist. Reload it.")
    CHANGES[verb](shot, value)
