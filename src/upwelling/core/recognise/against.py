"""What speaks against a conclusion: claims and levels that cannot both be true, and a viewing transform burned in."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from upwelling.core.encodings import ENCODINGS, Encoding, Range
from upwelling.core.media.footage import FileFacts
from upwelling.core.media.tags import contradictions
from upwelling.core.recognise.base import FAIR, STRONG, Candidate, Evidence, FileClues
from upwelling.core.recognise.signal import SignalFacts, is_log, looks_like_display, looks_like_log, ruled_out
from upwelling.core.recognise.words import named_lut

_BELIEVED = 0.6
"""The score from which a log encoding is worth being spoken against."""


@dataclass(frozen=True)
class Case:
    """What is known of a file, and the conclusion that is questioned. ``assumed``: the range its levels are read in."""

    facts: FileFacts
    signal: SignalFacts
    clues: FileClues
    evidence: list[Evidence]
    best: Candidate | None
    assumed: Range

    @property
    def member(self) -> Encoding | None:
        """The encoding that leads."""
        return ENCODINGS.get(self.best.encoding) if self.best else None

    @property
    def looks_finished(self) -> bool:
        """Whether its levels are those of a finished picture."""
        return looks_like_display(self.signal, self.assumed)

    @property
    def ruled_out(self) -> str:
        """Why the levels cannot be those of a log encoding that leads."""
        best, member = self.best, self.member
        if best is None or member is None or not is_log(member) or best.score < _BELIEVED:
            return ""
        return ruled_out(self.signal, member, best.range)


def sentences_against(case: Case) -> list[str]:
    """What cannot both be true."""
    return [*contradictions(case.facts.tags), *_log_levels(case), *_display_levels(case), *_curves(case), *_rival(case)]


def burned_in(case: Case) -> str:
    """The reason to suspect a viewing transform burned in; empty where there is none."""
    if case.ruled_out and case.looks_finished:
        return (
            "Viewing transform burned in? The levels are a finished picture's: luma from code "
            f"{case.signal.floor:.0f} to {case.signal.top:.0f} of 1023."
        )
    lut = named_lut({**case.facts.metadata, **case.clues.sidecar})
    if not lut:
        return ""
    if case.looks_finished:
        return f"Viewing transform burned in? Metadata names a LUT ({lut}) and the levels are a finished picture's."
    return f"Metadata names a LUT ({lut}). The levels do not show that it was burned in; check before converting."


def _log_levels(case: Case) -> Iterator[str]:
    reason, best, member = case.ruled_out, case.best, case.member
    if not reason or best is None or member is None:
        return
    legal = best.range == "legal" and not case.looks_finished
    fits_full = legal and not ruled_out(case.signal, member, "full")
    yield f"{_sentence(best.evidence[0])}, but {reason}{': the codes fit full range instead' if fits_full else ''}."


def _display_levels(case: Case) -> Iterator[str]:
    member, signal = case.member, case.signal
    if member is None or case.best is None or member.referred != "display" or member.curve_name == "PQ":
        return
    if looks_like_log(signal, case.assumed):
        tagged = next((one.text for one in case.evidence if one.kind == "tags"), case.best.evidence[0])
        yield (
            f"{_sentence(tagged)}, but nothing lies below code {signal.floor:.0f} or above {signal.top:.0f} of 1023 "
            f"and colour is weak (chroma {signal.chroma:.2f}): probably log."
        )


def _curves(case: Case) -> Iterator[str]:
    told = (one for one in case.evidence if one.kind in ("tags", "metadata", "sidecar") and one.weight >= STRONG)
    curves = {one.curve for one in told if one.curve}
    if len(curves) > 1:
        yield f"The file names two curves: {' and '.join(sorted(curves))}."


def _rival(case: Case) -> Iterator[str]:
    """What its camera's other files are, against what this one says of itself without proof."""
    best, sibling = case.best, case.clues.sibling
    if not sibling or not best or not FAIR <= best.score < STRONG + 0.1 or best.encoding == sibling.encoding:
        return
    rival = next((one.text for one in case.evidence if one.kind != "camera" and one.weight >= FAIR), "")
    if rival:
        yield f"{_sentence(rival)}, but {sibling.why}."


def _sentence(text: str) -> str:
    return text[:1].upper() + text[1:]
