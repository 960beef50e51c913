"""Film as a technician sets it: the negative's and the print's settings, solved to operations."""

from upwelling.core.film.negative import NegativeSettings
from upwelling.core.film.print_settings import PrintSettings

__all__ = ["NegativeSettings", "PrintSettings"]
