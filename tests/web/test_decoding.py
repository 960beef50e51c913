"""By which matrix a movie's planes become R'G'B', how that is known, and that it can be said."""

import json
import subprocess

import numpy as np
import pytest
from django.http import QueryDict

from upwelling.core.delivery.presets import PRESETS
from upwelling.core.media import open_footage
from upwelling.core.media.decoding import decoding_of
from upwelling.core.media.footage import Reading
from upwelling.web.cuts.services import media_of
from upwelling.web.deliveries.plan import plan_from
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.models import Shot


def movie(place, size, *more):
    """A saturated picture by ffmpeg, coded by BT.709, tagged only where asked."""
    subprocess.run(
        ["ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i", f"smptehdbars=size={size}:rate=24", "-frames:v", "2",
        "-vf",
         "scale=out_color_matrix=bt709:out_range=tv,format=yuv422p10le", "-c:v", "ffv1", *more, str(place)],
        check=True,
    )  # fmt: skip
    return place


@pytest.mark.parametrize(
    ("size", "more", "matrix", "guessed"),
    [
        ("960x540", (), "BT.709", True),
        ("1280x720", (), "BT.709", True),
        ("720x576", (), "BT.601", True),
        ("720x480", (), "BT.601", True),
        ("960x540", ("-colorspace", "bt2020nc"), "BT.2020", False),
        ("960x540", ("-colorspace", "smpte170m"), "BT.601", False),
    ],
)
def test_the_matrix_is_named_with_how_it_is_known(tmp_path, size, more, matrix, guessed):
    facts = open_footage(movie(tmp_path / "a.mkv", size, *more)).facts
    row = decoding_of(facts, Reading())[0]
    assert (row.what, row.value, row.guessed) == ("Matrix", matrix, guessed)
    assert decoding_of(facts, Reading(matrix="BT.709"))[0].how == "set by hand"


@pytest.fixture
def proxy(tmp_path, upload, production):
    upload("proxy.mkv", movie(tmp_path / "proxy.mkv", "960x540").read_bytes())
    return production.shots.get()


def change(client, shot, verb, value):
    body = json.dumps({"shots": [shot.pk], "verb": verb, "value": value})
    return client.post("/p/kilnlight/intake/change/", body, "application/json").json()


def test_a_guessed_matrix_is_a_remark_and_can_be_set(proxy, as_):
    """A 540-line proxy shows the colours it was coded from (ffmpeg's own bars); set to another matrix it does not."""
    tess = as_("tess")
    page = tess.get("/p/kilnlight/intake/").content.decode()
    assert "Matrix BT.709, guessed: the file names none" in page
    before = frame_of(proxy).working
    assert change(tess, proxy, "matrix", "BT.601")["changed"] == 1
    now = Shot.objects.get(pk=proxy.pk)
    assert "set by hand" in now.decoding[0].sentence()
    assert np.abs(frame_of(now).working - before).max() > 0.02
    assert "guessed" not in tess.get("/p/kilnlight/intake/").content.decode()
    assert "BT.601" in tess.get(f"/p/kilnlight/bench/{proxy.pk}/").content.decode()
    assert "one of" in change(tess, proxy, "matrix", "BT.470")["refused"][0]
    change(tess, proxy, "matrix", "")
    assert Shot.objects.get(pk=proxy.pk).decoding[0].guessed


def test_chroma_and_matrix_are_said_for_a_shot_and_for_a_camera(proxy, as_, production):
    """The shot before its camera, the camera before the file; pixels follow."""
    tess, seen = as_("tess"), {}
    camera = production.cameras.create(name="B-cam")
    Shot.objects.filter(pk=proxy.pk).update(camera=camera)
    form = {"name": "B-cam", "encoding": "", "range": "", "siting": "top left", "matrix": "BT.2020"}
    assert tess.post(f"/p/kilnlight/cameras/{camera.pk}/", form).status_code == 302
    for own, matrix, siting, how in (
        ("", "BT.2020", "top left", "set for B-cam"),
        ("centre", "BT.2020", "centre", "set by hand"),
    ):
        change(tess, proxy, "siting", own)
        now = Shot.objects.get(pk=proxy.pk)
        rows = {row.what: row for row in now.decoding}
        assert (rows["Matrix"].value, rows["Matrix"].how) == (matrix, "set for B-cam")
        assert (rows["Chroma"].value, rows["Chroma"].how) == (siting, how)
        assert (now.reading.matrix, now.reading.siting) == (matrix, siting)
        seen[siting] = frame_of(now).working
    assert np.abs(seen["centre"] - seen["top left"]).max() > 0.01
    assert "Chroma sits at one of" in change(tess, proxy, "siting", "middle")["refused"][0]
    answer = tess.post(f"/p/kilnlight/cameras/{camera.pk}/", {**form, "matrix": "x"}, follow=True).content.decode()
    assert "The camera was not changed. The matrix is one of" in answer


def test_what_other_clips_of_the_camera_say_counts(proxy, as_, upload, production, tmp_path):
    tagged = movie(tmp_path / "t.mkv", "960x540", "-colorspace", "bt2020nc").read_bytes()
    upload("tagged.mkv", tagged)
    for shot in production.shots.all():
        change(as_("tess"), shot, "camera", "new:P-cam" if shot.pk == proxy.pk else str(production.cameras.get().pk))
    row = production.shots.get(pk=proxy.pk).decoding[0]
    assert (row.value, row.how) == ("BT.2020", "as the other clips of P-cam say")


def test_a_rate_is_said_by_hand_and_all_that_counts_frames_follows(proxy, as_, upload):
    """Timecode, what a cut is found by, and a delivery; a still has none, a word is no rate."""
    tess = as_("tess")
    Shot.objects.filter(pk=proxy.pk).update(metadata={"timecode": "01:00:00:00"})
    for value, rate, label, how in (
        ("12", 12.0, "01:00:02:00", "Rate 12 frames a second, set by hand; the file says 24"),
        ("23.976", 24000 / 1001, "01:00:01:00", "Rate 23.976 frames a second, set by hand; the file says 24"),
        ("", 24.0, "01:00:01:00", "Rate 24 frames a second, as the file says"),
    ):
        assert change(tess, proxy, "rate", value)["changed"] == 1
        now = Shot.objects.get(pk=proxy.pk)
        assert now.rate == pytest.approx(rate)
        assert now.decoding[-1].sentence() == how
        assert now.timecode(24) == label
        assert media_of([now])[0].rate == pytest.approx(rate)
        given = QueryDict(f"shot={now.pk}&preset={PRESETS[0].preset}")
        order = plan_from(now.production, given).wanted[0].order
        assert float(order.exact_rate) == pytest.approx(rate)
    assert "no frame rate" in change(tess, proxy, "rate", "fast")["refused"][0]
    upload("still.dpx")
    assert "is a still" in change(tess, Shot.objects.get(kind="still"), "rate", "24")["refused"][0]
