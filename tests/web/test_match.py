"""Matching on the Bench: what comes back is the settings with the match in their trim; nothing is saved by asking."""

import json

import cv2
import numpy as np
import pytest

from tests.web.test_bench import post
from upwelling.core.media import write_still
from upwelling.core.operations import run_reference
from upwelling.core.simulate.camera import A_CAM, B_CAM
from upwelling.core.simulate.shipped import shipped
from upwelling.core.steps import Exposure
from upwelling.web.bakes.variants import variant_path
from upwelling.web.footage.history import set_mark
from upwelling.web.footage.models import Camera, Shot, ShotState
from upwelling.web.footage.paths import path_of
from upwelling.web.footage.shot_settings import ShotSettings
from upwelling.web.productions.models import Member
from upwelling.web.productions.services import create_production


@pytest.fixture
def two(upload, production, tmp_path):
    """One scene by two cameras, the second a stop under and cooler; both settled."""
    light = cv2.resize(shipped("Cold bench"), (640, 360), interpolation=cv2.INTER_AREA)
    for name, camera, how in (("a", A_CAM, {}), ("b", B_CAM, {"stops": -1, "gains": (1.1, 1, 0.9)})):
        write_still(tmp_path / f"{name}.tif", camera.shoot(light, seed=len(name), **how), "16")
        upload(f"{name}.tif", (tmp_path / f"{name}.tif").read_bytes())
        shot = Shot.objects.get(original_name=f"{name}.tif")
        shot.encoding, shot.managed = camera.encoding_name, True
        shot.save()
    return tuple(Shot.objects.get(original_name=f"{name}.tif") for name in "ab")


def match(client, shot, settings, **asked):
    return post(client, shot, "match", {"settings": settings.model_dump(mode="json"), "frame": 0, **asked})


@pytest.mark.parametrize("method", ["scene", "exposure", "chart", "statistics"])
def test_a_shot_is_matched_to_another(two, as_, method):
    a, b = two
    answer = match(as_("tess"), b, b.settings, kind="shot", pk=a.pk, method=method)
    assert answer.status_code == 200, answer.content
    said = answer.json()
    assert said["reference"] == a.name
    assert [group["name"] for group in said["settings"]["groups"]] == [f"Match to {a.name}"]
    first = said["settings"]["steps"][0]
    assert first["group"] == "match"
    assert a.sha256[:8] in first["note"]
    assert said["settings"]["steps"][-1]["group"] == ""
    if method != "statistics":
        stops = sum(step["stops"] for step in said["settings"]["steps"] if step["kind"] == "exposure")
        assert stops == pytest.approx(1, abs=0.2)
    assert ShotState.objects.count() == 0, "nothing is saved by asking"


def test_pairs_say_how_far_each_is_off_and_marks_are_references_too(two, as_, people):
    a, b = two
    places = [[0.3, 0.25], [0.5, 0.55], [0.8, 0.35], [0.65, 0.2], [0.15, 0.2]]
    pairs = [[place, place] for place in places]
    pairs[2] = [[0.8, 0.35], [0.1, 0.9]]
    said = match(as_("tess"), b, b.settings, kind="shot", pk=a.pk, method="pairs", pairs=pairs).json()
    assert [row["outlier"] for row in said["pairs"]] == [False, False, True, False, False]
    assert all(row["hue"] is None or abs(row["hue"]) < 10 for row in said["pairs"] if not row["outlier"])
    mark = set_mark(b, people["tess"], "Brighter", ShotSettings().with_steps((Exposure(stops=1.5),)))
    again = match(as_("tess"), b, b.settings, kind="mark", pk=mark.pk, method="exposure").json()
    assert again["settings"]["steps"][0]["stops"] == pytest.approx(1.5, abs=0.01)
    own = b.settings.with_steps((Exposure(stops=0.5),))
    top = match(as_("tess"), b, own, kind="shot", pk=a.pk, method="scene").json()
    assert any("own steps act on top" in line for line in top["remarks"])
    assert top["sentence"].endswith("as found, without this shot's own steps.")
    assert top["shown"].startswith("As shown, with this shot's own steps on top")
    assert "on the screen" not in again["sentence"]


def test_matching_refuses_in_words(shot, two, as_):
    a, b = two
    tess = as_("tess")
    for asked, words in (
        ({"kind": "untrimmed", "pk": 0}, "Choose a shot, a Mark or a reference"),
        ({"kind": "shot", "pk": 99999}, "Choose a shot, a Mark or a reference"),
        ({"kind": "mark", "pk": 1}, "no longer there"),
        ({"kind": "shot", "pk": a.pk, "method": "pairs"}, "at least one pair"),
        ({"kind": "shot", "pk": a.pk, "method": "pairs", "pairs": [[1, 2]]}, "pairs that are none"),
        ({"kind": "shot", "pk": shot.pk, "method": "scene"}, "."),
    ):
        answer = match(tess, b, b.settings, **asked)
        assert answer.status_code == 422
        assert words in answer.json()["error"]
    assert match(as_("vera"), b, b.settings, kind="shot", pk=a.pk).status_code in (302, 403)


