"""Colour tags of a container by name. Source: ITU-T H.273 (2021), tables 2 to 4."""

from __future__ import annotations

from dataclasses import asdict, dataclass

PRIMARIES = {1: "BT.709", 5: "BT.601 625", 6: "BT.601 525", 9: "BT.2020", 11: "P3-DCI", 12: "P3-D65"}
TRANSFERS = {
    1: "BT.709",
    4: "gamma 2.2",
    5: "gamma 2.8",
    6: "BT.601",
    8: "linear",
    13: "sRGB",
    14: "BT.2020",
    15: "BT.2020",
    16: "PQ",
    17: "ST 428",
    18: "HLG",
}
MATRICES = {
    0: "RGB",
    1: "BT.709",
    4: "FCC",
    5: "BT.601",
    6: "BT.601",
    7: "SMPTE 240M",
    8: "YCgCo",
    9: "BT.2020",
    10: "BT.2020 CL",
    11: "ST 2085",
    12: "derived NCL",
    13: "derived CL",
    14: "ICtCp",
    15: "IPT-C2",
    16: "YCgCo-Re",
    17: "YCgCo-Ro",
}
RANGES = {1: "legal", 2: "full"}
SAID_AS = {"BT.1886": "BT.709", "gamma 2.4": "BT.709"}
"""BT.709's number stands for signals seen through BT.1886's display, of which 2.4 is the limit."""


@dataclass(frozen=True)
class ColourTags:
    """What a file says of its colour; an empty string where it says nothing."""

    primaries: str = ""
    transfer: str = ""
    matrix: str = ""
    range: str = ""

    @classmethod
    def of_numbers(cls, primaries: int, transfer: int, matrix: int, code_range: int) -> ColourTags:
        """From the code points of H.273 (range: 1 limited, 2 full);
        a known number without a name here is kept as such.
        """

        def name(table: dict[int, str], number: int) -> str:
            return table.get(number, "" if number in (0, 2, 3) else f"code point {number}")

        return cls(
            name(PRIMARIES, primaries),
            name(TRANSFERS, transfer),
            "RGB" if matrix == 0 else name(MATRICES, matrix),
            RANGES.get(code_range, ""),
        )

    def as_dict(self) -> dict[str, str]:
        return {name: value for name, value in asdict(self).items() if value}

    def sentence(self) -> str:
        """All tags in one line."""
        said = [f"{name} {value}" for name, value in self.as_dict().items()]
        return ", ".join(said) if said else "no colour tags"


def contradictions(tags: ColourTags) -> list[str]:
    """What a file's tags say that cannot all be true. Source: ITU-R BT.2100-2: PQ and HLG go with BT.2020's primaries
    and its matrix or ICtCp.
    """
    found = []
    if tags.transfer in ("PQ", "HLG"):
        if tags.primaries and tags.primaries not in ("BT.2020", "P3-D65", "P3-DCI"):
            found.append(f"Its tags contradict each other: {tags.transfer} with {tags.primaries} primaries.")
        if tags.matrix and tags.matrix not in ("BT.2020", "BT.2020 CL", "ICtCp", "RGB", "derived NCL", "derived CL"):
            found.append(
                f"Its tags contradict each other: {tags.transfer} with the {tags.matrix} matrix, by which it is read."
            )
    elif tags.primaries == "BT.2020" and tags.matrix in ("BT.709", "BT.601"):
        found.append(
            f"Its tags contradict each other: BT.2020 primaries with the {tags.matrix} matrix, by which it is read."
        )
    return found


def numbers(tags: ColourTags) -> tuple[int, int, int, int]:
    """The code points of named tags, 2 (unspecified) or 0 (range) where nothing is said."""

    def find(table: dict[int, str], value: str, nothing: int) -> int:
        return next((number for number, name in table.items() if name == value), nothing)

    return (
        find(PRIMARIES, tags.primaries, 2),
        find(TRANSFERS, tags.transfer, 2),
        find(MATRICES, tags.matrix, 2),
        find(RANGES, tags.range, 0),
    )
