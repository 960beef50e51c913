"""Tables that are brought in: declared, compared, as a Look, a rendering, an input; and the bad ones refused."""

import json

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from tests.web.pages import read
from tests.web.test_looks import P, shots, table, warm
from upwelling.core.errors import RecipeError
from upwelling.core.lut import Lut1D, Lut3D, lattice
from upwelling.core.lut.formats.cube import format_cube
from upwelling.core.path import Path
from upwelling.core.path.look_recipe import LookRecipe
from upwelling.core.steps import Ladder, LutStep
from upwelling.web.common.requests import Refused
from upwelling.web.footage.look_models import Look
from upwelling.web.footage.look_services import give_to_all
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.luts.models import ImportedLut
from upwelling.web.luts.services import bring_in_lut, declare, use_as_rendering
from upwelling.web.productions.models import Production
from upwelling.web.productions.services import set_rules

__all__ = ["shots", "warm"]


def bring(client, name, data):
    return client.post("/p/kilnlight/luts/bring-in/", {"file": SimpleUploadedFile(name, data)})


def test_a_table_is_brought_in_declared_and_becomes_a_look(shots, as_, production, django_capture_on_commit_callbacks):
    tess, data = as_("tess"), format_cube(table()).encode()
    assert bring(tess, "print.cube", data).status_code == 302
    row = ImportedLut.objects.get()
    page = as_("vera").get(f"/p/kilnlight/luts/{row.pk}/").content.decode()
    for words in ("Undeclared", "Code 0.41", "Nearest built-in", "Smoothness", "Folds"):
        assert words in page
    assert tess.post(P + "new/", {"from": "lut", "lut": row.pk, "name": "Print"}).status_code == 422
    with pytest.raises(Refused, match="no declared spaces"):
        _ = row.declared
    assert bring(tess, "twin.cube", data).status_code == 422
    answer = tess.post(
        f"/p/kilnlight/luts/{row.pk}/declare/", {"expects": "ACEScct/AP1", "gives": "ACEScct/AP1"}, follow=True
    )
    assert "legal codes" not in answer.content.decode()
    tess.post(P + "new/", {"from": "lut", "lut": row.pk, "name": "Print"})
    look = Look.objects.get(name="Print")
    assert isinstance(look.newest.step_list[0], LutStep)
    give_to_all(production, look, 0.5)
    bytes_of = as_("vera").get(f"/p/kilnlight/luts/{row.pk}/file/").streaming_content
    assert b"".join(bytes_of) == data
    fresh = Shot.objects.get(pk=shots[0].pk)
    recipe = path_of(fresh).to_recipe()
    assert Path.from_recipe(recipe).fingerprint == path_of(fresh).fingerprint
    assert as_("vera").get(f"/p/kilnlight/bench/{shots[0].pk}/").status_code == 200
    with django_capture_on_commit_callbacks(execute=True):
        tess.post(f"/p/kilnlight/luts/{row.pk}/remove/")
    assert not ImportedLut.objects.exists()
    assert not list((fresh.disk_path.parent.parent.parent / "luts").rglob("*.cube"))
    assert path_of(Shot.objects.get(pk=shots[0].pk)).fingerprint == path_of(fresh).fingerprint


def test_legal_codes_are_declared_full_only_by_who_says_so(shot, as_, production):
    grid = np.stack(np.meshgrid(*[np.linspace(64, 940, 9) / 1023] * 3, indexing="ij"), axis=-1)
    bring(as_("tess"), "legal.cube", format_cube(Lut3D(grid.astype(np.float32))).encode())
    place = f"/p/kilnlight/luts/{ImportedLut.objects.get().pk}/"
    spaces = {"expects": "S-Log3/S-Gamut3.Cine", "gives": "BT.709 BT.1886"}
    assert "declared as full, it is full all the same" in read(as_("tess").get(place))
    for more, said in (
        ({"gives_range": "full"}, ""),
        ({"gives_range": "legal"}, "legal"),
        ({"gives_range": "full", "full_all_the_same": "on"}, "full"),
    ):
        answer = as_("tess").post(place + "declare/", {**spaces, **more}, follow=True)
        assert ("runs from 64 to 940 of 10-bit codes, which are legal" in answer.content.decode()) is not said
        assert ImportedLut.objects.get().is_declared is bool(said)
        assert not said or ImportedLut.objects.get().gives_range == said
    assert "scene light, nothing rendered yet" in answer.content.decode()


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [
        ("a.cube", b"LUT_3D_SIZE 2\n0 0 0\n", "cut short"),
        ("a.txt", b"", "cannot be read"),
        ("a.clf", b"<!DOCTYPE a><a/>", "DOCTYPE"),
        ("a.png", b"x", "header"),
        ("a.clf", b'<ProcessList id="a" compCLFversion="3"><Blur/></ProcessList>', "line 1"),
    ],
)
def test_bad_tables_are_refused_and_nothing_is_kept(shot, as_, settings, name, data, words):
    answer = bring(as_("tess"), name, data)
    assert answer.status_code == 422
    assert words in answer.content.decode()
    assert not ImportedLut.objects.exists()
    assert not [p for p in (settings.FILES / "luts").rglob("*") if p.is_file()]


