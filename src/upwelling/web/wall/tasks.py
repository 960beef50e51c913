"""What the worker does for the wall."""

from upwelling.web.wall import leftovers, making

__all__ = ["leftovers", "making"]
