"""Layers of a path: what acts in which order, on which light, for which output; written flat by hand it is the same."""

import json

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from upwelling.core import engine
from upwelling.core.bake import RECEIVERS, BakeOrder, Section
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.errors import RecipeError
from upwelling.core.operations import needs_of, run_reference
from upwelling.core.outputs import OUTPUTS, output
from upwelling.core.path import LAYERS, SCENE_LAYERS, STAGES, Display, Input, Layer, Path, trace
from upwelling.core.path.layers import over_white
from upwelling.core.path.look_recipe import LookRecipe
from upwelling.core.path.recipe import RECIPE_VERSION
from upwelling.core.steps import (
    STEPS,
    Contrast,
    Exposure,
    Saturation,
    SlopeOffsetPower,
    ToneCurve,
    Vignette,
    WhiteBalance,
)
from upwelling.core.steps.group import StepGroup

CODES = np.random.default_rng(8).uniform(0.02, 0.95, (400, 3))
TV, HDR = "BT.709 BT.1886", "BT.2100 PQ 1000"
WARM, PUNCH = WhiteBalance(id="w", kelvin=5200), Contrast(id="c", contrast=1.3)
LIFT = SlopeOffsetPower(id="s", offset=(0.02, 0.02, 0.02))


def make(display=TV, **layers):
    return Path(input=Input(encoding="V-Log/V-Gamut"), display=Display(output=display), **layers)


WHOLE = {
    "camera_trim": Layer(steps=(WARM,), strength=0.5),
    "group_trim": Layer(steps=(PUNCH,)),
    "trim": Layer(steps=(Exposure(id="e", stops=0.4),)),
    "look": Layer(steps=(SlopeOffsetPower(id="s", slope=(1.05, 1, 0.96)),), strength=0.8),
    "group_look": Layer(steps=(Saturation(id="a", amount=0.8),)),
    "finish": Layer(steps=(LIFT,), output="SDR"),
}


def flat(*parts):
    """Steps in one trim: each part with the strength of the group that it is in."""
    groups = tuple(StepGroup(id=f"g{n}", strength=strength) for n, (_, strength) in enumerate(parts))
    steps = tuple(
        step.model_copy(update={"id": f"s{n}{k}", "group": f"g{n}"})
        for n, (list_of, _) in enumerate(parts)
        for k, step in enumerate(list_of)
    )
    return Layer(steps=steps, groups=groups)


def test_layers_are_the_same_steps_written_into_one_flat_trim():
    scene = {kind: layer for kind, layer in WHOLE.items() if kind != "finish"}
    by_hand = make(trim=flat(*((layer.steps, layer.strength) for layer in scene.values())))
    np.testing.assert_allclose(make(**scene).apply(CODES), by_hand.apply(CODES), rtol=0, atol=1e-9)
    finished = by_hand.with_layers(finish=WHOLE["finish"])
    np.testing.assert_allclose(make(**WHOLE).apply(CODES), finished.apply(CODES), rtol=0, atol=1e-9)
    assert np.abs(make(**WHOLE).apply(CODES) - by_hand.apply(CODES)).max() > 0.003, "the finish is seen"


@pytest.mark.parametrize("shuffled", [list(WHOLE), list(WHOLE)[::-1], sorted(WHOLE)])
def test_they_act_in_their_order_however_they_are_given(shuffled):
    path = make(layers=tuple(WHOLE[kind].model_copy(update={"kind": kind}) for kind in shuffled))
    assert [layer.kind for layer in path.layers] == list(LAYERS)
    assert path.fingerprint == make(**WHOLE).fingerprint
    assert Path.from_recipe(path.to_recipe()) == path


def test_two_of_one_kind_are_refused():
    with pytest.raises(RecipeError, match="one layer of each kind, and “Trim” is there twice"):
        Path.checked({**make().model_dump(), "layers": [Layer(), Layer(steps=(PUNCH,))]})


