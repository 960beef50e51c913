"""The Common LUT Format: XML with process nodes.

Source: Academy/ASC S-2014-006, "A Common File Format for Look-Up Tables", version 3.0 (element names, attributes,
defaults and rules from memory). Values of integer depths are read over their full scale. What a reader must refuse is
refused with its line.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from upwelling.core.errors import BadLut
from upwelling.core.lut.numbers import number as read_number
from upwelling.core.lut.numbers import whole
from upwelling.core.lut.process import (
    CDL_STYLES,
    EXPONENT_STYLES,
    HALFS,
    LOG_STYLES,
    CdlNode,
    ExponentNode,
    LogNode,
    LogParams,
    MatrixNode,
    Node,
    ProcessList,
    RangeNode,
    TableNode,
)
from upwelling.core.lut.table import LARGEST, Lut1D, Lut3D
from upwelling.core.lut.text_kernel import parse_rows
from upwelling.core.lut.xml_tree import Element, parse_xml

VERSION = "3"
NAMESPACE = "urn:AMPAS:CLF:v3.0"
FULL_SCALE = {"8i": 255.0, "10i": 1023.0, "12i": 4095.0, "16i": 65535.0, "16f": 1.0, "32f": 1.0}
_DESCRIPTIVE = ("Description", "InputDescriptor", "OutputDescriptor", "Info")
MOST_NODES = 200
_HOLDS: dict[str, tuple[frozenset[str], frozenset[str]]] = {
    name: (frozenset(inside.split()), frozenset(attributes.split()))
    for name, inside, attributes in (
        ("Matrix", "Array", ""),
        ("Range", "minInValue maxInValue minOutValue maxOutValue", "style"),
        ("Log", "LogParams", "style"),
        ("Exponent", "ExponentParams", "style"),
        ("ASC_CDL", "SOPNode SatNode SATNode", "style"),
        ("LUT1D", "Array", "interpolation halfDomain rawHalfs"),
        ("LUT3D", "Array", "interpolation"),
    )
}
"""What each node may hold: elements, and attributes beside the common ones."""
_COMMON = frozenset({"id", "name", "inBitDepth", "outBitDepth"})
_CHANGES = frozenset({"hueAdjust", "bypass"})
"""Attributes of other versions and dialects that change what a node does."""


def parse_clf(data: bytes, name: object = "table.clf") -> ProcessList:
    """The process list of a file; raises BadLut with the line."""
    root = parse_xml(data, name)
    if root.name != "ProcessList":
        raise BadLut(name, f"the outermost element should be ProcessList, found “{root.name[:40]}”.", root.line)
    version = root.attributes.get("compCLFversion")
    if version is None or version.split(".")[0] not in ("1", "2", "3"):
        raise BadLut(
            name,
            f"compCLFversion should be 3 (or 1 or 2), found {'none' if version is None else f'“{version[:20]}”'}.",
            root.line,
        )
    if "id" not in root.attributes:
        raise BadLut(name, "the ProcessList has no id attribute.", root.line)
    nodes: list[Node] = []
    notes: list[str] = []
    depth = ""
    for element in root.children:
        if element.name in _DESCRIPTIVE:
            continue
        if element.name not in _READERS:
            raise BadLut(name, f"“{element.name[:40]}” is no process node of this format.", element.line)
        if len(nodes) >= MOST_NODES:
            raise BadLut(name, f"there are more than {MOST_NODES} process nodes.", element.line)
        notes += _foreign(element, name)
        low, high = (_depth(element, which, name) for which in ("inBitDepth", "outBitDepth"))
        if depth and element.attributes["inBitDepth"] != depth:
            raise BadLut(
                name,
                f"inBitDepth is {element.attributes['inBitDepth']}, but the node before gives {depth}.",
                element.line,
            )
        depth = element.attributes["outBitDepth"]
        nodes.append(_READERS[element.name](element, low, high, name))
    if not nodes:
        raise BadLut(name, "there is no process node in it.", root.line)

    def text(kind: str) -> str:
        found = root.child(kind)
        return found.text[:300] if found else ""

    return ProcessList(
        tuple(nodes),
        root.attributes.get("name", "")[:120],
        tuple(c.text[:300] for c in root.children if c.name == "Description"),
        text("InputDescriptor"),
        text("OutputDescriptor"),
        root.attributes["id"][:200],
        tuple(notes[:20]),
    )


def _foreign(element: Element, name: object) -> list[str]:
    """Notes on attributes that are not of this format. Refuses what would change the result if it were passed over."""
    inside, attributes = _HOLDS[element.name]
    for child in element.children:
        if child.name not in inside and child.name not in _DESCRIPTIVE:
            raise BadLut(
                name,
                f"“{child.name[:40]}” in a {element.name} is not of version {VERSION} of the format, and without it "
                "the result would be another. Have the file written anew, as version 3.",
                child.line,
            )
        _misspelt(child, name)
    changed = sorted(_CHANGES & element.attributes.keys())
    if changed:
        raise BadLut(
            name,
            f"{element.name} has {changed[0]}, which is not of version {VERSION} of the format, and without it the "
            "result would be another. Have the file written anew without it.",
            element.line,
        )
    return [
        f"Line {element.line}: “{key[:40]}” of {element.name} is not of this format and was passed over."
        for key in element.attributes
        if key not in attributes and key not in _COMMON
    ]


_PARAMETERS = {
    "Array": "dim",
    "LogParams": "base logSideSlope logSideOffset linSideSlope linSideOffset linSideBreak linearSlope channel",
    "ExponentParams": "exponent offset channel",
}


def _misspelt(child: Element, name: object) -> None:
    """Refuses attributes of a parameter element that are none: a misspelt constant would silently be its default."""
    if child.name in _DESCRIPTIVE:
        return
    for one in (child, *child.children):
        unknown = sorted(one.attributes.keys() - set(_PARAMETERS.get(one.name, "").split()))
        if unknown:
            raise BadLut(
                name,
                f"{one.name} has “{unknown[0][:40]}”, which is no attribute of it. Check its spelling, or have the "
                "file written anew.",
                one.line,
            )


def _depth(element: Element, which: str, name: object) -> float:
    said = element.attributes.get(which)
    if said not in FULL_SCALE:
        raise BadLut(
            name, f"{element.name} needs {which}, one of {', '.join(FULL_SCALE)}; found {said!r}.", element.line
        )
    return FULL_SCALE[said]


def _number(text: str | None, what: str, element: Element, name: object) -> float:
    try:
        value = read_number((text or "").strip())
    except ValueError:
        value = math.nan
    if not math.isfinite(value):
        raise BadLut(name, f"{what} should be a number, found “{(text or '')[:40]}”.", element.line)
    return value


def _numbers(element: Element, wanted: int, name: object) -> Any:
    if (
        wanted % 3 == 0 and len(element.text) >= 2 * wanted - 1
    ):  # three on each line, as tables are written, is read by the kernel
        text, rows = element.text.encode(), np.empty((wanted // 3, 3))
        count, position = parse_rows(np.frombuffer(text, np.uint8), 0, rows)
        if count == len(rows) and position == len(text):
            return rows.ravel()
    parts = element.text.split()
    if len(parts) != wanted:
        raise BadLut(name, f"{element.name} should hold {wanted} numbers, found {len(parts)}.", element.line)
    try:
        values = np.array([read_number(part) for part in parts], dtype=np.float64)
    except ValueError:
        wrong = next(k for k, part in enumerate(parts) if not _reads(part))
        raise BadLut(
            name, f"entry {wrong + 1} of {element.name} should be a number, found “{parts[wrong][:40]}”.", element.line
        ) from None
    if not np.isfinite(values).all() or (np.abs(values) > 3e38).any():
        wrong = int(np.argmax(~(np.abs(values) <= 3e38)))
        raise BadLut(name, f"entry {wrong + 1} of {element.name} is not a finite number.", element.line)
    return values


def _reads(part: str) -> bool:
    try:
        read_number(part)
    except ValueError:
        return False
    return True


def _array(element: Element, name: object) -> tuple[Element, list[int]]:
    array = element.child("Array")
    if array is None:
        raise BadLut(name, f"{element.name} has no Array.", element.line)
    try:
        dims = [whole(part) for part in array.attributes.get("dim", "").split()]
    except ValueError:
        dims = []
    if not dims or min(dims) < 1 or max(dims) > 65536:
        raise BadLut(
            name,
            f"the Array's dim should be whole numbers, found “{array.attributes.get('dim', '')[:40]}”.",
            array.line,
        )
    return array, dims


def _matrix(element: Element, low: float, high: float, name: object) -> Node:
    array, dims = _array(element, name)
    if dims[:2] not in ([3, 3], [3, 4]):
        raise BadLut(name, "a Matrix has dim 3 3 or 3 4.", array.line)
    values = _numbers(array, 3 * dims[1], name).reshape(3, dims[1])
    offsets = values[:, 3:] / high if dims[1] == 4 else np.zeros((3, 1))
    rows = np.concatenate([values[:, :3] * low / high, offsets], axis=1)
    return MatrixNode(tuple((float(a), float(b), float(c), float(d)) for a, b, c, d in rows))


def _range(element: Element, low: float, high: float, name: object) -> Node:
    ends: dict[str, float | None] = {}
    for key, scale in (("minInValue", low), ("maxInValue", low), ("minOutValue", high), ("maxOutValue", high)):
        found = element.child(key)
        ends[key] = None if found is None else _number(found.text, key, found, name) / scale
    low_in, high_in, low_out, high_out = ends.values()
    if (
        (low_in is None) != (low_out is None)
        or (high_in is None) != (high_out is None)
        or (low_in is None and high_in is None)
    ):
        raise BadLut(
            name, "a Range needs minInValue with minOutValue, maxInValue with maxOutValue, or all four.", element.line
        )
    if low_in is not None and high_in is not None:
        if high_in <= low_in:
            raise BadLut(name, "maxInValue is not above minInValue.", element.line)
        if low_out is not None and high_out is not None and high_out < low_out:
            raise BadLut(name, "maxOutValue is below minOutValue.", element.line)
    elif abs((low_in if low_in is not None else high_in) - (low_out if low_out is not None else high_out)) > 1e-6:  # type: ignore[operator]
        raise BadLut(name, "with one end only, a Range's in and out value must be the same level.", element.line)
    style = element.attributes.get("style", "Clamp")
    if style not in ("Clamp", "noClamp"):
        raise BadLut(name, f"a Range's style is Clamp or noClamp, found “{style[:40]}”.", element.line)
    if style == "noClamp" and (low_in is None or high_in is None):
        raise BadLut(name, "a Range of style noClamp needs all four values.", element.line)
    return RangeNode(low_in, high_in, low_out, high_out, style == "Clamp")


def _style(element: Element, known: tuple[str, ...], default: str, name: object) -> Any:
    style = element.attributes.get("style", default)
    if style not in known:
        raise BadLut(name, f"{element.name} has style {', '.join(known)}; found “{style[:40]}”.", element.line)
    return style


def _by_channel(element: Element, kind: str, name: object) -> list[Element | None]:
    """The parameters of red, green and blue: one element for all, or one each."""
    out: list[Element | None] = [None, None, None]
    for found in element.children:
        if found.name != kind:
            continue
        channel = found.attributes.get("channel")
        if channel is not None and channel not in ("R", "G", "B"):
            raise BadLut(name, f"channel is R, G or B, found “{channel[:20]}”.", found.line)
        for place in range(3) if channel is None else ["RGB".index(channel)]:
            before = out[place]
            if channel is not None and before is not None and before.attributes.get("channel") == channel:
                raise BadLut(name, f"channel {channel} has two {kind}.", found.line)
            if channel is not None or before is None:  # one channel's own goes before those for all
                out[place] = found
    return out


def _log(element: Element, low: float, high: float, name: object) -> Node:
    style = _style(element, LOG_STYLES, "", name)
    if style in ("log10", "log2", "antiLog10", "antiLog2"):
        return LogNode(style)
    camera = style.startswith("camera")
    params = []
    for found in _by_channel(element, "LogParams", name):
        if found is None:
            raise BadLut(name, f"Log of style {style} needs LogParams for every channel.", element.line)

        def get(key: str, default: float, found: Element = found) -> float:
            return _number(found.attributes[key], key, found, name) if key in found.attributes else default

        if camera and "linSideBreak" not in found.attributes:
            raise BadLut(name, f"Log of style {style} needs linSideBreak.", found.line)
        one = LogParams(
            get("base", 2.0),
            get("logSideSlope", 1.0),
            get("logSideOffset", 0.0),
            get("linSideSlope", 1.0),
            get("linSideOffset", 0.0),
            get("linSideBreak", 0.0) if camera else None,
            get("linearSlope", 0.0) if camera and "linearSlope" in found.attributes else None,
        )
        if (
            one.base <= 0
            or one.base == 1
            or one.log_slope == 0
            or one.lin_slope == 0
            or one.toe_slope == 0
            or (camera and one.lin_slope * (one.break_lin or 0.0) + one.lin_offset <= 0)
        ):
            raise BadLut(
                name,
                "its constants make no curve: a slope is 0, the base is not above 0, or the break lies outside the "
                "logarithm.",
                found.line,
            )
        params.append(one)
    return LogNode(style, (params[0], params[1], params[2]))


def _exponent(element: Element, low: float, high: float, name: object) -> Node:
    style = _style(element, EXPONENT_STYLES, "", name)
    exponents, offsets = [], []
    for found in _by_channel(element, "ExponentParams", name):
        exponent = 1.0 if found is None else _number(found.attributes.get("exponent"), "exponent", found, name)
        offset = 0.0 if found is None else _number(found.attributes.get("offset", "0"), "offset", found, name)
        if not 0.01 <= exponent <= 100 or not 0 <= offset <= 0.9:
            raise BadLut(
                name,
                f"the exponent lies within 0.01…100 and the offset within 0…0.9; found {exponent:g} and {offset:g}.",
                element.line,
            )
        if style.startswith("monCurve") and exponent < 1:
            raise BadLut(name, f"the exponent of {style} is at least 1, found {exponent:g}.", element.line)
        exponents.append(exponent)
        offsets.append(offset)
    return ExponentNode(style, (exponents[0], exponents[1], exponents[2]), (offsets[0], offsets[1], offsets[2]))


def cdl_node(element: Element, name: object, style: Any = "Fwd") -> CdlNode:
    """Slope, offset, power and saturation of an element that holds SOPNode and SatNode."""
    triples = {"Slope": (1.0, 1.0, 1.0), "Offset": (0.0, 0.0, 0.0), "Power": (1.0, 1.0, 1.0)}
    for kind in triples:
        found = next(element.every(kind), None)
        if found is not None:
            r, g, b = _numbers(found, 3, name)
            triples[kind] = (float(r), float(g), float(b))
    found = next(element.every("Saturation"), None)
    saturation = 1.0 if found is None else _number(found.text, "Saturation", found, name)
    if min(triples["Slope"]) < 0 or min(triples["Power"]) <= 0 or saturation < 0:
        raise BadLut(name, "a slope or the saturation is below 0, or a power is not above 0.", element.line)
    if style.startswith("Rev") and (saturation == 0 or min(triples["Slope"]) == 0):
        raise BadLut(name, "slope or saturation is 0, so there is no reverse of it.", element.line)
    return CdlNode(triples["Slope"], triples["Offset"], triples["Power"], saturation, style)


def _cdl(element: Element, low: float, high: float, name: object) -> Node:
    return cdl_node(element, name, _style(element, CDL_STYLES, "Fwd", name))


def _flag(element: Element, key: str, name: object) -> bool:
    """An attribute of XML Schema's boolean type; raises BadLut for any other spelling."""
    said = element.attributes.get(key, "false").strip()
    if said not in ("true", "1", "false", "0"):
        raise BadLut(name, f"{key} is true or false (or 1 or 0), found “{said[:20]}”.", element.line)
    return said in ("true", "1")


