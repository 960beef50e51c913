"""Folders with names of every kind: numbered stills, and what is no UTF-8."""

import os

from tests.web.test_intake import LIGHT
from upwelling.core.media import write_still
from upwelling.core.simulate.camera import A_CAM
from upwelling.web.footage import arrivals


def test_numbered_stills_become_a_sequence(settings, production, people, django_capture_on_commit_callbacks):
    folder = settings.MEDIA_FOLDER / "seq"
    folder.mkdir()
    for number in (1, 2, 3, 5, 6):
        write_still(folder / f"A.{number:04d}.dpx", A_CAM.shoot(LIGHT, seed=number))
    with django_capture_on_commit_callbacks(execute=True):
        arrivals.register_folders(production, people["tess"], ["seq"])
    shot = production.shots.get()
    assert (shot.kind, shot.frames, shot.frame) == ("sequence", 5, 2)
    assert any("missing: 4" in note for note in shot.notes)
    assert shot.footage.frame(4).width == 96


def test_names_that_are_no_utf8_are_listed_and_refused_and_break_nothing(production, still, as_, settings):
    """Latin-1 names from an old disk: Intake opens, the folder can be chosen, and each file says what to do."""
    root = settings.MEDIA_FOLDER
    (root / os.fsdecode(b"caf\xe9")).mkdir()
    for name in (b"caf\xe9/A001.dpx", b"\xff.dpx"):
        (root / os.fsdecode(name)).write_bytes(still)
    tess = as_("tess")
    page = tess.get("/p/kilnlight/intake/")
    assert page.status_code == 200
    assert "caf\\xe9" in page.content.decode()
    for folder in ("caf\\xe9", "."):
        assert tess.post("/p/kilnlight/intake/register/", {"folder": folder}).status_code == 302
    said = tess.get("/p/kilnlight/intake/progress/").json()["arrivals"]
    assert {one["name"] for one in said} == {"A001.dpx", "\\xff.dpx"}
    assert all("not UTF-8" in one["message"] for one in said)
    assert not production.shots.exists()