@pytest.mark.parametrize(
    ("name", "light"), [(name, "HDR" if output(name).is_hdr else "SDR") for name in OUTPUTS], ids=str
)
def test_a_finish_acts_for_its_kind_of_output_alone(name, light):
    """At (code of ACEScct + offset) of display light over white: Academy S-2016-001, ASC CDL v1.2."""
    bare = make(name)
    for kind in ("SDR", "HDR", name, ""):
        path = bare.with_layers(finish=Layer(steps=(LIFT,), output=kind))
        acts = kind in (light, name, "")
        assert (path.fingerprint != bare.fingerprint) == acts
        target, stages = path.target, [op for stage in STAGES[:-1] for op in path.segments()[stage]]
        got = run_reference(tuple(stages), CODES)
        white = target.peak_nits if light == "SDR" else 203.0
        before = run_reference(bare.until("display"), CODES) * target.peak_nits / white
        wanted = (
            np.asarray(ACESCCT.to_linear(np.asarray(ACESCCT.from_linear(before)) + 0.02)) * white / target.peak_nits
        )
        np.testing.assert_allclose(got, wanted if acts else run_reference(bare.until("display"), CODES), rtol=1e-9)
        assert over_white(target) == pytest.approx(target.peak_nits / white)


IN_DISPLAY_LIGHT = {
    *(
        "slope_offset_power",
        "tone_curve",
        "colour_curves",
        "saturation",
        "sharpen",
        "grain",
        "vignette",
        "turn_colours",
    ),
    *("softness", "gate", "dust"),
}


@pytest.mark.parametrize("step", STEPS, ids=lambda step: step().kind)
def test_each_step_says_in_which_light_it_works(step):
    assert ("display" in step.lights) == (step().kind in IN_DISPLAY_LIGHT)
    if step().kind in IN_DISPLAY_LIGHT:
        assert Layer(kind="finish", steps=(step(),)).light == "display"
    elif step().kind != "lut":
        with pytest.raises(ValueError, match="works on scene light only"):
            Layer(kind="finish", steps=(step(),))


_STEPS = st.one_of(
    st.builds(Exposure, stops=st.floats(-2, 2)),
    st.builds(Contrast, contrast=st.floats(0.6, 1.6)),
    st.builds(Saturation, amount=st.floats(0.2, 1.8)),
    st.builds(SlopeOffsetPower, slope=st.tuples(*[st.floats(0.8, 1.2)] * 3), strength=st.floats(0, 1)),
    st.builds(Vignette, stops=st.floats(-1, 1)),
)
_ON_DISPLAY = _STEPS.filter(lambda step: "display" in step.lights)


def _layers(kind):
    steps = st.lists(_ON_DISPLAY if kind == "finish" else _STEPS, max_size=3).map(tuple)
    kinds = st.sampled_from(("", "SDR", "HDR")) if kind == "finish" else st.just("")
    return st.builds(Layer, steps=steps, strength=st.floats(0, 1), on=st.booleans(), output=kinds)


@settings(max_examples=30, deadline=None)
@given(st.fixed_dictionaries({}, optional={kind: _layers(kind) for kind in LAYERS}), st.sampled_from((TV, HDR)))
def test_random_layers_run_alike_everywhere(layers, display):
    """The engine against the float64 reference, the trace against both at every boundary, and the recipe read back."""
    from upwelling.core.operations import Place

    path = make(display, **layers)
    frame, place = CODES.reshape(20, 20, 3), Place(20, 20)
    exact = path.apply(frame, place)
    fast = engine.run(engine.compile_operations(path.operations()), frame.astype(np.float32), place=place)
    np.testing.assert_allclose(fast, exact, atol=2e-3)
    at, operations = (7, 11), ()
    for boundary in trace(path, frame, place, at):
        operations += path.segments()[boundary.stage]
        value = run_reference(operations, frame, place)[at]
        shown = path.target.nits(value) if boundary.stage in ("rendering", "finish") else value
        if boundary.stage == "display":
            shown = np.clip(np.round(value * 1023), 0, 1023)
        np.testing.assert_allclose(boundary.rgb, shown, rtol=1e-9, atol=1e-12)
    again = Path.from_recipe(path.to_recipe())
    assert (again, again.fingerprint) == (path, path.fingerprint)
    assert path.carried().needs == frozenset()
    placed = any(s.kind == "vignette" for _, s in path.acting())
    assert needs_of(path.operations()) == ({"place"} if placed else frozenset())


