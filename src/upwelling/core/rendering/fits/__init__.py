"""Gamut fits: one a file. ``FITS`` is the explicit list of members."""

from typing import Annotated

from pydantic import Field

from upwelling.core.rendering.fits.base import GamutFit
from upwelling.core.rendering.fits.distance import DistanceFit
from upwelling.core.rendering.fits.hard import HardClip
from upwelling.core.rendering.fits.smooth import SmoothFit

FITS = (SmoothFit, DistanceFit, HardClip)
AnyFit = Annotated[SmoothFit | DistanceFit | HardClip, Field(discriminator="kind")]

__all__ = ["FITS", "AnyFit", "DistanceFit", "GamutFit", "HardClip", "SmoothFit"]
