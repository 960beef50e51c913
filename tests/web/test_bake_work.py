"""What bakes refuse, their work in the background, receivers, packages, and what a crash leaves."""

import hashlib
import io
import json
import os
import pathlib
import signal
import subprocess
import sys
import tempfile
import zipfile

import numpy as np
import pytest
from django.db import transaction

from tests.core.test_raw import PROFILE, mosaic_of, scene
from tests.web.pages import PROGRAM, WISH, read
from upwelling.cli.main import main
from upwelling.core.bake import RECEIVERS
from upwelling.core.media import dng, write_still
from upwelling.core.path import Path
from upwelling.core.steps import Exposure
from upwelling.web.bakes import packages, services
from upwelling.web.bakes.models import Bake, Package
from upwelling.web.bakes.orders import frames_that_test, model_shots, order_for
from upwelling.web.common.requests import Refused
from upwelling.web.footage.history import apply_settings
from upwelling.web.footage.paths import path_of
from upwelling.web.footage.shot_settings import ShotSettings
from upwelling.web.jobs.models import Job, Task
from upwelling.web.jobs.services import request_cancel, running
from upwelling.web.jobs.supervisor import take_over

NO_CAMERA = "No camera, S-Log3/S-Gamut3.Cine"


@pytest.mark.parametrize(
    ("post", "words"),
    [
        ({"size": "12"}, "grid of 12"),
        ({"receiver": "nobody"}, "no receiver"),
        ({"start": "rendering", "end": "input"}, "would end"),
        ({"format": "hald"}, "takes Common LUT Format"),
        ({"carrier": "x", "start": "trim"}, "no encoding named"),
        ({"shaper": "adapted"}, "Common LUT Format"),
    ],
)
def test_bad_requests(shot, as_, post, words):
    answer = as_("tess").post(f"/p/kilnlight/bakes/of/{shot.pk}/start/", {**WISH, **post})
    assert answer.status_code == 422
    assert words in answer.content.decode()
    assert not Bake.objects.exists()


def test_nothing_is_baked_without_an_encoding(shot):
    shot.encoding = ""
    shot.save()
    with pytest.raises(Refused, match="no encoding yet"):
        order_for(shot, WISH)


def test_a_table_is_tested_on_the_hardest_frames_of_its_encoding(shot, upload, production):
    """Colour, highlights and shadows each bring their frame; a raw shot and one of another encoding bring none."""
    ramp = np.linspace(0.3, 0.45, 96)[None, :, None] * np.ones((54, 1, 3))
    for name, code in {
        "plain": ramp,
        "neon": ramp * [1.8, 0.4, 0.3],
        "lamp": ramp * 2.1,
        "cellar": ramp * 0.35,
        "other": ramp * 2.2,
    }.items():
        with tempfile.NamedTemporaryFile(suffix=".dpx") as file:
            write_still(file.name, code, "10")
            upload(f"{name}.dpx", pathlib.Path(file.name).read_bytes())
    production.shots.exclude(name="other").update(encoding="S-Log3/S-Gamut3.Cine")
    production.shots.filter(name="other").update(encoding="V-Log/V-Gamut")
    names = [frame.name for frame in frames_that_test(shot, order_for(shot, WISH))]
    assert names == ["ramp", "neon", "lamp", "cellar"]
    production.shots.filter(name="neon").update(raw_profile={"kind": "x"})
    names = {frame.name for frame in frames_that_test(shot, order_for(shot, WISH))}
    assert names == {"ramp", "lamp", "plain", "cellar"}


def test_a_certificate_of_an_earlier_version_is_kept(shot, as_):
    old = Bake.objects.create(
        production=shot.production,
        shot=shot,
        shot_name="ramp",
        recipe=path_of(shot).model_dump(mode="json"),
        fingerprint="0" * 64,
        size=17,
        file_name="old.cube",
        verdict="holds",
        certificate_json={"upwelling_certificate": 1, "verdict": "holds"},
    )
    page = as_("vera").get(f"/p/kilnlight/bakes/{old.pk}/").content.decode()
    assert "earlier version" in page
    assert as_("vera").get(f"/p/kilnlight/bakes/{old.pk}/certificate.json").json()["upwelling_certificate"] == 1
    assert Path.from_recipe(as_("vera").get(f"/p/kilnlight/bakes/{old.pk}/recipe.json").content)
    assert "earlier version" in as_("vera").get("/p/kilnlight/bakes/").content.decode()


