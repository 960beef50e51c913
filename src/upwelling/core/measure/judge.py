"""How far apart two codes of a table's output look on the display: ΔE 2000 on SDR outputs, ΔE ITP on HDR ones."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.colour.difference import delta_e_2000, delta_e_itp, ictcp, xyz_to_lab
from upwelling.core.colour.primaries import primaries, rgb_to_rgb, rgb_to_xyz, xy_to_xyz
from upwelling.core.operations import Operation
from upwelling.core.operations.exact import exact, in_blocks

from upwelling.core.outputs import Output  # isort: skip

MetricName = Literal["ΔE 2000", "ΔE ITP"]


@dataclass(frozen=True)
class Judge:
    """``after`` takes output codes to the display's full-range code; ``target`` is the display they are seen on."""

    target: Output
    after: tuple[Operation, ...]

    @property
    def metric(self) -> MetricName:
        return "ΔE ITP" if self.target.is_hdr else "ΔE 2000"

    @cached_property
    def _to_2020(self) -> Float64:
        return np.asarray(rgb_to_rgb(self.target.gamut, primaries("BT.2020"), "CAT02"))

    def signal(self, code: Any) -> Float64:
        """Full-range display code, 0…1, of output codes (N, 3)."""
        return np.asarray(np.clip(exact(self.after, code), 0.0, 1.0))

    def seen(self, code: Any) -> Float64:
        """CIELAB relative to the display's white, or ICtCp of its light in cd/m², of output codes (N, 3)."""
        return in_blocks(self._seen, self.signal(code))

    def _seen(self, signal: Any) -> Float64:
        light: Float64 = np.minimum(self.target.to_light(signal), 1.0)
        if self.target.is_hdr:
            return ictcp(np.asarray(self.target.nits(light)) @ self._to_2020.T)
        return xyz_to_lab(light @ rgb_to_xyz(self.target.gamut).T, xy_to_xyz(self.target.gamut.white))

    def apart(self, seen_1: Any, seen_2: Any) -> Float64:
        """Differences of two sets of ``seen`` colours (N, 3)."""
        return in_blocks(delta_e_itp if self.target.is_hdr else delta_e_2000, seen_1, seen_2)

    def drift(self, seen_1: Any, seen_2: Any) -> Float64:
        """The colour part of the difference alone: ΔC* in CIELAB, or 720·√((ΔCt/2)² + ΔCp²)."""
        away = np.asarray(seen_1) - np.asarray(seen_2)
        if self.target.is_hdr:
            return np.asarray(720 * np.hypot(0.5 * away[:, 1], away[:, 2]))
        return np.asarray(np.hypot(away[:, 1], away[:, 2]))
