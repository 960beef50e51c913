"""Noise that a picture tells of itself, and whether calming helps, against pictures whose truth is known."""

import cv2
import numpy as np
import pytest
from scipy.ndimage import gaussian_filter, shift

from upwelling.core.arrays import STOPS_A_CODE
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.errors import BadValue
from upwelling.core.measure.noise import MOST_MOVED, ErrorLeft, moved_share, noise_of
from upwelling.core.measure.noise_level import find_level
from upwelling.core.operations import Place
from upwelling.core.simulate.shipped import shipped
from upwelling.core.steps import CalmNoise

SIDE = 384
PLACE = Place(SIDE, SIDE)


def stops(light):
    return np.asarray(ACESCCT.from_linear(light), dtype=np.float64) * STOPS_A_CODE


@pytest.fixture(scope="module")
def truth():
    """A scene made half as large, so that the tracer's own noise is small."""
    light = shipped("Colour store").astype(np.float64)
    return gaussian_filter(light, (1, 1, 0))[60 : 60 + 2 * SIDE : 2, 300 : 300 + 2 * SIDE : 2]


def noisy(light, amount, seed=1, soft=0.0):
    """Read-out and shot noise; a blur of ``soft`` pixels makes it as soft as a mosaic's."""
    noise = np.random.default_rng(seed).normal(0, 1, light.shape)
    noise = gaussian_filter(noise, (soft, soft, 0)) if soft else noise
    return (light + noise / noise.std() * np.sqrt(amount**2 + 0.03 * amount * light)).astype(np.float32)


def error(light, wanted):
    return float(np.sqrt(((stops(light) - stops(wanted)) ** 2).mean()))


@pytest.mark.parametrize("soft", [0.0, 0.5, 0.8])
@pytest.mark.parametrize("amount", [0.001, 0.005, 0.02])
def test_noise_is_told_by_the_next_frame(truth, amount, soft):
    first, second = (noisy(truth, amount, seed, soft) for seed in (1, 2))
    found = noise_of(stops(first), stops(second))
    assert np.sqrt((found.of(stops(first)) ** 2).mean()) == pytest.approx(error(first, truth), rel=0.25)
    assert found.softness == pytest.approx(soft, abs=0.12) or (soft == 0 and found.softness < 0.4)


def test_white_noise_is_told_to_the_percent_on_an_even_ramp():
    """Immerkær's mask leaves white noise as it was."""
    ramp = np.linspace(-3, 3, 400)[None, :, None] * np.ones((400, 1, 3))
    for deviation in (0.01, 0.1, 0.5):
        seen = ramp + np.random.default_rng(4).normal(0, deviation, ramp.shape)
        for steps in noise_of(seen, soft=False).channels:
            assert np.mean(list(steps.values())) == pytest.approx(deviation, rel=0.02)


@pytest.mark.parametrize("level", [0.05, 0.25])
@pytest.mark.parametrize("amount", [0.001, 0.005, 0.02])
def test_the_error_left_is_estimated_without_the_truth(truth, amount, level):
    """Stein's estimate against the error that is left, for calming that helps and calming that harms."""
    first, second = (noisy(truth, amount, seed) for seed in (1, 2))
    calm = CalmNoise(level=level).calm()
    found = noise_of(stops(first), stops(second))
    tried = ErrorLeft(stops(first), found)
    after = tried.after(lambda seen: stops(calm.run_at(np.float32(ACESCCT.to_linear(seen / STOPS_A_CODE)), PLACE)))
    assert tried.before == pytest.approx(error(first, truth), rel=0.25)
    assert after == pytest.approx(error(calm.run_at(first, PLACE), truth), rel=0.25)


@pytest.mark.parametrize(
    ("pair", "amount", "verdict"),
    [
        (True, 0.0005, "a sign against it"),
        (True, 0.03, "a sign for it"),
        (False, 0.0005, "a sign against it"),
        (False, 0.03, "tells little"),
    ],
)
def test_calming_is_spoken_for_only_where_it_brings_the_picture_nearer(truth, amount, verdict, pair):
    first, second = (noisy(truth, amount, seed) for seed in (1, 2))
    step = CalmNoise()
    found = find_level(step, first, second if pair else None, PLACE)
    assert verdict in found.sentence, found.sentence
    assert ("next frame" in found.sentence) == pair
    made = step.model_copy(update={"level": found.level}).calm().run_at(first, PLACE)
    assert (error(made, truth) < error(first, truth)) == (amount > 0.01)


@pytest.mark.parametrize(("by", "moved"), [(0.0, False), (0.2, True), (1.0, True), (3.0, True)])
def test_frames_that_move_are_not_taken_for_noise(truth, by, moved):
    first, second = noisy(truth, 0.002), noisy(shift(truth, (by, by, 0), order=1, mode="reflect"), 0.002, 2)
    assert (moved_share(stops(first), stops(second)) > MOST_MOVED) == moved
    assert ("even parts" in find_level(CalmNoise(), first, second, PLACE).sentence) == moved


def test_noise_of_a_compressed_picture_is_not_called_a_sign_for_calming(truth):
    """JPEG of OpenCV at quality 30: what is left of noise differs from frame to frame, but is no noise of a sensor."""
    frames = []
    for seed in (1, 2):
        code = np.uint8(np.clip(np.asarray(ACESCCT.from_linear(noisy(truth, 0.002, seed))) * 255, 0, 255))
        coded = cv2.imdecode(cv2.imencode(".jpg", code, (cv2.IMWRITE_JPEG_QUALITY, 30))[1], cv2.IMREAD_COLOR)
        frames.append(np.float32(ACESCCT.to_linear(coded / 255.0)))
    assert "sign for" not in find_level(CalmNoise(), *frames, PLACE).sentence


def test_a_picture_too_small_to_tell_is_refused():
    with pytest.raises(BadValue, match="even enough"):
        find_level(CalmNoise(), np.full((20, 20, 3), 0.18, np.float32), None, Place(20, 20))
