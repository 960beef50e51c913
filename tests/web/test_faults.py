"""Faults found by reading the code, each with the order of events that showed it."""

import threading
from types import SimpleNamespace

import numpy as np
import pytest
from django.db import connection

from upwelling.core.lut.carried import _KEPT, CarriedLut, _unpacked
from upwelling.core.lut.table import Lut3D
from upwelling.core.media import Damaged, Movie
from upwelling.core.media.movie_write import write_movie
from upwelling.core.packages.package import _homes
from upwelling.core.path import Display, Input, Layer, Path, RenderingStage
from upwelling.core.path.fingerprint import fingerprint_of
from upwelling.core.steps import Contrast, Exposure
from upwelling.web.bench.motion_views import _pictures
from upwelling.web.footage import splits
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.look_services import create_look
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.jobs.models import Job
from upwelling.web.jobs.services import request_cancel, running


def test_a_cancel_between_load_and_start_is_kept(production):
    """The worker has read the job; then someone cancels; then the work begins: it ends at its first word."""
    job = Job.objects.create(kind="bake", production=production)
    read = Job.objects.get(pk=job.pk)
    request_cancel(job)
    done = []
    with running(read) as progress:
        progress(0.1, "begun")
        done.append("further")
    job.refresh_from_db()
    assert (job.state, job.cancel_requested, done) == (Job.State.CANCELLED, True, [])


def test_a_cancel_while_it_runs_is_not_overwritten(production):
    job = Job.objects.create(kind="bake", production=production)
    read = Job.objects.get(pk=job.pk)
    Job.objects.filter(pk=job.pk).update(cancel_requested=True)
    with running(read) as progress:
        progress(1.0, "late")
    job.refresh_from_db()
    assert job.state == Job.State.CANCELLED


def test_cameras_whose_names_make_one_file_name(tmp_path):
    items = [
        SimpleNamespace(folder=(camera, receiver))
        for camera, receiver in (
            ("A cam", "X 1"),
            ("A-cam", "X 1"),
            ("a cam", "X-1"),
            ("A cam", "X-1"),
            ("Ä cam", "X 1"),
        )
    ]
    homes = _homes(items, tmp_path)
    assert len({str(home).lower() for home in homes}) == 5
    assert homes[0].parent == homes[3].parent


@pytest.mark.parametrize("name", ["Schmelzöfen", "窯の光", 'a"b', "plain"])
def test_names_of_downloads(name, production, as_):
    """RFC 6266: a name that is not ASCII travels encoded; nothing is garbled or breaks the header."""
    look = create_look(production, None, name, (Exposure(id="exposure", stops=1),), "")
    header = as_("tess").get(f"/p/kilnlight/looks/{look.pk}/look.json")["Content-Disposition"]
    assert header.isascii()
    assert header.startswith("attachment; filename")
    assert "=?" not in header
    assert ("filename*=utf-8''" in header) is not name.isascii()


def test_splitting_decodes_outside_the_transaction(upload, production, people, tmp_path, monkeypatch):
    """What decodes for seconds must not hold the one lock for writing that SQLite has."""
    write_movie(
        tmp_path / "m.mov", [np.full((48, 64, 3), v) for v in (0.2, 0.2, 0.2, 0.2, 0.7, 0.7, 0.7, 0.7)], "prores-422"
    )
    upload("m.mov", (tmp_path / "m.mov").read_bytes())
    movie, seen, before = Shot.objects.get(kind="movie"), [], splits.looked_at
    depth = len(connection.savepoint_ids)
    monkeypatch.setattr(splits, "looked_at", lambda *args: seen.append(len(connection.savepoint_ids)) or before(*args))
    made = splits.split(movie, people["tess"], [4])
    assert [(part.first_frame, part.frames) for part in made] == [(0, 4), (4, 4)]
    assert seen == [depth, depth]


