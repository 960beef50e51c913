"""The shape of a file's signal: levels, colour, plateaus, bars, and what they rule out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.encodings import ENCODINGS, Encoding, Range, full_to_legal
from upwelling.core.media.base import Still
from upwelling.core.recognise.base import WEAK, Evidence
from upwelling.core.scopes.facts import camera_plateau

_LUMA = np.array([0.2126, 0.7152, 0.0722], dtype=np.float32)
SAMPLES = 200_000
"""Pixels looked at in each frame, spread evenly."""
_RANGES: tuple[Range, ...] = ("full", "legal")
MOST_BELOW = 0.002
"""Share of pixels below an encoding's black that rules it out; ours."""
NOISE_10BIT = 10
"""Codes below an encoding's black that noise may reach before they count against it; common practice, no source."""


@dataclass(frozen=True)
class SignalFacts:
    """Levels in 10-bit codes of the file's own range (0…1023), of luma unless said otherwise.

    ``chroma`` is how strong colour is: (largest − smallest channel) / largest, of the 98th percentile of pixels.
    """

    floor: float
    low: float
    middle: float
    high: float
    top: float
    chroma: float
    below_legal: float
    above_legal: float
    plateau_code: float
    plateau_share: float
    used_codes: int
    fine_codes: float
    bars: tuple[int, int, int, int]
    blocks: float
    histogram: tuple[int, ...] = ()

    def share_below(self, code_10bit: float) -> float:
        """Share of pixels whose luma is below a whole code; ``histogram`` counts codes up to 0, 1, … 1023 and more."""
        total = sum(self.histogram)
        return sum(self.histogram[: max(0, int(code_10bit))]) / total if total else 0.0


