"""Baking a part of a Path into a table for a receiver, and proving what was written."""

from upwelling.core.bake.certificate import Certificate
from upwelling.core.bake.make import bake
from upwelling.core.bake.order import BakeOrder
from upwelling.core.bake.receivers import RECEIVERS, Receiver
from upwelling.core.bake.samples import FrameSample, frame_sample
from upwelling.core.bake.section import Section
from upwelling.core.bake.solver import solve
from upwelling.core.bake.tolerances import Tolerances
from upwelling.core.bake.verify import verify

__all__ = ["RECEIVERS", "BakeOrder", "Certificate", "FrameSample", "Receiver", "Section", "Tolerances", "bake", "frame_sample", "solve", "verify"]
