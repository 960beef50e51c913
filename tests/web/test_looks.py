"""Looks and tables brought in: made, versioned, given, undone, exported; declared, inspected, compared, used,
refused.
"""

import re

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from tests.web.pages import shots_of
from upwelling.core.lut import Lut3D, lattice
from upwelling.core.lut.formats.cdl import CdlCorrection, format_cdl
from upwelling.core.lut.formats.edl import CdlEvent, format_edl
from upwelling.core.lut.process import CdlNode
from upwelling.core.path.look_recipe import LookRecipe
from upwelling.core.rendering import TONE_MAPS
from upwelling.core.steps import Contrast, Exposure, Saturation, SlopeOffsetPower
from upwelling.web.common.requests import Refused
from upwelling.web.footage.giving import give_look
from upwelling.web.footage.history import apply_settings, unshare
from upwelling.web.footage.listing import numbers_with
from upwelling.web.footage.look_models import Look, looks_of
from upwelling.web.footage.look_services import create_look, give_to_all, make_group, new_version
from upwelling.web.footage.models import SharedChange, Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.footage.setting_differences import differences
from upwelling.web.footage.shot_settings import OwnLook, ShotSettings
from upwelling.web.footage.shots import bring_in
from upwelling.web.looks.editing import rows_of
from upwelling.web.productions.models import Production

WARM = (SlopeOffsetPower(slope=(1.1, 1, 0.9)), Contrast(contrast=1.1))
P = "/p/kilnlight/looks/"


@pytest.fixture
def shots(shot, people, tmp_path):
    """Three settled shots."""
    from upwelling.core.media import write_still

    made = [shot]
    for level in (0.3, 0.5):
        write_still(tmp_path / f"{level}.dpx", np.full((54, 96, 3), level, np.float32), "10")
        made.append(
            bring_in(
                shot.production,
                people["tess"],
                f"{level}.dpx",
                tmp_path / f"{level}.dpx",
                encoding_name="S-Log3/S-Gamut3.Cine",
            )
        )
    return made


@pytest.fixture
def warm(production, people):
    return create_look(production, people["tess"], "Warm", WARM)


def now(shot):
    """A fresh read of the shot's Look."""
    return Shot.objects.select_related("production", "camera").get(pk=shot.pk).look_in_force()


def table(size=5, power=1.2):
    return Lut3D((lattice(size) ** power).astype(np.float32), title="table")


def test_nearest_giver_wins_and_each_says_where_it_comes_from(shots, warm, people):
    production = shots[0].production
    cold = create_look(production, people["tess"], "Cold", [Saturation(amount=0.5)])
    give_to_all(production, warm, 0.6)
    assert [(now(s).version.name, now(s).strength, now(s).origin) for s in shots] == [("Warm", 0.6, "production")] * 3
    group = make_group(production, "Furnace", [s.pk for s in shots[:2]])
    give_to_all(production, cold, 1.0, group)
    give_look(production, people["tess"], None, 1.0, [shots[0].pk])
    assert [(now(s).version and now(s).version.name, now(s).origin) for s in shots] == [
        (None, "shot"),
        ("Cold", "group"),
        ("Warm", "production"),
    ]
    fresh = Shot.objects.get(pk=shots[1].pk)
    assert path_of(fresh).layer("look").steps[0].amount == 0.5
    assert path_of(fresh, ShotSettings(look_on=False)).layer("look").on is False
    assert path_of(fresh, ShotSettings(look=OwnLook(look=warm.pk, strength=0.3))).layer("look").strength == 0.3
    give_to_all(production, None, 1.0, group, inherit=True)
    assert now(shots[1]).version.name == "Warm"
    assert set(numbers_with(warm)) == {shots[1].pk, shots[2].pk}


