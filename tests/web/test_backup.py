"""Backups while people save, restored elsewhere: no acknowledged save missing, each file as it was, work queued."""

import os
import shutil
import sqlite3
import subprocess
import sys
import threading
from contextlib import closing
from pathlib import Path

import pytest

from upwelling.cli.main import main
from upwelling.core.errors import BadValue
from upwelling.web.common.backup import back_up, restore


@pytest.fixture
def data(tmp_path):
    folder = tmp_path / "data"
    (folder / "files" / "luts").mkdir(parents=True)
    (folder / "files" / "luts" / "a.cube").write_text("a table")
    (folder / "files" / "luts" / "b.cube").write_text("a table")
    (folder / "files" / "working").mkdir()
    (folder / "files" / "working" / "x.npy").write_text("made again")
    (folder / "files" / ".part-x").write_text("half")
    (folder / "secret").write_text("s" * 50)
    with closing(sqlite3.connect(folder / "upwelling.sqlite3")) as database:
        database.execute("PRAGMA journal_mode=WAL")
        database.execute("CREATE TABLE saved (number INTEGER)")
        database.commit()
    return folder


def test_no_acknowledged_save_is_missing_from_fifty_copies(data, tmp_path):
    acknowledged, stop = [0], threading.Event()

    def save():
        with closing(sqlite3.connect(data / "upwelling.sqlite3", timeout=20)) as database:
            while not stop.is_set():
                database.execute("INSERT INTO saved VALUES (?)", (acknowledged[0] + 1,))
                database.commit()
                acknowledged[0] += 1

    writer = threading.Thread(target=save)
    writer.start()
    try:
        for _ in range(50):
            before = acknowledged[0]
            made = back_up(data, data / "files", tmp_path / "backups")
            with closing(sqlite3.connect(made.place / "upwelling.sqlite3")) as copy:
                (last, count) = copy.execute("SELECT max(number), count(*) FROM saved").fetchone()
            assert (last or 0) >= before
            assert (last or 0) == count  # a whole state: nothing in between is missing
    finally:
        stop.set()
        writer.join()
    assert acknowledged[0] > 50
    assert len(list((tmp_path / "backups" / "objects").rglob("*"))) == 2  # one content, in its folder, for all fifty


def test_what_is_restored_is_what_was(data, tmp_path):
    made = back_up(data, data / "files", tmp_path / "backups")
    assert (made.files, made.new) == (2, 1)
    back = restore(made.place, tmp_path / "elsewhere")
    assert back.files == 2
    assert (tmp_path / "elsewhere" / "secret").read_text() == "s" * 50
    names = {str(p.relative_to(tmp_path / "elsewhere")) for p in (tmp_path / "elsewhere").rglob("*") if p.is_file()}
    assert names == {"secret", "upwelling.sqlite3", "files/luts/a.cube", "files/luts/b.cube"}
    with pytest.raises(BadValue, match="holds a database already"):
        restore(made.place, tmp_path / "elsewhere")


@pytest.mark.parametrize(
    ("harm", "words"),
    [
        (lambda b: (b / "manifest.json").unlink(), "is no backup"),
        (lambda b: (b / "manifest.json").write_text("[" * 9999), "is no backup"),
        (lambda b: (b / "manifest.json").write_text('{"upwelling_backup": 9, "files": {}}'), "another version"),
        (
            lambda b: (b / "manifest.json").write_text('{"upwelling_backup": 1, "files": {"../x": [1, "ab"]}}'),
            "outside",
        ),
        (
            lambda b: next(p for p in (b.parent / "objects").rglob("*") if p.is_file()).write_text("other"),
            "hash differs",
        ),
        (lambda b: shutil.rmtree(b.parent / "objects"), "missing"),
    ],
)
def test_a_damaged_backup_is_refused_and_nothing_is_made_of_it(data, tmp_path, harm, words):
    made = back_up(data, data / "files", tmp_path / "backups")
    harm(made.place)
    with pytest.raises(BadValue, match=words):
        restore(made.place, tmp_path / "elsewhere")
    assert not (tmp_path / "elsewhere" / "upwelling.sqlite3").exists()


def test_a_damaged_or_missing_database_is_said(data, tmp_path, settings, capsys):
    (data / "upwelling.sqlite3").unlink()
    settings.DATA, settings.FILES = data, data / "files"
    assert main(["backup", str(tmp_path / "backups")]) == 2
    assert "no database" in capsys.readouterr().err
    (data / "upwelling.sqlite3").touch()
    with pytest.raises(BadValue, match="among the files"):
        back_up(data, data / "files", data / "files" / "backups")


_SEED = """
from django.conf import settings
from django.contrib.auth.models import User
from upwelling.web.footage.arrivals import hand_in
from upwelling.web.productions.services import create_production
import shutil
user = User.objects.create_user("tess")
production = create_production(user, "Kilnlight")
(settings.FILES / "incoming").mkdir(parents=True)
shutil.copyfile("%s", settings.FILES / "incoming" / "upload-1.dpx")
hand_in(production, user, "ramp.dpx", settings.FILES / "incoming" / "upload-1.dpx")
"""
_WORK = """
from upwelling.web.footage import tasks
from upwelling.web.footage.models import Shot
from upwelling.web.footage.frames import frame_of
from upwelling.web.jobs.models import Task
from upwelling.web.jobs.work import run
run(Task.objects.get().pk)
print("width", frame_of(Shot.objects.get()).width)
"""


@pytest.mark.slow
def test_queued_work_goes_on_in_a_folder_elsewhere(still, new_data, tmp_path):
    (tmp_path / "ramp.dpx").write_bytes(still)

    def run(folder, *words):
        environment = {**os.environ, "UPWELLING_DATA": str(folder), "DJANGO_SETTINGS_MODULE": "upwelling.web.settings"}
        command = [sys.executable, "-m", *words]
        return subprocess.run(command, env=environment, check=True, timeout=120, capture_output=True, text=True).stdout

    old, new = new_data, tmp_path / "new"
    run(old, "upwelling.web.manage", "shell", "-v0", "-c", _SEED % (tmp_path / "ramp.dpx"))
    backups = tmp_path / "backups"
    assert "1 file," in run(old, "upwelling.cli.main", "backup", str(backups))
    (made,) = [place for place in backups.iterdir() if place.name != "objects"]
    run(new, "upwelling.cli.main", "restore", str(made))
    shutil.rmtree(old)
    assert "width 96" in run(new, "upwelling.web.manage", "shell", "-v0", "-c", _WORK)
    modes = {oct(place.stat().st_mode & 0o777) for place in new.rglob("*")}
    assert modes <= {"0o600", "0o700"}, [str(p) for p in new.rglob("*") if p.stat().st_mode & 0o077]
    assert Path(new).stat().st_mode & 0o777 == 0o700
