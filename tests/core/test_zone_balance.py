"""Zone balance against scipy's beta distribution, colour-science's luminance, and what it promises of every setting."""

import colour
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError
from scipy.special import betainc

from upwelling.core import engine
from upwelling.core.colour.primaries import primaries
from upwelling.core.operations import run_reference
from upwelling.core.steps import STEPS, ZoneBalance
from upwelling.core.steps.tonal_report import tonal_report
from upwelling.core.steps.zone_balance import LEAST_SLOPE

AP1 = primaries("AP1")
STOPS = np.linspace(-12, 12, 2401)
RAMP = np.repeat(0.18 * np.exp2(STOPS)[:, None], 3, axis=1)
COLOURS = np.random.default_rng(3).uniform(0.001, 4, (5000, 3))


def apply(step, rgb=RAMP):
    return run_reference(step.operations(AP1), rgb)


def gain(step, rgb=RAMP):
    return np.log2(apply(step, rgb) / rgb)


def shares(borders, softness):
    """Ours by name of another's: the quintic is the regularised incomplete beta function I(t; 3, 3), DLMF 8.17."""
    low, high = (
        betainc(3, 3, np.clip((STOPS - at) / wide + 0.5, 0, 1)) for at, wide in zip(borders, softness, strict=True)
    )
    return np.stack([1 - low, low * (1 - high), low * high])


@pytest.mark.parametrize(
    ("borders", "softness", "stops"),
    [((-2, 1.5), (3, 3), (0.5, 0, -0.4)), ((-4, 3), (0.5, 2), (0, 0.2, 1)), ((-1, 0), (4, 6), (0.3, -0.3, 0.3))],
)
def test_zones_blend_as_they_say(borders, softness, stops):
    step = ZoneBalance(borders=borders, softness=softness, stops=stops)
    if step.widened(AP1) == 1:
        np.testing.assert_allclose(gain(step)[:, 1], np.array(stops) @ shares(borders, softness), atol=1e-9)
    else:
        pytest.fail("these borders are wide enough")


def test_a_push_goes_to_its_hue_and_keeps_greys_luminance():
    """Luminance by colour-science's matrix of AP1; the hue as the angle of the channels' stops from their mean."""
    luminance = colour.RGB_COLOURSPACES["ACEScg"].matrix_RGB_to_XYZ[1]
    for hue in range(0, 360, 15):
        step = ZoneBalance(push=(0.4, 0.2, 0.3), hue=(hue, (hue + 100) % 360, (hue + 200) % 360))
        np.testing.assert_allclose(apply(step) @ luminance, RAMP @ luminance, rtol=2e-4)
        red, green, blue = gain(step)[0]
        mean = (red + green + blue) / 3
        angle = np.degrees(np.arctan2((green - blue) * np.sqrt(3) / 2, red - (green + blue) / 2)) % 360
        assert angle == pytest.approx(hue, abs=1e-6) or hue == 0
        assert max(red - mean, green - mean, blue - mean) <= 0.4 + 1e-9
    free = gain(ZoneBalance(push=(0.4, 0.4, 0.4), hue=(0, 0, 0), keep_luminance="let go"))
    np.testing.assert_allclose(free, np.broadcast_to([0.4, -0.2, -0.2], free.shape), atol=1e-12)


def test_saturation_is_about_luminance_and_leaves_neutrals():
    assert np.abs(gain(ZoneBalance(saturation=(0, 2, 3)))).max() < 1e-12
    luminance = colour.RGB_COLOURSPACES["ACEScg"].matrix_RGB_to_XYZ[1]
    out = apply(ZoneBalance(saturation=(0.5, 0.5, 0.5)), COLOURS)
    y = (COLOURS @ luminance)[:, None]
    np.testing.assert_allclose(out, y + 0.5 * (COLOURS - y), rtol=2e-4)


SETTINGS = st.builds(
    lambda low, gap, soft, stops, saturation, push, hue, keep, norm: ZoneBalance(
        borders=(low, low + gap), softness=soft, stops=stops, saturation=saturation, push=push, hue=hue,
        keep_luminance=keep, norm=norm,
    ),
    st.floats(-7, 4.8),
    st.floats(0.11, 3),
    st.tuples(*[st.floats(0.5, 8)] * 2),
    st.tuples(*[st.floats(-4, 4)] * 3),
    st.tuples(*[st.floats(0, 3)] * 3),
    st.tuples(*[st.floats(0, 1)] * 3),
    st.tuples(*[st.floats(0, 360)] * 3),
    st.sampled_from(["kept", "let go"]),
    st.sampled_from(["luminance", "largest channel", "power norm"]),
)  # fmt: skip


@settings(max_examples=60, deadline=None)
@given(SETTINGS)
def test_no_setting_folds_a_tone_jumps_or_leaves_the_engine_behind(step):
    """Borders give way until every tone of neutral keeps its own; the engine is the exact path on colours too."""
    out = np.log2(apply(step))
    assert (np.diff(out, axis=0) >= (LEAST_SLOPE - 5e-3) * np.diff(STOPS)[:, None]).all()
    assert np.abs(np.diff(gain(step), n=2, axis=0)).max() < 0.02, "no corner"
    assert not any("fold" in text for text in tonal_report(step, AP1))
    exact = apply(step, COLOURS)
    program = engine.compile_operations(step.operations(AP1))
    fast = engine.run(program, COLOURS[None].astype(np.float32))[0] if step.operations(AP1) else exact
    assert np.abs(fast - exact).max() <= 2e-4 * max(1.0, np.abs(exact).max())


def test_what_cannot_be_is_said():
    with pytest.raises(ValidationError, match="lies below"):
        ZoneBalance(borders=(1, 1))
    assert ZoneBalance in STEPS
    assert ZoneBalance().changes_nothing
    assert ZoneBalance().fits_in_lut
    assert ZoneBalance(stops=(0.5, 0, -0.25), push=(0, 0, 0.1), hue=(0, 0, 40)).summary() == (
        "Zone balance: shadows +0.50; highlights −0.25, 0.10 to 40°"
    )
