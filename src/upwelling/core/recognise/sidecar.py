"""Sidecar files beside a clip: openly readable XML or JSON."""

from __future__ import annotations

from pathlib import Path as FilePath
from typing import Any

from upwelling.core.errors import BadLut
from upwelling.core.lut.xml_tree import Element, parse_xml
from upwelling.core.strict_json import read_json

LARGEST = 512 * 1024
MOST_VALUES, MOST_ENTRIES = 400, 100_000


def sidecars_of(path: FilePath) -> list[FilePath]:
    """XML and JSON files in the same folder whose name is the clip's, alone or followed by M01 (a maker's habit) or its
    ending.
    """
    stem = path.stem.lower()
    wanted = {stem, f"{stem}m01", path.name.lower()}
    try:
        return sorted(
            p for p in path.parent.iterdir() if p.suffix.lower() in (".xml", ".json") and p.stem.lower() in wanted
        )
    except OSError:
        return []


def read_sidecars(path: FilePath) -> dict[str, str]:
    """Flat names and values of all sidecars; a damaged or oversized one is passed over, as it is only evidence."""
    found: dict[str, str] = {}
    for sidecar in sidecars_of(path):
        try:
            if sidecar.stat().st_size > LARGEST:
                continue
            data = sidecar.read_bytes()
            if sidecar.suffix.lower() == ".json":
                pairs = _json(read_json(data, largest=LARGEST, most=MOST_ENTRIES), "")
            else:
                pairs = _xml(parse_xml(data, sidecar.name, doctype=True), "")
        except (OSError, ValueError, RecursionError, BadLut):
            continue
        for key, value in pairs[:MOST_VALUES]:
            found.setdefault(f"{sidecar.name} {key}", value[:200])
    return found


def _xml(node: Element, prefix: str) -> list[tuple[str, str]]:
    name = f"{prefix}/{node.name}".lstrip("/")
    attributes = node.attributes
    pairs = []
    if "name" in attributes and "value" in attributes:
        pairs.append((attributes["name"], attributes["value"]))
    else:
        pairs += [(f"{name} {key}", value) for key, value in attributes.items()]
    if node.text:
        pairs.append((name, node.text))
    for child in node.children[:MOST_VALUES]:
        pairs += _xml(child, name)
    return pairs[:MOST_VALUES]


def _json(value: Any, prefix: str) -> list[tuple[str, str]]:
    if isinstance(value, dict):
        return [pair for key, inner in value.items() for pair in _json(inner, f"{prefix} {key}".strip())][:MOST_VALUES]
    if isinstance(value, list):
        return [pair for inner in value[:50] for pair in _json(inner, prefix)]
    return [(prefix, str(value))] if isinstance(value, str | int | float) else []
