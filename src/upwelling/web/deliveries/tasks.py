"""Where the worker finds what deliveries register with jobs."""

from upwelling.web.deliveries import rendering, returned

__all__ = ["rendering", "returned"]
