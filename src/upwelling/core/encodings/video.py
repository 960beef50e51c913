"""Encodings of television and the web: camera OETFs, finished SDR pictures, and the two HDR signals."""

from __future__ import annotations

import numpy as np

from upwelling.core.curves.hlg import HLG, Ootf
from upwelling.core.encodings.base import Encoding

# ITU-R BT.2408-7, table 1: HDR reference white is 203 cd/m² in PQ and 75 % of signal in HLG.
_PQ_SCALE = 10000 / 203
_HLG_SCALE = 1 / float(HLG.to_linear(np.array(0.75)))
_WHITE = "ITU-R BT.2408-7, table 1 (HDR reference white)"
HLG_DISPLAY = "HLG display/BT.2020"


def hlg_display(ootf: Ootf) -> Encoding:
    """HLG as its display shows it, for one nominal peak and black; 75 % of signal is 1.0 at any peak."""
    return Encoding(
        HLG_DISPLAY,
        "HLG",
        "BT.2020",
        "Relative HDR signal as an HLG display shows it: the OOTF's system gamma, which "
        "follows the nominal peak, makes shadows darker and colours stronger than in the scene. Right for a "
        "finished HLG programme.",
        "ITU-R BT.2100-2, table 5 and note 5f",
        referred="display",
        default_range="legal",
        linear_scale=float(HLG.to_linear(np.array(0.75))) ** -ootf.gamma,
        scale_source=_WHITE,
        ootf=ootf,
    )


ENCODINGS = (
    Encoding(
        "BT.709/BT.709",
        "BT.709",
        "BT.709",
        "HD camera signal, taken back to scene light by the inverse OETF.",
        "ITU-R BT.709-6 (2015)",
        default_range="legal",
    ),
    Encoding(
        "BT.1886/BT.709",
        "BT.1886",
        "BT.709",
        "A finished HD picture, as its studio display shows it.",
        "ITU-R BT.1886 (2011); BT.709-6 (2015)",
        referred="display",
        default_range="legal",
    ),
    Encoding(
        "sRGB/BT.709", "sRGB", "BT.709", "A finished picture of the web.", "IEC 61966-2-1:1999", referred="display"
    ),
    Encoding(
        "sRGB/P3-D65",
        "sRGB",
        "P3-D65",
        "A finished picture in wide primaries (Display P3).",
        "SMPTE EG 432-1:2010; IEC 61966-2-1:1999",
        referred="display",
    ),
    Encoding(
        "PQ/BT.2020",
        "PQ",
        "BT.2020",
        "Absolute HDR signal; 203 cd/m² is taken as diffuse white 1.0.",
        "ITU-R BT.2100-2",
        referred="display",
        default_range="legal",
        linear_scale=_PQ_SCALE,
        scale_source=_WHITE,
    ),
    Encoding(
        "HLG/BT.2020",
        "HLG",
        "BT.2020",
        "Relative HDR signal taken back to the light before the camera by the inverse "
        "OETF; 75 % of signal is 1.0. Right when the clip is material to be graded with log shots.",
        "ITU-R BT.2100-2, table 5",
        default_range="legal",
        linear_scale=_HLG_SCALE,
        scale_source=_WHITE,
    ),
    hlg_display(Ootf()),
    Encoding(
        "PQ/P3-D65",
        "PQ",
        "P3-D65",
        "Absolute HDR signal in P3 primaries; 203 cd/m² is taken as diffuse white 1.0.",
        "SMPTE ST 2084:2014; ST 428-1 practice in P3-D65",
        referred="display",
        default_range="full",
        linear_scale=_PQ_SCALE,
        scale_source=_WHITE,
    ),
    Encoding(
        "gamma 2.2/BT.709",
        "gamma 2.2",
        "BT.709",
        "A finished picture for a computer screen of pure power 2.2.",
        "ITU-R BT.470-6, assumed display gamma of system M",
        referred="display",
    ),
    Encoding(
        "opRGB/opRGB",
        "opRGB",
        "opRGB",
        "A finished photograph in the wider primaries that still cameras offer.",
        "IEC 61966-2-5:2007",
        referred="display",
    ),
    Encoding(
        "gamma 2.4/BT.709",
        "gamma 2.4",
        "BT.709",
        "A finished picture for a screen of pure power 2.4.",
        "ITU-R BT.1886 (2011)",
        referred="display",
    ),
    Encoding(
        "gamma 2.6/P3-DCI",
        "gamma 2.6",
        "P3-DCI",
        "A finished cinema picture with the white of film projection.",
        "SMPTE ST 431-1:2006; RP 431-2:2011",
        referred="display",
    ),
    Encoding(
        "gamma 2.6/P3-D65",
        "gamma 2.6",
        "P3-D65",
        "A finished cinema picture with a D65 white.",
        "SMPTE ST 431-1:2006; RP 431-2:2011",
        referred="display",
    ),
)
