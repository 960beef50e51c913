"""The ways between an encoding's code and its light, between legal and full range, and between two encodings."""

from __future__ import annotations

from upwelling.core.colour.primaries import Adaptation, rgb_to_rgb
from upwelling.core.curves.hlg import LUMINANCE
from upwelling.core.encodings import Encoding, Range
from upwelling.core.operations.base import Operation
from upwelling.core.operations.pixel import Affine, Decode, Encode, LuminancePower, Matrix


def legal_in(depth: int) -> Affine:
    """encodings.legal_to_full as an operation."""
    unit, top = 2.0 ** (depth - 8), 2.0**depth - 1
    return Affine(top / (219 * unit), -16 / 219)


def legal_out(depth: int) -> Affine:
    """encodings.full_to_legal as an operation."""
    unit, top = 2.0 ** (depth - 8), 2.0**depth - 1
    return Affine(219 * unit / top, 16 * unit / top)


def decode_operations(source: Encoding) -> tuple[Operation, ...]:
    """From full-range signal to linear light in the encoding's own primaries."""
    if source.ootf is None:
        return (Decode(source.curve, source.linear_scale),)
    lift = source.ootf.lift
    return (
        Affine(1 - lift, lift),
        Decode(source.curve),
        LuminancePower(LUMINANCE, source.ootf.gamma - 1, source.linear_scale),
    )


def encode_operations(target: Encoding) -> tuple[Operation, ...]:
    """From linear light in the encoding's own primaries to full-range signal."""
    if target.ootf is None:
        return (Encode(target.curve, target.linear_scale),)
    lift = target.ootf.lift
    return (
        Affine(1 / target.linear_scale),
        LuminancePower(LUMINANCE, 1 / target.ootf.gamma - 1),
        Encode(target.curve),
        Affine(1 / (1 - lift), -lift / (1 - lift)),
    )


def convert_operations(
    source: Encoding,
    target: Encoding,
    adaptation: Adaptation,
    *,
    source_range: Range = "full",
    target_range: Range = "full",
    source_depth: int = 10,
    target_depth: int = 10,
) -> tuple[Operation, ...]:
    """The colourimetric conversion between two encodings: no tone map, no gamut fit, nothing clipped."""
    first = (legal_in(source_depth),) if source_range == "legal" else ()
    last = (legal_out(target_depth),) if target_range == "legal" else ()
    return (
        *first,
        *decode_operations(source),
        Matrix.of(rgb_to_rgb(source.primaries, target.primaries, adaptation)),
        *encode_operations(target),
        *last,
    )
