"""ASC CDL files: one correction (.cc), a collection (.ccc), a decision list (.cdl).

Source: American Society of Cinematographers, "ASC Color Decision List (ASC CDL) Transfer Functions and Interchange
Syntax", v1.2 (2009). Ids tell corrections apart; elements are read in any of the version's namespaces.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from xml.sax.saxutils import escape, quoteattr

from upwelling.core.errors import BadLut
from upwelling.core.lut.formats.clf import cdl_node
from upwelling.core.lut.formats.clf_write import sop_text
from upwelling.core.lut.process import CdlNode
from upwelling.core.lut.xml_tree import Element, parse_xml

NAMESPACE = "urn:ASC:CDL:v1.01"
ENDINGS = (".cc", ".ccc", ".cdl")
MOST = 5000


@dataclass(frozen=True)
class CdlCorrection:
    """One colour correction and its id."""

    name: str
    cdl: CdlNode = field(default_factory=CdlNode)
    description: str = ""


def parse_cdl(data: bytes, name: object = "corrections.ccc") -> list[CdlCorrection]:
    """All corrections of a file; raises BadLut with the line."""
    root = parse_xml(data, name)
    if root.name not in ("ColorCorrection", "ColorCorrectionCollection", "ColorDecisionList"):
        raise BadLut(
            name,
            "the outermost element should be ColorCorrection, ColorCorrectionCollection or ColorDecisionList, found "
            f"“{root.name[:40]}”.",
            root.line,
        )
    found = [root] if root.name == "ColorCorrection" else list(root.every("ColorCorrection"))
    if not found:
        raise BadLut(name, "there is no ColorCorrection in it.", root.line)
    if len(found) > MOST:
        raise BadLut(name, f"there are more than {MOST} corrections in it.", root.line)
    return [_correction(element, index, name) for index, element in enumerate(found, 1)]


def _correction(element: Element, index: int, name: object) -> CdlCorrection:
    about = element.child("Description")
    return CdlCorrection(
        element.attributes.get("id", f"correction {index}")[:120],
        cdl_node(element, name, "Fwd"),
        about.text[:300] if about else "",
    )


def format_cdl(corrections: Sequence[CdlCorrection], ending: str) -> str:
    """The XML text for an ending of ENDINGS; a .cc holds the first correction only,
    so more of them raise ValueError.
    """
    if ending == ".cc":
        if len(corrections) != 1:
            raise ValueError("A .cc file holds one correction. Use .ccc for several.")
        return '<?xml version="1.0" encoding="UTF-8"?>\n' + _text(corrections[0], "", f' xmlns="{NAMESPACE}"')
    outer, inner = ("ColorCorrectionCollection", "") if ending == ".ccc" else ("ColorDecisionList", "ColorDecision")
    body = ""
    for correction in corrections:
        text = _text(correction, "    " if inner else "  ")
        body += f"  <{inner}>\n{text}  </{inner}>\n" if inner else text
    return f'<?xml version="1.0" encoding="UTF-8"?>\n<{outer} xmlns="{NAMESPACE}">\n{body}</{outer}>\n'


def _text(correction: CdlCorrection, indent: str, attributes: str = "") -> str:
    about = f"{indent}  <Description>{escape(correction.description)}</Description>\n" if correction.description else ""
    return (
        f"{indent}<ColorCorrection id={quoteattr(correction.name)}{attributes}>\n"
        f"{about}{sop_text(correction.cdl, indent + '  ')}{indent}</ColorCorrection>\n"
    )
