"""What the worker does for showings."""

from upwelling.web.showings import leftovers, making

__all__ = ["leftovers", "making"]
