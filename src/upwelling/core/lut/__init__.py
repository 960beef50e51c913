"""Lookup tables, their kernels and their file formats."""

from upwelling.core.lut.table import Domain, Interpolation, Lut, Lut1D, Lut3D, lattice

__all__ = ["Domain", "Interpolation", "Lut", "Lut1D", "Lut3D", "lattice"]
