"""Evidence from words: metadata, sidecar files and file names that name a curve or primaries."""

from __future__ import annotations

import re
from collections.abc import Mapping

from upwelling.core.recognise.base import STRONG, WEAK, Evidence, Kind

_S = r"[-_ .]?"
_CURVES = {
    "S-Log3": rf"s{_S}log{_S}3",
    "S-Log2": rf"s{_S}log{_S}2",
    "S-Log": rf"s{_S}log",
    "V-Log": rf"v{_S}log(?:{_S}l)?",
    "LogC4": rf"log{_S}c{_S}4",
    "LogC3": rf"log{_S}c(?:{_S}3)?",
    "C-Log3": rf"c(?:anon)?{_S}log{_S}3",
    "C-Log2": rf"c(?:anon)?{_S}log{_S}2",
    "C-Log": rf"c(?:anon)?{_S}log",
    "Log3G10": rf"log{_S}3{_S}g{_S}10",
    "F-Log2": rf"f{_S}log{_S}2",
    "F-Log": rf"f{_S}log",
    "N-Log": rf"n{_S}log",
    "D-Log": rf"d{_S}log",
    "L-Log": rf"l{_S}log",
    "Mi-Log": rf"mi{_S}log",
    "Film Gen 5": rf"film{_S}gen(?:eration)?{_S}5",
    "Protune": r"protune",
    "Apple Log": rf"apple{_S}log",
    "HLG": r"hlg|hybrid[-_ ]?log[-_ ]?gamma",
    "PQ": r"st[-_ ]?2084|hdr10|(?<=[_. -])pq",
    "ACEScct": r"acescct",
    "ACEScc": r"acescc",
}
_PRIMARIES = {
    "S-Gamut3.Cine": rf"s{_S}gamut{_S}3{_S}cine",
    "S-Gamut3": rf"s{_S}gamut{_S}3",
    "S-Gamut": rf"s{_S}gamut",
    "V-Gamut": rf"v{_S}gamut",
    "Cinema Gamut": rf"cinema{_S}gamut",
    "D-Gamut": rf"d{_S}gamut",
    "F-Gamut C": rf"f{_S}gamut{_S}c",
    "Wide Gamut Gen 5": rf"wide{_S}gamut{_S}gen(?:eration)?{_S}5",
    "F-Gamut": rf"f{_S}gamut",
    "BT.2020": rf"(?:bt|rec){_S}2020",
    "BT.709": rf"(?:bt|rec){_S}709",
}
_LUT = re.compile(r"\b[\w .-]{0,60}(?:\.cube|\.3dl|\blut\b|look[-_ ]?up)[\w .-]{0,60}", re.IGNORECASE)


def _first(patterns: Mapping[str, str], text: str) -> str:
    """The name whose pattern occurs as a word of its own; longer names are listed first."""
    lowered = text.lower()
    return next(
        (name for name, pattern in patterns.items() if re.search(rf"(?<![a-z0-9])(?:{pattern})(?![a-z0-9])", lowered)),
        "",
    )


def word_evidence(values: Mapping[str, str], kind: Kind) -> list[Evidence]:
    """Curves and primaries named in values; strong in metadata and sidecars, weak in a file's name."""
    found = []
    curves: dict[str, str] = {}
    spaces: dict[str, str] = {}
    for key, value in values.items():
        name = _first(_CURVES, value)
        if name:
            curves.setdefault(name, f"{key} “{value[:60]}”")
        space = _first(_PRIMARIES, value)
        if space:
            spaces.setdefault(space, value)
    weight = WEAK if kind == "name" else STRONG
    space = next(iter(spaces), "") if len(spaces) == 1 else ""
    for curve, where in curves.items():
        place = {"metadata": "metadata", "sidecar": "sidecar file", "name": "file name"}.get(kind, kind)
        found.append(
            Evidence(
                kind,
                f"{place} says {curve}: {where}" if kind != "name" else f"the file’s name says {curve}",
                weight,
                curve=curve,
                primaries=space,
            )
        )
    return found


def named_lut(values: Mapping[str, str]) -> str:
    """The first metadata value that names a LUT, or an empty string."""
    for key, value in values.items():
        if "lut" in key.lower().split("_") or "lut" in key.lower().split(" ") or _LUT.search(value):
            return f"{key}: {value[:80]}"
    return ""
