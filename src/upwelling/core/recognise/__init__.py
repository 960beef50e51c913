"""Recognition: what a file probably is, how that is known, and what speaks against it. One recogniser a file."""

from __future__ import annotations

from dataclasses import replace

from upwelling.core.encodings import ENCODINGS, Encoding, Range
from upwelling.core.media.footage import FileFacts
from upwelling.core.media.tags import contradictions
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
    is_log,
    looks_like_display,
    looks_like_log,
    ruled_out,
    signal_facts,
)
from upwelling.core.recognise.tags import tag_evidence
from upwelling.core.recognise.words import named_lut, word_evidence


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
    contradictions, burned = _contradictions(facts, signal, clues, evidence, candidates, assumed)
    state = _state(candidates, signal, assumed, contradictions)
    best = candidates[0] if candidates else None
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


def _contradictions(
    facts: FileFacts,
    signal: SignalFacts,
    clues: FileClues,
    evidence: list[Evidence],
    candidates: list[Candidate],
    assumed: Range,
) -> tuple[list[str], str]:
    """Sentences of what cannot both be true, and the reason to suspect a burned-in viewing transform."""
    found = contradictions(facts.tags)
    burned = ""
    best = candidates[0] if candidates else None
    member = ENCODINGS.get(best.encoding) if best else None
    if best and member and is_log(member) and best.score >= 0.6:
        reason = ruled_out(signal, member, best.range)
        other: Range = "full" if best.range == "legal" else "legal"
        if (
            reason
            and not ruled_out(signal, member, other)
            and best.range == "legal"
            and not looks_like_display(signal, assumed)
        ):
            found.append(f"{_sentence(best.evidence[0])}, but {reason}: the codes fit full range instead.")
        elif reason:
            found.append(f"{_sentence(best.evidence[0])}, but {reason}.")
            if looks_like_display(signal, assumed):
                burned = (
                    "Viewing transform burned in? The levels are a finished picture's: luma from code "
                    f"{signal.floor:.0f} to {signal.top:.0f} of 1023."
                )
    if member and member.referred == "display" and member.curve_name not in ("PQ",) and looks_like_log(signal, assumed):
        tagged = next((i.text for i in evidence if i.kind == "tags"), best.evidence[0] if best else "")
        found.append(
            f"{_sentence(tagged)}, but nothing lies below code {signal.floor:.0f} or above {signal.top:.0f} of 1023 "
            f"and colour is weak (chroma {signal.chroma:.2f}): probably log."
        )
    curves = {i.curve for i in evidence if i.kind in ("tags", "metadata", "sidecar") and i.weight >= STRONG and i.curve}
    if len(curves) > 1:
        found.append(f"The file names two curves: {' and '.join(sorted(curves))}.")
    if (
        clues.sibling
        and best
        and best.score >= FAIR
        and best.encoding != clues.sibling.encoding
        and best.score < STRONG + 0.1
    ):
        rival = next((i.text for i in evidence if i.kind != "camera" and i.weight >= FAIR), "")
        if rival:
            found.append(f"{_sentence(rival)}, but {clues.sibling.why}.")
    lut = named_lut({**facts.metadata, **clues.sidecar})
    if lut and not burned and looks_like_display(signal, assumed):
        burned = f"Viewing transform burned in? Metadata names a LUT ({lut}) and the levels are a finished picture's."
    elif lut and not burned:
        burned = f"Metadata names a LUT ({lut}). The levels do not show that it was burned in; check before converting."
    return found, burned


def _sentence(text: str) -> str:
    return text[:1].upper() + text[1:]


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