def test_of_many_tables_the_good_ones_stay_and_each_bad_one_is_said(shot, as_, production):
    tess, files = (
        as_("tess"),
        [
            SimpleUploadedFile(name, data)
            for name, data in (
                ("a.cube", format_cube(table(3, 1.1)).encode()),
                ("torn.cube", b"LUT_3D_SIZE 3\n0 0 0\n"),
                ("b.cube", format_cube(table(3, 1.3)).encode()),
            )
        ],
    )
    page = tess.post("/p/kilnlight/luts/bring-in/", {"file": files}, follow=True).content.decode()
    assert sorted(production.luts.values_list("name", flat=True)) == ["a.cube", "b.cube"]
    assert all(words in page for words in ("a.cube is here", "b.cube is here", "torn.cube", "cut short"))


def test_a_process_lists_foreign_words_are_shown(shot, as_, production):
    data = (
        b'<ProcessList xmlns="urn:AMPAS:CLF:v3.0" id="t" compCLFversion="3"><Matrix inBitDepth="32f" outBitDepth="32f" '
        b'shade="blue">'
        b'<Array dim="3 3">1 0 0 0 1 0 0 0 1</Array></Matrix></ProcessList>'
    )
    bring(as_("tess"), "m.clf", data)
    assert (
        "“shade” of Matrix is not of this format"
        in as_("vera").get(f"/p/kilnlight/luts/{production.luts.get().pk}/").content.decode()
    )


def test_two_tables_compared(shot, as_):
    tess = as_("tess")
    for name, power in (("a.cube", 1.2), ("b.cube", 1.4)):
        bring(tess, name, format_cube(table(5, power)).encode())
    one, two = ImportedLut.objects.all()
    page = read(tess.get(f"/p/kilnlight/luts/{one.pk}/?with={two.pk}"))
    assert "over 55937 places" in page
    assert page.count("<figure><svg") == 8


def conversion(tmp_path):
    path = Path.checked({"input": {"encoding": "S-Log3/S-Gamut3.Cine"}, "display": {"output": "BT.709 BT.1886"}})
    return format_cube(Lut3D(np.clip(path.apply(lattice(17)), 0, 1).astype(np.float32))).encode()


def test_a_conversion_as_rendering(shots, as_, production, tmp_path):
    tess = as_("tess")
    bring(tess, "house.cube", conversion(tmp_path))
    row = ImportedLut.objects.get()
    assert "BT.709 BT.1886 by Rise" in tess.get(f"/p/kilnlight/luts/{row.pk}/").content.decode()
    declare(
        row,
        expects="S-Log3/S-Gamut3.Cine",
        expects_range="full",
        gives="BT.709 BT.1886",
        gives_range="full",
        interpolation="tetrahedral",
    )
    assert tess.post(f"/p/kilnlight/luts/{row.pk}/use/", {"as": "input"}).status_code == 422
    assert tess.post(P + "new/", {"from": "lut", "lut": row.pk}).status_code == 422
    assert tess.post(f"/p/kilnlight/luts/{row.pk}/use/", {"as": "rendering"}).status_code == 302
    fresh = Shot.objects.get(pk=shots[0].pk)
    assert path_of(fresh).rendering.method.kind == "lut"
    for address in (f"/p/kilnlight/bench/{shots[0].pk}/", "/p/kilnlight/", "/p/kilnlight/outputs/"):
        assert tess.get(address).status_code == 200, address
    preview = tess.post(f"/p/kilnlight/bench/{shots[0].pk}/preview/", {"settings": {}}, content_type="application/json")
    assert preview.status_code == 200
    form = tess.get("/p/kilnlight/").content.decode()
    assert "LUT brought in" in form
    answer = tess.post(
        "/p/kilnlight/outputs/deliver/",
        {"what": "add", "output": "BT.2100 PQ 1000", "range": "full", "depth": "10"},
        follow=True,
    )
    assert "cannot serve BT.2100 PQ 1000, so it has one of its own, Rise" in answer.content.decode()
    rules = Production.objects.get(pk=production.pk).rule_set
    assert (rules.rendering.kind, rules.deliveries[0].rendering.kind) == ("lut", "rise")
    # Renderings are compared with the table as one of them, which the page names without carrying it; and it can be
    # taken back.
    page = tess.get(f"/p/kilnlight/bench/{shots[0].pk}/renderings/").content.decode()
    data = json.loads(page.split('id="renderings-data" type="application/json">')[1].split("</script>")[0])
    assert data["now"] == {"kind": "lut", "fit": {"kind": "smooth"}, "of": "BT.709 BT.1886"}
    assert data["titles"]["lut"] == "LUT brought in"
    assert data["methods"]["lut"] == data["now"]
    cell = tess.post(
        f"/p/kilnlight/bench/{shots[0].pk}/renderings/cell/",
        {"rendering": data["now"], "output": "BT.709 BT.1886"},
        content_type="application/json",
    )
    assert cell.status_code == 200
    assert "house.cube" in cell.json()["said"]
    other = tess.post(
        f"/p/kilnlight/bench/{shots[0].pk}/renderings/cell/",
        {"rendering": data["now"], "output": "BT.2100 PQ 1000"},
        content_type="application/json",
    )
    assert "Choose another rendering" in other.content.decode()
    assert "Render it by Rise again" in tess.get("/p/kilnlight/outputs/").content.decode()
    assert (
        "is rendered by Rise again"
        in tess.post("/p/kilnlight/outputs/rise/", {"output": "BT.709 BT.1886"}, follow=True).content.decode()
    )
    assert Production.objects.get(pk=production.pk).rule_set.rendering.kind == "rise"
    gone = tess.post(
        f"/p/kilnlight/bench/{shots[0].pk}/renderings/cell/",
        {"rendering": data["now"], "output": "BT.709 BT.1886"},
        content_type="application/json",
    )
    assert gone.status_code == 422
    assert "no longer rendered by a table" in gone.content.decode()


