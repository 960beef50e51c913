"""Renderings: one tone map a file. ``RENDERINGS`` is the explicit list of members."""

from upwelling.core.rendering.rise import Rise

RENDERINGS = (Rise,)
AnyRendering = Rise

__all__ = ["RENDERINGS", "AnyRendering", "Rise"]
