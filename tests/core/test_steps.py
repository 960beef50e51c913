"""Every step against an independent formulation, and what all of them must hold."""

import itertools

import colour
import numpy as np
import pytest
import scipy.interpolate
from coloraide.everything import ColorAll
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.core.step_samples import ALWAYS, BUSY, LATER, RESTING, WARM
from upwelling.core import engine
from upwelling.core.colour.oklab import rgb_to_lms
from upwelling.core.colour.primaries import primaries, rgb_to_rgb
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.curves.spline import Spline
from upwelling.core.engine.fold import folded
from upwelling.core.errors import BadValue
from upwelling.core.operations import Affine, Decode, Encode, Matrix, run_reference
from upwelling.core.operations.colour import polar
from upwelling.core.steps import (
    STEPS,
    ColourCurves,
    ColourMatrix,
    ColourRange,
    Contrast,
    Exposure,
    Ladder,
    Matte,
    PrinterLight,
    RootMatrix,
    Saturation,
    SlopeOffsetPower,
    ToneCurve,
    TurnColours,
    WhiteBalance,
    range_around,
)
from upwelling.core.steps.colour_curves import _CURVES
from upwelling.core.steps.ladder import RungGain
from upwelling.core.steps.saturation import SKIN_HUE
from upwelling.core.steps.tonal_report import tonal_report
from upwelling.core.steps.white_balance import balance_neutral

AP1 = primaries("AP1")
TO_LMS = rgb_to_lms(AP1, "CAT02")
RNG = np.random.default_rng(7)
STOPS = np.linspace(-8, 8, 257)
RAMP = np.repeat(0.18 * np.exp2(STOPS)[:, None], 3, axis=1)
COLOURS = np.abs(rgb_to_rgb(primaries("BT.709"), AP1, "CAT02") @ RNG.uniform(0.02, 1, (3, 4000))).T * np.exp2(
    RNG.uniform(-4, 4, (4000, 1))
)


def apply(step, rgb=COLOURS):
    return run_reference(step.operations(AP1), np.asarray(rgb, dtype=np.float64))


# --- curves through points against scipy (1.17), which implements the same paper
_gaps = st.lists(st.floats(0.01, 3), min_size=1, max_size=12)


@given(_gaps, st.data())
@settings(max_examples=80, deadline=None)
def test_spline_is_scipys_pchip(gaps, data):
    x = np.cumsum([0.0, *gaps])
    y = np.array(data.draw(st.lists(st.floats(-2, 2), min_size=len(x), max_size=len(x))))
    theirs = scipy.interpolate.PchipInterpolator(x, y)
    at = np.linspace(x[0], x[-1], 301)
    ours = Spline(tuple(zip(x, y, strict=True)))
    np.testing.assert_allclose(ours(at), theirs(at), atol=1e-9)
    np.testing.assert_allclose(ours([x[0] - 1, x[-1] + 1]), [y[0], y[-1]], atol=1e-12)
    around = Spline(ours.points, "around", x[-1] + 1.0)
    tripled = scipy.interpolate.PchipInterpolator(
        np.concatenate([x + k * (x[-1] + 1) for k in range(-3, 4)]), np.tile(y, 7)
    )
    np.testing.assert_allclose(around(at), tripled(at), atol=1e-9)
    np.testing.assert_allclose(around(at + 2 * (x[-1] + 1)), tripled(at), atol=1e-7)


@given(st.lists(st.tuples(st.floats(0.01, 1), st.floats(0, 1)), min_size=2, max_size=9))
@settings(max_examples=60, deadline=None)
def test_spline_never_turns_between_rising_points(moves):
    xy = np.cumsum(np.array(moves), axis=0)
    curve = Spline(tuple(map(tuple, xy)), "extend")
    assert np.diff(curve(np.linspace(xy[0, 0] - 1, xy[-1, 0] + 1, 600))).min() >= -1e-12


# --- each step by its own definition
@pytest.mark.parametrize(
    ("points", "gain"), [((12, 0, 0), (2, 1, 1)), ((0, -24, 6), (1, 0.25, 2**0.5)), ((1, 1, 1), (2 ** (1 / 12),) * 3)]
)
def test_printer_light_is_a_gain_above_the_toe(points, gain):
    light = np.array([0.5, 0.5, 0.5])
    np.testing.assert_allclose(apply(PrinterLight(points=points), light), light * gain, rtol=1e-9)


