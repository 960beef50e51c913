"""Recognition of shots: gathers what the production knows of a camera, stores the conclusion,
and applies what is sure.
"""

from __future__ import annotations

from dataclasses import asdict, replace
from typing import Any

from upwelling.core.documents import sealed
from upwelling.core.encodings import ENCODINGS
from upwelling.core.media import FileFacts, Footage, looked_at
from upwelling.core.recognise import (
    FileClues,
    Recognition,
    Sibling,
    SignalFacts,
    recognise_file,
    recognise_raw,
    signal_facts,
)
from upwelling.web.footage.models import Camera, Shot


def probe(footage: Footage) -> tuple[FileFacts, SignalFacts, int]:
    """Facts of the file, with notes on its frames, and of its signal.

    And the frame that stands for it.
    """
    seen = looked_at(footage)
    return replace(footage.facts, notes=(*footage.facts.notes, *seen.notes)), signal_facts(seen.stills), seen.middle


def facts_as_json(facts: FileFacts) -> dict[str, Any]:
    return sealed("file facts", {**asdict(replace(facts, metadata=dict(facts.metadata))), "notes": list(facts.notes)})


def signal_as_json(signal: SignalFacts) -> dict[str, Any]:
    return sealed("signal facts", asdict(signal))


def camera_by_metadata(shot: Shot) -> Camera | None:
    """The production's camera with the same maker and model in its metadata, if there is exactly one.

    Some formats carry a model without its maker: the model decides then.
    """
    make, model = maker_and_model(shot.metadata)
    if not model:
        return None
    found = [camera for camera in shot.production.cameras.filter(model=model) if not make or camera.make in ("", make)]
    return found[0] if len(found) == 1 else None


def maker_and_model(metadata: dict[str, str]) -> tuple[str, str]:
    """Maker and model from a file's metadata, whatever its keys are called."""

    def first(*names: str) -> str:
        for key, value in metadata.items():
            if key.lower().rsplit(".", 1)[-1] in names and value.strip():
                return value.strip()[:120]
        return ""

    return first("make", "manufacturer"), first("model", "camera")


def _sibling(shot: Shot) -> Sibling | None:
    camera = shot.camera
    if camera is None or camera.encoding not in ENCODINGS:
        return None
    code_range = camera.range or ("legal" if shot.ycbcr else "full")
    return Sibling(camera.name, camera.encoding, code_range, f"{camera.name} records {camera.encoding}")  # type: ignore[arg-type]


def recognise(shot: Shot) -> Recognition:
    """The conclusion for a shot from its stored facts, without opening the file."""
    if shot.is_raw:
        return recognise_raw(shot.facts, shot.signal)
    return recognise_file(shot.facts, shot.signal, FileClues(shot.original_name, dict(shot.sidecar), _sibling(shot)))


def settle_by_camera(shot: Shot) -> None:
    """A shot that follows what a person said of its camera asks no more, unless it contradicts that. Saves nothing."""
    said = shot.camera is not None and shot.camera.encoding != "" and shot.encoding == "" and not shot.is_raw
    if said and shot.state in (Shot.State.LIKELY, Shot.State.UNKNOWN):
        shot.state = Shot.State.SETTLED


def apply_recognition(shot: Shot) -> None:
    """Recognises a shot again and applies what is known or likely; a person's own word is never touched. Saves nothing.

    An encoding that the shot would inherit anyway is left inherited.
    """
    if not shot.signal_json:
        return
    found = recognise(shot)
    body = found.as_json()
    body.pop("evidence")
    shot.recognition = {**body, "evidence": [asdict(item) for item in found.evidence]}
    if shot.state == Shot.State.SETTLED:
        return
    shot.state = Shot.State(found.state)
    best = found.best
    shot.encoding = ""
    if best is None or found.state not in ("known", "likely"):
        return
    inherits = shot.settled.encoding == best.encoding
    shot.encoding = "" if inherits else best.encoding