def test_a_carried_table_is_read_by_many_threads():
    tables = [CarriedLut.of(Lut3D(np.full((2, 2, 2, 3), v, np.float32)), f"t{v}") for v in np.linspace(0, 1, 24)]
    wrong = []

    def work():
        for _ in range(40):
            for i, table in enumerate(tables):
                try:
                    if abs(float(table.lut().table[0, 0, 0, 0]) - i / 23) > 1e-6:
                        wrong.append(i)
                except Exception as error:  # any kind is the fault looked for
                    wrong.append(error)

    threads = [threading.Thread(target=work) for _ in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert wrong == []
    assert sum(size for _, size in _unpacked.values()) <= _KEPT


REST = Path(input=Input(encoding="S-Log3/S-Gamut3.Cine"), display=Display(output="BT.709 BT.1886"))
LIFTED = Exposure(stops=1)


@pytest.mark.parametrize(
    "changed",
    [
        {"trim": Layer(steps=(LIFTED.model_copy(update={"on": False}),))},
        {"trim": Layer(steps=(Exposure(), Contrast()))},
        {"trim": Layer(steps=(LIFTED,), on=False)},
        {"trim": Layer(steps=(LIFTED.model_copy(update={"strength": 0.0}),))},
        {"look": Layer(steps=(LIFTED,), strength=0.0)},
        {"look": Layer(steps=(LIFTED,), on=False)},
        {"trim": Layer(steps=(LIFTED.model_copy(update={"output": "sRGB"}),))},
        {"trim": Layer(on=False)},
        {"look": Layer(on=False)},
        {"look": Layer(name="named")},
    ],
)
def test_what_does_not_act_is_not_in_the_fingerprint(changed):
    """A table does not go stale for a step that is off or at rest; fingerprints from before are still known."""
    path = REST.with_layers(**changed)
    assert path.fingerprint == REST.fingerprint
    assert path.is_marked(fingerprint_of(path, only_acting=False))
    assert not path.is_marked(REST.with_layers(trim=Layer(steps=(LIFTED,))).fingerprint)


@pytest.mark.parametrize(
    "changed",
    [
        {"trim": Layer(steps=(LIFTED,))},
        {"look": Layer(steps=(LIFTED,))},
        {"look": Layer(steps=(LIFTED,), strength=0.5)},
    ],
)
def test_what_acts_is_in_the_fingerprint(changed):
    assert REST.with_layers(**changed).fingerprint != REST.fingerprint
    assert REST.model_copy(update={"rendering": RenderingStage(on=False)}).fingerprint != REST.fingerprint


def test_a_movie_with_damage_in_the_middle(upload, as_, tmp_path):
    """It comes in with the remark and stands on a whole frame; the Bench gives the sentence for the broken one, and
    pictures for the others.
    """
    write_movie(
        tmp_path / "m.mkv",
        [np.full((48, 64, 3), v) for v in np.linspace(0.2, 0.7, 9)],
        "ffv1-10",
        options={"g": "1", "slicecrc": "1"},
    )
    data = bytearray((tmp_path / "m.mkv").read_bytes())
    index = Movie(tmp_path / "m.mkv").index
    data[int(index.pos[4] + index.size[4] // 2)] ^= 16
    upload("m.mkv", bytes(data))
    shot = Shot.objects.get(kind="movie")
    assert shot.frame == 8
    tess = as_("tess")
    assert "Frame 4 is damaged (its checksum is wrong)." in tess.get("/p/kilnlight/intake/").content.decode()
    assert tess.get(f"/p/kilnlight/bench/{shot.pk}/").status_code == 200
    frame_of(shot, 3)
    with pytest.raises(Damaged, match=r"m\.mkv: frame 4 is damaged"):
        frame_of(shot, 4)
    assert tess.get(f"/p/kilnlight/bench/{shot.pk}/filmstrip/").status_code == 200
    shot.encoding = "sRGB/BT.709"
    pictures = _pictures(shot, path_of(shot), [3, 4, 5], 64)
    assert [len(np.unique(picture)) for picture in pictures] == [1, 2, 1]
