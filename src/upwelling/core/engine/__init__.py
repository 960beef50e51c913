"""A Path made fast: compiled to numbered operations and run by the tile engine."""

from upwelling.core.engine.compile import Program, compile_operations
from upwelling.core.engine.run import run

__all__ = ["Program", "compile_operations", "run"]
