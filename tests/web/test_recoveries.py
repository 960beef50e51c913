"""Recovering a table from two stills: in the background, kept with its evidence and with what of it was seen."""

from functools import partial

import cv2
import numpy as np
import pytest
from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile

from upwelling.core import engine
from upwelling.core.media import write_still
from upwelling.core.path import Path
from upwelling.core.recovery import recover_named
from upwelling.core.simulate.camera import A_CAM
from upwelling.core.simulate.shipped import shipped
from upwelling.web.jobs.models import Job
from upwelling.web.jobs.sweeping import SWEEPS
from upwelling.web.luts import leftovers, recoveries
from upwelling.web.luts.models import ImportedLut, Recovery
from upwelling.web.luts.recoveries import seen_of

PAGE = "/p/kilnlight/luts/recover/"


@pytest.fixture(autouse=True)
def _coarse(monkeypatch):
    """How well tables are recovered is for tests/core to show."""
    monkeypatch.setattr(recoveries, "recover_named", partial(recover_named, size=13))


@pytest.fixture
def stills(tmp_path):
    """A frame of the A-cam and what television shows of it."""
    light = cv2.resize(shipped("Colour store"), (480, 270), interpolation=cv2.INTER_AREA)
    code = A_CAM.shoot(light, seed=3).astype(np.float32)
    path = Path.checked({"input": {"encoding": A_CAM.encoding_name}, "display": {"output": "BT.709 BT.1886"}})
    made = {"before": code, "after": engine.run(engine.compile_operations(path.operations()), code)}
    for name, codes in made.items():
        write_still(tmp_path / f"{name}.tif", np.clip(codes, 0, 1), "16")
    return {name: (tmp_path / f"{name}.tif").read_bytes() for name in made}


def send(client, hooks, stills, **more):
    files = {side: SimpleUploadedFile(f"{side}.tif", data) for side, data in stills.items()}
    with hooks(execute=True):
        said = client.post(PAGE, {**files, **more}, follow=True).content.decode()
    return said + client.get("/p/kilnlight/looks/").content.decode()


def test_a_table_is_recovered_kept_and_shown(stills, as_, production, django_capture_on_commit_callbacks):
    said = send(as_("tess"), django_capture_on_commit_callbacks, stills, name="Festival, as shown")
    assert "is being recovered" in said
    row = Recovery.objects.get()
    assert (row.job.state, row.job.message) == ("done", "Done")
    lut = ImportedLut.objects.get()
    assert (row.lut, lut.name, lut.is_declared) == (lut, "Festival, as shown.cube", False)
    assert "S-Log3/S-Gamut3.Cine to BT.709 BT.1886" in lut.recovered["said"][1]
    seen = seen_of(lut)
    assert 0.02 < seen.mean() < 0.5
    assert f"{seen.mean() * 100:.1f} % of the cube was seen" in lut.recovered["said"][2]
    page = as_("vera").get(f"/p/kilnlight/luts/{lut.pk}/").content.decode()
    assert "From before.tif and after.tif." in page
    assert "striped where the pictures had no such colour" in page
    assert list((settings.FILES / "recoveries").iterdir()) == [], "the stills are let go"
    assert "already here" in send(as_("tess"), django_capture_on_commit_callbacks, stills, name="Again") or (
        Recovery.objects.first().job.state == "failed"
    )


def test_what_cannot_be_recovered_says_why(stills, as_, production, django_capture_on_commit_callbacks):
    hooks, tess = django_capture_on_commit_callbacks, as_("tess")
    assert as_("vera").post(PAGE, {}).status_code == 403
    assert "Choose two stills" in send(tess, hooks, {"before": stills["before"]})
    for other, words in ((b"no picture", "after.tif is not a still"), (stills["before"][:5000], "after.tif")):
        page = send(tess, hooks, {**stills, "after": other})
        assert Recovery.objects.first().job.state == "failed"
        assert words in page
        assert "Traceback" not in page
    grey = np.full((270, 480, 3), 0.5, np.float32)
    place = settings.FILES / "grey.tif"
    write_still(place, grey, "16")
    flat = place.read_bytes()
    assert "too few colours" in send(tess, hooks, {"before": flat, "after": flat})
    assert ImportedLut.objects.count() == 0


def test_stills_of_dead_work_are_swept(production):
    assert leftovers.stills_of_recoveries in SWEEPS
    job = Job.objects.create(kind="recover", production=production, state="done")
    row = Recovery.objects.create(production=production, name="x", before_name="a", after_name="b", job=job)
    (settings.FILES / "recoveries").mkdir(parents=True)
    for name in (f"{row.pk}-before", "99-after"):
        (settings.FILES / "recoveries" / name).write_bytes(b"x")
    assert {place.name for place in leftovers.stills_of_recoveries()} == {f"{row.pk}-before", "99-after"}
    Job.objects.update(state="running")
    assert {place.name for place in leftovers.stills_of_recoveries()} == {"99-after"}
