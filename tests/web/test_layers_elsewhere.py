"""Layers away from the Bench: packages, lists, corrections, matching, hand-over, their pages, and viewers."""

import json

import numpy as np
import pytest

from tests.web.test_layers import LIFT, WARM, ask, code, column, content, fresh, save, settings_saved
from tests.web.test_layers import shots as shots
from tests.web.test_layers import tess as tess
from upwelling.core.steps import Contrast, Exposure, Saturation
from upwelling.web.footage.layer_models import SharedLayer, forget_layers
from upwelling.web.footage.look_services import create_look, give_to_all
from upwelling.web.footage.paths import path_of

pytestmark = pytest.mark.django_db


def test_a_removed_camera_takes_its_layer_with_it(tess, shots):
    save(tess, shots[0], "camera_trim", WARM)
    shots[0].camera.delete()
    assert SharedLayer.objects.count() == 0
    assert path_of(fresh(shots[0])).layer("camera_trim").steps == ()


def test_a_package_has_a_table_for_each_group_with_layers(
    tess, as_, production, shots, django_capture_on_commit_callbacks
):
    """A camera's table has the camera's layer and no group's; a group's is named after it; who takes one otherwise is
    told.
    """
    from tests.web.test_bake_work import package
    from upwelling.web.bakes.orders import model_shots
    from upwelling.web.bakes.variants import variant_path

    assert list(model_shots(production)) == ["B-cam"]
    save(tess, shots[0], "camera_trim", WARM)
    save(tess, shots[0], "group_trim", Contrast(id="c", contrast=1.3))
    save(tess, shots[0], "finish", LIFT, output="SDR")
    settings_saved(
        tess, shots[0], camera_trim={"strength": 0.5}, steps=[Exposure(id="e", stops=1).model_dump(mode="json")]
    )
    forget_layers(production)
    assert model_shots(production) == {"B-cam": shots[0].pk, "B-cam, Cold bench": shots[0].pk}
    shot = fresh(shots[0])
    for group, kinds in ((False, ["camera_trim", "finish"]), (True, ["camera_trim", "group_trim", "finish"])):
        path = variant_path(shot, {"trim": "without", **({"group": "with"} if group else {})})
        assert [layer.kind for layer in path.layers if layer.acting(path.target)] == kinds
        assert path.layer("camera_trim").strength == 1
    row = package(
        as_, production, django_capture_on_commit_callbacks, camera=list(model_shots(production)), receiver=["Player"]
    )
    assert [(one["of"], one["problem"]) for one in row.contents] == [("B-cam", ""), ("B-cam, Cold bench", "")]
    assert all(one["note"].startswith("Not for s0: they take a shared layer otherwise") for one in row.contents)


def test_shots_are_put_into_groups_from_lists_and_the_bench(tess, production, shots):
    """One way for Shots, Intake and Bench; a group that is left empty goes, unless it holds a layer."""

    def put(value, *chosen):
        body = {"shots": [shot.pk for shot in chosen], "verb": "group", "value": value}
        accept = {"Accept": "application/json"}
        return tess.post("/p/kilnlight/intake/change/", body, content_type="application/json", headers=accept)

    assert put("new:Yard", shots[2]).status_code == 200
    yard = fresh(shots[2]).group
    assert yard.name == "Yard"
    save(tess, fresh(shots[2]), "group_trim", WARM)
    assert put(str(shots[0].group_id), shots[2]).status_code == 200
    assert path_of(fresh(shots[2])).layer("group_trim").steps == ()
    assert production.groups.filter(pk=yard.pk).exists(), "its layer would go with it"
    assert put(str(yard.pk), *shots).status_code == 200
    assert [group.name for group in production.groups.all()] == ["Yard"]
    assert put("", *shots).json() == {"changed": 3, "refused": []}
    for value, words in (("99999", "not there any more"), ("new:", "1 to 60 characters"), ("new:yard", "already")):
        answer = put(value, shots[0])
        assert answer.status_code == 422
        assert words in answer.json()["error"]
    page = tess.get(f"/p/kilnlight/bench/{shots[0].pk}/").content.decode()
    assert "Yard</option>" in page


def test_a_correction_is_worked_at_by_hand_as_the_first_steps_of_the_layer(tess, production, people, shots):
    """No picture changes; a match that layers stand before is not given without a word."""
    from upwelling.core.match.outcome import STEM
    from upwelling.core.path import Correction
    from upwelling.core.steps.group import StepGroup
    from upwelling.web.footage.corrections import acting_between, keep_correction

    camera = shots[0].camera
    keep_correction(
        camera, Correction(name="To A-cam", steps=(WARM, Contrast(id="c", contrast=1.1)), strength=0.5), None, None
    )
    save(tess, shots[0], "camera_trim", Contrast(id="c", contrast=1.3))
    before = [code(shot) for shot in shots]
    at = f"/p/kilnlight/cameras/{camera.pk}/correction/"
    shot = settings_saved(tess, shots[1], correction_on=False)
    assert "take" in tess.post(at, {"what": "layer"}, headers={"Accept": "application/json"}).json()["error"]
    settings_saved(tess, shot, correction_on=True)
    assert tess.post(at, {"what": "layer"}).status_code == 302
    held = SharedLayer.objects.get()
    assert [(s.id, s.group) for s in held.content.steps] == [("whitebala", STEM), ("contrast", STEM), ("c", "")]
    for one, was in zip(shots, before, strict=True):
        np.testing.assert_allclose(code(one), was, rtol=0, atol=1e-9)
    assert acting_between(fresh(shots[0])) == ["the camera’s trim"]
    step = Exposure(id="e", group=STEM, stops=0.5).model_dump(mode="json")
    shot = settings_saved(tess, shots[0], steps=[step], groups=[StepGroup(id=STEM, name="Match").model_dump()])
    answer = ask(tess, shot, "match/give/", version=shot.version)
    assert "stand between" in answer.json()["error"]


