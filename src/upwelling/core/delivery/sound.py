"""Which sound goes with a delivery, or why none does."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path as FilePath

from upwelling.core.delivery.order import Order
from upwelling.core.media import Movie
from upwelling.core.media.even import is_uneven
from upwelling.core.media.movie_write import KINDS
from upwelling.core.media.rates import exact_rate
from upwelling.core.media.sound import Sound, sound_of


def sound_for(order: Order) -> tuple[Sound | None, str]:
    """The sound of the one source, at its own rate, and a sentence on how it goes along, or why it cannot."""
    tracks = [piece for piece in order.pieces if isinstance(piece.footage, Movie) and sound_of(FilePath(piece.file))]
    if not tracks:
        return None, ""
    if not order.sound:
        return None, "Sound is left out, as ordered."
    if len(order.pieces) > 1:
        return None, "Sound is left out: the picture is cut from several pieces."
    piece = order.pieces[0]
    if len(piece.members) > 1:
        return None, "Sound is left out: it lies in several files, as the recording does."
    facts = piece.footage.facts
    rate = exact_rate(facts.rate)
    if rate != order.exact_rate:
        return None, f"Sound is left out: the picture plays at another rate ({order.rate}) than it was recorded at."
    if is_uneven(piece.footage) and not piece.even:
        return None, (
            "Sound is left out: frames of uneven rate are written one after the other, so that it would not be in "
            "step. Hold them in their times to have it."
        )
    whole = piece.first == 0 and piece.last == facts.frames - 1
    found = Sound(FilePath(piece.file), kbps=order.sound_kbps)
    if not whole:
        found = Sound(
            FilePath(piece.file), Fraction(piece.first) / rate, Fraction(piece.frames) / rate, order.sound_kbps
        )
    return found, found.how(KINDS[order.form.ending])
