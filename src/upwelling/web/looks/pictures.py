"""Frames of shots under Looks that may not be theirs yet."""

from __future__ import annotations

from pathlib import Path as FilePath

from upwelling.core.path import Layer
from upwelling.web.footage.around import ShotFrames
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.footage.pictures import kept_picture, thumbnail


def under_look(shot: Shot, stage: Layer, width: int = 176) -> FilePath:
    """The file of a picture of the shot under a Look, made once for each fingerprint."""
    path = path_of(shot)
    look = stage.model_copy(update={"on": path.layer("look").on})
    tried = path.with_layers(look=look).at(shot.frame).fed(ShotFrames(shot, shot.frame))
    return kept_picture(
        shot, f"{shot.frame}-{width}-{tried.fingerprint[:24]}", lambda: thumbnail(tried, frame_of(shot), width)
    )
