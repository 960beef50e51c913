"""Raw mosaics to scene-linear light: levels, demosaic, white balance, camera matrices."""

from __future__ import annotations

from upwelling.core.raw.development import Development, RawSettings
from upwelling.core.raw.mosaic import Mosaic
from upwelling.core.raw.profile import RawProfile

__all__ = ["Development", "Mosaic", "RawProfile", "RawSettings"]