def signal_facts(stills: Sequence[Still]) -> SignalFacts:
    """The facts of one or more frames of the same file; ``bars`` are top, bottom, left, right rows or columns."""
    bars = _bars(stills)
    top, bottom, left, right = bars
    samples = []
    for still in stills:
        # Compression smears the edge of a bar into the picture: a little more is left out.
        rows, columns = (still.height // 60 if top else 0), (still.width // 60 if left else 0)
        code = still.code[
            top + rows : still.height - bottom - rows, left + columns : still.width - right - columns
        ].reshape(-1, 3)
        samples.append(code[:: max(1, len(code) // SAMPLES)])
    rgb = np.concatenate(samples) * np.float32(1023)
    luma = rgb @ _LUMA
    floor, low, middle, high, most = np.percentile(luma, [0.05, 1, 50, 99, 99.95])
    red, green, blue = (np.ascontiguousarray(rgb[:, c]) for c in range(3))
    most_channel = np.maximum(np.maximum(red, green), blue)
    strength = (most_channel - np.minimum(np.minimum(red, green), blue)) / np.maximum(most_channel, 64)
    plateaus = [camera_plateau(np.ascontiguousarray(still.code)) for still in stills]
    plateau = max(plateaus, key=lambda pair: pair[1])
    depth = stills[0].integer_depth
    # Light reaches thousands: counting is by code, never an array as long as the largest value.
    whole = np.rint(np.clip(green / 1023, 0, 1) * (2**depth - 1)).astype(np.int64)
    counts = np.bincount(whole)
    fine = float(counts[np.arange(len(counts)) % 4 != 0].sum() / max(counts.sum(), 1)) if depth == 10 else 1.0
    return SignalFacts(
        float(floor),
        float(low),
        float(middle),
        float(high),
        float(most),
        float(np.percentile(strength, 98)),
        float(np.mean(luma < 60)),
        float(np.mean(luma > 960)),
        float(plateau[0] * 1023),
        float(plateau[1]),
        int(np.count_nonzero(counts)),
        fine,
        bars,
        _blocks(stills[0]),
        tuple(int(v) for v in np.bincount(np.clip(luma, 0, 1023).astype(np.int64), minlength=1024)),
    )


def _bars(stills: Sequence[Still]) -> tuple[int, int, int, int]:
    """Flat dark edges that all frames share: rows at top and bottom, columns at left and right.

    A row counts when it is flat within two 8-bit codes; the picture beyond must not be as dark throughout.
    """
    found = []
    for still in stills:
        luma = still.code @ _LUMA
        edge = float(np.median(np.concatenate([luma[0], luma[-1]])))
        sides = float(np.median(np.concatenate([luma[:, 0], luma[:, -1]])))
        flat_rows = (np.abs(luma - edge) < 2 / 255).mean(axis=1) > 0.995
        flat_columns = (np.abs(luma - sides) < 2 / 255).mean(axis=0) > 0.995
        dark = edge < 0.15 or sides < 0.15
        found.append(
            (*_ends(flat_rows & (edge < 0.15)), *_ends(flat_columns & (sides < 0.15))) if dark else (0, 0, 0, 0)
        )
    top, bottom, left, right = (min(values) for values in zip(*found, strict=True))
    height, width = stills[0].height, stills[0].width
    if top + bottom > height // 2 or min(top, bottom) < height // 50:
        top = bottom = 0
    if left + right > width // 2 or min(left, right) < width // 50:
        left = right = 0
    return top, bottom, left, right


def _ends(flat: Any) -> tuple[int, int]:
    if flat.all():
        return 0, 0
    first, last = int(np.argmin(flat)), int(np.argmin(flat[::-1]))
    return first, last


def _blocks(still: Still) -> float:
    """How much steeper neighbours differ across an 8 × 8 grid than elsewhere: 1 is none; common practice, no source."""
    luma = still.code[..., 1]
    if luma.shape[1] < 64 or luma.shape[0] < 64:
        return 1.0
    steps = np.abs(np.diff(luma[: luma.shape[0] // 8 * 8], axis=1))
    steps = steps[:, : (steps.shape[1] // 8) * 8]
    means = np.minimum(steps, 0.02).mean(axis=0).reshape(-1, 8).mean(axis=0)
    others = np.delete(means, 7).mean()
    return float(means[7] / others) if others > 1e-6 else 1.0


def code_10bit(encoding: Encoding, reflectance: float, code_range: Range) -> float:
    """The 10-bit code of the file for a neutral reflectance, in its range."""
    code = encoding.code_of(reflectance)
    return float(1023 * (full_to_legal(code, 10) if code_range == "legal" else code))


def is_log(encoding: Encoding) -> bool:
    """A camera's log curve: scene-referred with a black well above code 0."""
    return (
        encoding.referred == "scene"
        and encoding.code_of(0.0) > 0.04
        and encoding.curve_name not in ("ACEScct", "linear")
    )


def looks_like_log(facts: SignalFacts, code_range: Range) -> bool:
    """Floor where only log curves have their black (90…130 full, 140…175 legal), nothing near white,
    no strong colour.
    """
    return facts.floor > (130 if code_range == "legal" else 85) and facts.top < 930 and facts.chroma < 0.65


def looks_like_display(facts: SignalFacts, code_range: Range) -> bool:
    """Reaches below every log curve's black and into the upper third of the range."""
    return facts.floor < (125 if code_range == "legal" else 80) and facts.top > 650


def ruled_out(facts: SignalFacts, encoding: Encoding, code_range: Range) -> str:
    """Why a log encoding cannot be what wrote these levels, or an empty string."""
    if not is_log(encoding):
        return ""
    black = code_10bit(encoding, 0.0, code_range)
    share = facts.share_below(black - NOISE_10BIT)
    if share > MOST_BELOW:
        return (
            f"{100 * share:.2g} % of the picture lies below code {black:.0f}, the black of {encoding.curve_name} "
            f"({code_range} range)"
        )
    return ""


def floor_evidence(facts: SignalFacts, code_range_of_file: Range) -> list[Evidence]:
    """Log encodings whose black is where the picture's floor is; weak, as many share a black."""
    found: list[Evidence] = []
    if not looks_like_log(facts, code_range_of_file):
        return found
    for member in ENCODINGS.values():
        if not is_log(member):
            continue
        for code_range in _RANGES:
            black = code_10bit(member, 0.0, code_range)
            if black - NOISE_10BIT <= facts.floor <= black + 25:
                found.append(
                    Evidence(
                        "signal",
                        f"darkest codes at {facts.floor:.0f} of 1023, black of {member.curve_name} in {code_range} "
                        f"range is {black:.0f}",
                        WEAK / 2,
                        encoding=member.name,
                        range=code_range,
                    )
                )
    return found
