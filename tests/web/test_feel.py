"""While a hand moves: a picture as small as it is shown, and nothing of others' changes missed."""

import imagecodecs
import numpy as np
import pytest

from tests.web.test_shots import ask
from upwelling.web.footage.frames import frame_of
from upwelling.web.productions.services import set_rules

pytestmark = pytest.mark.django_db


@pytest.mark.parametrize(("wide", "columns"), [(0, 96), (200, 96), (96, 96), (50, 48), (30, 32), (-5, 96)])
def test_a_frame_is_as_small_as_it_is_shown(shot, wide, columns):
    frame = frame_of(shot).shown_at(wide)
    assert frame.working.shape[1] == columns
    assert frame.shown_at(0) is frame
    assert frame_of(shot).shown_at(wide) is frame


def test_a_drag_is_drawn_small_and_the_still_in_full(shot, as_):
    assert ask(as_("tess"), shot, lossless=False, wide=50)[0]["width"] == 48
    assert ask(as_("tess"), shot, lossless=True, wide=50)[0]["width"] == 96
    part = {"x": 0, "y": 0, "width": 64, "height": 32}
    assert ask(as_("tess"), shot, lossless=False, wide=20, part=part)[0]["width"] == 64


def test_a_page_on_this_machine_gets_the_pixels_as_they_are(shot, as_):
    head, picture, _ = ask(as_("tess"), shot, lossless=False, raw=True)
    assert head["mime"] == "image/x-rgba"
    pixels = np.frombuffer(picture, np.uint8).reshape(head["height"], head["width"], 4)
    assert (pixels[..., 3] == 255).all()
    still = imagecodecs.png_decode(ask(as_("tess"), shot)[1])
    assert np.array_equal(pixels[..., :3], still)


def test_what_others_change_is_seen_in_the_next_preview(shot, as_, production):
    tess = as_("tess")
    before = ask(tess, shot, lossless=False)[0]
    set_rules(production, {"output": "BT.2100 PQ 1000"})
    after = ask(tess, shot, lossless=False)[0]
    assert before["fingerprint"] != after["fingerprint"]
