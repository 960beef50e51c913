"""Scene changes: in the Kilnlight reel and in movement, flicker and noise, where there is none."""

import numpy as np
import pytest

from upwelling.core.measure.scene_cuts import cuts, ranges, strengths
from upwelling.core.media import open_footage


def test_the_reel_is_cut_where_its_scenes_meet(kilnlight):
    found = cuts(strengths(open_footage(kilnlight / "A090.mov").luma_frames()))
    assert [c.frame for c in found] == [20, 40]
    assert all(c.strength > 0.4 for c in found)


@pytest.mark.parametrize("kind", ["pan", "flicker", "noise", "fade"])
def test_what_is_no_cut(kind):
    rng = np.random.default_rng(1)
    wide = rng.random((36, 200)).cumsum(axis=1) % 1.0
    wide = (wide + np.roll(wide, 1, 1) + np.roll(wide, 2, 1)) / 3
    frames = [
        {
            "pan": wide[:, i * 2 : i * 2 + 64],
            "flicker": wide[:, :64] * (1 if i % 2 else 0.9),
            "noise": wide[:, :64] + rng.normal(0, 0.01, (36, 64)),
            "fade": wide[:, :64] * (1 - i / 60),
        }[kind]
        for i in range(60)
    ]
    assert cuts(strengths(frames)) == []


def test_threshold_shortest_and_ranges():
    values = [0, 0.1, 0.5, 0.6, 0.1, 0.1, 0.1, 0.1, 0.4, 0]
    assert [(c.frame, c.strength) for c in cuts(values, 0.3)] == [(3, 0.6), (8, 0.4)]
    assert cuts(values, 0.7) == []
    assert ranges([8, 3, 3, 0, 10, -2], 10) == [(0, 2), (3, 7), (8, 9)]
    assert ranges([], 5) == [(0, 4)]