@pytest.mark.parametrize(("contrast", "pivot"), [(1.5, 0), (0.7, -1.5), (2.2, 2)])
def test_contrast_is_a_power_about_its_pivot(contrast, pivot):
    middle = 0.18 * 2**pivot
    light = middle * np.exp2(np.linspace(-1.5, 2, 30))[:, None].repeat(3, 1)
    np.testing.assert_allclose(
        apply(Contrast(contrast=contrast, pivot=pivot), light), middle * (light / middle) ** contrast, rtol=1e-9
    )


def test_ladder_is_gain_by_scipys_spline_of_tone_out():
    rungs = ((-6, 1.5), (-2, 0.4), (0, 0), (3, -0.8), (6, -2.5))
    x = np.array([r[0] for r in rungs], float)
    theirs = scipy.interpolate.PchipInterpolator(x, x + np.array([r[1] for r in rungs]))
    inside = np.clip(STOPS, -6, 6)
    np.testing.assert_allclose(
        np.log2(apply(Ladder(rungs=rungs), RAMP)[:, 0] / RAMP[:, 0]), theirs(inside) - inside, atol=1e-9
    )


@pytest.mark.parametrize("norm", ["luminance", "largest channel", "power norm"])
def test_ladder_keeps_chromaticity(norm):
    out = apply(Ladder(rungs=((-4, 2), (0, 0), (4, -2)), norm=norm))
    np.testing.assert_allclose(out / out.sum(-1, keepdims=True), COLOURS / COLOURS.sum(-1, keepdims=True), atol=1e-9)


@given(st.lists(st.tuples(st.floats(0.3, 3), st.floats(-3.9, 3.9)), min_size=2, max_size=6))
@settings(max_examples=80, deadline=None)
def test_ladder_rises_or_is_refused(moves):
    x = np.cumsum([m[0] for m in moves]) - 8
    rungs = tuple((float(a), m[1]) for a, m in zip(x, moves, strict=True) if a <= 8)
    if len(rungs) < 2:
        return
    falls = max((g - h) / (b - a) for (a, g), (b, h) in itertools.pairwise(rungs))
    if falls > 0.95 + 1e-9:
        with pytest.raises(ValidationError, match="fold over"):
            Ladder(rungs=rungs)
        return
    step = Ladder(rungs=rungs)
    assert np.diff(apply(step, RAMP)[:, 0]).min() > 0


def test_tone_curve_is_scipys_spline_in_log():
    master, blue = ((0.1, 0.05), (0.4, 0.42), (0.7, 0.8)), ((0.1, 0.15), (0.5, 0.5), (0.7, 0.68))
    code = np.linspace(0.12, 0.68, 50)
    through = scipy.interpolate.PchipInterpolator(*np.array(master).T)(code)
    out = ACESCCT.from_linear(apply(ToneCurve(master=master, blue=blue), ACESCCT.to_linear(code)[:, None].repeat(3, 1)))
    np.testing.assert_allclose(out[:, 0], through, atol=1e-9)
    inside = (through > 0.1) & (through < 0.7)
    np.testing.assert_allclose(
        out[inside, 2], scipy.interpolate.PchipInterpolator(*np.array(blue).T)(through[inside]), atol=1e-9
    )


def _oklch(rgb):
    """coloraide 8.13's own Oklab of AP1 light; its white is D60, adapted by Bradford there, so only near ours."""
    return np.array([ColorAll("acescg", list(v)).convert("oklch", norm=False).coords() for v in rgb])


@pytest.mark.parametrize("amount", [0.0, 0.5, 1.4])
def test_saturation_scales_chroma_at_constant_hue_and_lightness(amount):
    before, after = _oklch(COLOURS[:60]), _oklch(apply(Saturation(amount=amount), COLOURS[:60]))
    np.testing.assert_allclose(after[:, 0], before[:, 0], rtol=3e-3)
    np.testing.assert_allclose(after[:, 1], before[:, 1] * amount, atol=4e-3)
    if amount:
        turned = np.mod(after[:, 2] - before[:, 2] + 180, 360) - 180
        assert np.abs(turned[before[:, 1] > 0.1]).max() < 1.5


