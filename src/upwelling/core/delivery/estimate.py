"""How large a delivery will be, about: what is asked before it starts, never what is promised."""

from __future__ import annotations

from upwelling.core.delivery.form import Form
from upwelling.core.delivery.order import Order

_BITS_A_PIXEL = {
    "prores-422": 4.6,
    "prores-4444": 6.9,
    "dnxhr-hqx": 4.4,
    "h264-8": 0.35,
    "h264-10": 0.5,
    "h265-10": 0.35,
    "h265-8": 0.3,
    "h265-12": 1.5,
    "cineform-12": 9.0,
    "ffv1-10": 15.0,
    "ffv1-rgb-12": 24.0,
    "ffv1-rgb-16": 40.0,
    "ffv1-8": 8.0,
}
"""Of each frame; measured on the demonstration's footage and rounded up, common practice, no source."""
_STILL_BITS = {"8": 24, "10": 32, "12": 48, "16": 48, "half": 48, "float": 96}


def frame_bytes(form: Form, width: int, height: int) -> float:
    """Bytes of one frame, about."""
    bits = _BITS_A_PIXEL.get(form.codec, 15.0) if form.codec else float(_STILL_BITS[form.depth])
    return width * height * bits / 8 + (0 if form.codec else 4096)


def bytes_of(order: Order) -> int:
    """Of the finished file, or all stills."""
    form = order.form
    if form.movie and not form.movie.intra and form.bits_per_second:
        return int(form.bits_per_second / 8 * order.frames / order.exact_rate)
    width, height = order.framing_of(order.pieces[0]).outer
    return int(frame_bytes(form, width, height) * order.frames)


def bytes_needed(order: Order) -> int:
    """While it is made: a movie lies there twice, in parts and joined."""
    return bytes_of(order) * (2 if order.form.movie else 1)
