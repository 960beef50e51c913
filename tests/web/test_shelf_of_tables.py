"""The shelf of tables: found, tagged, declared together, shown on a frame, put on a shot, stacked, kept."""

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from tests.web.pages import read
from tests.web.test_looks import P, shots, table
from upwelling.core import engine
from upwelling.core.bake import BakeOrder
from upwelling.core.errors import BadValue
from upwelling.core.lut import Lut3D, lattice
from upwelling.core.lut.formats.cube import format_cube
from upwelling.core.path import Layer, Path
from upwelling.core.steps import LutStep, Saturation
from upwelling.web.bakes.orders import order_for
from upwelling.web.footage.history import apply_settings
from upwelling.web.footage.look_models import Look
from upwelling.web.footage.models import Shot, ShotState
from upwelling.web.footage.paths import path_of
from upwelling.web.luts import kept_tables
from upwelling.web.luts.models import ImportedLut, KeptTable

__all__ = ["shots"]

AT = "/p/kilnlight/tables/"
LOG = {"expects": "ACEScct/AP1", "gives": "ACEScct/AP1", "gives_range": "full"}


@pytest.fixture
def tables(shots, as_):
    """Three: two for a trim, one from a log curve to a display."""
    for name, power in (("warm.cube", 1.1), ("film.cube", 1.3), ("other.cube", 0.9)):
        file = SimpleUploadedFile(name, format_cube(table(17, power)).encode())
        as_("tess").post(
            "/p/kilnlight/luts/bring-in/", {"file": file, "tags": "prints"}, headers={"Accept": "application/json"}
        )
    return list(ImportedLut.objects.order_by("name"))


def test_found_tagged_and_declared_together(tables, shots, as_):
    film, other, warm = tables
    assert [row.tags for row in tables] == ["prints"] * 3
    tess = as_("tess")
    tess.post(f"{AT}declare/", {"table": [film.pk, warm.pk], **LOG})
    tess.post(f"{AT}declare/", {"table": [warm.pk], "what": "tag", "tags": "Evening, kiln prints"})
    warm.refresh_from_db()
    assert warm.tags == "prints evening kiln"
    for asked, found in (
        ("", {"film", "other", "warm"}),
        ("?tag=kiln", {"warm"}),
        ("?find=fil", {"film"}),
        ("?find=evening", {"warm"}),
        ("?state=undeclared", {"other"}),
        ("?state=step", {"film", "warm"}),
        ("?state=display", set()),
    ):
        page = read(as_("vera").get(AT + asked))
        assert {name for name in ("film", "other", "warm") if f"{name}.cube</a>" in page} == found, asked
    assert "The chosen tables" not in read(as_("vera").get(AT))
    for name, words in ((film, "image/jpeg"), (other, "no declared spaces")):
        answer = tess.get(f"{AT}{name.pk}/picture/?shot={shots[0].pk}")
        assert words in (answer.headers["Content-Type"] if answer.status_code == 200 else answer.content.decode())
    display = {"expects": "S-Log3/S-Gamut3.Cine", "gives": "BT.709 BT.1886", "gives_range": "full"}
    tess.post(f"{AT}declare/", {"table": [other.pk], **display})
    assert "As a rendering" in read(tess.get(AT))
    assert tess.get(f"{AT}{other.pk}/picture/").status_code == 200
    tess.post(f"{AT}declare/", {"table": [other.pk], **display, "expects": "BT.709 BT.1886"})
    assert "Over the rendering" in read(tess.get(AT))
    assert tess.get(f"{AT}{other.pk}/picture/").status_code == 200