@pytest.mark.parametrize(("turn", "saturation", "lift"), [(90, 1, 0), (-150, 0.5, 1), (20, 1.6, -1.5)])
def test_what_is_selected_turns_as_one(turn, saturation, lift):
    """By coloraide's Oklab: hue by the angle, chroma and lightness by their factors: light 2^stops is L 2^(stops/3)."""
    step = TurnColours(turn=turn, saturation=saturation, lift=lift)
    before, after = _oklch(COLOURS[:60]), _oklch(apply(step, COLOURS[:60]))
    up = 2 ** (lift / 3)
    np.testing.assert_allclose(after[:, 0], before[:, 0] * up, rtol=4e-3)
    np.testing.assert_allclose(after[:, 1], before[:, 1] * saturation * up, atol=6e-3)
    off = np.mod(after[:, 2] - before[:, 2] - turn + 180, 360) - 180
    assert np.abs(off[before[:, 1] > 0.1]).max() < 2
    greys = np.linspace(0.01, 4, 9)[:, None] * np.ones(3)
    np.testing.assert_allclose(apply(step, greys), greys * 2**lift, rtol=1e-9)
    whole, part = apply(step), apply(step.model_copy(update={"limit": WARM}))
    assert (np.abs(part - COLOURS).max(axis=-1) <= np.abs(whole - COLOURS).max(axis=-1) + 1e-9).all()


def test_skin_lies_where_it_is_spared():
    """The two skin patches of the 24-patch chart (X-Rite, after November 2014, by colour-science 0.4.7)."""
    chart = colour.CCS_COLOURCHECKERS["ColorChecker24 - After November 2014"]
    for name in ("dark skin", "light skin"):
        xyz = colour.xyY_to_XYZ(chart.data[name])
        rgb = colour.XYZ_to_RGB(xyz, "ACEScg", chart.illuminant, chromatic_adaptation_transform="CAT02")
        assert abs(polar(rgb, TO_LMS)[1] - SKIN_HUE) < 5
        whole, spared = (apply(Saturation(amount=2.0, spare_skin=s), rgb) for s in (0, 1))
        np.testing.assert_allclose(spared, rgb, atol=1e-9)
        assert polar(whole, TO_LMS)[2] == pytest.approx(2 * polar(rgb, TO_LMS)[2], rel=1e-6)


@pytest.mark.parametrize(
    ("name", "value", "place"),
    [
        ("hue_by_hue", 15.0, 1),
        ("saturation_by_hue", 1.7, 2),
        ("saturation_by_saturation", 0.6, 2),
        ("saturation_by_brightness", 1.4, 2),
        ("brightness_by_hue", 0.8, 3),
        ("hue_by_saturation", 15.0, 1),
        ("hue_by_brightness", 15.0, 1),
        ("brightness_by_saturation", 0.8, 3),
        ("brightness_by_brightness", 0.8, 3),
    ],
)
def test_a_flat_colour_curve_does_one_thing(name, value, place):
    (low, high), _ = _CURVES[name]
    span = (low, high if high < 360 else 300)
    before = polar(COLOURS, TO_LMS)
    after = polar(apply(ColourCurves(**{name: ((span[0], value), (span[1], value))})), TO_LMS)
    coloured = before[2] > 0.06
    if place == 1:
        np.testing.assert_allclose(np.mod(after[1] - before[1], 360)[coloured], 15, atol=1e-6)
    else:
        np.testing.assert_allclose(np.mod(after[1] - before[1] + 180, 360)[coloured], 180, atol=1e-5)
    np.testing.assert_allclose(after[2][coloured], before[2][coloured] * (value if place == 2 else 1), rtol=1e-6)
    np.testing.assert_allclose(after[3][coloured], before[3][coloured] + (value if place == 3 else 0), atol=1e-6)


