"""A Path made fast: compiled to operations of the tile engine and run by it."""

from upwelling.core.engine.compile import Program, compile_operations
from upwelling.core.engine.registry import OPCODES
from upwelling.core.engine.run import run

__all__ = ["OPCODES", "Program", "compile_operations", "run"]
