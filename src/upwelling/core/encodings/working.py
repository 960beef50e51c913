"""Encodings of working and exchange spaces."""

from __future__ import annotations

from upwelling.core.colour.primaries import PRIMARIES
from upwelling.core.encodings.base import Encoding

_BY_HAND = ("AP0", "AP1", "BT.709", "BT.2020", "P3-D65")
ENCODINGS = (
    Encoding("ACEScct/AP1", "ACEScct", "AP1", "Working log space with a straight toe.", "Academy S-2016-001"),
    Encoding("ACEScc/AP1", "ACEScc", "AP1", "Working log space without a toe.", "Academy S-2014-003"),
    Encoding("linear/AP0", "linear", "AP0", "Scene-linear light for exchange and archive.", "SMPTE ST 2065-1:2012"),
    Encoding("linear/AP1", "linear", "AP1", "Scene-linear light in the working primaries.", "Academy S-2014-004"),
    Encoding("linear/BT.709", "linear", "BT.709", "Scene-linear light in HD primaries.", "ITU-R BT.709-6 (2015)"),
    Encoding("linear/BT.2020", "linear", "BT.2020", "Scene-linear light in UHD primaries.", "ITU-R BT.2020-2 (2015)"),
    Encoding(
        "linear/P3-D65", "linear", "P3-D65", "Scene-linear light in P3 primaries, D65 white.", "SMPTE EG 432-1:2010"
    ),
    *(
        Encoding(f"linear/{name}", "linear", name, f"Scene-linear light in {name}.", PRIMARIES[name].source)
        for name in PRIMARIES
        if name not in _BY_HAND
    ),
)
