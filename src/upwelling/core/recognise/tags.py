"""Evidence from colour tags of the container."""

from __future__ import annotations

from upwelling.core.colour.primaries import named_by
from upwelling.core.encodings import ENCODINGS
from upwelling.core.media.footage import FileFacts
from upwelling.core.recognise.base import FAIR, STRONG, WEAK, Evidence

_TRANSFERS = {
    "HLG": ("HLG", STRONG),
    "PQ": ("PQ", STRONG),
    "sRGB": ("sRGB", FAIR),
    "linear": ("linear", FAIR),
    "printing density": ("Printing density", FAIR),
    "gamma 2.2": ("gamma 2.2", FAIR),
    "gamma 2.4": ("gamma 2.4", FAIR),
    "gamma 2.6": ("gamma 2.6", FAIR),
}
_PRIMARIES = {
    "BT.709": "BT.709",
    "BT.2020": "BT.2020",
    "P3-D65": "P3-D65",
    "P3-DCI": "P3-DCI",
    "opRGB": "opRGB",
    "BT.601 525": "BT.709",
    "BT.601 625": "BT.709",
}


def tag_evidence(facts: FileFacts) -> list[Evidence]:
    """What the tags speak for. Tags of BT.709 are weak: cameras write them on log files as well."""
    tags = facts.tags
    found = []
    space = _PRIMARIES.get(tags.primaries, "")
    said = tags.sentence()
    code_range = tags.range or ("full" if not facts.ycbcr else "")
    written = facts.metadata.get("written encoding", "")
    if written:
        found.append(
            Evidence(
                "tags",
                f"written by Upwelling as {written}",
                STRONG,
                encoding=written,
                primaries="",
                range=facts.metadata.get("written range", "full"),  # type: ignore[arg-type]
            )
        )
        return found
    if facts.container == "OpenEXR":
        return [_light_of(facts)]
    if facts.metadata.get("ICC profile") and tags.transfer:
        said = facts.metadata["ICC profile"]
    foreign = _foreign_primaries(facts, space)
    if (tags.transfer, space) == ("gamma 2.2", "opRGB"):  # whose exponent is written so
        found.append(Evidence("tags", f"tagged {said}", FAIR, encoding="opRGB/opRGB", range="full"))
    elif foreign and tags.transfer in _TRANSFERS:
        text = f"tagged {_TRANSFERS[tags.transfer][0]} in {foreign}: make an encoding of your own of them"
        found.append(Evidence("tags", text, WEAK / 2))
    elif tags.transfer in _TRANSFERS:
        curve, weight = _TRANSFERS[tags.transfer]
        found.append(Evidence("tags", f"tagged {said}", weight, curve=curve, primaries=space, range=code_range))  # type: ignore[arg-type]
    elif tags.transfer in ("BT.709", "BT.601", "BT.2020"):
        found.append(
            Evidence(
                "tags",
                f"tagged {said}",
                FAIR,
                encoding="BT.1886/BT.709" if space != "BT.2020" else "",
                curve="BT.1886",
                primaries=space,
                range=code_range,  # type: ignore[arg-type]
            )
        )
    elif space:
        found.append(Evidence("tags", f"tagged {said}", WEAK, primaries=space, range=code_range))  # type: ignore[arg-type]
    if not tags.transfer and facts.codec == "hevc" and facts.depth == "10":
        found.append(
            Evidence(
                "tags",
                "10 bit H.265 without a transfer tag: an HDR clip that lost its tags looks so",
                WEAK,
                curve="HLG",
                primaries="BT.2020",
            )
        )
    if not tags.transfer and facts.ycbcr:
        found.append(
            Evidence("tags", "no transfer tag: players would take it for BT.709", WEAK / 2, encoding="BT.1886/BT.709")
        )
    if facts.metadata.get("ICC profile") and not tags.transfer:
        found.append(Evidence("tags", facts.metadata["ICC profile"], WEAK / 2))
    elif facts.codec == "JPEG" and not tags.transfer:
        found.append(
            Evidence(
                "tags", "a JPEG without a colour space, most often sRGB", FAIR, encoding="sRGB/BT.709", range="full"
            )
        )
    return found


def _foreign_primaries(facts: FileFacts, space: str) -> str:
    """Primaries that no encoding has with the curve the file names, in words; empty where one has, or none are said."""
    curve = _TRANSFERS.get(facts.tags.transfer, ("", 0.0))[0]
    if space:
        pairs = {(one.curve_name, one.primaries_name) for one in ENCODINGS.values()}
        return "" if (curve, space) in pairs else space
    return f"primaries that are none known here ({said})" if (said := facts.metadata.get("chromaticities", "")) else ""


def _light_of(facts: FileFacts) -> Evidence:
    """What an OpenEXR file's chromaticities speak for: only the very primaries they name, BT.709 where there are none
    (its definition).
    """
    values = [float(v) for v in facts.metadata.get("chromaticities", "").split()]
    if not values and facts.metadata.get("ACES container"):
        text = "OpenEXR that says it is an ACES container, whose light is in AP0 (SMPTE ST 2065-4:2013)"
        return Evidence("tags", text, STRONG, encoding="linear/AP0", range="full")
    if not values:
        return Evidence(
            "tags",
            "OpenEXR without chromaticities, which its definition reads as BT.709",
            FAIR,
            encoding="linear/BT.709",
            range="full",
        )
    if name := named_by(values):
        return Evidence("tags", f"chromaticities are those of {name}", STRONG, encoding=f"linear/{name}", range="full")
    return Evidence("tags", "linear light in primaries that are none known here; see its chromaticities", WEAK / 2)
