"""Gamut fits: one a file. ``FITS`` is the explicit list of members."""

from typing import TYPE_CHECKING

from upwelling.core.frozen import any_of
from upwelling.core.rendering.fits.base import GamutFit
from upwelling.core.rendering.fits.distance import DistanceFit
from upwelling.core.rendering.fits.hard import HardClip
from upwelling.core.rendering.fits.smooth import SmoothFit

FITS = (SmoothFit, DistanceFit, HardClip)
if TYPE_CHECKING:
    AnyFit = GamutFit
else:
    AnyFit = any_of(*FITS)

__all__ = ["FITS", "AnyFit", "DistanceFit", "GamutFit", "HardClip", "SmoothFit"]
