"""Recognition: what a file probably is, how that is known, and what speaks against it. One recogniser a file."""

from __future__ import annotations

from dataclasses import replace

from upwelling.core.encodings import ENCODINGS, Encoding, Range
from upwelling.core.media.footage import FileFacts
from upwelling.core.recognise.against import Case, burned_in, sentences_against
from upwelling.core.recognise.base import (
    FAIR,
    STRONG,
    WEAK,
    Candidate,
    Evidence,
    FileClues,
    Recognition,
    Remark,
    Sibling,
    State,
)
from upwelling.core.recognise.remarks import eight_bit_log, remarks_on
from upwelling.core.recognise.sidecar import read_sidecars
from upwelling.core.recognise.signal import (
    SignalFacts,
    floor_evidence,
    looks_like_display,
    looks_like_log,
    signal_facts,
)
from upwelling.core.recognise.tags import tag_evidence
from upwelling.core.recognise.words import word_evidence


def recognise_raw(facts: FileFacts, signal: SignalFacts) -> Recognition:
    """A raw mosaic carries its own colour data: known."""
    remarks = [Remark("note", text) for text in facts.notes]
    if signal.plateau_share > 0.0005:
        remarks.append(Remark("clipped", f"Sensor clip: {100 * signal.plateau_share:.1f} % stands at the white level."))
    camera = facts.metadata.get("camera") or facts.metadata.get("model") or "its camera"
    evidence = Evidence("metadata", f"raw mosaic with the colour matrices of {camera}", STRONG)
    return Recognition("known", remarks=tuple(remarks), evidence=(evidence,), raw=True)


def recognise_file(facts: FileFacts, signal: SignalFacts, clues: FileClues) -> Recognition:
    """The conclusion from all evidence. Never certain against the signal's own levels."""
    evidence = [
        *tag_evidence(facts),
        *word_evidence(facts.metadata, "metadata"),
        *word_evidence(clues.sidecar, "sidecar"),
        *word_evidence({"name": clues.file_name}, "name"),
    ]
    if clues.sibling:
        evidence.append(
            Evidence("camera", clues.sibling.why, FAIR, encoding=clues.sibling.encoding, range=clues.sibling.range)
        )
    assumed = _range(facts, facts.tags.range)
    if looks_like_log(signal, assumed):
        # Cameras write tags of BT.709 on log files as well: against log levels they weigh little.
        evidence = [
            replace(item, weight=min(item.weight, WEAK)) if item.curve == "BT.1886" else item for item in evidence
        ]
    evidence += floor_evidence(signal, assumed)
    candidates = _candidates(facts, evidence)
    best = candidates[0] if candidates else None
    case = Case(facts, signal, clues, evidence, best, assumed)
    contradictions, burned = sentences_against(case), burned_in(case)
    state = _state(candidates, signal, assumed, contradictions)
    chosen = ENCODINGS.get(best.encoding) if best and state in ("known", "likely", "contradictory") else None
    remarks = remarks_on(facts, signal, chosen, best.range if best else _range(facts, ""))
    if burned:
        remarks.insert(0, Remark("burned", burned))
    return Recognition(state, tuple(candidates[:5]), tuple(contradictions), tuple(remarks), tuple(evidence))


def _range(facts: FileFacts, said: str) -> Range:
    said = said or facts.tags.range
    if said in ("full", "legal"):
        return said  # type: ignore[return-value]
    return "legal" if facts.ycbcr else "full"


def _matches(member: Encoding, item: Evidence) -> bool:
    if item.encoding:
        return member.name == item.encoding
    curve = member.curve_name.split(" EI ")[0] if member.curve_name.startswith("LogC3") else member.curve_name
    if not item.curve or member.ootf is not None or curve != item.curve:
        return False
    if item.curve == "linear" and not item.primaries:
        return False  # light in primaries nobody said is no encoding: which would only be the first of a list
    if item.curve == "LogC3" and member.curve_name != "LogC3 EI 800":
        return False
    return not item.primaries or member.primaries_name == item.primaries or not _has_pair(item)


def _has_pair(item: Evidence) -> bool:
    return any(m.curve_name.startswith(item.curve) and m.primaries_name == item.primaries for m in ENCODINGS.values())


def _candidates(facts: FileFacts, evidence: list[Evidence]) -> list[Candidate]:
    found: list[Candidate] = []
    for member in ENCODINGS.values():
        mine = [item for item in evidence if _matches(member, item)]
        if not mine:
            continue
        kinds: dict[str, Evidence] = {}
        for item in sorted(mine, key=lambda i: -i.weight):
            kinds.setdefault(item.kind, item)
        score = sum(item.weight for item in kinds.values())
        code_range = _range(facts, next((i.range for i in kinds.values() if i.range), ""))
        found.append(Candidate(member.name, code_range, round(score, 2), 0.0, tuple(i.text for i in kinds.values())))
    found.sort(key=lambda c: -c.score)  # equal ones stay in the library's order
    total = sum(c.score for c in found) or 1.0
    return [Candidate(c.encoding, c.range, c.score, round(c.score / (total + 0.5), 2), c.evidence) for c in found]


def _state(candidates: list[Candidate], signal: SignalFacts, assumed: Range, contradictions: list[str]) -> State:
    if contradictions:
        return "contradictory"
    if not candidates:
        return "unknown"
    best = candidates[0]
    second = candidates[1].score if len(candidates) > 1 else 0.0
    if best.score >= STRONG and best.score - second >= 1.0:
        return "known"
    if (
        ENCODINGS[best.encoding].curve_name == "BT.1886"
        and best.score < STRONG
        and not looks_like_display(signal, assumed)
    ):
        return "unknown"  # tags of BT.709 mean little by themselves
    if best.score >= FAIR and (best.score - second >= 0.5 or _same_curve(candidates, best.score)):
        return "likely"
    return "unknown"


def _same_curve(candidates: list[Candidate], score: float) -> bool:
    """The leaders differ only in primaries: the curve is sure, so the first is likely."""
    leaders = [c for c in candidates if score - c.score < 0.5]
    return len({ENCODINGS[c.encoding].curve_name for c in leaders}) == 1


__all__ = [
    "Candidate",
    "Evidence",
    "FileClues",
    "Recognition",
    "Remark",
    "Sibling",
    "SignalFacts",
    "State",
    "eight_bit_log",
    "read_sidecars",
    "recognise_file",
    "recognise_raw",
    "signal_facts",
]
