"""One shot's whole way from camera file to display code: its stages, the path they make, its recipe, and a pixel's
trace.
"""

from upwelling.core.operations.coding import convert_operations
from upwelling.core.path.correction import Correction
from upwelling.core.path.layers import LAYER_TITLES, LAYERS, OUTPUT_KINDS, SCENE_LAYERS, Layer, LayerKind
from upwelling.core.path.path import Path
from upwelling.core.path.recipe import ARITHMETIC, changed_since, recipe_arithmetic, without_tables
from upwelling.core.path.stages import (
    STAGES,
    CameraFile,
    Display,
    Input,
    RenderingStage,
    StageName,
    stages_after,
    stages_between,
)
from upwelling.core.path.trace import Boundary, trace

__all__ = [
    "ARITHMETIC",
    "LAYERS",
    "LAYER_TITLES",
    "OUTPUT_KINDS",
    "SCENE_LAYERS",
    "STAGES",
    "Boundary",
    "CameraFile",
    "Correction",
    "Display",
    "Input",
    "Layer",
    "LayerKind",
    "Path",
    "RenderingStage",
    "StageName",
    "changed_since",
    "convert_operations",
    "recipe_arithmetic",
    "stages_after",
    "stages_between",
    "trace",
    "without_tables",
]