def test_cancel_and_failure_leave_no_file(shot, people, settings, monkeypatch):
    def start():
        with transaction.atomic():
            return services.start_bake(shot, people["tess"], order_for(shot, WISH))

    waiting = start()
    request_cancel(waiting.job)
    services.perform_bake(waiting.pk)
    waiting.job.refresh_from_db()
    assert waiting.job.state == Job.State.CANCELLED

    monkeypatch.setattr("upwelling.web.jobs.services._BETWEEN_SAVES", 0.0)
    going = start()
    Job.objects.filter(pk=going.job.pk).update(cancel_requested=True)
    services.perform_bake(going.pk)
    going.job.refresh_from_db()
    assert (going.job.state, going.job.message) == (Job.State.CANCELLED, "Cancelled; nothing was kept.")

    failing = start()
    monkeypatch.setattr(services, "verify", lambda *a, **k: 1 / 0)
    services.perform_bake(failing.pk)
    failing.job.refresh_from_db()
    assert failing.job.state == Job.State.FAILED
    assert "fault of ours" in failing.job.message
    assert not list(settings.FILES.rglob("*.cube"))
    assert not Bake.objects.exclude(file="").exists()


def test_a_dead_workers_job_waits_again(production, settings):
    job = Job.objects.create(kind="bake", production=production, state=Job.State.RUNNING)
    task = Task.objects.create(kind="bake", key=1, running=True, job=job)
    left = settings.FILES / "packages" / "3" / ".part-x"
    left.mkdir(parents=True)
    (left / "half.cube").write_text("half")
    take_over()
    job.refresh_from_db()
    task.refresh_from_db()
    assert (job.state, task.running) == (Job.State.WAITING, False)
    assert "worker stopped" in job.message
    assert not left.exists()


def test_progress_is_saved(production):
    job = Job.objects.create(kind="bake", production=production)
    with running(job) as progress:
        progress(0.5, "half")
        assert Job.objects.get().as_json()["progress"] == 0.5
    assert Job.objects.get().as_json()["over"]


@pytest.mark.slow
def test_receivers_of_ones_own(shot, as_, baked):
    tess = as_("tess")
    body = {
        "name": "Truck box",
        "note": "rental",
        "formats": ["cube"],
        "grids": "9, 17",
        "most_entries": "1024",
        "interpolation": "trilinear",
        "precision": "10",
        "input_range": "legal",
        "input_depth": "10",
        "output_range": "legal",
        "output_depth": "10",
        "beyond": "held",
    }
    assert tess.post("/p/kilnlight/bakes/receivers/define/", body).status_code == 302
    assert "Truck box" in as_("vera").get("/p/kilnlight/bakes/receivers/?name=Truck box").content.decode()
    assert baked(receiver="Truck box", size="17").bake_order.receiver.precision == 10
    for wrong, words in (
        ({"name": PROGRAM}, "generic receiver"),
        ({"grids": "x"}, "whole numbers"),
        ({"precision": "9"}, "Precision"),
        ({"most_entries": "a"}, "must be a number"),
    ):
        answer = tess.post("/p/kilnlight/bakes/receivers/define/", {**body, **wrong})
        assert answer.status_code == 422
        assert words in answer.content.decode()
    tess.post(f"/p/kilnlight/bakes/receivers/{shot.production.receivers.get().pk}/remove/")
    assert as_("vera").get(f"/p/kilnlight/bakes/{Bake.objects.get().pk}/").status_code == 200


def test_tolerances_that_cannot_be(shot, as_):
    body = {name: "1" for name, _, _ in shot.production.rule_set.tolerances.rows()}
    answer = as_("tess").post("/p/kilnlight/bakes/tolerances/", {**body, "neutral_max": "-1"})
    assert answer.status_code == 422


def package(as_, production, callbacks, **wish):
    with callbacks(execute=True):
        answer = as_("tess").post(
            "/p/kilnlight/bakes/packages/start/",
            {"camera": [NO_CAMERA], "receiver": [RECEIVERS[0].name, "Player"], **wish},
        )
    assert answer.status_code == 302, answer.content.decode()
    return Package.objects.latest("pk")