def camera_of(production, name, *shots):
    camera = production.cameras.create(name=name)
    for shot in shots:
        shot.camera = camera
        shot.save()
    return camera


def test_a_camera_is_matched_to_another_for_all_its_shots(shot, two, as_, people, production):
    """By the scene both show: shots follow, one may say no, the switch and taking it away act on all."""
    a, b = two
    a_cam, b_cam = camera_of(production, "A-cam", a), camera_of(production, "B-cam", b)
    tess, page = as_("tess"), f"/p/kilnlight/cameras/{b_cam.pk}/"
    asked = {"shot": b.pk, "reference": a.pk, "method": "scene"}
    assert as_("vera").post(f"{page}match/", asked).status_code == 403
    plain = path_of(b).fingerprint
    said = tess.post(f"{page}match/", asked, follow=True).content.decode()
    assert "Match to A-cam is B-cam’s correction now" in said
    fresh = Shot.objects.get(pk=b.pk)
    held = path_of(fresh).input.correction
    assert sum(step.stops for step in held.steps if step.kind == "exposure") == pytest.approx(1, abs=0.15)
    assert f"frame 0 of {a.name} ({a.sha256[:8]})" in held.note
    assert path_of(fresh).fingerprint != plain
    assert path_of(Shot.objects.get(pk=a.pk)).input.correction is None
    bench = tess.get(f"/p/kilnlight/bench/{b.pk}/").content.decode()
    assert "B-cam’s correction: Match to A-cam" in bench
    for which in ("reference", "without", "with"):
        assert tess.get(f"{page}correction/{which}/").status_code == 200
    assert tess.get(f"{page}correction/else/").status_code == 404
    no = fresh.settings.model_copy(update={"correction_on": False})
    assert post(tess, fresh, "save", {"settings": no.model_dump(mode="json"), "version": 0}).status_code == 200
    fresh = Shot.objects.get(pk=b.pk)
    assert path_of(fresh).fingerprint == plain
    assert "Left out by" in tess.get(page).content.decode()
    assert variant_path(fresh, {"trim": "without"}).input.correction == held, "the camera's own table has it"
    for what, acts in (("off", False), ("on", True), ("remove", False)):
        tess.post(f"{page}correction/", {"what": what})
        again = Shot.objects.get(pk=b.pk)
        assert (path_of(again, ShotSettings()).input.correction is not None) == acts, what
    assert "has no correction" in tess.post(f"{page}correction/", {"what": "on"}, follow=True).content.decode()
    for wrong, words in (
        ({**asked, "reference": b.pk}, "is of B-cam too"),
        ({**asked, "shot": a.pk}, "is not a shot of B-cam"),
        ({**asked, "shot": "x"}, "Choose a shot of this camera"),
        ({**asked, "reference": shot.pk}, "was not matched"),
    ):
        assert words in tess.post(f"{page}match/", wrong, follow=True).content.decode()
    assert Camera.objects.get(pk=b_cam.pk).correction is None
    assert a_cam.own_correction is None


def test_a_match_is_given_from_the_bench_to_the_camera(two, as_, people, production):
    """The shot looks as before; a second one is put after the first; what cannot be joined is refused."""
    a, b = two
    camera = camera_of(production, "B-cam", b)
    tess = as_("tess")
    assert "no match in this shot" in post(tess, b, "match/give", {"version": 0}).json()["error"]
    seen, version = None, 0
    for method, told in (("statistics", 0), ("exposure", 0)):
        now = Shot.objects.get(pk=b.pk)
        found = match(tess, now, now.settings, kind="shot", pk=a.pk, method=method).json()
        assert post(tess, now, "save", {"settings": found["settings"], "version": version}).status_code == 200
        seen = path_of(Shot.objects.get(pk=b.pk))
        assert post(tess, b, "match/give", {"version": version}).status_code == 422
        said = post(tess, b, "match/give", {"version": version + 1, "kind": "shot", "pk": a.pk})
        assert said.status_code == 200, said.content
        assert said.json()["correction"]["name"] == f"Match to {a.name}"
        assert f"{told} more shots follow" in said.json()["said"]
        version += 2
        after = Shot.objects.get(pk=b.pk)
        assert not any(step.group for step in after.settings.steps)
        code = np.random.default_rng(1).random((50, 3))
        assert np.allclose(path_of(after).to_working(code), seen_after(seen, code), rtol=1e-9)
    kinds = [step.kind for step in Camera.objects.get(pk=camera.pk).own_correction.steps]
    assert kinds[0] == "exposure"
    assert len(kinds) > 1
    b.refresh_from_db()
    b.camera = None
    b.save()
    assert "has no camera" in post(tess, b, "match/give", {"version": version}).json()["error"]


