"""What a recogniser finds, and what is concluded from it."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from typing import Any, Literal

from upwelling.core.encodings.base import Range

State = Literal["known", "likely", "unknown", "contradictory"]
Kind = Literal["tags", "metadata", "sidecar", "name", "camera", "signal"]
STRONG, FAIR, WEAK = 3.0, 1.6, 0.6
"""Weights of evidence. Ours: strong alone makes “known”, fair alone “likely”, weak only orders candidates."""


@dataclass(frozen=True)
class Evidence:
    """One finding: where it is from, in words, how much it weighs, and what it speaks for (empty:
    says nothing of it).
    """

    kind: Kind
    text: str
    weight: float
    curve: str = ""
    primaries: str = ""
    encoding: str = ""
    range: Range | Literal[""] = ""


@dataclass(frozen=True)
class Remark:
    """A short observation with its numbers. ``kind`` is stable; ``burned`` offers “already display-referred”."""

    kind: str
    text: str


@dataclass(frozen=True)
class Candidate:
    """An encoding and range that the evidence speaks for. ``confidence`` is 0…1, a ranking and not a probability."""

    encoding: str
    range: Range
    score: float
    confidence: float
    evidence: tuple[str, ...]


@dataclass(frozen=True)
class Recognition:
    """The conclusion for one file."""

    state: State
    candidates: tuple[Candidate, ...] = ()
    contradictions: tuple[str, ...] = ()
    remarks: tuple[Remark, ...] = ()
    evidence: tuple[Evidence, ...] = ()
    raw: bool = False

    @property
    def best(self) -> Candidate | None:
        return self.candidates[0] if self.candidates else None

    def as_json(self) -> dict[str, Any]:
        """Plain data for storing."""
        return asdict(self)


@dataclass(frozen=True)
class Sibling:
    """A camera of the same production that a file may belong to, by its maker and model."""

    name: str
    encoding: str
    range: Range
    why: str


@dataclass(frozen=True)
class FileClues:
    """What is known of a file beside its pixels and container."""

    file_name: str = ""
    sidecar: dict[str, str] = field(default_factory=dict)
    sibling: Sibling | None = None
