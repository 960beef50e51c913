"""Scopes: one kind a file. ``SCOPES`` is the explicit list of members, in the order a person is offered them."""

from upwelling.core.scopes.base import Boundary, Looked, Scope
from upwelling.core.scopes.chromaticity import CHROMATICITY
from upwelling.core.scopes.overlay import OVERLAY
from upwelling.core.scopes.parade import PARADE
from upwelling.core.scopes.stops import HISTOGRAM
from upwelling.core.scopes.vectors import VECTORSCOPE
from upwelling.core.scopes.waveform import WAVEFORM

SCOPES: dict[str, Scope] = {
    scope.name: scope for scope in (PARADE, WAVEFORM, OVERLAY, VECTORSCOPE, HISTOGRAM, CHROMATICITY)
}

__all__ = ["SCOPES", "Boundary", "Looked", "Scope"]
