"""Path: stages, trace, fingerprint, recipe; steps against their definitions."""

import json
import pickle
import subprocess
import sys

import colour
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.step_samples import RESTING
from upwelling.core.colour.primaries import primaries, rgb_to_xyz
from upwelling.core.colour.temperature import kelvin_duv_to_xy, xy_to_kelvin_duv
from upwelling.core.encodings import encoding
from upwelling.core.errors import BadValue, RecipeError
from upwelling.core.operations import run_reference
from upwelling.core.path import (
    STAGES,
    CameraFile,
    Display,
    Input,
    Layer,
    Path,
    RenderingStage,
    convert_operations,
    trace,
)
from upwelling.core.rendering import Rise
from upwelling.core.steps import STEPS, ColourCurves, Exposure, SlopeOffsetPower, WhiteBalance
from upwelling.core.steps.white_balance import balance_neutral

AP1 = primaries("AP1")
CODES = np.random.default_rng(3).uniform(0.05, 0.8, (200, 3))


def make(**stages):
    return Path(
        **{"input": Input(encoding="S-Log3/S-Gamut3.Cine"), "display": Display(output="BT.709 BT.1886"), **stages}
    )


def _apply(step, rgb):
    return run_reference(step.operations(AP1), np.asarray(rgb, dtype=np.float64))


def test_exposure_doubles():
    np.testing.assert_allclose(_apply(Exposure(stops=1.5), [-0.1, 0.18, 20]), np.array([-0.1, 0.18, 20]) * 2**1.5)


@pytest.mark.parametrize("method", ["CAT02", "Bradford"])
@pytest.mark.parametrize(("kelvin", "duv"), [(3200, 0.0), (4300, 0.01), (9000, -0.005)])
def test_white_balance_makes_the_named_light_neutral(kelvin, duv, method):
    """A grey under that light comes to lie where a grey under 6500 K lies; colour-science adapts the same way."""
    to_xyz = rgb_to_xyz(AP1)
    x, y = kelvin_duv_to_xy(kelvin, duv)
    light = np.linalg.solve(to_xyz, np.array([x / y, 1, (1 - x - y) / y]))
    out = to_xyz @ _apply(WhiteBalance(kelvin=kelvin, duv=duv, adaptation=method), light)
    np.testing.assert_allclose(out[:2] / out.sum(), kelvin_duv_to_xy(6500, 0), atol=1e-9)
    rgb = np.array([0.3, 0.2, 0.1])
    theirs = colour.chromatic_adaptation(
        to_xyz @ rgb, colour.xy_to_XYZ((x, y)), colour.xy_to_XYZ(kelvin_duv_to_xy(6500, 0)), transform=method
    )
    np.testing.assert_allclose(
        to_xyz @ _apply(WhiteBalance(kelvin=kelvin, duv=duv, adaptation=method), rgb), theirs, atol=1e-9
    )


@pytest.mark.parametrize("working", ["AP1", "BT.2020"])
@pytest.mark.parametrize(("kelvin", "duv"), [(2400, 0.0), (3200, 0.0), (6500, 0.0), (9000, -0.005)])
def test_a_grey_under_the_light_comes_to_equal_rgb(working, kelvin, duv):
    space = primaries(working)
    x, y = kelvin_duv_to_xy(kelvin, duv)
    light = np.linalg.solve(rgb_to_xyz(space), np.array([x / y, 1, (1 - x - y) / y]))
    step = WhiteBalance(kelvin=kelvin, duv=duv, target="working white")
    out = run_reference(step.operations(space), 0.18 * light)
    np.testing.assert_allclose(out / out[1], 1, atol=1e-9)
    found = balance_neutral(light, space, step)
    assert (found.kelvin, found.duv) == (pytest.approx(kelvin, rel=1e-3), pytest.approx(duv, abs=1e-4))
    kelvin, duv = xy_to_kelvin_duv(space.white)
    rest = WhiteBalance(kelvin=kelvin, duv=duv, target="working white").operations(space)
    np.testing.assert_allclose(run_reference(rest, np.array([0.3, 0.2, 0.1])), [0.3, 0.2, 0.1], atol=2e-5)


def test_white_balance_goes_the_way_a_camera_does():
    warm = _apply(WhiteBalance(kelvin=8000), [0.18] * 3)
    assert warm[0] > 0.18 > warm[2]
    magenta = _apply(WhiteBalance(duv=0.01), [0.18] * 3)
    assert magenta[1] < min(magenta[0], magenta[2])


