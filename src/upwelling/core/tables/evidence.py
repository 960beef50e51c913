"""What a table of unknown origin seems to be: figures a person declares its spaces by.

Evidence only; nothing is concluded for them.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.colour.primaries import PRIMARIES, rgb_to_rgb
from upwelling.core.encodings import ENCODINGS, full_to_legal
from upwelling.core.encodings.base import Encoding, legal_to_full
from upwelling.core.errors import UpwellingError
from upwelling.core.lut import Lut
from upwelling.core.operations import Matrix, Operation, decode_operations, encode_operations, run_reference
from upwelling.core.outputs import BUILT_IN, Output
from upwelling.core.rendering import AnyRendering, Rise
from upwelling.core.rendering.bt2390 import Bt2390
from upwelling.core.rendering.clip import Clip
from upwelling.core.rendering.reinhard import Reinhard
from upwelling.core.tables.facts import domain_of

LOG_GREY = 0.41
"""About where log curves put mid grey: S-Log3 0.41, ACEScct 0.414, V-Log 0.42."""
SAME = 0.5 / 1023
"""Two names for the same code are no conversion between them."""


@dataclass(frozen=True)
class Nearest:
    """A built-in conversion and how far the table is from it: mean and largest difference of code, in 10-bit codes.

    Empty ``expects`` and ``gives``: no conversion, codes as they come in.
    """

    expects: str
    gives: str
    to_display: bool
    codes_legal: bool
    mean_codes: float
    worst_codes: float


@dataclass(frozen=True)
class TableEvidence:
    """What was found, each as a sentence with its numbers, and the nearest built-in conversions, nearest first."""

    grey_goes_to: float
    slope_at_grey: float
    display_like: bool
    log_to_display: bool
    sentences: tuple[str, ...]
    nearest: tuple[Nearest, ...]


def evidence(lut: Lut) -> TableEvidence:
    """Looks at a table as if it took codes 0…1 of its domain."""
    low, high = domain_of(lut)
    ramp = np.linspace(0.0, 1.0, 1025)
    neutral = lut.apply(low + np.repeat(ramp[:, None], 3, axis=1) * (high - low)).astype(np.float64).mean(axis=-1)

    def at(code: float) -> float:
        return float(np.interp(code, ramp, neutral))

    slope = (at(LOG_GREY + 0.05) - at(LOG_GREY - 0.05)) / 0.1
    top = (neutral[-1] - at(0.9)) / 0.1
    span = float(neutral.max() - neutral.min())
    display_like = bool(neutral[-1] > 0.9 and neutral[0] < 0.12 and top < 0.5 * max(slope, 1e-6))
    log_to_display = bool(display_like and slope > 1.2 and 0.25 < at(LOG_GREY) < 0.65)
    said = [
        f"Code {LOG_GREY:.2f}, where most log curves put mid grey, goes to {at(LOG_GREY):.3f}.",
        f"Around there it {'expands' if slope > 1.05 else 'contracts' if slope < 0.95 else 'keeps'} contrast: "
        f"{slope:.2f} × the code going in.",
        f"Neutral runs from {neutral[0]:.3f} to {neutral[-1]:.3f}; near the top it rises {top:.2f} × the code "
        "going in.",
    ]
    legal = gives_legal(lut)
    if legal:
        said.append("Its output runs from 64 to 940 of 10-bit codes: these are legal codes, not full ones.")
    said.append(
        f"The output looks like a display’s: it goes from black to {'legal white' if legal else 'full'} and flattens "
        "towards white."
        if display_like
        else "The output does not look like a display’s: "
        + ("it spans only a part of the codes." if span < 0.8 else "it does not flatten towards white.")
    )
    if log_to_display:
        said.append("Together this is what a conversion from a log curve to a display does.")
    elif not display_like and abs(at(LOG_GREY) - LOG_GREY) < 0.06 and 0.7 < slope < 1.4:
        said.append(
            "It keeps mid grey near its code: what a Look within one log space, or a log-to-log conversion, does."
        )
    return TableEvidence(at(LOG_GREY), slope, display_like, log_to_display, tuple(said), nearest(lut))


LEGAL_ENDS, NEAR_LEGAL = (64 / 1023, 940 / 1023), 0.006
"""Black and white of legal codes (BT.709-6, item 4.6), and how near a table's own ends must come to be those."""


def gives_legal(lut: Lut) -> bool:
    """Whether what a table gives for grey runs from legal black to legal white and stays within."""
    low, high = domain_of(lut)
    ramp = np.repeat(np.linspace(0.0, 1.0, 257)[:, None], 3, axis=1)
    grey = lut.apply(low + ramp * (high - low)).astype(np.float64)
    return bool(abs(grey.min() - LEGAL_ENDS[0]) < NEAR_LEGAL and abs(grey.max() - LEGAL_ENDS[1]) < NEAR_LEGAL)


