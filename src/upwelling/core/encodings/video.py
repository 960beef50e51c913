"""Encodings of television and the web: camera OETFs, finished SDR pictures, and the two HDR signals."""

from __future__ import annotations

import numpy as np

from upwelling.core.curves.hlg import HLG
from upwelling.core.encodings.base import Encoding

# ITU-R BT.2408-7, table 1: HDR reference white is 203 cd/m² in PQ and 75 % of signal in HLG.
_PQ_SCALE = 10000 / 203
_HLG_SCALE = 1 / float(HLG.to_linear(np.array(0.75)))
_WHITE = "ITU-R BT.2408-7, table 1 (HDR reference white)"
ENCODINGS = (
    Encoding("BT.709/BT.709", "BT.709", "BT.709", "HD camera signal, taken back to scene light by the inverse OETF.",
             "ITU-R BT.709-6 (2015)", default_range="legal"),
    Encoding("BT.1886/BT.709", "BT.1886", "BT.709", "A finished HD picture, as its studio display shows it.",
             "ITU-R BT.1886 (2011); BT.709-6 (2015)", referred="display", default_range="legal"),
    Encoding("sRGB/BT.709", "sRGB", "BT.709", "A finished picture of the web.", "IEC 61966-2-1:1999",
             referred="display"),
    Encoding("sRGB/P3-D65", "sRGB", "P3-D65", "A finished picture in wide primaries (Display P3).",
             "SMPTE EG 432-1:2010; IEC 61966-2-1:1999", referred="display"),
    Encoding("PQ/BT.2020", "PQ", "BT.2020", "Absolute HDR signal; 203 cd/m² is taken as diffuse white 1.0.",
             "ITU-R BT.2100-2", referred="display", default_range="legal", linear_scale=_PQ_SCALE, scale_source=_WHITE),
    Encoding("HLG/BT.2020", "HLG", "BT.2020", "Relative HDR signal taken to scene light; 75 % of signal is 1.0.",
             "ITU-R BT.2100-2", default_range="legal", linear_scale=_HLG_SCALE, scale_source=_WHITE),
)
