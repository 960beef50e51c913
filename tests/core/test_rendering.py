"""What the default rendering, Rise, promises. Hue is measured in Oklab and, as a second witness, in ICtCp by colour-science."""

import colour
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from upwelling.core.errors import BadValue
from upwelling.core.oklab import lms_to_oklab, rgb_to_lms
from upwelling.core.operations import run_reference
from upwelling.core.outputs import OUTPUTS, output
from upwelling.core.primaries import primaries, rgb_to_rgb, rgb_to_xyz
from upwelling.core.rendering import Rise
from upwelling.core.rendering.fits.smooth import KNEE, soft_limit

AP1 = primaries("AP1")
TV = output("BT.709 BT.1886")
STOPS = np.linspace(-8, 10, 361)
HUES = np.linspace(0, 2 * np.pi, 48, endpoint=False)
# Saturated lights: rows of hue at three purities, within AP1, scaled so that the largest channel is 0.18.
_WHEEL = 0.5 + 0.5 * np.cos(HUES[:, None] - np.array([0, 2, 4]) * np.pi / 3)
LIGHTS = np.concatenate([0.18 * (purity * _WHEEL + (1 - purity)) / (purity * _WHEEL + (1 - purity)).max(axis=1, keepdims=True)
                         for purity in (0.35, 0.7, 0.93)])
SWEEP = LIGHTS[None] * np.exp2(STOPS)[:, None, None]  # (stops, lights, 3)


def render(rgb, display=TV, **parameters):
    return run_reference(Rise(**parameters).operations(AP1, display, "CAT02"), np.asarray(rgb, dtype=np.float64))


@pytest.mark.parametrize("name", OUTPUTS)
def test_mid_grey_lies_where_the_output_says(name):
    display = output(name)
    assert render([0.18] * 3, display) * display.peak_nits == pytest.approx(display.mid_grey_nits, rel=1e-9)
    assert TV.mid_grey_nits == 10.0


@pytest.mark.parametrize("parameters", [{}, {"contrast": 1.6}, {"toe": -0.5}, {"toe": 0.9}, {"shoulder": 1.5}, {"scene_peak": 8, "contrast": 1.5}])
def test_tone_curve_is_twice_smooth_and_rising(parameters):
    curve = Rise(**parameters).curve(TV)
    s = np.linspace(-12, curve.peak_stops + 1, 40001)
    y, h = curve.log2_display(s), s[1] - s[0]
    assert (np.diff(y) >= -1e-12).all()
    np.testing.assert_allclose(np.gradient(y, h)[1:-1], curve.slope(s)[1:-1], atol=2e-3)
    bend = np.diff(curve.slope(s)) / h
    assert np.abs(np.diff(bend)).max() < 0.02  # no step in the second derivative
    assert curve.slope(0.0) == pytest.approx(Rise(**parameters).contrast)
    assert curve.log2_display(curve.peak_stops) == 0
    assert curve.log2_display(curve.peak_stops - 1e-6) == pytest.approx(0, abs=1e-6)


@pytest.mark.parametrize("name", OUTPUTS)
def test_luminance_never_falls_along_any_hue(name):
    out = render(SWEEP, output(name))
    luminance = out @ rgb_to_xyz(output(name).gamut)[1]
    assert np.diff(luminance, axis=0).min() > -1e-9


@pytest.mark.parametrize("name", OUTPUTS)
def test_no_channel_is_clipped_below_the_peak(name):
    out = render(SWEEP, output(name))
    assert np.isfinite(out).all()
    assert out.min() >= 0
    norm = np.sum(SWEEP**3, axis=-1) / np.sum(SWEEP**2, axis=-1)
    below = norm < 64 * 0.98
    assert out[below].max() < 1.0
    np.testing.assert_allclose(out[norm > 64.01], 1.0, atol=1e-9)  # at and above the scene peak: the display's peak


def test_neutrals_stay_neutral():
    grey = np.repeat(0.18 * np.exp2(np.linspace(-14, 12, 2001))[:, None], 3, axis=1)
    for display in OUTPUTS.values():
        out = render(grey, display)
        assert np.ptp(out, axis=1).max() < 1e-6
        np.testing.assert_allclose(out[:, 1], np.exp2(Rise().curve(display).log2_display(np.log2(grey[:, 0] / 0.18))), atol=1e-9)


def _angle(ab):
    return np.degrees(np.arctan2(ab[..., 1], ab[..., 0]))


def _turn(a, b):
    return np.abs((a - b + 180) % 360 - 180)


def test_hue_in_oklab_is_kept_over_a_bright_sweep():
    """Between scene light and display light; where under 2 % of chroma is left, hue means nothing."""
    scene = lms_to_oklab(SWEEP @ rgb_to_lms(AP1, "CAT02").T)
    shown = lms_to_oklab(render(SWEEP) @ rgb_to_lms(TV.primaries, "CAT02").T)
    seen = np.hypot(shown[..., 1], shown[..., 2]) > 0.02
    assert seen.mean() > 0.5
    assert _turn(_angle(scene[..., 1:]), _angle(shown[..., 1:]))[seen].max() < 1e-6


def test_hue_in_ictcp_moves_little():
    """A second witness that we did not design for: BT.2100 ICtCp at the display's light, each light against its own dim self."""
    to_2020 = rgb_to_rgb(TV.primaries, primaries("BT.2020"), "CAT02")
    ictcp = colour.RGB_to_ICtCp(np.maximum(render(SWEEP) @ to_2020.T, 0) * 100, method="ITU-R BT.2100-2 PQ")
    angle, chroma = _angle(ictcp[..., 1:]), np.hypot(ictcp[..., 1], ictcp[..., 2])
    reference = angle[np.searchsorted(STOPS, 0.0)]
    inside = (chroma > 0.01) & (STOPS > -3)[:, None] & (STOPS < 5)[:, None]
    assert inside.mean() > 0.3
    assert _turn(angle, reference[None])[inside].max() < 3.0


@given(st.lists(st.floats(-2, 100), min_size=3, max_size=3))
@settings(max_examples=200, deadline=None)
def test_any_light_lands_on_the_display(rgb):
    out = render(rgb)
    assert np.isfinite(out).all()
    assert (out >= 0).all()
    assert (out <= 1).all()


def test_soft_limit():
    reach = np.linspace(0, 50, 100001)
    limited = soft_limit(reach)
    np.testing.assert_array_equal(limited[reach <= KNEE], reach[reach <= KNEE])
    assert (np.diff(limited) >= 0).all()
    assert limited.max() < 1


@pytest.mark.parametrize(("parameters", "words"), [
    ({"contrast": 0.8, "scene_peak": 4}, "Raise the contrast to"),
    ({"contrast": 2.0, "shoulder": 1.9}, "Start the shoulder at"),
    ({"scene_peak": 4, "contrast": 1.6, "ease_start": 6}, "Lower the ease start"),
])
def test_settings_that_cannot_meet_say_what_to_change(parameters, words):
    with pytest.raises(BadValue, match=words):
        Rise(**parameters).operations(AP1, TV, "CAT02")


def test_advised_values_work():
    with pytest.raises(BadValue) as caught:
        Rise(contrast=0.8, scene_peak=4).curve(TV)
    advised = float(str(caught.value).split("Raise the contrast to ")[1].split(" ")[0])
    Rise(contrast=advised, scene_peak=4).curve(TV)
