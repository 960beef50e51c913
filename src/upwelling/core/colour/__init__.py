"""Colour itself: primaries, temperature, the spectral locus, Oklab, colour difference."""