def test_hue_curve_has_no_seam():
    step = ColourCurves(hue_by_hue=((100, -10), (200, 0), (350, 20)))
    curve = Spline(step.hue_by_hue, "around")
    np.testing.assert_allclose(curve(359.999), curve(0.001), atol=1e-3)
    np.testing.assert_allclose(curve([0, 360, 720]), curve(0.0), atol=1e-9)


# --- a marked neutral
@given(st.floats(1800, 14000), st.floats(-0.03, 0.03), st.floats(0.02, 3), st.sampled_from(["CAT02", "Bradford"]))
@settings(max_examples=60, deadline=None)
def test_marked_neutral_becomes_neutral(kelvin, duv, level, method):
    """A grey seen under a known light is brought back, and that light is found."""
    cast = WhiteBalance(kelvin=kelvin, duv=duv, adaptation=method)
    (matrix,) = cast.work(AP1) or (Matrix.of(np.eye(3)),)
    patch = np.linalg.inv(np.array(matrix.rows)) @ np.full(3, level)
    if patch.min() <= 1e-5:
        return
    found = balance_neutral(patch, AP1, WhiteBalance(adaptation=method))
    assert found.kelvin == pytest.approx(kelvin, rel=1e-3)
    assert found.duv == pytest.approx(duv, abs=1e-5)
    out = apply(WhiteBalance(kelvin=found.kelvin, duv=found.duv, adaptation=method), patch)
    np.testing.assert_allclose(out / out.mean(), 1, atol=2e-4)
    assert found.red_stops == pytest.approx(np.log2(patch[0] / patch[1]))


@pytest.mark.parametrize(
    ("patch", "words"), [((0.2, 0.0, 0.1), "no light in one"), ((1.0, 0.05, 0.9), "hardly a grey one")]
)
def test_what_cannot_be_neutral_is_refused(patch, words):
    with pytest.raises(BadValue, match=words):
        balance_neutral(np.array(patch), AP1, WhiteBalance())


# --- colour range, strength
def test_range_weighs_by_hand():
    """One axis at a time: inside 1, half way through the falloff ½, beyond it 0."""
    _, hue, saturation, stops = polar(COLOURS[:1], TO_LMS)
    h, s, b = float(hue[0]), float(saturation[0]), float(stops[0])
    for limits, expected in [
        ({"hue": h, "hue_width": 10}, 1),
        ({"hue": (h + 15) % 360, "hue_width": 20, "hue_soft": 10}, 0.5),
        ({"hue": (h + 180) % 360, "hue_width": 100}, 0),
        ({"saturation_low": s - 0.01}, 1),
        ({"saturation_low": s + 0.02, "saturation_soft": 0.04}, 0.5),
        ({"saturation_low": s + 0.2}, 0),
        ({"saturation_high": s - 0.02, "saturation_soft": 0.04}, 0.5),
        ({"stops_low": b + 0.5}, 0.5),
        ({"stops_high": b - 3}, 0),
        ({"stops_high": b - 3, "invert": True}, 1),
        ({}, 1),
    ]:
        assert ColourRange(**limits).operation(AP1).weight(COLOURS[:1])[0] == pytest.approx(expected, abs=1e-6), limits


def test_a_limited_step_leaves_the_rest_alone():
    weight = WARM.operation(AP1).weight(COLOURS)
    out = apply(Exposure(stops=2, limit=WARM))
    np.testing.assert_allclose(out[weight == 0], COLOURS[weight == 0], rtol=1e-9)
    np.testing.assert_allclose(out[weight == 1], COLOURS[weight == 1] * 4, rtol=1e-9)
    assert 0.1 < weight.mean() < 0.9
    other = WARM.selections[0].model_copy(update={"invert": True})
    opposite = apply(Exposure(stops=2, limit=Matte(selections=(other,))))
    np.testing.assert_allclose(opposite[weight == 1], COLOURS[weight == 1], rtol=1e-9)


def test_range_around_a_patch_takes_it_in():
    patch = COLOURS[:1] * np.exp2(RNG.uniform(-0.3, 0.3, (200, 1))) * RNG.uniform(0.97, 1.03, (200, 3))
    found = range_around(patch, AP1)
    assert found.operation(AP1).weight(patch).mean() > 0.97
    assert found.operation(AP1).weight(COLOURS).mean() < 0.3


