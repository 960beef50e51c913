"""Where the worker finds what bakes and packages register with jobs."""

from upwelling.web.bakes import leftovers, packages, services

__all__ = ["leftovers", "packages", "services"]