def test_giving_to_many_is_one_undo(shots, warm, people):
    production = shots[0].production
    before = [path_of(s).fingerprint for s in shots]
    change = give_look(production, people["tess"], warm, 0.5, [s.pk for s in shots])
    assert all(path_of(Shot.objects.get(pk=s.pk)).fingerprint != f for s, f in zip(shots, before, strict=True))
    assert unshare(change) == []
    assert [path_of(Shot.objects.get(pk=s.pk)).fingerprint for s in shots] == before


def test_versions_follow_and_come_back(shots, warm, people):
    give_to_all(warm.production, warm, 1.0)
    first = now(shots[0]).version.steps
    new_version(warm, people["tess"], [Saturation(amount=0.7)])
    assert now(shots[0]).version.number == 2
    with pytest.raises(Refused, match="has already"):
        new_version(warm, people["tess"], [Saturation(id="saturation", amount=0.7)])
    new_version(warm, people["tess"], first)
    assert now(shots[0]).version.steps == first


def test_library_page_and_ways_to_a_new_look(shots, as_, people, production):
    tess = as_("tess")
    apply_settings(
        shots[0],
        people["tess"],
        ShotSettings().with_steps([Exposure(stops=0.5), Saturation(amount=0.8)]),
        version=0,
        label="x",
    )
    tess.post(P + "new/", {"from": "shot", "shot": shots[0].pk, "name": "From trim"})
    assert [s.kind for s in Look.objects.get(name="From trim").newest.step_list] == ["exposure", "saturation"]
    cdl = format_cdl(
        [CdlCorrection("a", CdlNode((1.2, 1, 1))), CdlCorrection("b", CdlNode(saturation=0.5))], ".ccc"
    ).encode()
    edl = format_edl("t", [CdlEvent(1, "A", "clip", 0, 10, CdlNode((0.9, 1, 1)))]).encode()
    for name, data in (("c.ccc", cdl), ("c.edl", edl)):
        assert tess.post(P + "new/", {"from": "file", "file": SimpleUploadedFile(name, data)}).status_code == 302
    assert {"a", "b", "clip"} <= set(production.looks.values_list("name", flat=True))
    recipe = as_("vera").get(f"{P}{Look.objects.get(name='a').pk}/look.json").content
    assert LookRecipe.from_text(recipe).steps[0].slope == (1.2, 1.0, 1.0)
    tess.post(P + "new/", {"from": "file", "name": "again", "file": SimpleUploadedFile("a.json", recipe)})
    assert Look.objects.get(name="again").newest.step_list == Look.objects.get(name="a").newest.step_list
    page = as_("vera").get(P).content.decode()
    assert "From trim" in page
    assert "Make it" not in page


@pytest.mark.parametrize(
    ("post", "words"),
    [
        ({"from": "shot", "name": ""}, "at least one step"),
        ({"from": "file"}, "Choose a file"),
        ({}, "made from"),
        ({"from": "file", "file": ("x.json", b"{}")}, "not a Look"),
        ({"from": "file", "file": ("x.ccc", b"<a/>")}, "outermost element"),
        ({"from": "file", "file": ("x.txt", b"")}, "comes from .json"),
        ({"from": "file", "file": ("x.edl", b"TITLE")}, "no event"),
        (
            {
                "from": "file",
                "file": (
                    "x.json",
                    b'{"upwelling_look": 1, "name": "x", "steps": [{"kind": "saturation", "amount": 99}]}',
                ),
            },
            "steps.0",
        ),
        (
            {"from": "file", "file": ("x.ccc", format_cdl([CdlCorrection("a", CdlNode((9, 1, 1)))], ".ccc").encode())},
            "beyond what slope",
        ),
    ],
)
def test_looks_that_cannot_be_made(shot, as_, post, words):
    if "file" in post:
        post = {**post, "file": SimpleUploadedFile(*post["file"])}
    answer = as_("tess").post(P + "new/", {"shot": shot.pk, **post})
    assert answer.status_code == 422
    assert words in answer.content.decode()
    assert not Look.objects.exists()