def test_strength_is_half_way_in_stops():
    np.testing.assert_allclose(apply(Exposure(stops=2, strength=0.5), [0.5] * 3), [1.0] * 3)
    np.testing.assert_allclose(apply(Exposure(stops=2, strength=0), COLOURS), COLOURS)


# --- what holds for all
@pytest.mark.parametrize("step", [*BUSY, *LATER], ids=lambda s: s.kind)
def test_identity_order_neutral_and_engine(step):
    assert step.kind in ALWAYS or type(step)().operations(AP1) == ()
    assert not step.changes_nothing
    assert step.summary()
    out = apply(step)
    for rows in (step, step.model_copy(update={"strength": 0.6, "limit": WARM})):
        operations = rows.operations(AP1)
        exact = run_reference(operations, COLOURS.astype(np.float32).astype(np.float64))
        fast = engine.run(engine.compile_operations(operations), COLOURS)
        np.testing.assert_allclose(fast, exact, rtol=3e-4, atol=2e-4 * COLOURS.mean())
        assert np.percentile(np.abs(fast - exact) / np.maximum(np.abs(exact).max(-1, keepdims=True), 1e-3), 99) < 4e-5
    neutral = apply(step, RAMP)
    assert np.diff(neutral, axis=0).min() > 0, "a neutral ramp keeps its order"
    if "keeps neutral" in step.neutral and step.kind not in (
        "printer_light",
        "film_negative",
        "slope_offset_power",
        "tone_curve",
        "zone_balance",
    ):
        np.testing.assert_allclose(neutral / neutral[:, :1], 1, atol=1e-7)
    assert np.isfinite(out).all()
    assert np.isfinite(apply(step, [[0, 0, 0], [-0.1, 0.02, -0.3], [1e-6, 0, 900]])).all()


def test_a_colour_matrix_keeps_greys_and_is_undone_by_its_inverse():
    step = ColourMatrix(green_into_red=0.15, blue_into_red=-0.05, red_into_green=0.1, green_into_blue=-0.2)
    greys = np.linspace(0, 4, 9)[:, None] * np.ones(3)
    np.testing.assert_allclose(apply(step, greys), greys, atol=1e-12)
    light = np.random.default_rng(3).random((50, 3))
    back = ColourMatrix.of(np.linalg.inv(step.matrix))
    np.testing.assert_allclose(apply(back, apply(step, light)), light, atol=1e-12)
    with pytest.raises(ValidationError, match="bring different colours together"):
        ColourMatrix(green_into_red=0.5, blue_into_red=0.5, red_into_green=0.5, blue_into_green=0.5)


def test_a_root_matrix_is_colour_sciences_terms_and_knows_no_exposure():
    """Finlayson 2015, degree 2, as colour-science expands it; greys stay, twice the light is twice the result."""
    step = next(step for step in BUSY if step.kind == "root_matrix")
    light = np.random.default_rng(3).random((50, 3)) + 0.01
    terms = colour.characterisation.polynomial_expansion_Finlayson2015(light, 2, root_polynomial_expansion=True)
    np.testing.assert_allclose(apply(step, light), terms @ step.rows.T, rtol=1e-12)
    np.testing.assert_allclose(apply(step, 2.5 * light), 2.5 * apply(step, light), rtol=1e-12)
    greys = np.linspace(0, 4, 9)[:, None] * np.ones(3)
    np.testing.assert_allclose(apply(step, greys), greys, atol=1e-12)
    shares = step.rows[~np.eye(3, 6, dtype=bool)]
    assert RootMatrix.of(np.r_[shares[:2], shares[5:7], shares[10:12]], step.rows[:, 3:].ravel()) == step


@pytest.mark.parametrize(
    ("step", "back"),
    [
        (Exposure(stops=1.2), Exposure(stops=-1.2)),
        (PrinterLight(points=(4, -7, 9)), PrinterLight(points=(-4, 7, -9))),
        (Contrast(contrast=1.6, pivot=1), Contrast(contrast=1 / 1.6, pivot=1)),
        (Saturation(amount=1.6), Saturation(amount=1 / 1.6)),
        (TurnColours(turn=70, saturation=1.25), TurnColours(turn=-70, saturation=0.8)),
        (ToneCurve(master=((0.1, 0.2), (0.6, 0.5))), ToneCurve(master=((0.2, 0.1), (0.5, 0.6)))),
    ],
    ids=lambda s: s.kind,
)
def test_inverses(step, back):
    np.testing.assert_allclose(apply(back, apply(step)), COLOURS, rtol=1e-6, atol=1e-7)


