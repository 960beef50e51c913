"""One shot's whole way from camera file to display code: its stages, the path they make, its recipe, and a pixel's
trace.
"""

from upwelling.core.operations.coding import convert_operations
from upwelling.core.path.correction import Correction
from upwelling.core.path.path import Path
from upwelling.core.path.recipe import ARITHMETIC, changed_since, recipe_arithmetic, without_tables
from upwelling.core.path.stages import STAGES, CameraFile, Display, Input, Look, RenderingStage, StageName, Trim
from upwelling.core.path.trace import Boundary, trace

__all__ = [
    "ARITHMETIC",
    "STAGES",
    "Boundary",
    "CameraFile",
    "Correction",
    "Display",
    "Input",
    "Look",
    "Path",
    "RenderingStage",
    "StageName",
    "Trim",
    "changed_since",
    "convert_operations",
    "recipe_arithmetic",
    "trace",
    "without_tables",
]
