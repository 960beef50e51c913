"""The viewing layer of the Bench: in the picture, in nothing else; refused in words where it cannot be."""

import imagecodecs
import numpy as np
import pytest

from tests.web.test_bench import post
from tests.web.test_shots import ask, body
from upwelling.web.footage.models import Shot, ShotState
from upwelling.web.footage.paths import path_of

pytestmark = pytest.mark.django_db


@pytest.mark.parametrize(
    ("layer", "words"),
    [
        ({"stops": 1.5}, "+1.5 stops"),
        ({"grey": True}, "black and white"),
        ({"without": ["rendering"]}, "without rendering"),
        ({"monitor": "laptop in daylight"}, "simulated monitor"),
    ],
)
def test_the_picture_alone_is_seen_through_it(shot, as_, layer, words):
    plain, through = (ask(as_("vera"), shot, viewing=one) for one in (None, layer))
    assert words in through[0]["viewing"]
    assert plain[0]["viewing"] == ""
    assert plain[1] != through[1]
    np.testing.assert_array_equal(plain[2], through[2])
    for same in ("numbers", "column", "fingerprint", "trace"):
        assert plain[0][same] == through[0][same], same
    if "grey" in layer:
        assert np.ptp(imagecodecs.png_decode(through[1]).astype(int), axis=-1).max() == 0


def test_facts_are_never_seen_through_it_and_nothing_is_kept(shot, as_):
    for view in ("stops", "clip"):
        plain, through = (ask(as_("vera"), shot, view=view, viewing=one) for one in (None, {"stops": 3}))
        assert plain[1] == through[1]
        assert through[0]["viewing"] == ""
    before = path_of(Shot.objects.get()).fingerprint
    assert post(as_("tess"), shot, "preview", {"settings": body(), "viewing": {"stops": 2}}).status_code == 200
    assert not ShotState.objects.exists()
    assert path_of(Shot.objects.get()).fingerprint == before


def test_a_run_of_frames_is_seen_through_it_too(shot, as_):
    sent = {"settings": body(), "first": 0, "count": 1}
    plain, through = (
        post(as_("vera"), shot, "motion", {**sent, "viewing": one}).content for one in (None, {"grey": True})
    )
    assert plain != through


@pytest.mark.parametrize(
    ("layer", "words"),
    [
        ({"stops": 99}, "less than or equal to 8"),
        ({"table": 4711}, "no longer here"),
        ({"monitor": "wall"}, "no simulated monitor"),
        ({"without": ["camera"]}, "trim"),
        ({"other": 1}, "Other"),
    ],
)
def test_what_cannot_be_is_refused(shot, as_, layer, words):
    answer = post(as_("vera"), shot, "preview", {"settings": body(), "viewing": layer})
    assert answer.status_code in (400, 422)
    assert words in answer.json()["error"]