def test_a_change_shows_what_it_touches_before_it_does(shots, warm, as_, people):
    give_to_all(warm.production, warm, 0.8)
    tess, at = as_("tess"), f"{P}{warm.pk}/"
    page = tess.get(at).content.decode()

    def mark():
        return re.search(r'name="seen" value="(\w+)"', tess.get(at + "touches/").content.decode())[1]

    assert 'name="slopeoffs:slope.0"' in page
    fields = {
        "from": "fields",
        "slopeoffs:on": "on",
        "slopeoffs:strength": "100",
        "slopeoffs:order": "2",
        "contrast:on": "on",
        "contrast:strength": "50",
        "contrast:order": "1",
        "slopeoffs:slope.0": "1,25",
        "contrast:contrast": "1.2",
    }
    assert tess.post(at + "propose/", fields).status_code == 302
    seen = tess.get(at + "touches/").content.decode()
    assert "This changes 3 shots" in seen
    assert "changed" in seen
    assert warm.newest.number == 1
    picture = f"{P}picture/{shots[0].pk}/?look={warm.pk}"
    assert b"".join(tess.get(picture + "&proposal=1").streaming_content) != b"".join(
        tess.get(picture + "&strength=80").streaming_content
    )
    shown_to_another = mark()
    tess.post(at + "propose/", {**fields, "contrast:contrast": "1.3"})
    late = tess.post(at + "decide/", {"what": "save", "seen": shown_to_another})  # not what that page showed
    assert late.status_code == 422
    assert "proposed something else" in late.content.decode()
    assert tess.post(at + "decide/", {"what": "drop", "seen": shown_to_another}).status_code == 422
    tess.post(at + "propose/", fields)
    tess.post(at + "decide/", {"what": "save", "note": "warmer", "seen": mark()})
    steps = warm.newest.step_list
    assert (warm.newest.number, [s.kind for s in steps], steps[1].slope[0], steps[0].strength) == (
        2,
        ["contrast", "slope_offset_power"],
        1.25,
        0.5,
    )
    tess.post(at + "propose/", {"from": "version", "number": "1"})
    tess.post(at + "decide/", {"what": "drop", "seen": mark()})
    assert warm.newest.number == 2
    assert tess.get(at + "?version=1").status_code == 200
    assert tess.get(at + "touches/").status_code == 302


@pytest.mark.parametrize(
    ("post", "words"),
    [
        ({"from": "fields", "slopeoffs:strength": "x"}, "must be a number"),
        ({"from": "fields", "slopeoffs:remove": "on", "contrast:remove": "on"}, "at least one step"),
        ({"from": "version", "number": "1"}, "Nothing differs"),
        ({}, "made from"),
        ({"from": "fields", "slopeoffs:slope.0": "99"}, "less than or equal to 4"),
    ],
)
def test_proposals_that_cannot_be(warm, as_, post, words):
    whole = {
        f"{name}:{key}": value
        for name in ("slopeoffs", "contrast")
        for key, value in (("on", "on"), ("strength", "100"))
    }
    answer = as_("tess").post(f"{P}{warm.pk}/propose/", {**whole, **post})
    assert answer.status_code == 422
    assert words in answer.content.decode()


def test_rename_retire_and_work_on_it_in_a_trim(shots, warm, as_):
    tess, at = as_("tess"), f"{P}{warm.pk}/manage/"
    tess.post(at, {"what": "rename", "name": "Warmer"})
    tess.post(at, {"what": "trim", "shot": shots[0].pk})
    settings = Shot.objects.get(pk=shots[0].pk).settings
    assert settings.look_on is False
    assert next(s for s in settings.steps if s.kind == "slope_offset_power").slope == (1.1, 1.0, 0.9)
    give_to_all(warm.production, warm, 1.0)
    assert tess.post(at, {"what": "retire"}).status_code == 422
    give_to_all(warm.production, None, 1.0, inherit=True)
    tess.post(at, {"what": "retire"})
    assert Look.objects.get().retired
    assert "Bring back Warmer" in tess.get(P).content.decode()
    assert tess.post(at, {"what": "rename", "name": " "}).status_code == 422


