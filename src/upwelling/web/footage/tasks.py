"""Where the worker finds what arrivals and splits register with jobs.work."""

from upwelling.web.footage import arrivals, leftovers, splits

__all__ = ["arrivals", "leftovers", "splits"]
