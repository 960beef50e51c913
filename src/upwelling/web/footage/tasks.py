"""Where the worker finds what arrivals and splits register with jobs.work."""

from upwelling.web.footage import arrivals, leftovers, removal, splits

__all__ = ["arrivals", "leftovers", "removal", "splits"]
