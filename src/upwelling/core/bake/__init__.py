"""Baking a Path into a LUT and proving what was written."""

from upwelling.core.bake.certificate import Certificate, verify
from upwelling.core.bake.sampling import bake
from upwelling.core.bake.tolerances import Tolerances

__all__ = ["Certificate", "Tolerances", "bake", "verify"]
