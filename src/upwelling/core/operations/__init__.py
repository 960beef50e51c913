"""The vocabulary a Path is compiled to, each operation with its float64 reference and what it needs beside a pixel's
value.
"""

from upwelling.core.operations.base import (
    NOTHING,
    FrameOperation,
    Needs,
    Operation,
    PixelOperation,
    Place,
    PlacedOperation,
    needs_of,
    reach_of,
)
from upwelling.core.operations.coding import (
    convert_operations,
    decode_operations,
    encode_operations,
    legal_in,
    legal_out,
)
from upwelling.core.operations.colour import ColourShift
from upwelling.core.operations.frame import RadialGain, Tap
from upwelling.core.operations.matte import Join, Matte
from upwelling.core.operations.mixed import Aside, Mix, Mixed, MixRule, ShowMatte, mixed_in_log
from upwelling.core.operations.pixel import (
    Affine,
    ApplyLut,
    BalanceHighlights,
    BandGain,
    ChannelCurves,
    Decode,
    Encode,
    LuminancePower,
    Matrix,
    Norm,
    RootMatrix,
    Saturate,
    SlopeOffsetPower,
)
from upwelling.core.operations.reference import run_reference
from upwelling.core.operations.selection import Select
from upwelling.core.operations.shapes import (
    EllipseSelection,
    LineSelection,
    PolygonSelection,
    RadialSelection,
    RectangleSelection,
)
from upwelling.core.operations.zones import ZoneGains

__all__ = [
    "NOTHING",
    "Affine",
    "ApplyLut",
    "Aside",
    "BalanceHighlights",
    "BandGain",
    "ChannelCurves",
    "ColourShift",
    "Decode",
    "EllipseSelection",
    "Encode",
    "FrameOperation",
    "Join",
    "LineSelection",
    "LuminancePower",
    "Matrix",
    "Matte",
    "Mix",
    "MixRule",
    "Mixed",
    "Needs",
    "Norm",
    "Operation",
    "PixelOperation",
    "Place",
    "PlacedOperation",
    "PolygonSelection",
    "RadialGain",
    "RadialSelection",
    "RectangleSelection",
    "RootMatrix",
    "Saturate",
    "Select",
    "ShowMatte",
    "SlopeOffsetPower",
    "Tap",
    "ZoneGains",
    "convert_operations",
    "decode_operations",
    "encode_operations",
    "legal_in",
    "legal_out",
    "mixed_in_log",
    "needs_of",
    "reach_of",
    "run_reference",
]
