"""Display targets: the built-in ones, a production's own, their codes, and what HDR10 wants said of them."""

from upwelling.core.outputs.base import Output
from upwelling.core.outputs.built_in import BUILT_IN
from upwelling.core.outputs.custom import CustomOutput
from upwelling.core.outputs.registry import OUTPUTS, output

__all__ = ["BUILT_IN", "OUTPUTS", "CustomOutput", "Output", "output"]
