"""Tables brought in as things to try: each on a frame, and from it onto a shot."""

from __future__ import annotations

import hashlib
from collections import Counter
from pathlib import Path as FilePath
from typing import Any

from upwelling.core.outputs import OUTPUTS
from upwelling.core.path import Path
from upwelling.core.rendering import DisplayLook, LutRendering
from upwelling.core.steps import LutStep
from upwelling.web.common.requests import Refused
from upwelling.web.footage.around import ShotFrames
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.history import apply_settings
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.footage.pictures import kept_picture, thumbnail
from upwelling.web.luts.models import ImportedLut
from upwelling.web.luts.services import mark_used
from upwelling.web.productions.models import Production

WIDTH = 176


def picture_of(row: ImportedLut, shot: Shot) -> FilePath:
    """The file of a picture of a shot with a table where its declared spaces have it: after the trim, as the rendering,
    or over it. Raises Refused for one without.
    """
    spaces = (row.sha256, row.expects, row.expects_range, row.gives, row.gives_range, row.interpolation)
    mark = hashlib.sha256("|".join((path_of(shot).fingerprint, *spaces)).encode()).hexdigest()

    def made() -> bytes:
        path = _with_table(row, shot).at(shot.frame).fed(ShotFrames(shot, shot.frame))
        return thumbnail(path, frame_of(shot), WIDTH)

    return kept_picture(shot, f"{shot.frame}-table-{mark[:24]}", made)


def _with_table(row: ImportedLut, shot: Shot) -> Path:
    path = path_of(shot)
    if row.use == "step":
        trim = path.layer("trim")
        return path.with_layers(
            trim=trim.model_copy(update={"steps": (*trim.steps, LutStep(lut=row.declared, id="table")), "on": True})
        )
    if row.use not in ("rendering", "over"):
        raise Refused(f"{row.name} has no declared spaces, so it has no picture.")
    if OUTPUTS[row.gives].is_hdr != path.target.is_hdr:
        raise Refused(f"{row.name} gives {row.gives}, and the production’s main output is of the other kind of range.")
    update: dict[str, Any] = (
        {"method": LutRendering(lut=row.declared)}
        if row.use == "rendering"
        else {"look": DisplayLook(lut=row.display_table)}
    )
    return path.model_copy(update={"rendering": path.rendering.model_copy(update=update)})


def put_on_shot(row: ImportedLut, shot: Shot, user: Any, strength: float) -> Shot:
    """The table as the last step of a shot's trim, at a strength; raises Refused for one that is no step."""
    if row.use != "step":
        why = f"gives {row.gives}, a display’s code" if row.is_declared else "has no declared spaces"
        raise Refused(f"{row.name} {why}, so it is no step of a trim. Its page says what it can be.")
    if not shot.is_managed or not shot.settled_encoding:
        raise Refused(f"{shot.name} has no encoding yet, or colour management is off. Settle that first.")
    step = LutStep(lut=row.declared, name=row.name.rsplit(".", 1)[0][:60], strength=strength)
    settings = shot.settings.with_steps([step], "own")
    made = apply_settings(
        shot, user, settings, version=shot.version, label=f"table {step.name} at {100 * strength:.0f} %"
    )
    mark_used(row)
    return made


def tables_on(shot: Shot) -> list[LutStep]:
    """The tables of a shot's trim, in the order in which they act."""
    return [step for step in shot.settings.steps if isinstance(step, LutStep)]


def tags_of(production: Production) -> list[tuple[str, str]]:
    """Every tag, with how many tables have it, the most used first."""
    counted = Counter(tag for text in production.luts.values_list("tags", flat=True) for tag in text.split())
    return [(tag, f"{tag} ({count})") for tag, count in counted.most_common(60)]
