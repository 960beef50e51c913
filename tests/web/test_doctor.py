"""What the doctor finds in a data folder that something was done to, and that a sound one has nothing wrong."""

from datetime import timedelta
from pathlib import Path

import pytest
from django.conf import settings as conf
from django.db import connection
from django.utils import timezone

from upwelling.web.bakes.models import Bake, Package
from upwelling.web.care import doctor
from upwelling.web.care.doctor import examine
from upwelling.web.footage.models import Shot
from upwelling.web.jobs.models import Job
from upwelling.web.jobs.work import LANES


def words(**how):
    return [one.what for one in examine(**how)]


def test_a_sound_folder_has_nothing_wrong(shot):
    assert words(hashes=True) == []


def test_footage_that_changed_or_went_is_named(shot):
    place = Shot.objects.get().disk_path
    place.chmod(0o600)
    place.write_bytes(place.read_bytes() + b"x")
    assert words() == []
    (found,) = examine(hashes=True)
    assert (found.grave, "SHA-256 differs" in found.what) == (True, True)
    place.unlink()
    (found,) = examine()
    assert f"{place.name} is not at" in found.what
    assert "backup" in found.do
    Shot.objects.update(registered=True, members=["gone/a.dpx", "gone/b.dpx"])
    (found,) = examine()
    assert "and 1 more" in found.what
    assert "media folder" in found.do


def test_what_was_made_and_is_gone_is_named(shot, production):
    Bake.objects.create(production=production, size=17, file="bakes/1/a.cube", file_name="a.cube", fingerprint="x")
    Package.objects.create(production=production, output="x", file="packages/1/p.zip", file_name="p.zip")
    assert [line.split(" of")[0].rstrip(".") for line in words()] == ["The table a.cube", "The package p.zip is gone"]


def test_orphans_late_work_and_no_worker_are_named(shot, production, settings, tmp_path):
    folder = Path(conf.FILES) / "bakes" / "99"
    folder.mkdir(parents=True)
    Job.objects.create(
        production=production, kind="bake", state=Job.State.RUNNING, started=timezone.now() - timedelta(days=1)
    )
    settings.WORK_AT_ONCE = False
    settings.DATA = tmp_path
    found = {one.what: one for one in examine()}
    assert any("belong to nothing" in what for what in found)
    assert any("has run since" in what for what in found)
    assert sum("does not run; 1 pieces" in what and one.grave for what, one in found.items()) == len(LANES)


def test_a_full_disk_is_named(shot, settings, monkeypatch):
    usage = type("Usage", (), {"free": 100})
    monkeypatch.setattr(doctor.shutil, "disk_usage", lambda place: usage)
    found = list(examine())
    assert found
    assert all("left; uploads stop" in one.what and one.grave for one in found)


@pytest.mark.django_db(transaction=True)
def test_rows_that_name_others_that_are_gone_are_named(shot):
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA foreign_keys = OFF")
        cursor.execute("UPDATE footage_shot SET camera_id = 987654")
        found = words()
        cursor.execute("UPDATE footage_shot SET camera_id = NULL")
        cursor.execute("PRAGMA foreign_keys = ON")
    assert any("name others that are gone" in what for what in found)