def test_matching_a_camera_leaves_its_layers_out(tess, shots):
    """Both cameras are taken as their Inputs leave them: what a hand put into a layer is no fault of the camera."""
    from upwelling.web.footage.shot_settings import BARE

    bare = path_of(fresh(shots[0]), BARE).fingerprint
    save(tess, shots[0], "camera_trim", WARM)
    save(tess, shots[0], "group_trim", WARM)
    assert path_of(fresh(shots[0]), BARE).fingerprint == bare


def test_they_are_handed_over_copied_and_recorded(tess, production, people, shots):
    from upwelling.web.care.handover import report_of
    from upwelling.web.care.lifecycle import copy_as_template

    save(tess, shots[0], "camera_trim", WARM)
    save(tess, shots[0], "finish", LIFT, output="SDR")
    settings_saved(tess, shots[1], finish={"on": False}, camera_trim={"strength": 0.25})
    report = report_of(production)
    assert report.layers == [
        ("B-cam’s trim, version 1", WARM.summary(), 1),
        ("Finish, SDR outputs, version 1", LIFT.summary(), 1),
    ]
    assert {line for one in report.exceptions for line in one.what} >= {
        "camera’s trim at 25 % here",
        "finish left out here",
    }
    copy = copy_as_template(production, people["tess"], "Second")
    assert [(str(one), one.content.summary()) for one in copy.layers.all()] == [
        ("B-cam’s trim", WARM.summary()),
        ("Finish, SDR outputs", LIFT.summary()),
    ]
    assert {entry.what for entry in production.record.all()} >= {"layer changed"}


def test_the_pages_of_layers(tess, as_, production, shots):
    save(tess, shots[0], "camera_trim", WARM)
    save(tess, shots[0], "camera_trim", WARM, Contrast(id="c", contrast=1.2), number=1)
    settings_saved(tess, shots[1], camera_trim={"strength": 0.6})
    held = SharedLayer.objects.get()
    camera = tess.get(f"/p/kilnlight/cameras/{shots[0].camera_id}/").content.decode()
    assert "s1</a> at 60 % here" in " ".join(camera.split())
    page = tess.get("/p/kilnlight/layers/").content.decode()
    for words in ("B-cam’s trim", "Cold bench’s trim", "nothing yet", "layer=camera_trim", "Contrast"):
        assert words in page
    at = f"/p/kilnlight/layers/{held.pk}/"
    page = tess.get(at).content.decode()
    for words in (
        "Version 2, in force",
        "3 shots follow it",
        "s1</a> · at 60 % here",
        "Bring back",
        "Undo the last change",
    ):
        assert words in page
    assert "Bring back" not in as_("vera").get(at).content.decode()
    for what, number in (({"what": "back", "number": 1}, 3), ({"what": "undo"}, 2), ({"what": "redo"}, 3)):
        assert tess.post(f"{at}manage/", what).status_code == 302
        held.refresh_from_db()
        assert held.number == number
    assert tess.post(f"{at}manage/", {"what": "back", "number": 99}).status_code == 422
    assert as_("vera").post(f"{at}manage/", {"what": "undo"}).status_code == 403


def test_who_takes_a_groups_look_otherwise_is_listed_on_its_page(tess, production, people, shots):
    over = create_look(production, people["tess"], "Cold", (Saturation(id="s", amount=0.8),))
    give_to_all(production, over, 1.0, shots[0].group, over=True)
    shot = settings_saved(tess, shots[1], group_look={"strength": 0.25})
    assert path_of(shot).layer("group_look").strength == 0.25
    assert column(tess, shot)["group_look"]["line"] == "Cold, version 1 at 25 % · from Cold bench, at 25 % here"
    page = tess.get(f"/p/kilnlight/looks/{over.pk}/").content.decode()
    assert "s1</a> · at 25 % here" in page
    assert "on 2 shots" in page
    own = shot.settings.model_dump(mode="json") | {"group_look": {"own": content(WARM)}}
    answer = ask(tess, shot, "save/", settings=own, version=shot.version)
    assert "at its own strength" in answer.json()["error"]


def test_a_viewer_sees_what_a_layer_holds(as_, tess, shots):
    save(tess, shots[0], "camera_trim", WARM)
    data = json.loads(
        as_("vera")
        .get(f"/p/kilnlight/bench/{shots[1].pk}/")
        .content.split(b'id="bench-data" type="application/json">')[1]
        .split(b"</script>")[0]
    )
    assert data["editable"] is False
    assert data["layers"]["camera_trim"][0]["content"]["steps"][0]["kelvin"] == 5200