@pytest.mark.slow
def test_a_package_is_whole(shot, as_, people, django_capture_on_commit_callbacks, tmp_path):
    apply_settings(shot, people["tess"], ShotSettings().with_steps([Exposure(stops=2)]), version=0, label="exposure")
    made = package(as_, shot.production, django_capture_on_commit_callbacks)
    assert made.job.state == Job.State.DONE, made.job.message
    page = as_("vera").get(f"/p/kilnlight/bakes/packages/{made.pk}/").content.decode()
    assert "Monitor box" in page
    data = b"".join(as_("vera").get(f"/p/kilnlight/bakes/packages/{made.pk}/zip/").streaming_content)
    assert hashlib.sha256(data).hexdigest() == made.sha256
    archive = zipfile.ZipFile(io.BytesIO(data))
    names = [name.split("/", 1)[1] for name in archive.namelist()]
    for ending in (
        ".cube",
        "BT.709-BT.1886_64.png",
        ".certificate.json",
        ".recipe.json",
        "chart-3-through-the-lut.png",
        "frame-2-exact.png",
        "README.txt",
        "SHA256SUMS",
    ):
        assert any(name.endswith(ending) for name in names), ending
    archive.extractall(tmp_path)
    root = next(p for p in tmp_path.glob("*to*") if p.is_dir())
    for line in (root / "SHA256SUMS").read_text().splitlines():
        digest, name = line.split("  ", 1)
        assert hashlib.sha256((root / name).read_bytes()).hexdigest() == digest
    table = next(root.rglob("*.cube"))
    assert main(["verify", str(table)]) in (0, 1)
    assert (
        json.loads(next(root.rglob("*.cube.certificate.json")).read_text())["order"]["path"]["layers"][0]["kind"]
        == "look"
    )
    with django_capture_on_commit_callbacks(execute=True):
        as_("tess").post(f"/p/kilnlight/bakes/packages/{made.pk}/again/")
    assert Package.objects.latest("pk").file


@pytest.mark.slow
def test_shots_without_a_camera_stand_apart_by_encoding_and_raw_begins_above_the_input(
    shot, upload, as_, tmp_path, django_capture_on_commit_callbacks
):
    dng.write(
        tmp_path / "S01.dng",
        mosaic_of(scene(54, 96)),
        PROFILE,
        black=512,
        white=15871,
        metadata={"make": "Invented", "model": "Stills"},
    )
    upload("S01.dng", (tmp_path / "S01.dng").read_bytes())
    names = list(model_shots(shot.production))
    assert names == [NO_CAMERA, "No camera, raw"]
    for what, problems in (
        ("display", ["", ""]),
        (
            "input",
            [
                "",
                "No camera, raw for Grading or editing program: S01 is a raw mosaic, and no table can carry its "
                "development. Begin above the Input, in working light.",
            ],
        ),
    ):
        made = package(
            as_, shot.production, django_capture_on_commit_callbacks, camera=names, receiver=[PROGRAM], what=what
        )
        assert [one["problem"] for one in made.contents] == problems
    first = Package.objects.earliest("pk")
    assert "_ACEScct_to_BT.709" in first.contents[1]["file"]


@pytest.mark.slow
def test_a_package_holds_the_smallest_tables_that_hold(shot, as_, django_capture_on_commit_callbacks):
    made = package(as_, shot.production, django_capture_on_commit_callbacks, receiver=[RECEIVERS[0].name, PROGRAM])
    assert [one["verdict"] for one in made.contents] == ["holds", "holds"]
    assert made.contents[0]["said"] == ".cube · 33³ grid, fitted entries"
    assert (made.holding, made.made) == (2, 2)
    assert "2 of 2 tables hold" in read(as_("tess").get(f"/p/{shot.production.slug}/bakes/"))
    strict = {
        "neutral_max": 0.001,
        "picture_p99": 1,
        "picture_max": 3,
        "anywhere_median": 0.5,
        "anywhere_p99": 2,
        "anywhere_max": 12,
    }
    answer = as_("tess").post(
        f"/p/{shot.production.slug}/bakes/tolerances/",
        {f"{field}.{name}": limit for name, limit in strict.items() for field in ("tolerances", "hdr_tolerances")},
    )
    assert answer.status_code == 302
    made = package(as_, shot.production, django_capture_on_commit_callbacks, receiver=[RECEIVERS[0].name])
    assert (made.holding, made.made) == (0, 1)
    assert "Rounding to 10 bit at its output alone" in made.contents[0]["note"]
    assert (
        "Rounding to 10 bit" in as_("tess").get(f"/p/{shot.production.slug}/bakes/packages/{made.pk}/").content.decode()
    )


