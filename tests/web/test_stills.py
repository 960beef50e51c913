"""A still to send from the Bench: the frame in hand at full size, for an output, with or without a caption."""

import io

import cv2
import numpy as np
import pytest
from PIL import Image

from upwelling.core.delivery.sending import still_codes
from upwelling.core.operations import Place
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_at


def still(client, shot, **asked):
    return client.get(f"/p/kilnlight/bench/{shot.pk}/still/", asked, headers={"Accept": "application/json"})


@pytest.mark.parametrize("caption", [False, True])
def test_a_viewer_gets_the_frame_at_full_size(shot, as_, caption):
    answer = still(as_("vera"), shot, **{"as": "png", "frame": "0"}, **({"caption": "on"} if caption else {}))
    assert answer.headers["Content-Disposition"].startswith("attachment; filename=")
    seen = cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_UNCHANGED)[..., ::-1]
    codes = still_codes(frame_of(shot).still.code, path_at(shot), "png", Place.whole(shot.width, shot.height))
    assert seen.shape[1] == shot.width
    assert (seen.shape[0] > shot.height) is caption
    np.testing.assert_array_equal(seen[: shot.height], np.rint(np.clip(codes, 0, 1) * 65535))
    assert Image.open(io.BytesIO(answer.content)).info["icc_profile"]
    if caption:
        assert seen[shot.height :].max() > 30000, "there are letters"


@pytest.mark.parametrize(
    ("asked", "words"),
    [({"as": "bmp"}, "PNG, TIFF or EXR"), ({}, "PNG, TIFF or EXR"), ({"as": "exr", "caption": "on"}, "no place")],
)
def test_what_cannot_be_sent_is_refused_in_words(shot, as_, asked, words):
    answer = still(as_("vera"), shot, **asked)
    assert (answer.status_code, words in answer.json()["error"]) == (422, True)


def test_a_file_of_which_nothing_is_known_is_sent_as_nothing(shot, as_):
    Shot.objects.filter(pk=shot.pk).update(encoding="")
    for kind in ("png", "exr"):
        assert still(as_("vera"), shot, **{"as": kind}).status_code == 422
    assert still(as_("olaf"), shot, **{"as": "png"}).status_code == 404
