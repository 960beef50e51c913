"""By which matrix a movie's planes become R'G'B', how that is known, and that it can be said."""

import json
import subprocess

import numpy as np
import pytest
from django.http import QueryDict

from upwelling.core.delivery.presets import PRESETS
from upwelling.core.errors import UpwellingError
from upwelling.core.media import open_footage
from upwelling.core.media.decoding import decoding_of
from upwelling.core.media.footage import Reading
from upwelling.core.media.timecode import Timecode
from upwelling.web.cuts.services import media_of
from upwelling.web.deliveries.models import Delivery
from upwelling.web.deliveries.plan import plan_from
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.models import Shot
from upwelling.web.productions.services import set_rules


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
    assert "guessed: the file names none" not in tess.get("/p/kilnlight/intake/").content.decode()
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


@pytest.fixture
def slow(as_, upload, tmp_path):
    """Half a second at 60, by ffmpeg, with sound and a label."""
    place = tmp_path / "slow.mov"
    inputs = [
        "-f",
        "lavfi",
        "-i",
        "testsrc2=size=128x96:rate=60:duration=0.5",
        "-f",
        "lavfi",
        "-i",
        "sine=duration=0.5",
    ]
    coded = ["-c:v", "prores_ks", "-profile:v", "3", "-c:a", "pcm_s16le", "-timecode", "01:00:00:30"]
    subprocess.run(["ffmpeg", "-v", "error", "-y", *inputs, *coded, str(place)], check=True)
    return upload("slow.mov", place.read_bytes()).shot


@pytest.mark.parametrize(
    ("runs", "rate", "label", "said"),
    [
        ("23.976", 24000 / 1001, "01:00:01:00", "Runs at 23.976 frames a second, 40 % of its speed"),
        ("production", 25.0, "01:00:00:24", "Runs at 25 frames a second, 42 % of its speed"),
        ("120", 120.0, "01:00:00:072", "Runs at 120 frames a second, 200 % of its speed"),
        ("", 60.0, "01:00:00:42", "Rate 60 frames a second, as the file says"),
    ],
)
def test_a_shot_runs_at_another_rate_than_it_was_recorded_at(slow, as_, production, runs, rate, label, said):
    """Playing, labels, cuts and deliveries; the frames are the same, each once, and its own rate stays known."""
    tess = as_("tess")
    set_rules(production, {"rate": "25"})
    assert change(tess, slow, "runs", runs)["changed"] == 1
    now = Shot.objects.get(pk=slow.pk)
    assert (now.rate, now.runs_at) == (60, pytest.approx(rate))
    assert now.decoding[-1].sentence().startswith(said)
    assert now.timecode(12) == label
    assert media_of([now])[0].rate == pytest.approx(rate)
    assert ("keeps its own speed" in " ".join(r.text for r in now.remarks)) is (runs == "")
    assert tess.get(f"/p/kilnlight/bench/{now.pk}/").context["data"]["rate"] == pytest.approx(rate)
    plan = plan_from(now.production, QueryDict(f"shot={now.pk}&preset={PRESETS[0].preset}"))
    assert float(plan.wanted[0].order.exact_rate) == pytest.approx(rate)
    assert plan.wanted[0].order.frames == 30
    assert any("same frames at another rate" in text for text in plan.remarks) is (runs != "")


def test_slow_motion_is_delivered_and_proved(slow, as_, django_capture_on_commit_callbacks):
    """ffprobe reads the rate, the frames and the label of the file; sound, which would not fit, is left out."""
    tess = as_("tess")
    change(tess, slow, "runs", "23.976")
    with django_capture_on_commit_callbacks(execute=True):
        tess.post("/p/kilnlight/deliveries/new/", {"preset": "ProRes 422 HQ", "shot": slow.pk})
    made = Delivery.objects.get()
    assert made.verdict == "holds", made.job.message
    shown = ["ffprobe", "-v", "error", "-show_streams", "-show_format", "-of", "json", str(made.place)]
    streams = json.loads(subprocess.run(shown, capture_output=True, check=True).stdout)["streams"]
    video = next(one for one in streams if one["codec_type"] == "video")
    assert (video["r_frame_rate"], video["nb_frames"], video["tags"]["timecode"]) == ("24000/1001", "30", "01:00:00:12")
    assert not any(one["codec_type"] == "audio" for one in streams)


def test_rates_are_refused_in_words(slow, as_, upload, production):
    tess = as_("tess")
    assert "no rate yet" in change(tess, slow, "runs", "production")["refused"][0]
    assert "no frame rate" in change(tess, slow, "runs", "slowly")["refused"][0]
    upload("still.dpx")
    assert "is a still" in change(tess, Shot.objects.get(kind="still"), "runs", "24")["refused"][0]
    with pytest.raises(UpwellingError, match="no frame rate"):
        set_rules(production, {"rate": "many"})


@pytest.mark.parametrize(
    ("label", "rate", "wanted", "at"),
    [
        ("01:02:03:30", 60, 24, "01:02:03:12"),
        ("00:00:00:59", 59.94, 23.976, "00:00:00:23"),
        ("10:00:00;15", 29.97, 24, "10:00:00:12"),
        ("00:00:01:23", 24, 60, "00:00:01:57"),
        ("00:00:01:23", 24, 23.976, "00:00:01:23"),
    ],
)
def test_the_same_time_of_day_at_another_rate(label, rate, wanted, at):
    assert str(Timecode.read(label, rate).at(wanted)) == at
