"""Encodings of cameras, by published short name."""

from __future__ import annotations

from upwelling.core.curves.log_c import EXPOSURE_INDICES
from upwelling.core.encodings.base import Encoding

_S = "Sony, Technical Summary for S-Gamut3.Cine/S-Log3 and S-Gamut3/S-Log3 (2014)"
ENCODINGS = (
    Encoding("S-Log3/S-Gamut3.Cine", "S-Log3", "S-Gamut3.Cine", "Log curve with the primaries meant for grading.", _S),
    Encoding("S-Log3/S-Gamut3", "S-Log3", "S-Gamut3", "Log curve with the camera's widest primaries.", _S),
    Encoding("V-Log/V-Gamut", "V-Log", "V-Gamut", "Log curve with its wide primaries.",
             "Panasonic, V-Log/V-Gamut Reference Manual, rev. 1.0 (2014)"),
    *(
        Encoding(f"LogC3 EI {index}/Wide Gamut 3", f"LogC3 EI {index}", "Wide Gamut 3",
                 f"Log curve at exposure index {index} with its wide primaries.",
                 "ARRI, ALEXA Log C Curve: Usage in VFX (2017)")
        for index in EXPOSURE_INDICES
    ),
)
