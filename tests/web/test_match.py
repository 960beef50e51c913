"""Matching on the Bench: what comes back is the settings with the match in their trim; nothing is saved by asking."""

import cv2
import pytest

from tests.web.test_bench import post
from upwelling.core.media import write_still
from upwelling.core.simulate.camera import A_CAM, B_CAM
from upwelling.core.simulate.shipped import shipped
from upwelling.core.steps import Exposure
from upwelling.web.footage.history import set_mark
from upwelling.web.footage.models import Shot, ShotState
from upwelling.web.footage.shot_settings import ShotSettings


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


def test_matching_refuses_in_words(shot, two, as_):
    a, b = two
    tess = as_("tess")
    for asked, words in (
        ({"kind": "untrimmed", "pk": 0}, "Choose a shot or a Mark"),
        ({"kind": "shot", "pk": 99999}, "Choose a shot or a Mark"),
        ({"kind": "mark", "pk": 1}, "no longer there"),
        ({"kind": "shot", "pk": a.pk, "method": "pairs"}, "at least one pair"),
        ({"kind": "shot", "pk": a.pk, "method": "pairs", "pairs": [[1, 2]]}, "pairs that are none"),
        ({"kind": "shot", "pk": shot.pk, "method": "scene"}, "."),
    ):
        answer = match(tess, b, b.settings, **asked)
        assert answer.status_code == 422
        assert words in answer.json()["error"]
    assert match(as_("vera"), b, b.settings, kind="shot", pk=a.pk).status_code in (302, 403)
