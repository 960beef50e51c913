"""Kilnlight's takes at a size for tests, from the scenes that ship: nothing is traced."""

import numpy as np

from upwelling.core.simulate.kilnlight_set import CHART, Studio


class SmallStudio(Studio):
    """Every so many pixels of the scenes that ship, so that their extremes stay."""

    def __init__(self, every):
        super().__init__()
        self.every = every

    def scene(self, name):
        whole = super().scene(name)
        return whole if name == CHART else np.ascontiguousarray(whole[:: self.every, :: self.every])