_GREYS = np.repeat(np.linspace(0.1, 0.95, 24)[:, None], 3, axis=1)
_SAMPLES = np.concatenate(
    [
        _GREYS,
        np.random.default_rng(5).uniform(0.25, 0.7, (40, 1)) + np.random.default_rng(6).uniform(-0.06, 0.06, (40, 3)),
    ]
)
"""Neutrals, and colours about as far from neutral as pictures in log code are."""
_RENDERINGS: tuple[AnyRendering, ...] = (Rise(), Bt2390(), Reinhard(), Clip())


def _to_light(source: Encoding) -> tuple[Operation, ...]:
    """From an encoding's codes to AP1 light."""
    return (*decode_operations(source), Matrix.of(rgb_to_rgb(source.primaries, PRIMARIES["AP1"], "CAT02")))


def _to_encoding(target: Encoding) -> tuple[Operation, ...]:
    """From AP1 light to an encoding's codes."""
    return (Matrix.of(rgb_to_rgb(PRIMARIES["AP1"], target.primaries, "CAT02")), *encode_operations(target))


def _to_output(target: Output, method: AnyRendering) -> tuple[Operation, ...]:
    """From AP1 light to an output's codes by a rendering; raises UpwellingError where that one cannot."""
    return (*method.operations(PRIMARIES["AP1"], target, "CAT02"), *target.encode_operations())


@lru_cache(maxsize=1)
def _conversions() -> tuple[tuple[str, str, bool, Float64], ...]:
    """Every built-in conversion's output at the samples: between encodings, and from encodings to SDR and HDR outputs
    by the default rendering.
    """
    rows: list[tuple[str, str, bool, Float64]] = []
    names = list(ENCODINGS)
    # All encodings' light in one array, so that each target is run once.
    light = np.concatenate([run_reference(_to_light(source), _SAMPLES) for source in ENCODINGS.values()])

    def add(gives: str, to_display: bool, operations: Sequence[Operation]) -> None:
        codes = run_reference(operations, light).reshape(len(names), *_SAMPLES.shape)
        rows.extend(
            (name, gives, to_display, code)
            for name, code in zip(names, codes, strict=True)
            if np.isfinite(code).all() and np.abs(code - _SAMPLES).max() > SAME
        )

    for other, target in ENCODINGS.items():
        add(other, False, _to_encoding(target))
    for target_output in BUILT_IN:
        for method in _RENDERINGS if not target_output.is_hdr else _RENDERINGS[:1]:
            try:
                operations = _to_output(target_output, method)
            except UpwellingError:
                continue
            add(f"{target_output.name} by {method.title}", True, operations)
    return tuple(rows)


def prepare() -> None:
    """Works out the built-in conversions ahead of the first table brought in; once a process."""
    _conversions()


def nearest(lut: Lut, count: int = 4, known: Callable[[Any], Any] | None = None) -> tuple[Nearest, ...]:
    """The built-in conversions a table is nearest to, with full-range codes and with legal ones on both sides.

    ``known`` says of codes (N, 3) which the table is sure of (N,); where enough are, only those are looked at.
    """
    low, high = domain_of(lut)
    plain = np.abs(lut.apply(low + _SAMPLES * (high - low)).astype(np.float64) - _SAMPLES)
    plain = plain[_sure(known, _SAMPLES)]
    found = [Nearest("", "", False, False, float(plain.mean() * 1023), float(plain.max() * 1023))]
    for legal in (False, True):
        codes: Any = full_to_legal(_SAMPLES, 10) if legal else _SAMPLES
        sure = _sure(known, codes)
        out = lut.apply(low + np.asarray(codes) * (high - low)).astype(np.float64)
        for expects, gives, to_display, code in _conversions():
            wanted = np.clip(full_to_legal(code, 10) if legal else code, 0.0, 1.0)
            away = np.abs(np.clip(out, 0.0, 1.0) - wanted)[sure]
            found.append(
                Nearest(expects, gives, to_display, legal, float(away.mean() * 1023), float(away.max() * 1023))
            )
    return tuple(sorted(found, key=lambda n: n.mean_codes)[:count])


FEWEST_SURE = 8
"""Samples a table must be sure of to be judged by them alone."""


def _sure(known: Callable[[Any], Any] | None, codes: Any) -> Any:
    sure = np.ones(len(codes), bool) if known is None else np.asarray(known(codes))
    return sure if sure.sum() >= FEWEST_SURE else np.ones(len(codes), bool)


def converted(by: Nearest, codes: Any) -> Float64:
    """What a conversion that was found makes of codes (N, 3)."""
    signal: Any = legal_to_full(codes, 10) if by.codes_legal else codes
    if not by.expects:
        return np.asarray(codes, dtype=np.float64)
    if by.to_display:
        name, title = by.gives.split(" by ")
        output = next(one for one in BUILT_IN if one.name == name)
        gives = _to_output(output, next(one for one in _RENDERINGS if one.title == title))
    else:
        gives = _to_encoding(ENCODINGS[by.gives])
    code = run_reference((*_to_light(ENCODINGS[by.expects]), *gives), np.asarray(signal, dtype=np.float64))
    return np.asarray(full_to_legal(code, 10) if by.codes_legal else code, dtype=np.float64)
