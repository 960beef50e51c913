"""Baking a part of a Path into a table for a receiver: the order, the receiver, the sampled or fitted entries."""

from upwelling.core.bake.make import bake
from upwelling.core.bake.order import BakeOrder
from upwelling.core.bake.receivers import RECEIVERS, Receiver
from upwelling.core.bake.section import Section

__all__ = ["RECEIVERS", "BakeOrder", "Receiver", "Section", "bake"]