@pytest.mark.parametrize("kind", [step for step in STEPS if step().kind not in ALWAYS], ids=lambda s: s.__name__)
def test_engine_and_reference_at_rest_with_a_limit(kind):
    rest = RESTING.get(kind().kind, {})
    assert not rest or not kind().changes_nothing
    assert kind(limit=WARM, strength=0.5, name="A", note="b", **rest).operations(AP1) == ()


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda: Ladder(rungs=((-1, 1), (0, -1))), "fold over"),
        (lambda: Ladder(rungs=((0, 1), (0, 1))), "left to right"),
        (lambda: Ladder(rungs=((-9, 0), (0, 0))), "outside"),
        (lambda: ToneCurve(red=((0.1, 0.5), (0.4, 0.2))), "red curve falls"),
        (lambda: ColourCurves(hue_by_hue=((0, 60), (100, -50))), "pass one another"),
        (lambda: ColourCurves(hue_by_hue=((0, 0), (360, 0))), "same hue"),
        (lambda: ColourRange(stops_low=2, stops_high=1), "lower end first"),
        (lambda: Exposure(strength=1.2), "less than or equal to 1"),
        (lambda: Exposure(id="NO!"), "pattern"),
    ],
)
def test_bad_values_are_refused_in_words(make, words):
    with pytest.raises(ValidationError, match=words):
        make()


# --- a step says what it does to tones; ramps worked by hand
@pytest.mark.parametrize(
    ("step", "words"),
    [
        (Exposure(stops=3), []),
        (
            SlopeOffsetPower(slope=(2.0, 2.0, 2.0), clamping="asc"),
            ["one and the same (clipped) between +1.6"],
        ),  # code ½ is +1.51; the ramp has +1.56
        (
            SlopeOffsetPower(offset=(-0.2, 0, 0)),
            ["Red: tones from −2.5 stops down fall to 0 or below"],
        ),  # code 0.0729 + 0.2 is −2.46 stops
        (ToneCurve(master=((0.1, 0.1), (0.3, 0.4), (0.5, 0.4), (0.7, 0.7))), ["clipped"]),
        (Contrast(contrast=0.9), []),
        (Ladder(rungs=((-1, 0.475), (0, -0.475))), ["crushed, to as little as 0.0"]),
        # 38° over 40° between points: the spline is steeper in its middle, and hues fold there.
        (ColourCurves(hue_by_hue=((100, 0), (160, 38), (200, 0), (300, 0))), ["hues pass one another between 16"]),
        (ColourCurves(hue_by_hue=((100, 0), (160, 20), (200, 0), (300, 0))), []),
    ],
)
def test_a_step_says_what_it_does_to_tones(step, words):
    said = " | ".join(tonal_report(step, AP1))
    assert all(w in said for w in words), said
    assert bool(said) == bool(words)


# --- fewer operations, same result
def test_folding_keeps_the_result():
    turn = Matrix(((0.9, 0.1, 0), (0, 1, 0), (0.1, 0, 0.9)))
    chain = (
        Affine(2.0),
        turn,
        Affine(0.5),
        Encode(ACESCCT),
        Affine(1.1, 0.1),
        Affine(0.9, 0.2),
        Decode(ACESCCT),
        Encode(ACESCCT),
        Affine(1.0),
        Decode(ACESCCT),
        turn,
        turn,
    )
    few = folded(chain)
    assert [type(o).__name__ for o in few] == ["Matrix", "Encode", "Affine", "Decode", "Matrix"]
    np.testing.assert_allclose(run_reference(few, COLOURS), run_reference(chain, COLOURS), rtol=1e-9)
    assert RungGain(((0.0, 0.0), (1.0, 1.0)))(0.5) == 0
