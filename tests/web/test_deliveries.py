"""Deliveries on the page and in the queue: planned, rendered, proved, paused, moved, tried again, traced back."""

import json
import shutil
import subprocess

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from tests.web.test_cuts import PAGE as CUTS
from upwelling.cli.main import main
from upwelling.core.cut import read_cut
from upwelling.core.encodings import encoding
from upwelling.core.media import Movie
from upwelling.core.media.movie_write import write_movie
from upwelling.web.bench.preview import ShotSettings
from upwelling.web.deliveries import rendering
from upwelling.web.deliveries.models import Delivery
from upwelling.web.footage.history import next_state
from upwelling.web.jobs.models import Job, Task
from upwelling.web.jobs.services import request_cancel, request_retry

PAGE = "/p/kilnlight/deliveries/"
LOG = "S-Log3/S-Gamut3.Cine"
LIST = """TITLE: KILNLIGHT CUT 3
FCM: NON-DROP FRAME

001  A012     V     C        10:00:00:04 10:00:00:16 01:00:00:00 01:00:00:12
* FROM CLIP NAME: A012.MOV
002  A012     V     C        10:00:00:20 10:00:01:00 01:00:00:12 01:00:00:16
* FROM CLIP NAME: A012.MOV
003  B007     V     C        00:00:00:00 00:00:01:00 01:00:00:16 01:00:01:16
"""


@pytest.fixture
def take(as_, production, tmp_path, django_capture_on_commit_callbacks):
    """A second of log as a shot."""
    place = tmp_path / "A012.mov"
    ramp = np.linspace(0.05, 0.6, 64)[None, :, None] * np.ones((36, 1, 3))
    frames = (np.roll(ramp, n, 1) for n in range(24))
    write_movie(
        place,
        (encoding(LOG).from_linear(f) for f in frames),
        "prores-422",
        rate=24,
        metadata={"timecode": "10:00:00:00"},
    )
    with django_capture_on_commit_callbacks(execute=True):
        as_("tess").post("/p/kilnlight/intake/upload/", {"file": SimpleUploadedFile("A012.mov", place.read_bytes())})
    shot = production.shots.get()
    as_("tess").post(f"/p/kilnlight/shots/{shot.pk}/encoding/", {"encoding": LOG, "range": "legal", "managed": "on"})
    shot.refresh_from_db()
    return shot


@pytest.fixture
def order(as_, django_capture_on_commit_callbacks):
    def ordered(who="tess", run=True, **given):
        with django_capture_on_commit_callbacks(execute=run):
            return as_(who).post(f"{PAGE}new/", {"preset": "ProRes 422 HQ", **given}, follow=True).content.decode()

    return ordered


@pytest.mark.parametrize(
    ("uneven", "said", "frames"),
    [("hold", "held in their times, at 24 a second", 24), ("count", "ms from the times they were taken at", 18)],
)
def test_an_uneven_shot_keeps_its_times_or_is_told_what_it_loses(take, order, as_, tmp_path, uneven, said, frames):
    """Every second frame of its second half is left out by ffmpeg."""
    thin = ("-vf", "select='lt(n,12)+mod(n,2)'", "-fps_mode", "vfr", "-c:v", "prores_ks", "-profile:v", "3")
    command = ["ffmpeg", "-v", "error", "-y", "-i", str(take.disk_path), *thin, str(tmp_path / "thin.mov")]
    subprocess.run(command, check=True)
    shutil.copy(tmp_path / "thin.mov", take.disk_path)
    type(take).objects.filter(pk=take.pk).update(frames=18)
    given = {"preset": "ProRes 422 HQ", "shot": take.pk, "uneven": uneven}
    assert said in as_("tess").post(f"{PAGE}plan/", given).content.decode()
    order(shot=take.pk, uneven=uneven)
    row = Delivery.objects.get()
    assert row.verdict == "holds", row.job.message
    assert Movie(row.place).facts.frames == frames


@pytest.mark.parametrize("turn", ["on", "off"])
def test_what_asks_to_be_turned_is_turned_or_not_in_shots_and_cuts(take, order, as_, tmp_path, turn):
    """The file says so by ffmpeg's own word for it."""
    place = tmp_path / "turned.mov"
    command = ["ffmpeg", "-v", "error", "-y", "-i", str(take.disk_path), "-c", "copy", "-metadata:s:v", "rotate=90"]
    subprocess.run([*command, str(place)], check=True)
    shutil.copy(place, take.disk_path)
    as_("tess").post(CUTS, {"file": SimpleUploadedFile("c.edl", LIST.encode())})
    order(run=False, shot=take.pk, turn=turn)
    order(run=False, cut=take.production.cuts.get().pk, turn=turn)
    turned = {piece.turned for row in Delivery.objects.all() for piece in row.order.pieces}
    assert Delivery.objects.count() == 3
    assert turned == ({90} if turn == "on" else {0})  # which way is held to ffmpeg in test_shown_as.py


