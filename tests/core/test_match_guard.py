"""What every method of matching is held to: hopeless pairs are refused in words, and nothing is offered that makes
worse.
"""

import numpy as np
import pytest

from upwelling.core.colour.primaries import primaries
from upwelling.core.match import BY_ITSELF, CannotMatch, Match, MatchFigures, Picture, space_of
from upwelling.core.match.guard import WORSE, guarded
from upwelling.core.match.outcome import STEM, put
from upwelling.core.simulate.shipped import shipped
from upwelling.core.steps import Exposure, Highlights

SPACE = space_of(primaries("AP1"))


@pytest.fixture(scope="module")
def scene():
    return np.ascontiguousarray(shipped("Cold bench")[::4, ::4])


@pytest.mark.parametrize("method", ["scene", "exposure"])
@pytest.mark.parametrize("times", [1000.0, 1e-3])
def test_a_thousand_times_brighter_is_refused_in_words(scene, method, times):
    """Ten stops are more than exposure holds (8)."""
    with pytest.raises(CannotMatch, match=r"beyond what a step can hold|hold different light|no light"):
        BY_ITSELF[method](Picture.of(scene), Picture.of(scene * times), SPACE)


@pytest.mark.parametrize("method", BY_ITSELF)
@pytest.mark.parametrize("side", [0, 1])
def test_a_clipped_picture_is_refused(scene, method, side):
    clipped = Picture.of(np.minimum(scene * 40, 1.0), np.minimum(scene * 40, 1.0))
    pictures = [Picture.of(scene), Picture.of(scene)]
    pictures[side] = clipped
    assert max(clipped.clipped) > 0.5
    with pytest.raises(CannotMatch, match="clipped in"):
        BY_ITSELF[method](*pictures, SPACE)


def test_what_comes_no_nearer_is_left_out_and_said(scene):
    def worse(source, reference, space):
        return Match("exposure", "balance", (Exposure(stops=1),), MatchFigures(9.4, 16.8, 20.0, 100), ("As found.",))

    found = guarded(worse)(Picture.of(scene), Picture.of(scene), SPACE)
    assert (found.steps, found.remarks) == ((), (WORSE, "As found."))


def test_statistics_of_what_is_near_already_warn(scene):
    half = scene[:, scene.shape[1] // 10 :] * 1.15
    found = BY_ITSELF["statistics"](Picture.of(half), Picture.of(scene), SPACE)
    far = BY_ITSELF["statistics"](Picture.of(half * 4), Picture.of(scene), SPACE)
    assert any("near already" in text for text in found.remarks)
    assert not any("near already" in text for text in far.remarks)


def test_what_goes_by_the_cameras_levels_stays_before_a_match():
    own = (Highlights(id="high", clip=(4.0, 4.0, 4.0)), Exposure(id="own", stops=0.5))
    match = Match("exposure", "exposure", (Exposure(stops=1),), MatchFigures(5, 1, 2, 100))
    steps, groups = put(own, (), match, "B-cam", "Said")
    assert [step.id for step in steps][:1] == ["high"]
    assert [step.group == STEM for step in steps] == [False, True, False]
    again, _ = put(steps, groups, match, "B-cam", "Said")
    assert [step.group == STEM for step in again] == [False, True, False]