def seen_after(path, code):
    """Working light after the trim."""
    return run_reference(path.until("look"), code)


def test_how_far_apart_they_are(two, as_, people):
    a, b = two
    asked = {"settings": b.settings.model_dump(mode="json"), "frame": 0}
    said = post(as_("vera"), b, "match/difference", {**asked, "kind": "shot", "pk": a.pk}).json()
    assert said["image"].startswith("data:image/png;base64,")
    assert float(said["rows"][0]["median"]) > 3
    assert len(said["legend"]) == 5
    mark = set_mark(b, people["tess"], "As it was", b.settings)
    same = post(as_("vera"), b, "match/difference", {**asked, "kind": "mark", "pk": mark.pk}).json()
    assert float(same["rows"][0]["most"]) == 0
    assert "sure of the place" not in same["said"]
    assert "Choose a shot" in post(as_("vera"), b, "match/difference", {**asked, "kind": "x", "pk": 1}).json()["error"]


def test_the_shelf(two, as_, people, production):
    """A frame is kept as it looked; it is compared with, matched to, and taken away; Marks of other productions come
    only from those one is a member of.
    """
    a, b = two
    tess, page = as_("tess"), "/p/kilnlight/references/"
    body = {"settings": a.settings.with_steps((Exposure(stops=1),)).model_dump(mode="json"), "frame": 0}
    assert post(as_("vera"), a, "shelve", body).status_code == 403
    made = post(tess, a, "shelve", {**body, "name": "Brighter"}).json()
    assert [one["name"] for one in made["shelf"]] == ["Brighter"]
    assert "already" in post(tess, a, "shelve", {**body, "name": "Brighter"}).json()["error"]
    assert "60 characters" in post(tess, a, "shelve", {**body, "name": "x" * 61}).json()["error"]
    kept = production.references.get()
    said = match(tess, b, b.settings, kind="shelf", pk=kept.pk, method="exposure").json()
    assert said["reference"] == "Brighter"
    assert sum(s["stops"] for s in said["settings"]["steps"] if s["kind"] == "exposure") == pytest.approx(2, abs=0.2)
    assert "no longer on the shelf" in match(tess, b, b.settings, kind="shelf", pk=999).json()["error"]
    here = f"{page}{kept.pk}"
    seen = as_("vera").post(f"{here}/preview/", {"lossless": True}, content_type="application/json")
    own = post(tess, a, "preview", {**body, "lossless": True})
    heads = [json.loads(one.content[4 : 4 + int.from_bytes(one.content[:4], "little")]) for one in (seen, own)]
    assert heads[0]["fingerprint"] == heads[1]["fingerprint"]
    assert as_("vera").get(f"{here}/picture/")["Content-Type"] == "image/jpeg"
    assert "Brighter" in as_("vera").get(page).content.decode()
    assert as_("vera").post(page, {"what": "remove", "reference": kept.pk}).status_code == 403
    # Another production's Mark.
    other_production = create_production(people["olaf"], "Second unit")
    theirs = Shot.objects.create(
        **{f.attname: getattr(a, f.attname) for f in Shot._meta.fields if f.name not in ("id", "production", "camera")}
        | {"production_id": other_production.pk, "camera_id": None, "sha256": "f" * 64}
    )
    mark = set_mark(theirs, people["tess"], "Their look", ShotSettings())
    assert (
        "in no other production of yours"
        in tess.post(page, {"what": "mark", "mark": mark.pk}, follow=True).content.decode()
    )
    Member.objects.create(production=other_production, user=people["tess"], role=Member.Role.VIEWER)
    assert "is on the shelf" in tess.post(page, {"what": "mark", "mark": mark.pk}, follow=True).content.decode()
    assert as_("vera").get(f"{page}{production.references.get(shot=theirs).pk}/picture/").status_code == 200
    assert as_("vera").get(f"/p/{other_production.slug}/").status_code == 404
    for one in production.references.all():
        tess.post(page, {"what": "remove", "reference": one.pk})
    assert "Nothing is on the shelf" in tess.get(page).content.decode()
    assert "Choose what to do" in tess.post(page, {"what": "x"}, follow=True).content.decode()


def test_marked_places_have_a_size(two, as_):
    """A larger place averages more; one beyond all bounds is held."""
    a, b = two
    place = [[[0.5, 0.55], [0.5, 0.55]], [[0.3, 0.25], [0.3, 0.25]]]
    found = [
        match(as_("tess"), b, b.settings, kind="shot", pk=a.pk, method="pairs", pairs=place, side=side).json()
        for side in (0.01, 0.3, None, 9)
    ]
    stops = [one["settings"]["steps"][0]["stops"] for one in found]
    assert len(set(stops)) == 4
    assert all(one["sentence"] for one in found)
    bad = match(as_("tess"), b, b.settings, kind="shot", pk=a.pk, method="pairs", pairs=place, side="x")
    assert bad.status_code == 422
