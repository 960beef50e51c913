"""Renderings: a tone map and a gamut fit. One tone map a file; ``TONE_MAPS`` is the explicit list of members."""

from typing import TYPE_CHECKING, Annotated

from pydantic import BeforeValidator, TypeAdapter

from upwelling.core.frozen import any_of
from upwelling.core.rendering.base import ToneMap
from upwelling.core.rendering.bt2390 import Bt2390
from upwelling.core.rendering.bt2446_a import Bt2446A
from upwelling.core.rendering.bt2446_c import Bt2446C
from upwelling.core.rendering.clip import Clip
from upwelling.core.rendering.display_look import DisplayLook, DisplayTable
from upwelling.core.rendering.film import Film
from upwelling.core.rendering.fits import FITS
from upwelling.core.rendering.hlg_to_sdr import HlgOotf, WhiteToWhite
from upwelling.core.rendering.inverse import to_scene
from upwelling.core.rendering.lut import LutRendering
from upwelling.core.rendering.reinhard import Reinhard
from upwelling.core.rendering.rise import Rise

TONE_MAPS: tuple[type[ToneMap], ...] = (Rise, Film, Bt2390, Bt2446A, Bt2446C, HlgOotf, WhiteToWhite, Reinhard, Clip)
if TYPE_CHECKING:
    AnyRendering = ToneMap
else:
    AnyRendering = Annotated[
        any_of(*TONE_MAPS, LutRendering),
        BeforeValidator(lambda given: {"kind": "rise", **given} if isinstance(given, dict) else given),
    ]
"""Any member, by its kind; plain data that names none is the default."""
RENDERING: TypeAdapter[AnyRendering] = TypeAdapter(AnyRendering)
"""Reads any rendering from plain data."""

__all__ = [
    "FITS",
    "RENDERING",
    "TONE_MAPS",
    "AnyRendering",
    "DisplayLook",
    "DisplayTable",
    "Film",
    "LutRendering",
    "Rise",
    "ToneMap",
    "to_scene",
]
