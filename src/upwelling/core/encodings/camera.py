"""Encodings of cameras, by published short name."""

from __future__ import annotations

from upwelling.core.curves.log_c import EXPOSURE_INDICES
from upwelling.core.encodings.base import Encoding

_S = "Sony, Technical Summary for S-Gamut3.Cine/S-Log3 and S-Gamut3/S-Log3 (2014)"
_C = "Canon, Canon Log Gamma Curves white paper, version 1.2 (2018 revision, code value form)"
ENCODINGS = (
    Encoding("S-Log3/S-Gamut3.Cine", "S-Log3", "S-Gamut3.Cine", "Log curve with the primaries meant for grading.", _S),
    Encoding("S-Log3/S-Gamut3", "S-Log3", "S-Gamut3", "Log curve with the camera's widest primaries.", _S),
    Encoding(
        "V-Log/V-Gamut",
        "V-Log",
        "V-Gamut",
        "Log curve with its wide primaries.",
        "Panasonic, V-Log/V-Gamut Reference Manual, rev. 1.0 (2014)",
    ),
    *(
        Encoding(
            f"LogC3 EI {index}/Wide Gamut 3",
            f"LogC3 EI {index}",
            "Wide Gamut 3",
            f"Log curve at exposure index {index} with its wide primaries.",
            "ARRI, ALEXA Log C Curve: Usage in VFX (2017)",
        )
        for index in EXPOSURE_INDICES
    ),
    Encoding(
        "LogC4/Wide Gamut 4",
        "LogC4",
        "Wide Gamut 4",
        "Log curve of 16-bit scene light with its wide primaries.",
        "ARRI, ARRI LogC4 Specification (2022)",
    ),
    Encoding(
        "S-Log2/S-Gamut",
        "S-Log2",
        "S-Gamut",
        "Log curve with the camera's own primaries.",
        "Sony, S-Log2 Technical Paper (2012)",
    ),
    Encoding(
        "S-Log/S-Gamut",
        "S-Log",
        "S-Gamut",
        "The first log curve of its family with the camera's own primaries.",
        "Sony, S-Log Technical Paper (2009)",
    ),
    Encoding("C-Log/Cinema Gamut", "C-Log", "Cinema Gamut", "Log curve of modest range with wide primaries.", _C),
    Encoding("C-Log/BT.709", "C-Log", "BT.709", "Log curve of modest range with HD primaries.", _C),
    Encoding("C-Log2/Cinema Gamut", "C-Log2", "Cinema Gamut", "Log curve of wide range with wide primaries.", _C),
    Encoding("C-Log3/Cinema Gamut", "C-Log3", "Cinema Gamut", "Log curve with a straight part and wide primaries.", _C),
    Encoding("C-Log3/BT.2020", "C-Log3", "BT.2020", "Log curve with a straight part and UHD primaries.", _C),
    Encoding(
        "Log3G10/Wide Gamut RGB",
        "Log3G10",
        "Wide Gamut RGB",
        "Log curve with its wide primaries.",
        "RED, White Paper on REDWideGamutRGB and Log3G10 (2017)",
    ),
    Encoding(
        "F-Log/F-Gamut",
        "F-Log",
        "F-Gamut",
        "Log curve with its primaries (those of BT.2020).",
        "Fujifilm, F-Log Data Sheet, version 1.1 (2022)",
    ),
    Encoding(
        "F-Log2/F-Gamut",
        "F-Log2",
        "F-Gamut",
        "Log curve of wider range with its primaries (those of BT.2020).",
        "Fujifilm, F-Log2 Data Sheet, version 1.0 (2022)",
    ),
    Encoding(
        "F-Log2/F-Gamut C",
        "F-Log2",
        "F-Gamut C",
        "The log curve of wider range with the camera's own wide primaries.",
        "Fujifilm, F-Log2 C Data Sheet, version 1.0 (2024)",
    ),
    Encoding(
        "Film Gen 5/Wide Gamut Gen 5",
        "Film Gen 5",
        "Wide Gamut Gen 5",
        "Log curve with its wide primaries.",
        "Blackmagic Design, Generation 5 Color Science white paper (2021)",
    ),
    Encoding(
        "Protune/Protune Native",
        "Protune",
        "Protune Native",
        "Action camera curve with the camera's own primaries.",
        "GoPro, as colour-science 0.4.7 has it",
    ),
    Encoding(
        "Mi-Log/BT.2020",
        "Mi-Log",
        "BT.2020",
        "Phone log curve with UHD primaries.",
        "Xiaomi, Mi-Log Profile White Paper (2024)",
        default_range="legal",
    ),
    Encoding(
        "N-Log/BT.2020",
        "N-Log",
        "BT.2020",
        "Log curve with UHD primaries.",
        "Nikon, N-Log Specification Document, version 1.0.0 (2018)",
    ),
    Encoding(
        "D-Log/D-Gamut",
        "D-Log",
        "D-Gamut",
        "Log curve with its wide primaries.",
        "DJI, White Paper on D-Log and D-Gamut of DJI Cinema Color System (2017)",
    ),
    Encoding(
        "L-Log/BT.2020",
        "L-Log",
        "BT.2020",
        "Log curve with UHD primaries.",
        "Leica, L-Log Reference Manual, version 1.6 (2022)",
    ),
    Encoding(
        "Apple Log/BT.2020",
        "Apple Log",
        "BT.2020",
        "Phone log curve with UHD primaries.",
        "Apple, Apple Log Profile White Paper (2023)",
        default_range="legal",
    ),
    Encoding(
        "Printing density/BT.709",
        "Printing density",
        "BT.709",
        "Film scan log. A scan has no primaries of its own; HD primaries are common practice, no source.",
        "Kodak, Conversion of 10-bit Log Film Data to 8-bit Linear or Video Data, version 2.1 (1995)",
    ),
)
