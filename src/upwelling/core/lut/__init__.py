"""Lookup tables, their kernels and their file formats."""

from upwelling.core.lut.process import ProcessList
from upwelling.core.lut.table import Domain, Interpolation, Lut1D, Lut3D, lattice

Lut = Lut1D | Lut3D | ProcessList
__all__ = ["Domain", "Interpolation", "Lut", "Lut1D", "Lut3D", "ProcessList", "lattice"]