# ASC CDL v1.2: out = (in·slope + offset)^power, then luma + saturation·(out − luma); worked by hand.
@pytest.mark.parametrize(
    ("settings_", "log_in", "log_out"),
    [
        ({"slope": (2, 1, 1)}, (0.3, 0.4, 0.5), (0.6, 0.4, 0.5)),
        ({"offset": (0.1, -0.1, 0)}, (0.3, 0.4, 0.5), (0.4, 0.3, 0.5)),
        ({"power": (2, 1, 0.5)}, (0.3, 0.4, 0.49), (0.09, 0.4, 0.7)),
        ({"saturation": 0.0}, (0.3, 0.4, 0.5), (0.2126 * 0.3 + 0.7152 * 0.4 + 0.0722 * 0.5,) * 3),
        ({"saturation": 2.0}, (0.4, 0.4, 0.4), (0.4, 0.4, 0.4)),
        ({"offset": (-0.5, 0, 0), "power": (2, 1, 1)}, (0.3, 0.4, 0.5), (-0.2, 0.4, 0.5)),  # below 0 passes the power
        ({"offset": (-0.5, 0, 0), "clamping": "asc"}, (0.3, 0.4, 0.5), (0.0, 0.4, 0.5)),
        ({"slope": (4, 1, 1), "clamping": "asc"}, (0.3, 0.4, 0.5), (1.0, 0.4, 0.5)),
    ],
)
def test_asc_cdl(settings_, log_in, log_out):
    curve = encoding("ACEScct/AP1")
    out = curve.from_linear(_apply(SlopeOffsetPower(**settings_), curve.to_linear(np.array(log_in))))
    np.testing.assert_allclose(out, log_out, atol=1e-9)


@pytest.mark.parametrize("step", STEPS, ids=lambda s: s.__name__)
def test_every_step_documents_itself_and_rests(step):
    resting = step(**RESTING.get(step().kind, {}))
    assert resting.changes_nothing
    assert all(getattr(step, a) for a in ("title", "explanation", "source", "space", "neutral"))
    np.testing.assert_allclose(_apply(resting, CODES), CODES, atol=1e-12)
    for field in step.model_fields.values():
        if field.title:
            assert field.description


def test_trace_ends_where_apply_ends():
    path = make(
        trim=Layer(steps=(Exposure(stops=0.5), SlopeOffsetPower(saturation=1.2))),
        look=Layer(steps=(Exposure(stops=-0.2),), strength=0.5),
    )
    traced = trace(path, CODES[0])
    assert [b.stage for b in traced] == list(STAGES)
    found = {b.stage: b.rgb for b in traced}
    np.testing.assert_allclose(found["display"], np.round(path.apply(CODES[0]) * 1023))
    np.testing.assert_allclose(found["input"], path.to_working(CODES[0]))
    np.testing.assert_allclose(found["rendering"], path.target.to_light(path.apply(CODES[0])) * 100, rtol=1e-9)


def test_mid_grey_from_camera_to_display():
    """S-Log3's published mid grey code 420 of 1023 is 0.18 in the scene and 10 cd/m² on the display."""
    found = {b.stage: b.rgb for b in trace(make(), [420 / 1023] * 3)}
    np.testing.assert_allclose(found["input"], 0.18, atol=1e-9)
    np.testing.assert_allclose(found["rendering"], 10.0, atol=1e-6)


def test_legal_range_at_both_ends():
    full = make().apply(CODES)
    legal = make(camera=CameraFile(range="legal"), display=Display(output="BT.709 BT.1886", range="legal"))
    np.testing.assert_allclose(legal.apply((CODES * 876 + 64) / 1023), (full * 876 + 64) / 1023, atol=1e-12)


def test_stages_off_pass_their_value_on():
    path = make(
        input=Input(encoding="V-Log/V-Gamut", on=False),
        rendering=RenderingStage(on=False),
        display=Display(output="BT.709 BT.1886", on=False),
    )
    white = path.apply([0.5] * 3)
    np.testing.assert_allclose(white, 0.5, atol=1e-12)
    steps = (Exposure(stops=1),)
    assert make(trim=Layer(steps=steps, on=False)).apply(CODES) == pytest.approx(make().apply(CODES))
    assert make(trim=Layer(steps=(Exposure(stops=1, on=False),))).apply(CODES) == pytest.approx(make().apply(CODES))
    assert make(look=Layer(steps=steps, strength=0)).apply(CODES) == pytest.approx(make().apply(CODES))
    assert make(look=Layer(steps=steps)).apply(CODES) == pytest.approx(make(trim=Layer(steps=steps)).apply(CODES))


def test_what_is_worked_out_for_a_path_is_not_for_its_copies():
    """Operations are kept with a path: one that is changed, fed, taken to a frame or pickled has its own."""
    path = make(trim=Layer(steps=(Exposure(stops=1),)))
    fresh, before = make(trim=Layer(steps=(Exposure(stops=1),))), path.apply(CODES)
    assert path == fresh
    assert path.to_recipe() == fresh.to_recipe()
    assert path.with_layers(trim=Layer()).apply(CODES) == pytest.approx(make().apply(CODES))
    assert path.with_steps(lambda layer, step: None).apply(CODES) == pytest.approx(make().apply(CODES))
    path.segments().clear()
    assert (pickle.loads(pickle.dumps(path)).apply(CODES) == before).all()
    assert (path.apply(CODES) == before).all()


