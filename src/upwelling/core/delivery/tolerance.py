"""How near a delivered picture must be to the exact path, by what its codec can keep.

Common practice, no source: set from the demonstration's footage so that a wrong matrix, range, curve, recipe or frame
fails by far, and an honest encoder at the shipped quality holds.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

from upwelling.core.delivery.form import Form


@dataclass(frozen=True)
class FrameFigures:
    """One frame against the exact path: PSNR of full-range code in dB, differences seen, and the largest code off.

    ``even`` is the median of the difference seen between means over squares of 8 × 8 pixels, with the exact path's
    chroma halved as ordered: what an encoder throws away is not in it, and whatever else is wrong is.
    """

    frame: int
    psnr: float
    median: float
    p99: float
    worst: float
    codes_off: float
    even: float = 0.0


@dataclass(frozen=True)
class Tolerance:
    """Limits of one frame; None: not asked. ``even`` as in FrameFigures."""

    psnr: float
    even: float | None = None
    codes_off: float | None = None

    def holds(self, figures: FrameFigures) -> bool:
        """Whether a frame is within."""
        return (
            figures.psnr >= self.psnr
            and (self.even is None or figures.even <= self.even)
            and (self.codes_off is None or figures.codes_off <= self.codes_off)
        )

    def sentence(self, metric: str) -> str:
        """The limits in words."""
        parts = [f"PSNR of {self.psnr:g} dB or more"]
        if self.even is not None:
            parts.append(f"{metric} of {self.even:g} or less in the median of 8 × 8 pixels together")
        if self.codes_off is not None:
            parts.append(f"{self.codes_off:g} or less off anywhere")
        return f"wanted are {', '.join(parts)}"

    def as_json(self) -> dict[str, Any]:
        return asdict(self)


_USUAL = 18
_LOSSLESS = ("ffv1-rgb-12", "ffv1-rgb-16")
_FINE, _COARSE = (
    ("prores-422", "prores-4444", "dnxhr-hqx", "ffv1-10", "cineform-12"),
    ("h264-8", "h264-10", "h265-8", "h265-10", "h265-12", "ffv1-8"),
)


def looser(form: Form) -> float:
    """How much more may be lost where less quality was ordered than the presets have: twice for every six steps of
    quality, four times where a bit rate is held, which may be any.
    """
    if form.bits_per_second:
        return 4.0
    return float(2 ** (max(form.quality - _USUAL, 0) / 6))


def tolerance_for(form: Form, hdr: bool = False) -> Tolerance:
    """Of a codec, or of stills, where a code may be one off by rounding and floats by their last digit. ``hdr``: the
    difference is ΔE ITP, of which three are about one ΔE 2000.
    """
    if form.codec in _LOSSLESS:
        return Tolerance(60.0, None, 1.001 if form.code_bits < 16 else 4.0)
    if form.codec in _FINE:
        return Tolerance(30.0, 1.5 if hdr else 0.5)
    if form.codec in _COARSE:
        times = looser(form)
        return Tolerance(25.0 if times == 1 else 20.0, (3.0 if hdr else 1.0) * times)
    if form.is_float:
        return Tolerance(0.0, None, 2.0**-9 if form.depth == "half" else 1e-4)
    return Tolerance(45.0, None, 1.001 if form.code_bits < 16 else 4.0)
