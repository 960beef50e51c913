"""Where the worker finds what runs of matches register with jobs."""

from upwelling.web.matches import services

__all__ = ["services"]