def test_a_shot_is_delivered_proved_downloaded_and_traced_back(take, order, as_, production, tmp_path):
    tess = as_("tess")
    assert f'"pk": {take.pk}' in tess.get(f"{PAGE}new/").content.decode()
    said = tess.post(f"{PAGE}plan/", {"preset": "ProRes 422 HQ", "shot": take.pk}).content.decode()
    assert "A012_BT.709_BT.1886.mov" in said
    assert f"read as {LOG}" in said
    order(shot=take.pk)
    row = Delivery.objects.get()
    page = tess.get(f"{PAGE}{row.pk}/").content.decode()
    assert row.verdict == "holds", row.job.message
    assert "has these settings still" in page
    assert row.proof["sentence"] in page.replace("&#x27;", "'")
    body = b"".join(tess.get(f"{PAGE}{row.pk}/file/").streaming_content)
    place = tmp_path / "got.mov"
    place.write_bytes(body)
    assert Movie(place).facts.frames == 24
    (tmp_path / "got.mov.proof.json").write_bytes(tess.get(f"{PAGE}{row.pk}/proof.json").content)
    assert main(["verify-delivery", str(place)]) == 0
    assert json.loads(tess.get(f"{PAGE}{row.pk}/order.json").content)["pieces"][0]["sha256"] == take.sha256
    next_state(take, None, ShotSettings(trim_on=False), "changed")
    take.refresh_from_db()
    next_state(take, None, ShotSettings(rendering_on=False), "changed")
    assert "has other settings now" in tess.get(f"{PAGE}{row.pk}/").content.decode()
    assert "is there already" in order(shot=take.pk)
    order(shot=take.pk, clash="version")
    assert Delivery.objects.first().name == "A012_BT.709_BT.1886_v2.mov"
    assert as_("vera").get(f"{PAGE}{row.pk}/file/").status_code == 200
    assert as_("olaf").get(f"{PAGE}{row.pk}/file/").status_code == 404
    assert as_("vera").post(f"{PAGE}new/", {"shot": take.pk}).status_code == 403


def test_a_cuts_events_and_the_cut_as_one_picture_and_the_way_back(take, order, as_, production, tmp_path):
    tess = as_("tess")
    tess.post(CUTS, {"file": SimpleUploadedFile("cut3.edl", LIST.encode())})
    cut = production.cuts.get()
    assert "over its delivered files" not in tess.get(PAGE).content.decode()
    page = order(cut=cut.pk, handles="6")
    assert "2 files queued" in page
    assert "Event 3" in page
    first, second = Delivery.objects.order_by("pk")
    assert (first.name, second.name) == ("001_A012.mov", "002_A012.mov")
    assert (first.frames, second.frames) == (4 + 12 + 6, 6 + 4)
    assert (first.order.timecode, second.order.timecode) == ("10:00:00:00", "10:00:00:14")
    assert {first.verdict, second.verdict} == {"holds"}
    for kind in ("edl", "otio"):
        text = tess.get(f"{CUTS}{cut.pk}/relinked.{kind}").content
        place = tmp_path / f"back.{kind}"
        place.write_bytes(text)
        events = read_cut(place).events
        assert [(e.start, e.frames, e.record) for e in events] == [
            (e.start, e.frames, e.record) for e in cut.events.all()
        ]
        assert [(e.file or e.name) for e in events][:2] == ["001_A012.mov", "002_A012.mov"]
    assert "cannot be one picture" in order(cut=cut.pk, **{"as": "one"})
    for missing, frames in (("black", 16 + 24), ("leave", 16)):
        said = order(cut=cut.pk, **{"as": "one"}, missing=missing, preset="H.264", pattern=missing)
        assert "queued" in said, said
        made = Delivery.objects.get(name=f"{missing}.mp4")
        assert (made.frames, made.verdict) == (frames, "holds")
    page = order(cut=cut.pk, **{"as": "one"}, missing="leave", preset="H.264", pattern="quiet", sound="off")
    assert "queued" in page
    assert not Delivery.objects.get(name="quiet.mp4").order.sound
    cut.events.filter(number=2).update(speed=0.5, frames=2, record_frames=4)
    order(cut=cut.pk, handles="2", pattern="source{event}")
    order(cut=cut.pk, retimed="played", pattern="played{event}")
    kept, played = (Delivery.objects.get(name=f"{name}002.mov") for name in ("source", "played"))
    assert (kept.frames, played.frames, kept.verdict, played.verdict) == (2 + 2 + 2, 4, "holds", "holds")
    begins = cut.events.get(number=2).first
    assert [played.order.source_of(n)[1] for n in range(4)] == [begins, begins, begins + 1, begins + 1]
    cut.events.filter(number=2).update(speed=1.0, frames=4, record_frames=4)
    cut.events.get(number=3).delete()
    order(cut=cut.pk, **{"as": "one"}, preset="H.264")
    whole = Delivery.objects.first()
    assert (whole.frames, whole.order.timecode, whole.verdict) == (16, "01:00:00:00", "holds")