@pytest.mark.slow
def test_a_package_says_what_could_not_be_made(shot, as_, django_capture_on_commit_callbacks, monkeypatch):
    from upwelling.core.errors import BadValue

    real = packages.order_for
    monkeypatch.setattr(
        packages,
        "order_for",
        lambda s, wish: (
            (_ for _ in ()).throw(BadValue("not this one.")) if wish["receiver"].name == "Player" else real(s, wish)
        ),
    )
    made = package(as_, shot.production, django_capture_on_commit_callbacks)
    assert made.file
    assert [one["problem"] for one in made.contents] == ["", f"{NO_CAMERA} for Player: not this one."]
    monkeypatch.setattr(packages, "order_for", lambda s, wish: (_ for _ in ()).throw(BadValue("none.")))
    made = package(as_, shot.production, django_capture_on_commit_callbacks)
    assert made.job.state == Job.State.FAILED
    assert "Nothing could be made" in made.job.message


@pytest.mark.parametrize(
    ("wish", "words"),
    [
        ({"receiver": []}, "at least one"),
        ({"camera": ["X"]}, "at least one"),
        ({"receiver": ["X"]}, "no receiver"),
        ({"output": "X"}, "no output"),
    ],
)
def test_packages_that_cannot_be(shot, as_, wish, words):
    answer = as_("tess").post(
        "/p/kilnlight/bakes/packages/start/", {"camera": [NO_CAMERA], "receiver": ["Player"], **wish}
    )
    assert answer.status_code == 422
    assert words in answer.content.decode()


KILLED = """
import django; django.setup()
from django.conf import settings
from upwelling.core import bake
import upwelling.core.packages.package as package
from upwelling.web.bakes.packages import perform_package
real = package.verify
def verify(*a, **k):
    print("half", flush=True)
    import time; time.sleep(60)
package.verify = verify
perform_package(int(__import__("sys").argv[1]))
"""


@pytest.mark.slow
@pytest.mark.django_db(transaction=True)
def test_kill_9_in_the_middle_of_a_package_leaves_no_half_file(new_data):
    """A worker process of its own, its own data folder,
    and SIGKILL while a table has been written and is being tested.
    """
    env = {**os.environ, "UPWELLING_DATA": str(new_data), "DJANGO_SETTINGS_MODULE": "upwelling.web.settings"}

    def run(code, *arguments):
        return subprocess.run(
            [sys.executable, "-c", "import django; django.setup()\n" + code, *arguments],
            env=env,
            capture_output=True,
            text=True,
            check=True,
            timeout=120,
        ).stdout

    made = run("""
import numpy as np
from pathlib import Path
from django.conf import settings
from upwelling.core.media import write_still
from upwelling.web.bakes.packages import start_package
from upwelling.web.footage.shots import bring_in
from upwelling.web.productions.services import create_production
from django.contrib.auth.models import User
user = User.objects.create_user("t")
production = create_production(user, "Kilnlight")
settings.FILES.mkdir(parents=True, exist_ok=True)
place = settings.FILES / "a.dpx"
write_still(place, np.full((40, 60, 3), 0.4, np.float32), "10")
bring_in(production, user, "a.dpx", place, encoding_name="S-Log3/S-Gamut3.Cine")
print(start_package(production, user, output="", receivers=["Camera"], cameras=["No camera, S-Log3/S-Gamut3.Cine"]).pk)
""").strip()
    worker = subprocess.Popen([sys.executable, "-c", KILLED, made], env=env, stdout=subprocess.PIPE, text=True)
    assert worker.stdout.readline().strip() == "half"
    written = list((new_data / "files" / "packages").rglob("*.cube"))
    assert written
    worker.send_signal(signal.SIGKILL)
    worker.wait(timeout=20)
    said = run("""
from upwelling.web.bakes import tasks
from upwelling.web.bakes.models import Package
from upwelling.web.jobs.models import Task
from upwelling.web.jobs.supervisor import take_over
from upwelling.web.jobs.work import run
take_over()
row = Package.objects.get()
print(row.job.state, repr(row.file), row.job.message)
run(Task.objects.get().pk)
row = Package.objects.get()
print(row.job.state, bool(row.file))
""")
    assert said.splitlines()[0] == "waiting '' Begun again: the worker stopped"
    assert said.splitlines()[-1] == "done True"
    assert list((new_data / "files").rglob("*.zip"))
    assert not list((new_data / "files").rglob(".part-*"))