def _lut1d(element: Element, low: float, high: float, name: object) -> Node:
    array, dims = _array(element, name)
    half = _flag(element, "halfDomain", name)
    interpolation = element.attributes.get("interpolation", "linear")
    if interpolation != "linear":
        raise BadLut(name, f"a LUT1D's interpolation is linear, found “{interpolation[:40]}”.", element.line)
    if len(dims) != 2 or dims[0] < 2 or dims[1] not in (1, 3) or (half and dims[0] != HALFS):
        raise BadLut(name, "a LUT1D has dim N 1 or N 3, with N from 2, and 65536 for a half domain.", array.line)
    values = _numbers(array, dims[0] * dims[1], name).reshape(dims)
    if _flag(element, "rawHalfs", name):
        if (values < 0).any() or (values > 65535).any() or (values % 1).any():
            raise BadLut(name, "entries of rawHalfs are whole numbers from 0 to 65535.", array.line)
        values = values.astype(np.uint16).view(np.float16).astype(np.float64)
        if half:
            values = np.nan_to_num(values, nan=0.0, posinf=65504.0, neginf=-65504.0)
        elif not np.isfinite(values).all():
            raise BadLut(name, "an entry of rawHalfs is no finite number.", array.line)
    else:
        values = values / high
    return TableNode(Lut1D(np.ascontiguousarray(np.broadcast_to(values, (dims[0], 3)), dtype=np.float32)), half=half)


def _lut3d(element: Element, low: float, high: float, name: object) -> Node:
    array, dims = _array(element, name)
    if len(dims) != 4 or len(set(dims[:3])) != 1 or dims[3] != 3 or not 2 <= dims[0] <= LARGEST:
        raise BadLut(name, f"a LUT3D has dim N N N 3 with N from 2 to {LARGEST}.", array.line)
    interpolation = element.attributes.get("interpolation", "trilinear")
    if interpolation not in ("trilinear", "tetrahedral"):
        raise BadLut(
            name, f"a LUT3D's interpolation is trilinear or tetrahedral, found “{interpolation[:40]}”.", element.line
        )
    values = _numbers(array, dims[0] ** 3 * 3, name).reshape(dims) / high
    return TableNode(Lut3D(np.ascontiguousarray(values, dtype=np.float32)), interpolation)  # type: ignore[arg-type]


_READERS = {
    "Matrix": _matrix,
    "Range": _range,
    "Log": _log,
    "Exponent": _exponent,
    "ASC_CDL": _cdl,
    "LUT1D": _lut1d,
    "LUT3D": _lut3d,
}