@pytest.mark.parametrize(
    ("given", "said"),
    [
        ({"preset": "Betamax"}, "Choose a preset"),
        ({"shot": ""}, "Choose shots or a cut"),
        ({"output": "Nowhere"}, "is no output of this production"),
        ({"pattern": "{camera}"}, "is no part of a name"),
        ({"folder": "../x"}, "has no slashes"),
        ({"sizing": "fit"}, "Say width and height"),
        ({"rate": "soon"}, "no frame rate"),
        ({"boundary": "look", "encoding": "Nothing"}, "no encoding named"),
        ({"preset": "HDR10 H.265"}, "carries PQ"),
        ({"preset": "H.264", "held": "rate", "megabits": "x"}, "Megabits"),
    ],
)
def test_what_cannot_be_delivered_is_said_and_queues_nothing(take, order, given, said):
    assert said in order(**{"shot": take.pk, **given})
    assert not Delivery.objects.exists()


def test_stills_come_as_one_file_and_hand_overs_in_log(take, order, as_, tmp_path):
    order(shot=take.pk, preset="DPX 10-bit", boundary="look", encoding=LOG, pattern="{shot}_log", folder="log")
    row = Delivery.objects.get()
    assert (row.verdict, row.files, row.output) == ("holds", 24, LOG)
    assert (row.at / "A012_log.0000023.dpx").exists()
    answer = as_("tess").get(f"{PAGE}{row.pk}/file/")
    assert answer["Content-Disposition"].endswith('A012_log.zip"')
    place = tmp_path / "s.zip"
    place.write_bytes(b"".join(answer.streaming_content))
    shutil.unpack_archive(place, tmp_path / "s")
    assert len(list((tmp_path / "s").glob("*.dpx"))) == 24


def queued(order, take, count=3):
    for number in range(count):
        order(run=False, shot=take.pk, pattern=f"d{number}")
    return list(Delivery.objects.order_by("pk"))


def test_the_queue_is_ordered_paused_and_taken_up_again(take, order, as_, settings):
    settings.WORK_AT_ONCE = False
    tess = as_("tess")
    one, two, three = queued(order, take)

    def names():
        return [Delivery.objects.get(pk=task.key).name for task in Task.objects.order_by("rank", "pk")]

    assert names() == ["d0.mov", "d1.mov", "d2.mov"]
    tess.post(f"/queue/{three.job_id}/up/")
    assert names() == ["d0.mov", "d2.mov", "d1.mov"]
    wanted = f"{three.job_id},{one.job_id},x,{two.job_id}"
    tess.post(f"/queue/{three.job_id}/order/", {"order": wanted}, headers={"X-Part": "1"})
    assert names() == ["d2.mov", "d0.mov", "d1.mov"]
    page = tess.get("/queue/").content.decode()
    assert page.index("d2.mov") < page.index("d0.mov") < page.index("d1.mov")
    tess.post(f"/queue/{one.job_id}/pause/")
    assert names() == ["d2.mov", "d1.mov"]
    assert Job.objects.get(pk=one.job_id).state == "paused"
    tess.post(f"/queue/{one.job_id}/resume/")
    assert names() == ["d2.mov", "d1.mov", "d0.mov"]
    tess.post(f"/queue/{two.job_id}/cancel/")
    done = one.production.record.values_list("what", "about")
    assert ("work in the Queue: cancel", "Delivery") in done
    assert Job.objects.get(pk=two.job_id).state == "cancelled"
    assert "Try again" in tess.get("/queue/rows/").content.decode()
    tess.post(f"/queue/{two.job_id}/retry/")
    assert Job.objects.get(pk=two.job_id).state == "waiting"
    assert "It is not paused" in tess.post(f"/queue/{two.job_id}/resume/", follow=True).content.decode()
    for who in ("vera", "olaf"):
        assert as_(who).post(f"/queue/{one.job_id}/cancel/").status_code == 404
    assert "d1.mov" in as_("vera").get("/queue/").content.decode()
    assert "d1.mov" not in as_("olaf").get("/queue/").content.decode()


