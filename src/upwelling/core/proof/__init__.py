"""Proving a table on the file read back: samples, the simulated receiver, the hunt for the worst place, the
certificate.
"""

from upwelling.core.proof.certificate import Certificate
from upwelling.core.proof.samples import FrameSample, frame_sample
from upwelling.core.proof.solver import solve
from upwelling.core.proof.tolerances import Tolerances
from upwelling.core.proof.verify import verify

__all__ = ["Certificate", "FrameSample", "Tolerances", "frame_sample", "solve", "verify"]
