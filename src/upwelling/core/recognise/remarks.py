"""Short remarks on a file, each with its numbers."""

from __future__ import annotations

import numpy as np

from upwelling.core.encodings import Encoding, Range
from upwelling.core.media.footage import FileFacts
from upwelling.core.media.tags import contradictions
from upwelling.core.recognise.base import Remark
from upwelling.core.recognise.signal import SignalFacts, is_log

_LOSSY = ("h264", "hevc", "mpeg4", "mpeg2video", "mjpeg")
THIN_BITS = 0.09
"""Bits a pixel below which inter-frame codecs are called thin; common practice, no source."""
BLOCKY = 1.25
"""How much steeper steps on an 8 × 8 grid must be to be called visible; common practice, no source."""


def remarks_on(facts: FileFacts, signal: SignalFacts, chosen: Encoding | None, code_range: Range) -> list[Remark]:
    """All remarks; ``chosen`` is the encoding the file is taken for, if any."""
    said = contradictions(facts.tags)  # these make the state and stand beside it
    found = [Remark("note", text) for text in facts.notes if text not in said]
    if facts.depth == "10" and signal.fine_codes < 0.02 and signal.used_codes > 8:
        found.append(
            Remark(
                "8-bit content",
                f"8 bit content in a 10 bit file: {100 * (1 - signal.fine_codes):.0f} % of codes are multiples "
                "of four.",
            )
        )
    top, bottom, left, right = signal.bars
    if top or bottom:
        found.append(Remark("bars", f"Black bars: {top} rows above, {bottom} below."))
    if left or right:
        found.append(Remark("bars", f"Black bars: {left} columns left, {right} right."))
    if signal.plateau_share > 0.0005:
        found.append(
            Remark(
                "clipped",
                f"Sensor clip: {100 * signal.plateau_share:.1f} % stands at code {signal.plateau_code:.0f} of 1023.",
            )
        )
    if facts.codec in _LOSSY and facts.rate and facts.bits_per_second:
        bits = facts.bits_per_second / (facts.width * facts.height * facts.rate)
        if bits < THIN_BITS or signal.blocks > BLOCKY:
            found.append(
                Remark(
                    "compression",
                    f"Heavy compression: {bits:.2f} bit a pixel"
                    + (
                        f", steps on the 8 × 8 grid are {signal.blocks:.1f} times as steep as elsewhere."
                        if signal.blocks > BLOCKY
                        else "."
                    ),
                )
            )
    if facts.ycbcr:
        if code_range == "legal" and signal.below_legal + signal.above_legal > 0.02:
            found.append(
                Remark(
                    "range",
                    f"Read as legal, but {100 * signal.below_legal:.1f} % lies below code 60 and "
                    f"{100 * signal.above_legal:.1f} % above 960 of 1023: probably full range.",
                )
            )
        elif (
            code_range == "full"
            and chosen is not None
            and not is_log(chosen)
            and signal.floor > 60
            and signal.top < 945
            and signal.top > 700
        ):
            found.append(
                Remark(
                    "range",
                    f"Said to be full range, but nothing lies below code {signal.floor:.0f} or above {signal.top:.0f} "
                    "of 1023: probably legal.",
                )
            )
    return found


def eight_bit_log(depth: str, chosen: Encoding | None, code_range: Range) -> Remark | None:
    """The remark on a log curve in 8 bit; it depends on what the file is settled to be,
    so it is made when it is shown.
    """
    if chosen is None or depth != "8" or not is_log(chosen):
        return None
    return Remark(
        "8-bit log", f"8 bit log: {_step(chosen, code_range):.2f} stop a code at mid grey; lifting will band."
    )


def _step(encoding: Encoding, code_range: Range) -> float:
    """Stops that one 8-bit code is worth at mid grey."""
    code = encoding.code_of(0.18)
    unit = 1 / 219 if code_range == "legal" else 1 / 255
    low, high = (float(encoding.neutral_to_linear(np.array(code + d))) for d in (-unit / 2, unit / 2))
    return float(np.log2(high / low))