def test_a_running_delivery_pauses_goes_on_and_is_cancelled(take, order, settings, monkeypatch):
    """The wish comes while it runs; what is done is kept where it pauses, and thrown away where it is cancelled."""
    settings.WORK_AT_ONCE = False
    monkeypatch.setattr("upwelling.core.delivery.order.INTRA_PART", 6)
    monkeypatch.setattr(rendering, "_ASK", 0.0)
    row = queued(order, take, 1)[0]
    calls = iter(range(10_000))
    real = rendering._stop

    def stopping(wish):
        def made(job):
            ask = real(job)

            def stop():
                if next(calls) == 10:
                    Job.objects.filter(pk=job.pk).update(**{f"{wish}_requested": True})
                return ask()

            return stop

        return made

    monkeypatch.setattr(rendering, "_stop", stopping("pause"))
    rendering.perform(row.pk)
    job = Job.objects.get(pk=row.job_id)
    assert (job.state, job.message) == ("paused", "Paused; what is done is kept")
    assert list(row.at.glob(".parts-*"))
    request_cancel(job)
    assert not list(row.at.iterdir())
    job.refresh_from_db()
    request_retry(job)
    calls = iter(range(10_000))
    monkeypatch.setattr(rendering, "_stop", stopping("cancel"))
    rendering.perform(row.pk)
    assert Job.objects.get(pk=row.job_id).state == "cancelled"
    assert not list(row.at.iterdir())


def test_a_worker_that_dies_before_the_proof_and_a_cancel_at_that_time(take, order, settings, monkeypatch):
    settings.WORK_AT_ONCE = False
    row = queued(order, take, 1)[0]
    real = rendering.prove

    def dies(*_):
        raise KeyboardInterrupt

    def cancelled(*_):
        raise rendering.Cancelled

    monkeypatch.setattr(rendering, "prove", dies)
    with pytest.raises(KeyboardInterrupt):
        rendering.perform(row.pk)
    assert row.place.exists()
    Job.objects.filter(pk=row.job_id).update(state="waiting")
    monkeypatch.setattr(rendering, "prove", cancelled)
    rendering.perform(row.pk)
    assert Job.objects.get(pk=row.job_id).state == "cancelled"
    assert not list(row.at.iterdir())
    request_retry(Job.objects.get(pk=row.job_id))
    monkeypatch.setattr(rendering, "prove", real)
    rendering.perform(row.pk)
    row.refresh_from_db()
    assert row.verdict == "holds"
    assert not list(row.at.glob(".*"))


def test_faults_are_said_and_the_next_one_runs(take, order, as_, settings):
    place = take.disk_path
    settings.WORK_AT_ONCE = False
    one, two = queued(order, take, 2)
    place.rename(place.with_suffix(".gone"))
    rendering.perform(one.pk)
    one.job.refresh_from_db()
    assert one.job.state == "failed"
    assert "A012.mov" in one.job.message
    place.with_suffix(".gone").rename(place)
    rendering.perform(two.pk)
    two.refresh_from_db()
    assert two.verdict == "holds"
    page = as_("tess").post(f"{PAGE}{one.pk}/change/", {"what": "retry"}, follow=True).content.decode()
    assert "Waiting" in page
    rendering.perform(one.pk)
    one.refresh_from_db()
    assert one.verdict == "holds"
    assert (
        "is off the list"
        in as_("tess").post(f"{PAGE}{one.pk}/change/", {"what": "remove"}, follow=True).content.decode()
    )
    assert one.place.exists()


def test_each_lane_takes_its_own_tasks(take, order, settings):
    from upwelling.web.jobs.supervisor import _tasks_of, take_over

    settings.WORK_AT_ONCE = False
    row = queued(order, take, 1)[0]
    Task.objects.create(kind="bake", key=5)
    assert [task.kind for task in _tasks_of("render")] == ["delivery"]
    assert [task.kind for task in _tasks_of("quick")] == ["bake"]
    Job.objects.filter(pk=row.job_id).update(state="running")
    take_over("quick")
    assert Job.objects.get(pk=row.job_id).state == "running"
    take_over("render")
    assert Job.objects.get(pk=row.job_id).state == "waiting"
