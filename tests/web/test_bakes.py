"""Bakes: the work in the background, its file, certificate, names, staleness, cancel and failure."""

import json

import pytest
from django.db import transaction

from upwelling.cli.main import main
from upwelling.core.steps import Exposure
from upwelling.web.bakes import services
from upwelling.web.bakes.models import Bake
from upwelling.web.errors import Refused
from upwelling.web.footage.services import apply_settings
from upwelling.web.footage.shot_settings import ShotSettings
from upwelling.web.jobs.models import Job
from upwelling.web.jobs.services import fail_interrupted, request_cancel, running


@pytest.fixture
def baked(shot, as_, django_capture_on_commit_callbacks):
    def start(size=17, code_range="full"):
        with django_capture_on_commit_callbacks(execute=True):
            as_("tess").post("/p/kilnlight/bakes/start/", {"shot": shot.pk, "size": size, "range": code_range})
        return Bake.objects.latest("pk")
    return start


def test_a_bake_from_button_to_proof_on_the_command_line(baked, as_, tmp_path, capsys):
    bake = baked()
    assert bake.job.state == Job.State.DONE
    assert bake.file_name == "Kilnlight_ramp_S-Log3-S-Gamut3.Cine_to_BT.709-BT.1886_17_full.cube"
    vera = as_("vera")
    answer = vera.get(f"/p/kilnlight/bakes/{bake.pk}/lut/")
    assert bake.file_name in answer["Content-Disposition"]
    (tmp_path / "l.cube").write_bytes(b"".join(answer.streaming_content))
    (tmp_path / "r.json").write_bytes(vera.get(f"/p/kilnlight/bakes/{bake.pk}/recipe.json").content)
    report = json.loads(vera.get(f"/p/kilnlight/bakes/{bake.pk}/certificate.json").content)
    assert main(["verify", str(tmp_path / "l.cube"), "--recipe", str(tmp_path / "r.json"), "--json"]) in (0, 1)
    again = json.loads(capsys.readouterr().out)
    assert again["fingerprint"] == report["fingerprint"] == bake.fingerprint
    assert again["lut_sha256"] == report["lut_sha256"]
    assert again["sets"][1] == report["sets"][1]
    assert main(["bake", str(tmp_path / "again.cube"), "--recipe", str(tmp_path / "r.json"), "--size", "17"]) == 0
    rows = [[line for line in (tmp_path / name).read_text().splitlines() if line[:1].isdigit()] for name in ("l.cube", "again.cube")]
    assert rows[0] == rows[1]


def test_certificate_page(baked, as_):
    bake = baked()
    page = as_("vera").get(f"/p/kilnlight/bakes/{bake.pk}/").content.decode()
    for words in ("stratified", "neutral axis", "own frame", bake.fingerprint, bake.certificate.lut_sha256, "ΔE", "Worst samples", "upwelling verify"):
        assert words in page
    assert page.count("<figure>") == 8


@pytest.mark.parametrize("code_range", ["full", "legal"])
def test_ranges(baked, code_range):
    bake = baked(code_range=code_range)
    assert bake.path.camera.range == bake.path.display.range == code_range
    assert f"_{code_range}.cube" in bake.file_name
    assert bake.certificate.fingerprint == bake.fingerprint


def test_stale_when_the_path_moves_on(baked, shot, people):
    bake = baked()
    assert not bake.is_stale
    apply_settings(shot, people["tess"], ShotSettings().with_steps([Exposure(stops=0.5)]), version=0, label="exposure")
    assert Bake.objects.get().is_stale


@pytest.mark.parametrize(("post", "words"), [({"size": "12"}, "grid of 12"), ({"range": "wide"}, "full or legal"), ({"shot": "x"}, "Choose a shot")])
def test_bad_requests(shot, as_, post, words):
    answer = as_("tess").post("/p/kilnlight/bakes/start/", {"shot": shot.pk, "size": "17", "range": "full", **post})
    assert answer.status_code == 422
    assert words in answer.content.decode()
    assert not Bake.objects.exists()


def test_nothing_is_baked_without_an_encoding(shot, people):
    shot.encoding = ""
    shot.save()
    with pytest.raises(Refused, match="no encoding yet"):
        services.start_bake(shot, people["tess"], size=17, code_range="full")


def test_cancel_and_failure_leave_no_file(shot, people, settings, monkeypatch):
    def start():
        with transaction.atomic():
            return services.start_bake(shot, people["tess"], size=17, code_range="full")

    waiting = start()
    request_cancel(waiting.job)
    services.perform(waiting.pk)
    waiting.job.refresh_from_db()
    assert waiting.job.state == Job.State.CANCELLED

    monkeypatch.setattr("upwelling.web.jobs.services._BETWEEN_SAVES", 0.0)
    going = start()
    Job.objects.filter(pk=going.job.pk).update(cancel_requested=True)
    services.perform(going.pk)
    going.job.refresh_from_db()
    assert (going.job.state, going.job.message) == (Job.State.CANCELLED, "Cancelled; nothing was kept.")

    failing = start()
    monkeypatch.setattr(services, "verify", lambda *a, **k: 1 / 0)
    services.perform(failing.pk)
    failing.job.refresh_from_db()
    assert failing.job.state == Job.State.FAILED
    assert "fault of ours" in failing.job.message
    assert not list(settings.FILES.rglob("*.cube"))
    assert not Bake.objects.exclude(file="").exists()


def test_a_dead_workers_job_is_said_to_have_failed(production):
    job = Job.objects.create(kind="bake", production=production, state=Job.State.RUNNING)
    assert fail_interrupted() == 1
    job.refresh_from_db()
    assert job.state == Job.State.FAILED
    assert "worker stopped" in job.message


def test_progress_is_saved(production):
    job = Job.objects.create(kind="bake", production=production)
    with running(job) as progress:
        progress(0.5, "half")
        assert Job.objects.get().as_json()["progress"] == 0.5
    assert Job.objects.get().as_json()["over"]
