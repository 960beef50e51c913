"""Verification: a LUT file read back from disk against the exact path, and the certificate that reports it."""

from __future__ import annotations

import datetime
import hashlib
import os
from pathlib import Path as FilePath
from typing import Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict

from upwelling.core.arrays import Float64
from upwelling.core.bake.sampling import FRAME, Progress, no_report, sample_sets
from upwelling.core.bake.tolerances import Tolerances
from upwelling.core.difference import delta_e_2000, xyz_to_lab
from upwelling.core.encodings import legal_to_full
from upwelling.core.errors import BadLut
from upwelling.core.lut import Interpolation, Lut3D
from upwelling.core.lut_files import read_lut
from upwelling.core.path import Path
from upwelling.core.primaries import xy_to_xyz

Triple = tuple[float, float, float]
GRID_LIMIT = 0.05


class _Report(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class Worst(_Report):
    """One bad sample: where it is, and what the exact path and the LUT make of it (codes 0…1)."""

    set_name: str
    code: Triple
    exact: Triple
    baked: Triple
    delta_e: float


class SetFigures(_Report):
    """ΔE 2000 over one set of samples."""

    name: str
    count: int
    median: float
    p95: float
    p99: float
    maximum: float


class NeutralFigures(_Report):
    """The neutral axis: ΔE by code, how far the LUT's greys stray from the path's own chroma, and monotony."""

    codes: tuple[float, ...]
    delta_e: tuple[float, ...]
    drift: float
    falls: tuple[int, int, int]
    deepest_fall: float


class Certificate(_Report):
    """What was tested, against what, with which result."""

    upwelling_certificate: Literal[1] = 1
    made: str
    lut_file: str
    lut_sha256: str
    lut_size: int
    interpolation: Interpolation
    fingerprint: str
    recipe: dict[str, Any]
    sets: tuple[SetFigures, ...]
    neutral: NeutralFigures
    worst: tuple[Worst, ...]
    clipped_domain: float
    clipped_frame: float | None
    tolerances: Tolerances
    verdict: Literal["holds", "does not hold"]
    reasons: tuple[str, ...]

    @property
    def holds(self) -> bool:
        return self.verdict == "holds"

    @property
    def overall(self) -> SetFigures:
        """All samples together."""
        return self.sets[0]


def verify(lut_path: str | os.PathLike[str], path: Path, *, frame: Any = None, tolerances: Tolerances | None = None,
           interpolation: Interpolation = "tetrahedral", progress: Progress = no_report) -> Certificate:
    """Tests the LUT file against the exact path; raises BadLut when it cannot be judged.

    Both sides get the same codes. ΔE 2000 is between the two display lights, each relative to the display's white.
    """
    place = FilePath(lut_path)
    lut = read_lut(place)
    if not isinstance(lut, Lut3D):
        raise BadLut(place, "a 1D table cannot be judged against a path that mixes channels. Bake a 3D table.")
    if not lut.domain.is_unit:
        raise BadLut(place, "its domain is not 0…1, but a path starts from codes 0…1.")
    limits = tolerances or Tolerances()
    sets = sample_sets(frame)
    errors: dict[str, Float64] = {}
    found: list[Worst] = []
    outside: dict[str, float] = {}
    neutral: NeutralFigures | None = None
    at_grid = _grid_error(lut, path)
    for index, (name, codes) in enumerate(sets.items()):
        progress(index / len(sets), f"Testing {name}, {len(codes):,} samples".replace(",", " "))
        raw = path.apply(codes)
        exact = np.clip(raw, 0.0, 1.0)
        baked = lut.apply(codes, interpolation).astype(np.float64)
        lab_exact, lab_baked = _lab(path, exact), _lab(path, baked)
        errors[name] = np.asarray(delta_e_2000(lab_exact, lab_baked))
        outside[name] = float(np.mean(((raw <= 0) | (raw >= 1)).any(axis=-1)))
        if name == "neutral axis":
            neutral = _neutral(codes, baked, exact, lab_exact, lab_baked, errors[name])
        for i in np.argsort(errors[name])[::-1][:3]:
            found.append(Worst(set_name=name, code=_triple(codes[i]), exact=_triple(exact[i]), baked=_triple(baked[i]),
                               delta_e=float(errors[name][i])))
    progress(1.0, "Tested")
    assert neutral is not None
    everything = _figures("all samples", np.concatenate(list(errors.values())))
    figures = {name: _figures(name, values) for name, values in errors.items()}
    reasons = _reasons(everything, figures, neutral, limits, at_grid)
    return Certificate(
        made=datetime.datetime.now(datetime.UTC).isoformat(timespec="seconds"),
        lut_file=place.name, lut_sha256=hashlib.sha256(place.read_bytes()).hexdigest(), lut_size=lut.size,
        interpolation=interpolation, fingerprint=path.fingerprint, recipe=path.model_dump(mode="json"),
        sets=(everything, *figures.values()), neutral=neutral,
        worst=tuple(sorted(found, key=lambda w: -w.delta_e)[:8]),
        clipped_domain=outside["stratified"], clipped_frame=outside.get(FRAME),
        tolerances=limits, verdict="does not hold" if reasons else "holds", reasons=tuple(reasons),
    )


def _grid_error(lut: Lut3D, path: Path) -> float:
    """The worst ΔE 2000 on up to 9³ of the table's own grid points, where a right table has only rounding."""
    every = np.unique(np.linspace(0, lut.size - 1, 9).round().astype(int))
    nodes = np.stack(np.meshgrid(every, every, every, indexing="ij"), axis=-1).reshape(-1, 3)
    exact = np.clip(path.apply(nodes / (lut.size - 1)), 0.0, 1.0)
    baked = lut.table[nodes[:, 0], nodes[:, 1], nodes[:, 2]].astype(np.float64)
    return float(np.max(delta_e_2000(_lab(path, exact), _lab(path, baked))))


def _lab(path: Path, code: Any) -> Float64:
    """CIELAB of display codes as the display shows them, relative to its white."""
    signal = legal_to_full(code, path.display.depth) if path.display.range == "legal" else code
    return xyz_to_lab(path.target.to_xyz(signal), xy_to_xyz(path.target.primaries.white))


def _triple(values: Any) -> Triple:
    return (float(values[0]), float(values[1]), float(values[2]))


def _counts(values: Any) -> tuple[int, int, int]:
    return (int(values[0]), int(values[1]), int(values[2]))


def _figures(name: str, errors: Float64) -> SetFigures:
    median, p95, p99 = np.percentile(errors, [50, 95, 99])
    return SetFigures(name=name, count=len(errors), median=float(median), p95=float(p95), p99=float(p99),
                      maximum=float(errors.max()))


def _neutral(codes: Any, baked: Any, exact: Any, lab_exact: Any, lab_baked: Any, errors: Any) -> NeutralFigures:
    drift = np.hypot(*(lab_baked - lab_exact)[:, 1:].T).max()
    # A fall counts when it is more than the rounding of a seven-decimal table, and the exact path does not fall too.
    falls = (np.diff(baked, axis=0) < -2e-6) & (np.diff(exact, axis=0) >= 0)
    every = slice(None, None, max(1, len(codes) // 256))
    return NeutralFigures(
        codes=tuple(round(float(v), 5) for v in codes[every, 0]), delta_e=tuple(round(float(v), 5) for v in errors[every]),
        drift=float(drift), falls=_counts(falls.sum(axis=0)),
        deepest_fall=float(-min(np.diff(baked, axis=0)[falls].min(initial=0.0), 0.0)),
    )


def _reasons(everything: SetFigures, figures: dict[str, SetFigures], neutral: NeutralFigures, limits: Tolerances,
             at_grid: float) -> list[str]:
    reasons = []

    def hold(value: float, limit: float, what: str, advice: str) -> None:
        if value > limit:
            reasons.append(f"{what} is ΔE {value:.2f}, above {limit:g}. {advice}".rstrip())

    if at_grid > GRID_LIMIT:
        reasons.append(f"At the table's own grid points the error is already ΔE {at_grid:.2f}: the table was made from another "
                       "path, or has too few digits. Check the encoding, output and recipe, or bake it again.")
    larger = "A larger grid brings it down." if at_grid <= GRID_LIMIT else ""
    hold(figures["neutral axis"].maximum, limits.neutral_max, "The worst error on the neutral axis", larger)
    if FRAME in figures:
        hold(figures[FRAME].p99, limits.picture_p99, f"The 99 % error on {FRAME}", larger)
        hold(figures[FRAME].maximum, limits.picture_max, f"The worst error on {FRAME}", larger)
    hold(everything.median, limits.anywhere_median, "The median error", larger)
    hold(everything.p99, limits.anywhere_p99, "The 99 % error over all samples", larger)
    if any(neutral.falls):
        reasons.append("A channel falls while grey rises: the table folds tones over. Bake it again from the path.")
    return reasons