def test_looks_are_given_to_many_side_by_side(shots, warm, as_):
    tess, sheet = as_("tess"), P + "sheet/"
    page = tess.get(f"{sheet}?look={warm.pk}&strength=40", follow=True).content.decode()
    assert "Give to the chosen shots" in page
    assert all(shot.name in page for shot in shots)
    assert tess.get(f"{P}picture/{shots[0].pk}/?look={warm.pk}&strength=40")["Content-Type"] == "image/jpeg"
    body = {"what": "look", "look": warm.pk, "strength": "40", "shot": [s.pk for s in shots[:2]]}
    tess.post(sheet + "give/", body)
    assert [now(s).strength for s in shots[:2]] == [0.4, 0.4]
    assert now(shots[2]).version is None
    tess.post(f"{sheet}{SharedChange.objects.get().pk}/take-back/")
    assert now(shots[0]).version is None
    tess.post(sheet + "give/", {"what": "group", "new_group": "Two", "shot": [s.pk for s in shots[:2]]})
    tess.post(P + "give/", {"group": shots[0].production.groups.get().pk, "look": warm.pk, "strength": "55"})
    assert now(shots[1]).summary() == "Warm, version 1 at 55 %"
    tess.post(sheet + "give/", {"what": "leave", "shot": [s.pk for s in shots[:2]]})
    assert not shots[0].production.groups.exists()
    for wrong, words in (
        ({"shot": []}, "at least one shot"),
        ({"strength": "140"}, "between 0 and 100"),
        ({"what": "x"}, "Choose what"),
    ):
        answer = tess.post(sheet + "give/", {**body, **wrong})
        assert answer.status_code == 422
        assert words in answer.content.decode()


def test_bench_shows_and_saves_the_look(shots, warm, as_, people):
    give_to_all(warm.production, warm, 0.7)
    page = as_("tess").get(f"/p/kilnlight/bench/{shots[0].pk}/").content.decode()
    assert "Warm, version 1 at 70 %" in page
    settings = shots[0].settings.model_copy(update={"look": OwnLook(look=warm.pk, strength=0.2)})
    answer = as_("tess").post(
        f"/p/kilnlight/bench/{shots[0].pk}/save/",
        {"settings": settings.model_dump(mode="json"), "version": 0, "label": "look"},
        content_type="application/json",
    )
    assert answer.status_code == 200, answer.content
    assert now(shots[0]).strength == 0.2
    bad = settings.model_dump(mode="json") | {"look": {"look": 1, "strength": 3}}
    assert (
        as_("tess")
        .post(
            f"/p/kilnlight/bench/{shots[0].pk}/save/", {"settings": bad, "version": 1}, content_type="application/json"
        )
        .status_code
        == 422
    )


def test_shares_are_read_and_typed_in_percent(production, people, as_):
    one = create_look(production, people["tess"], "Spare", [Saturation(id="s", amount=1.3, spare_skin=0.4)])
    field = next(f for row in rows_of(one.newest.step_list) for f in row["fields"] if f["name"] == "s:spare_skin")
    assert (field["value"], field["unit"]) == ("40", "%")
    as_("tess").post(
        f"{P}{one.pk}/propose/", {"from": "fields", "s:on": "1", "s:strength": "100", "s:spare_skin": "25"}
    )
    assert Look.objects.get(pk=one.pk).proposed[0].spare_skin == 0.25


def test_query_count_does_not_grow_with_shots(shots, warm, django_assert_max_num_queries):
    give_to_all(warm.production, warm, 1.0)
    production = Production.objects.get()
    with django_assert_max_num_queries(10):
        for one in shots_of(production):
            path_of(one)
    assert len(looks_of(production).versions) == 1


@pytest.mark.parametrize("method", TONE_MAPS[1:])
def test_another_rendering_is_told_by_its_name(method):
    (line,) = differences(ShotSettings(rendering=TONE_MAPS[0]()), ShotSettings(rendering=method()))
    assert line == f"Rendering: Rise → {method.title}"
