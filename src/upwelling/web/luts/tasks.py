"""Where the worker finds what tables register with jobs."""

from upwelling.web.luts import leftovers, recoveries

__all__ = ["leftovers", "recoveries"]