def test_one_press_puts_a_table_on_a_shot_and_the_trim_names_it_alone(tables, shots, as_, people):
    """Kept once however many states; the path, its recipe, a bake and a Look have it whole; it stays when the table is
    taken off the list; the same numbers as a Look of it.
    """
    tess, shot = as_("tess"), shots[0]
    tess.post(f"{AT}declare/", {"table": [row.pk for row in tables], **LOG})
    film, _, warm = ImportedLut.objects.order_by("name")
    bare = path_of(shot)
    for row, percent in ((warm, "20"), (film, "40")):
        page = read(tess.post(f"{AT}{row.pk}/on-shot/", {"shot": shot.pk, "strength": percent}, follow=True))
    assert "<li>warm, 20 %</li><li>film, 40 %</li>" in page
    assert read(tess.get(f"{AT}?sort=used")).index("film.cube</a>") < read(tess.get(f"{AT}?sort=used")).index(
        "warm.cube"
    )
    state = ShotState.objects.filter(shot=shot).latest("position")
    assert len(str(state.settings)) < 20_000
    assert KeptTable.objects.count() == 2
    fresh = Shot.objects.get(pk=shot.pk)
    path = path_of(fresh)
    steps = path.layer("trim").steps[-2:]
    assert [step.strength for step in steps] == [0.2, 0.4]
    code = np.random.default_rng(3).uniform(0.1, 0.8, (50, 3))
    asked = [LutStep(id=f"l{n}", lut=row.declared, strength=s) for n, (row, s) in enumerate(((warm, 0.2), (film, 0.4)))]
    expected = bare.with_layers(trim=Layer(steps=(*bare.layer("trim").steps, *asked)))
    np.testing.assert_allclose(path.apply(code), expected.apply(code), atol=1e-12)
    assert Path.from_recipe(path.to_recipe()).fingerprint == path.fingerprint
    np.testing.assert_allclose(Path.from_recipe(path.to_recipe()).apply(code), expected.apply(code), atol=1e-12)
    assert engine.compile_operations(path.operations())
    order = order_for(fresh, {"end": "display"})
    assert BakeOrder.checked(order.model_dump(mode="json")).operations
    tess.post(P + "new/", {"from": "shot", "shot": shot.pk, "name": "Stacked"})
    assert all(step.lut.table.data for step in Look.objects.get().newest.step_list if isinstance(step, LutStep))
    assert tess.get(f"/p/kilnlight/bench/{shot.pk}/").status_code == 200
    film.delete()
    np.testing.assert_allclose(path_of(Shot.objects.get(pk=shot.pk)).apply(code), expected.apply(code), atol=1e-12)
    KeptTable.objects.all().delete()
    kept_tables._kept.cache_clear()
    with pytest.raises(BadValue, match="no longer kept"):
        path_of(Shot.objects.get(pk=shot.pk))
    kept_tables.put_apart(asked)  # added again, it is there again
    np.testing.assert_allclose(path_of(Shot.objects.get(pk=shot.pk)).apply(code), expected.apply(code), atol=1e-12)
    assert tess.get("/p/kilnlight/").status_code == 200


@pytest.mark.parametrize(
    ("strength", "words"),
    [("0", "does nothing"), ("101", "does nothing"), ("x", "Strength"), ("20", "no declared spaces")],
)
def test_what_cannot_be_put_on_a_shot(tables, shots, as_, strength, words):
    answer = as_("tess").post(f"{AT}{tables[0].pk}/on-shot/", {"shot": shots[0].pk, "strength": strength})
    assert answer.status_code == 422
    assert words in answer.content.decode()
    assert not KeptTable.objects.exists()


def test_of_a_folder_the_bad_ones_are_said_and_viewers_send_none(shots, as_):
    file = SimpleUploadedFile("bad.cube", b"LUT_3D_SIZE 2\n0 0 0\n")
    answer = as_("tess").post("/p/kilnlight/luts/bring-in/", {"file": file}, headers={"Accept": "application/json"})
    assert answer.status_code == 422
    assert "cut short" in answer.json()["error"]
    good = SimpleUploadedFile("good.cube", format_cube(Lut3D(lattice(5).astype(np.float32))).encode())
    assert as_("vera").post("/p/kilnlight/luts/bring-in/", {"file": good}).status_code == 403
    assert not ImportedLut.objects.exists()


def test_a_looks_table_goes_into_a_trim_and_back(tables, shots, as_):
    """The Look's steps worked on as a trim: its table goes along by name, and the new version has it whole."""
    tess, shot = as_("tess"), shots[0]
    tess.post(f"{AT}declare/", {"table": [tables[0].pk], **LOG})
    tess.post(P + "new/", {"from": "lut", "lut": tables[0].pk, "name": "Film"})
    look = Look.objects.get()
    tess.post(f"{P}{look.pk}/manage/", {"what": "trim", "shot": shot.pk})
    fresh = Shot.objects.get(pk=shot.pk)
    (step,) = [one for one in fresh.settings.steps if isinstance(one, LutStep)]
    assert step.lut.table.data == ""
    settings = fresh.settings.with_steps([Saturation(amount=0.8)])
    apply_settings(fresh, look.created_by, settings, version=fresh.version, label="paler")
    tess.post(f"{P}{look.pk}/propose/", {"from": "shot", "shot": shot.pk})
    look = Look.objects.get()
    (back,) = [one for one in look.proposed if isinstance(one, LutStep)]
    assert back.lut == look.newest.step_list[0].lut
    assert len(look.proposed) == 2