def test_a_layer_that_does_not_act_is_in_no_fingerprint():
    bare = make()
    for kind in LAYERS:
        for rest in (Layer(), Layer(steps=(LIFT,), on=False), Layer(steps=(LIFT,), strength=0), Layer(whose="B-cam")):
            assert bare.with_layers(**{kind: rest}).fingerprint == bare.fingerprint
        acting = bare.with_layers(**{kind: Layer(steps=(LIFT,))})
        assert acting.fingerprint != bare.fingerprint
        assert acting.without_layers(kind).fingerprint == bare.fingerprint
        weak = Layer(steps=(LIFT,), strength=0.5, name="a name", whose="B-cam")
        assert acting.fingerprint != bare.with_layers(**{kind: weak}).fingerprint
    marks = {bare.with_layers(**{kind: Layer(steps=(LIFT,))}).fingerprint for kind in LAYERS}
    assert len(marks) == len(LAYERS), "the same step elsewhere is another path"


def test_recipes_of_before_are_read_as_they_were():
    """Versions up to 4 hold one trim and one look, by name."""
    body = json.loads(make(trim=WHOLE["trim"], look=WHOLE["look"]).to_recipe())
    old = {name: value for name, value in body.items() if name != "layers"} | {
        "upwelling_recipe": 4,
        "trim": {"steps": [{"kind": "exposure", "id": "e", "stops": 0.4}], "groups": [], "on": True},
        "look": {"name": "", "strength": 0.8, "on": True,
                 "steps": [{"kind": "slope_offset_power", "id": "s", "slope": [1.05, 1, 0.96]}]},
    }  # fmt: skip
    assert body["upwelling_recipe"] == RECIPE_VERSION
    assert Path.from_recipe(json.dumps(old)).fingerprint == Path.from_recipe(json.dumps(body)).fingerprint
    assert LookRecipe.from_text(json.dumps(old)).steps == LookRecipe.from_text(json.dumps(body)).steps != ()


@pytest.mark.parametrize(
    ("section", "kinds"),
    [
        (Section(), LAYERS),
        (Section(start="trim", end="look", carrier="ACEScct/AP1"), SCENE_LAYERS),
        (Section(start="look", end="look"), ("look", "group_look")),
        (Section(end="trim", carrier="ACEScct/AP1"), ("camera_trim", "group_trim", "trim")),
        (Section(start="rendering"), ("finish",)),
        (Section(end="input", carrier="ACEScct/AP1"), ()),
    ],
)
def test_a_part_of_the_column_holds_the_layers_within(section, kinds):
    """A table of one part goes stale for a change within it, and for no other."""
    order = BakeOrder(path=make(**WHOLE), section=section, receiver=RECEIVERS[0], size=33)
    assert tuple(layer.kind for layer, _ in order.steps) == tuple(kinds)
    for kind in LAYERS:
        other = order.model_copy(update={"path": order.path.without_layers(kind)})
        assert (other.section_fingerprint == order.section_fingerprint) == (kind not in kinds)


def test_a_step_that_no_table_carries_is_left_out_of_its_own_layer():
    """Ids are each layer's own: leaving one out leaves the others of that id alone."""
    dark = Vignette(id="v", stops=-1)
    path = make(camera_trim=Layer(steps=(dark,)), trim=Layer(steps=(dark,)), finish=Layer(steps=(dark,)))
    order = BakeOrder(path=path, receiver=RECEIVERS[0], size=33)
    names = [name for name, _ in order.stuck]
    assert names == ["camera_trim/v", "v", "finish/v"]
    for name in names:
        left = order.without(name)
        assert [own for own, _ in left.stuck] == [own for own in names if own != name]
        assert left.left_out_said == ("Vignette",)


@pytest.mark.parametrize("kind", LAYERS)
def test_until_a_step_of_any_layer(kind):
    steps = (LIFT, ToneCurve(id="t", master=((0, 0.05), (0.4, 0.42), (1, 1))), Saturation(id="z", amount=0.5))
    path = make(**{**WHOLE, kind: Layer(steps=steps)})
    before = make(**{k: v for k, v in WHOLE.items() if LAYERS.index(k) < LAYERS.index(kind)})
    for n, step in enumerate(steps):
        some = before.with_layers(**{kind: Layer(steps=steps[:n])})
        wanted = run_reference([op for s in STAGES[: STAGES.index(kind) + 1] for op in some.segments()[s]], CODES)
        np.testing.assert_allclose(run_reference(path.until(kind, step.id), CODES), wanted, atol=1e-12)
