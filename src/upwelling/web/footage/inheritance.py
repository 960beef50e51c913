"""Where a shot's encoding and range come from: the shot itself, its camera, the production, or the file."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from upwelling.core.encodings import Range

if TYPE_CHECKING:
    from upwelling.web.footage.models import Shot

Origin = Literal["shot", "camera", "production", "file", "encoding", ""]


@dataclass(frozen=True)
class Settled:
    """The values in force, each with its origin. An empty encoding: not settled."""

    encoding: str
    encoding_from: Origin
    range: Range
    range_from: Origin

    @property
    def is_settled(self) -> bool:
        return bool(self.encoding)


def inherited_encoding(shot: Shot) -> tuple[str, Origin]:
    """What the shot would have if it said nothing itself."""
    if shot.raw_profile is not None:
        return "raw", "file"
    if shot.camera and shot.camera.encoding:
        return shot.camera.encoding, "camera"
    default = shot.production.rule_set.default_encoding
    return (default, "production") if default else ("", "")


def settled(shot: Shot) -> Settled:
    """The values in force. A contradictory file inherits nothing: a person decides first."""
    name: str
    origin: Origin
    if shot.raw_profile is not None:
        name, origin = "raw", "file"
    elif shot.encoding:
        name, origin = shot.encoding, "shot"
    elif shot.state == "contradictory":
        name, origin = "", ""
    else:
        name, origin = inherited_encoding(shot)
    code_range, range_from = _range(shot, name)
    return Settled(name, origin, code_range, range_from)


def _range(shot: Shot, name: str) -> tuple[Range, Origin]:
    if shot.range:
        return shot.range, "shot"  # type: ignore[return-value]
    said = shot.facts_json.get("tags", {}).get("range", "")
    if said in ("full", "legal"):
        return said, "file"
    if shot.camera and shot.camera.range and not shot.encoding:
        return shot.camera.range, "camera"  # type: ignore[return-value]
    if shot.ycbcr:
        return "legal", "encoding"
    # RGB files carry full-range codes unless someone says otherwise.
    own = shot.production.definitions.get(name)
    return (own.default_range if own else "full"), "encoding"