@pytest.mark.parametrize(
    ("main", "others", "given"),
    [
        ("BT.709 BT.1886", {"BT.2100 PQ 1000": None, "sRGB": None}, ["BT.709 BT.1886", "sRGB"]),
        ("BT.2100 PQ 1000", {"sRGB": None}, ["sRGB"]),
        ("BT.709 BT.1886", {"sRGB": "clip"}, ["BT.709 BT.1886"]),
        ("BT.2100 PQ 1000", {}, []),
    ],
)
def test_a_table_renders_the_outputs_it_can_serve_and_the_others_keep_theirs(
    production, people, tmp_path, main, others, given
):
    (tmp_path / "house.cube").write_bytes(conversion(tmp_path))
    row = bring_in_lut(production, people["tess"], "house.cube", tmp_path / "house.cube")
    declare(
        row,
        expects="S-Log3/S-Gamut3.Cine",
        expects_range="full",
        gives="BT.709 BT.1886",
        gives_range="full",
        interpolation="tetrahedral",
    )
    set_rules(
        production,
        {
            "output": main,
            "deliveries": [{"output": name, "rendering": kind and {"kind": kind}} for name, kind in others.items()],
        },
    )
    if not given:
        with pytest.raises(Refused, match="delivers no output of that kind"):
            use_as_rendering(row)
        return
    assert use_as_rendering(row) == given
    rules = Production.objects.get(pk=production.pk).rule_set
    for name in (main, *others):
        assert (rules.delivery(name).rendering or rules.rendering).kind == (
            "lut" if name in given else others.get(name) or "rise"
        ), name


def test_a_makers_table_as_input(shots, as_, production):
    curve = Lut1D(np.repeat(np.linspace(0, 1, 33)[:, None] ** 0.9, 3, axis=1).astype(np.float32))
    tess = as_("tess")
    bring(tess, "maker.cube", format_cube(curve).encode())
    row = ImportedLut.objects.get()
    tess.post(f"/p/kilnlight/luts/{row.pk}/declare/", {"expects": "S-Log3/S-Gamut3.Cine", "gives": "ACEScct/AP1"})
    assert tess.post(f"/p/kilnlight/luts/{row.pk}/use/", {"as": "rendering"}).status_code == 422
    assert tess.post(f"/p/kilnlight/luts/{row.pk}/use/", {"as": "input", "name": "By maker"}).status_code == 302
    production.__dict__.pop("definitions", None)
    assert "By maker" in production.definitions
    for wrong in ({"expects": "x"}, {"expects_range": "wide"}, {"interpolation": "none"}):
        assert (
            tess.post(
                f"/p/kilnlight/luts/{row.pk}/declare/", {"expects": "ACEScct/AP1", "gives": "ACEScct/AP1", **wrong}
            ).status_code
            == 422
        )


def test_look_recipes_say_where_they_are_wrong():
    text = LookRecipe(name="x", steps=(Ladder(rungs=((-6.0, 0.4), (0.0, 0.0), (6.0, 0.0))),)).to_text()
    assert LookRecipe.from_text(text).steps[0].id == "ladder"
    body = json.loads(text)
    body["steps"][0]["rungs"] = "no"
    with pytest.raises(RecipeError, match=r"steps\.0"):
        LookRecipe.from_text(json.dumps(body))