def test_curves_that_came_later_leave_fingerprints_as_they_were():
    """As computed before the step had nine curves: certificates of then still name this path."""
    step = ColourCurves(id="c", saturation_by_hue=((40, 1.4), (200, 0.6)))
    path = Path(input=Input(encoding="S-Log3/S-Gamut3.Cine"), display=Display(output="sRGB"), trim=Layer(steps=(step,)))
    assert path.fingerprint == "bcd8af2726edf2cf20e039dfced6b3cdf42cba1ab9c54168c33e3a226811d6f0"


def test_fingerprint_is_for_the_arithmetic():
    one = make(trim=Layer(steps=(Exposure(stops=0.5),)))
    assert one.fingerprint == make(trim=Layer(steps=(Exposure(stops=0.5),))).fingerprint
    assert one.fingerprint != make(trim=Layer(steps=(Exposure(stops=0.51),))).fingerprint
    assert make(look=Layer(name="Ember")).fingerprint == make().fingerprint


_numbers = st.floats(0.5, 1.5).map(lambda v: round(v, 6))


@given(
    st.floats(-4, 4),
    st.floats(2000, 12000),
    st.tuples(_numbers, _numbers, _numbers),
    st.floats(0, 1),
    st.sampled_from(["full", "legal"]),
)
@settings(max_examples=60, deadline=None)
def test_recipe_round_trip(stops, kelvin, slope, strength, side):
    path = make(
        trim=Layer(steps=(Exposure(stops=stops), WhiteBalance(kelvin=kelvin))),
        camera=CameraFile(range=side),
        look=Layer(name="Ember", steps=(SlopeOffsetPower(slope=slope),), strength=strength),
    )
    again = Path.from_recipe(path.to_recipe())
    assert again == path
    assert again.fingerprint == path.fingerprint


def _broken(**changes):
    body = json.loads(make().to_recipe())
    for place, value in changes.items():
        target = body
        *way, last = place.split("__")
        for key in way:
            target = target.setdefault(key, {})
        target[last] = value
    return json.dumps(body)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("{", "not JSON"),
        ("[]", "not a recipe"),
        ("{}", "not a recipe"),
        ("[" * 100000, "more than 40 levels deep"),
        (_broken(upwelling_recipe=99), "version 99"),
        (_broken(input__encoding="S-Log9"), "input.encoding: There is no encoding named “S-Log9”"),
        (_broken(display__output="Cinema"), "display.output"),
        (_broken(trim__steps=[{"kind": "polish"}]), "trim.steps.0"),
        (_broken(trim__steps=[{"kind": "exposure", "stops": 99}]), "less than or equal to 8"),
        (_broken(trim__steps=[{"kind": "exposure", "stops": "NaN"}]), "trim.steps.0"),
        (_broken(look__strength=2), "look.strength"),
        (_broken(look__strength=1, layers=[{"kind": "look"}]), "layers: a path has one layer of each kind, and “Look”"),
        (
            _broken(layers=[{"kind": "finish", "steps": [{"kind": "exposure"}]}]),
            "finish: Exposure works on scene light",
        ),
        (_broken(surprise=1), "surprise"),
    ],
)
def test_bad_recipes_name_the_place(text, words):
    with pytest.raises(RecipeError, match=words):
        Path.from_recipe(text)


def test_settings_that_contradict_each_other():
    with pytest.raises(BadValue, match="contrast"):
        Path.checked(make(rendering=RenderingStage(method=Rise(contrast=0.8, scene_peak=4))).model_dump(mode="json"))


def test_conversion_against_colour_science():
    source, target = encoding("S-Log3/S-Gamut3.Cine"), encoding("V-Log/V-Gamut")
    ours = run_reference(convert_operations(source, target, "CAT02"), CODES)
    spaces = colour.RGB_COLOURSPACES["S-Gamut3.Cine"].copy(), colour.RGB_COLOURSPACES["V-Gamut"].copy()
    for space in spaces:
        space.use_derived_matrix_RGB_to_XYZ = space.use_derived_matrix_XYZ_to_RGB = True
    light = colour.RGB_to_RGB(colour.models.log_decoding_SLog3(CODES), *spaces, chromatic_adaptation_transform="CAT02")
    np.testing.assert_allclose(ours, colour.models.log_encoding_VLog(light), atol=1e-6)


def test_core_needs_no_web():
    """All of core imports in a fresh process in which django is refused."""
    code = (
        "import sys, pkgutil, importlib\nsys.modules['django'] = None\nimport upwelling.core as core\n"
        "for m in pkgutil.walk_packages(core.__path__, 'upwelling.core.'): importlib.import_module(m.name)"
    )
    subprocess.run([sys.executable, "-c", code], check=True, timeout=120)
