"""What nobody owns is swept when it is old; what somebody owns, or is new, stays. And pages without a worker."""

import datetime
import os
import time
from pathlib import Path

import numpy as np
import pytest
from django.utils import timezone

from upwelling.core.lut import Lut3D, lattice
from upwelling.core.tables.files import write_lut
from upwelling.web.bakes import tasks as bake_tasks
from upwelling.web.bakes.leftovers import bakes_without_shots
from upwelling.web.bakes.models import Bake, Package
from upwelling.web.footage import arrivals
from upwelling.web.footage import tasks as footage_tasks
from upwelling.web.footage.models import Arrival, Shot
from upwelling.web.jobs import supervisor
from upwelling.web.jobs.models import Job, Task
from upwelling.web.jobs.sweeping import sweep
from upwelling.web.luts import tasks as lut_tasks
from upwelling.web.luts.services import bring_in_lut

SWEPT = (bake_tasks, footage_tasks, lut_tasks)
"""Importing them registers what finds leftovers."""


@pytest.fixture
def old(settings, tmp_path):
    """Makes a file, or a folder with one, that is two hours old."""
    settings.DATA = tmp_path

    def made(relative, age=7200):
        place = settings.FILES / relative if not relative.startswith("spool") else tmp_path / relative
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_text("left")
        for one in (place, place.parent):
            os.utime(one, (time.time() - age,) * 2)
        return place

    return made


def test_leftovers_go_by_age_and_ownership(production, shot, people, old, settings):
    write_lut(Lut3D(lattice(3).astype(np.float32)), settings.FILES / "own.cube")
    table = bring_in_lut(production, people["tess"], "own.cube", settings.FILES / "own.cube")
    bake = Bake.objects.create(production=production, shot=shot, size=9, file_name="a.cube", fingerprint="x")
    package = Package.objects.create(production=production, output="sRGB", file_name="a.zip")
    waiting = old("incoming/upload-waits.dpx")
    Arrival.objects.create(production=production, name="w", place="incoming/upload-waits.dpx")
    mine = [
        shot.disk_path,
        table.disk_path,
        waiting,
        old(f"bakes/{bake.pk}/a.cube"),
        old(f"packages/{package.pk}/a.zip"),
        old(f"thumbnails/{shot.sha256[:2]}/{shot.sha256[:24]}-1.jpg"),
        old("incoming/upload-new.dpx", age=60),
    ]
    for place in (shot.disk_path, table.disk_path):
        os.utime(place, (0, 0))
    gone = [
        old("incoming/upload-cut.dpx"),
        old("footage/ab/abcd.dpx"),
        old("luts/ab/abcd.cube"),
        old("bakes/987/b.cube"),
        old("packages/987/b.zip"),
        old("thumbnails/ab/abcd-1.jpg"),
        old("working/ab/abcd-1.npy"),
        old("spool/body"),
    ]
    sweep()
    assert [place.name for place in mine if not place.exists()] == []
    assert [place.name for place in gone if place.exists()] == []
    Shot.objects.all().delete()
    sweep()
    assert not mine[0].exists()


def test_bakes_of_removed_shots_are_kept_a_while(production, shot, settings):
    made = Bake.objects.create(production=production, shot=shot, size=9, file_name="a.cube", fingerprint="x")
    Shot.objects.all().delete()
    assert bakes_without_shots() == 0
    made.refresh_from_db()
    assert made.without_shot_since is not None
    Bake.objects.update(without_shot_since=timezone.now() - datetime.timedelta(days=settings.KEEP_DAYS - 1))
    assert bakes_without_shots() == 0
    Bake.objects.update(without_shot_since=timezone.now() - datetime.timedelta(days=settings.KEEP_DAYS + 1))
    assert bakes_without_shots() == 1


def test_a_page_says_that_no_worker_runs(production, as_, settings, tmp_path):
    settings.WORK_AT_ONCE, settings.DATA = False, tmp_path
    job = Job.objects.create(kind="bake", production=production)
    assert not supervisor.worker_runs()
    assert "No worker runs" in as_("tess").get(f"/jobs/{job.pk}/").json()["message"]
    assert "No worker runs" in as_("tess").get("/p/kilnlight/intake/progress/").json()["trouble"]
    import fcntl

    with supervisor.lock_file().open("a") as held:
        fcntl.flock(held, fcntl.LOCK_EX)
        assert supervisor.worker_runs()
        assert as_("tess").get("/p/kilnlight/intake/progress/").json()["trouble"] == ""


def test_an_arrival_is_stopped_and_its_file_goes(production, people, as_, settings, django_capture_on_commit_callbacks):
    settings.WORK_AT_ONCE = False
    place = settings.FILES / "incoming" / "upload-1.dpx"
    place.parent.mkdir(parents=True)
    place.write_text("x")
    row = arrivals.hand_in(production, people["tess"], "a.dpx", place)
    assert row.place == "incoming/upload-1.dpx"
    assert Task.objects.filter(kind="arrival", key=row.pk).exists()
    with django_capture_on_commit_callbacks(execute=True):
        as_("tess").post("/p/kilnlight/intake/dismiss/", {"arrival": row.pk})
    assert not Arrival.objects.exists()
    assert not Task.objects.exists()
    assert not place.exists()


def test_a_full_disk_keeps_the_file_for_another_time(production, people, settings, still, monkeypatch):
    settings.WORK_AT_ONCE = False
    place = settings.FILES / "incoming" / "upload-1.dpx"
    place.parent.mkdir(parents=True)
    place.write_bytes(still)
    row = arrivals.hand_in(production, people["tess"], "a.dpx", place)

    def full(*_, **__):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(arrivals, "make_thumbnails", full)
    with pytest.raises(OSError, match="No space"):
        arrivals.look_at(row.pk)
    assert place.exists()
    monkeypatch.undo()
    settings.WORK_AT_ONCE = False
    arrivals.look_at(row.pk)
    row.refresh_from_db()
    assert row.state in ("done", "here")
    assert row.shot == production.shots.get()
    assert not Path(place).exists()


@pytest.mark.parametrize("listed", [150, 350])
def test_the_list_of_arrivals_is_bounded(production, as_, listed):
    Arrival.objects.bulk_create(
        Arrival(production=production, name=f"f{n}", place="x", state="done") for n in range(listed)
    )
    Arrival.objects.create(production=production, name="under way", place="x", state="probing")
    said = as_("tess").get("/p/kilnlight/intake/progress/").json()
    assert len(said["arrivals"]) == min(listed + 1, 200)
    assert said["arrivals"][0]["name"] == "under way"
    assert said["more"] == max(listed + 1 - 200, 0)
