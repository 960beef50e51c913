"""A camera's correction: it acts between Input and Trim, counts in fingerprints, travels in recipes and tables."""

import json

import numpy as np
import pytest
from pydantic import ValidationError

from upwelling.core.bake import RECEIVERS, BakeOrder, Section
from upwelling.core.errors import BadValue, RecipeError
from upwelling.core.operations import run_reference
from upwelling.core.path import Correction, Path, trace
from upwelling.core.path.look_recipe import LookRecipe
from upwelling.core.raw import RawProfile, RawSettings
from upwelling.core.steps import ColourMatrix, Exposure, Glow, Matte, SlopeOffsetPower, WhiteBalance
from upwelling.core.steps.group import StepGroup
from upwelling.core.steps.selections import Ellipse

GREY = np.array([[0.3, 0.42, 0.5], [0.6, 0.2, 0.7], [0.45, 0.45, 0.45]])
STEPS = (Exposure(stops=0.5), WhiteBalance(kelvin=7000), ColourMatrix(red_into_green=0.1))


def path_of(correction=None, **inside):
    given = {"encoding": "V-Log/V-Gamut", "correction": correction, **inside.pop("input", {})}
    return Path.checked({"input": given, "display": {"output": "BT.709 BT.1886"}, **inside})


@pytest.mark.parametrize("strength", [1.0, 0.4])
def test_it_does_what_the_same_steps_do_first_in_the_trim(strength):
    """Held to the trim's own group of the same strength, which other tests hold to the outside."""
    own = SlopeOffsetPower(slope=(1.1, 1, 0.9))
    grouped = tuple(step.model_copy(update={"id": f"s{n}", "group": "match"}) for n, step in enumerate(STEPS))
    as_trim = path_of(trim={"steps": (*grouped, own), "groups": (StepGroup(id="match", strength=strength),)})
    as_camera = path_of(Correction(name="Match to A-cam", steps=STEPS, strength=strength), trim={"steps": (own,)})
    assert np.array_equal(as_camera.apply(GREY), as_trim.apply(GREY))
    before = trace(as_camera, GREY[0])[1]
    assert before.stage == "input"
    assert before.rgb == pytest.approx(as_camera.to_working(GREY[0]), rel=1e-12)
    assert before.rgb != pytest.approx(path_of().to_working(GREY[0]), rel=1e-3)


def test_fingerprints():
    plain = path_of()
    held = Correction(name="Match", steps=(Exposure(stops=1),))
    other = Correction(name="Other", note="x", steps=(Exposure(stops=1, id="e", name="Named", note="n"),))
    assert path_of(held).fingerprint == path_of(other).fingerprint != plain.fingerprint
    for rests in (
        held.model_copy(update={"on": False}),
        held.model_copy(update={"strength": 0.0}),
        Correction(steps=(Exposure(),)),
        Correction(steps=(Exposure(stops=1, on=False),)),
    ):
        assert path_of(rests).fingerprint == plain.fingerprint
        assert np.array_equal(path_of(rests).apply(GREY), plain.apply(GREY))
    assert path_of(held, input={"on": False}).fingerprint == path_of(input={"on": False}).fingerprint
    assert path_of(held.model_copy(update={"strength": 0.5})).fingerprint != path_of(held).fingerprint


def test_recipes_carry_it_and_older_ones_open():
    made = path_of(Correction(name="Match to A-cam", note="By chart", steps=STEPS, strength=0.7))
    again = Path.from_recipe(made.to_recipe())
    assert again == made
    body = json.loads(path_of().to_recipe())
    del body["input"]["correction"]
    body["upwelling_recipe"] = 2
    assert Path.from_recipe(json.dumps(body)) == path_of()
    assert LookRecipe.from_text(made.to_recipe()).steps == ()
    body["input"]["correction"] = {"steps": [{"kind": "exposure", "stops": "much"}]}
    with pytest.raises(RecipeError, match="correction"):
        Path.from_recipe(json.dumps(body))


@pytest.mark.parametrize(
    "step",
    [
        Exposure(stops=1, limit=Matte(selections=(Ellipse(),))),
        Exposure(stops=1, output="sRGB"),
        Exposure(stops=1, tracks=({"parameter": "stops", "keys": ((0, 0.0), (5, 1.0))},)),
        Glow(amount=0.3),
    ],
    ids=["a shape", "one output", "keys", "neighbours"],
)
def test_it_is_the_same_for_every_pixel_frame_and_output(step):
    with pytest.raises(ValidationError, match="same to every pixel of every frame"):
        Correction(steps=(step,))


def test_one_after_the_other():
    first = Correction(steps=(Exposure(stops=1, id="exposure"), WhiteBalance(kelvin=5000, on=False)))
    both = first.then((Exposure(stops=-0.25, id="exposure", group="match", note="x"),))
    assert [(step.kind, step.group, step.note) for step in both] == [("exposure", "", "")] * 2
    assert len({step.id for step in both}) == 2
    assert first.model_copy(update={"on": False}).then(STEPS)[0].kind == "exposure"


def test_tables_carry_it():
    """From the camera's code it is inside; a raw mosaic's table begins before it, in developed light."""
    held = Correction(steps=STEPS)
    whole = BakeOrder.checked({"path": path_of(held), "section": {}, "receiver": RECEIVERS[0], "size": 33})
    code = GREY[None]
    assert np.allclose(run_reference(whole.section.operations(whole.path), code), path_of(held).apply(code), atol=1e-12)
    above = whole.model_copy(update={"section": Section(start="trim")})
    assert (
        above.section_fingerprint
        == whole.model_copy(update={"path": path_of(), "section": Section(start="trim")}).section_fingerprint
    ), "what begins above the Input holds nothing of it"
    with pytest.raises(BadValue, match="Only a raw mosaic"):
        _ = whole.model_copy(update={"section": Section(start="input")}).operations
    raw = RawSettings(profile=RawProfile(camera="Invented", color_1=np.eye(3).tolist()))
    developed = path_of(held, input={"encoding": "linear/AP1"}, camera={"raw": raw})
    order = whole.model_copy(update={"path": developed, "section": Section(start="input", end="input")})
    light = np.array([[[0.18, 0.2, 0.1], [0.5, 0.02, 0.3]]])
    carried = run_reference(order.section.to_carrier(developed), light)
    given = run_reference((*order.section.operations(developed), *order.section.from_carrier(developed)), carried)
    assert np.allclose(given, run_reference(held.operations(developed.working_primaries), light), rtol=1e-9)
    assert order.section.title() == "developed light to working light"
