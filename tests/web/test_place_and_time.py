"""A vignette and a keyed exposure through every page that shows a frame: the same light at the same place and time."""

import json
import struct

import imagecodecs
import numpy as np
import pytest

from tests.web.test_bench import body, post
from upwelling.core.operations import Place
from upwelling.core.path import trace
from upwelling.core.steps import Exposure, Vignette
from upwelling.core.steps.track import Track
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.history import apply_settings
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.footage.pictures import thumbnail_file
from upwelling.web.footage.shot_settings import ShotSettings

DARK = Vignette(id="dark", stops=-6, x=0.2, size=0.1, falloff=0.6)
KEYED = Exposure(id="keyed", tracks=(Track(parameter="stops", keys=((0, 1.0), (10, -2.0))),))


def given(*steps):
    return ShotSettings(steps=steps).model_dump(mode="json")


def preview(client, shot, settings, **fields):
    answer = post(client, shot, "preview", {"settings": settings, "lossless": True, **fields})
    assert answer.status_code == 200, answer.content[:300]
    size = struct.unpack_from("<I", answer.content)[0]
    head = json.loads(answer.content[4 : 4 + size])
    return head, imagecodecs.png_decode(answer.content[4 + size : 4 + size + head["picture_bytes"]]).astype(int)


def test_picture_part_and_trace_agree_on_the_place(shot, as_):
    tess, settings = as_("tess"), given(DARK)
    x, y = shot.width - 9, shot.height - 9
    head, whole = preview(tess, shot, settings, point={"x": x, "y": y})
    assert whole[-1, -1].sum() < preview(tess, shot, body())[1][-1, -1].sum() * 0.7
    _, part = preview(
        tess, shot, settings, part={"x": shot.width - 24, "y": shot.height - 16, "width": 24, "height": 16}
    )
    frame = frame_of(shot)
    if frame.factor == 1:
        np.testing.assert_allclose(part[-4:, -4:], whole[-4:, -4:], atol=1)
    path = path_of(shot, ShotSettings(steps=(DARK,)))
    exact = trace(path, frame.still.code[y, x].astype(float), Place(shot.width, shot.height, x, y))
    assert head["trace"]["display"] == [f"{v:.0f}" for v in exact[-1].rgb]


@pytest.mark.parametrize("view", ["picture", "stops", "clip", "selection"])
def test_every_view_and_number_takes_it(shot, as_, view):
    region = {"kind": "ellipse", "left": 0.2, "top": 0.2, "right": 0.7, "bottom": 0.8}
    limited = DARK.model_copy(update={"strength": 0.5})
    scopes = [{"kind": kind} for kind in ("parade", "chromaticity")]
    head, _ = preview(
        as_("tess"), shot, given(limited, KEYED), view=view, region=region, scopes=scopes, stage="trim", step="dark"
    )
    assert head["says"]["lut"] == "A LUT cannot carry it"
    assert head["numbers"]
    assert head["region"]


def test_neutral_and_range_are_taken_from_the_light_that_reaches_a_step(shot, as_):
    """The patch is run at its own place: with the vignette before it, the same pixels are darker, not other colours."""
    balance = ShotSettings().with_steps([]).model_dump(mode="json")
    balance["steps"] = [DARK.model_dump(mode="json"), {"kind": "white_balance", "id": "wb"}]
    for more in ({"point": {"x": 5, "y": 5}}, {"region": {"left": 0.1, "top": 0.1, "right": 0.4, "bottom": 0.4}}):
        assert "kelvin" in post(as_("tess"), shot, "neutral", {"settings": balance, "step": "wb", **more}).json()
        assert "range" in post(as_("tess"), shot, "colour-range", {"settings": balance, "step": "wb", **more}).json()


def test_lists_bakes_and_corrections_take_a_shot_that_needs_its_place(shot, as_, people):
    shot = apply_settings(shot, people["tess"], ShotSettings(steps=(DARK,)), version=shot.version, label="darker")
    tess, p = as_("tess"), "/p/kilnlight/"
    for page in ("", "bakes/cdl/", f"bakes/of/{shot.pk}/", "looks/", f"bench/{shot.pk}/", f"shots/{shot.pk}/picture/"):
        assert tess.get(p + page).status_code == 200, page
    assert thumbnail_file(Shot.objects.get()).stat().st_size > 500
    said = tess.post(f"{p}bakes/of/{shot.pk}/check/", {"size": "17"}, content_type="application/json").json()
    assert [one["name"] for one in said["lost"] if one["step"] == "dark"] == ["Vignette"]
    refused = tess.post(f"{p}bakes/of/{shot.pk}/start/", {"size": "17"}, headers={"Accept": "application/json"})
    assert refused.status_code == 422
    assert "leaves out: vignette" in refused.json()["error"]
    assert tess.post(f"{p}bakes/of/{shot.pk}/start/", {"size": "17", "yes": "on"}).status_code == 302


def test_a_keyed_value_is_that_of_the_frame_and_a_bake_of_it_is_refused(shot, as_, people):
    shot = apply_settings(shot, people["tess"], ShotSettings(steps=(KEYED,)), version=shot.version, label="keyed")
    tess = as_("tess")
    _, there = preview(tess, shot, given(KEYED))
    _, same = preview(tess, shot, given(Exposure(id="keyed", stops=1.0)))
    np.testing.assert_array_equal(there, same)
    refused = tess.post(
        f"/p/kilnlight/bakes/of/{shot.pk}/check/",
        {},
        content_type="application/json",
        headers={"Accept": "application/json"},
    )
    assert refused.status_code == 422
    assert "changes along the shot" in refused.json()["error"]
    for page in ("", "bakes/cdl/", "looks/", f"bench/{shot.pk}/"):
        assert tess.get(f"/p/kilnlight/{page}").status_code == 200, page
