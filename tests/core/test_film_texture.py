"""Softness, weave, flicker, dust, mist, and grain by density: each measured as the field measures it."""

import numpy as np
import pytest
from scipy.ndimage import shift as scipy_shift

from upwelling.core import engine
from upwelling.core.arrays import MID_GREY
from upwelling.core.colour.primaries import primaries
from upwelling.core.errors import BadValue
from upwelling.core.operations import Place, run_reference
from upwelling.core.operations.shift import Shift, cubic_taps
from upwelling.core.steps import Dust, Gate, Grain, Mist, Softness
from upwelling.core.steps.gate import movement
from upwelling.core.steps.grain import HEIGHTS

AP1 = primaries("AP1")
ROWS, COLUMNS = 270, 480
PLACE = Place(COLUMNS, ROWS)
SHARP = np.abs(np.random.default_rng(2).normal(size=(ROWS, COLUMNS, 3))) ** 3


def run(step, light, place=PLACE, frame=0):
    return run_reference(step.at(frame).operations(AP1), light, place)


@pytest.mark.parametrize("half", [20, 40, 60])
def test_contrast_is_a_half_at_the_line_pairs_that_are_set(half):
    """Modulation of a sine of so many line pairs a frame height, as ISO 12233 takes it, in both directions."""
    for axis in (0, 1):
        at = (np.arange((ROWS, COLUMNS)[axis]) + 0.5) / ROWS
        wave = 1 + 0.5 * np.cos(2 * np.pi * half * at)
        light = np.ones((ROWS, COLUMNS, 3)) * (wave[:, None, None] if axis == 0 else wave[None, :, None])
        inner = run(Softness(half=half), light)[60:210, 60:420] - 1
        assert np.sqrt((inner**2).mean() * 2) / 0.5 == pytest.approx(0.5, abs=0.02)


def test_cubic_between_pixels_is_keys():
    """Keys 1981: a = −½; half way −1/16 and 9/16; the weights are together 1; whole pixels move as they are."""
    np.testing.assert_allclose(cubic_taps(0.5), [-1 / 16, 9 / 16, 9 / 16, -1 / 16])
    np.testing.assert_allclose([cubic_taps(f).sum() for f in np.linspace(0, 1, 11)], 1)
    moved = Shift(3 / ROWS, -2 / ROWS).apply_at(SHARP, PLACE)
    np.testing.assert_allclose(moved[:-2, 3:], SHARP[2:, :-3], rtol=1e-12)


@pytest.mark.parametrize(("right", "down"), [(0.37, -1.6), (-2.25, 0.5), (0.0, 0.81)])
def test_a_shift_is_scipys_and_throws_no_dark_lines(right, down):
    y, x = np.mgrid[0:ROWS, 0:COLUMNS]
    smooth = (1.2 + np.sin(x / 9) + 0.2 * np.cos(y / 7))[..., None] * np.ones(3)
    moved = Shift(right / ROWS, down / ROWS).apply_at(smooth, PLACE)
    expected = scipy_shift(smooth[..., 0], (down, right), order=5, mode="reflect")
    np.testing.assert_allclose(moved[8:-8, 8:-8, 1], expected[8:-8, 8:-8], atol=2e-3)
    hard = Shift(right / ROWS, down / ROWS)
    assert hard.apply_at(SHARP, PLACE).min() >= 0
    np.testing.assert_allclose(hard.run_at(SHARP.astype(np.float32), PLACE), hard.apply_at(SHARP, PLACE), atol=2e-5)


def test_a_gate_moves_by_what_is_set_and_neighbours_move_alike():
    moves = np.array([movement(5, frame) for frame in range(3000)])
    np.testing.assert_allclose(moves.mean(axis=0), 0, atol=0.1)
    np.testing.assert_allclose(moves.std(axis=0), 1, atol=0.06)
    assert np.corrcoef(moves[:-1, 0], moves[1:, 0])[0, 1] > 0.6
    assert abs(np.corrcoef(moves[:-8, 0], moves[8:, 0])[0, 1]) < 0.08
    flat = np.full((8, 8, 3), 0.5)
    lights = [
        np.log2(run(Gate(across=0, down=0, flicker=0.1), flat, Place(8, 8), f)[0, 0, 0] / 0.5) for f in range(400)
    ]
    assert np.std(lights) == pytest.approx(0.1, abs=0.015)
    assert run(Gate(), SHARP, frame=4) == pytest.approx(run(Gate(), SHARP, frame=4), abs=0)


def test_dust_is_as_many_specks_as_are_set_and_lies_elsewhere_on_each_frame():
    counts = [len(Dust(amount=7, seed=2).at(f).operations(AP1)[0].specks(PLACE)) for f in range(600)]
    assert np.mean(counts) == pytest.approx(7, abs=0.35)
    assert np.var(counts) == pytest.approx(7, abs=1.2)  # Poisson's variance is its mean
    flat, step = np.full((ROWS, COLUMNS, 3), 0.18), Dust(amount=40, size=0.03)
    first, second = run(step, flat, frame=1), run(step, flat, frame=2)
    assert (first < 0.17).mean() > 2e-4
    assert not np.array_equal(first, second)
    small = run(step, flat[::2, ::2], Place(COLUMNS, ROWS, step=2), 1)
    np.testing.assert_allclose(small.mean(), first.mean(), rtol=2e-3)


def test_mist_lifts_black_lowers_white_and_leaves_mid_grey():
    flat = lambda light: run(Mist(veil=0.1), np.full((90, 160, 3), light), Place(160, 90)).mean()  # noqa: E731
    assert flat(MID_GREY) == pytest.approx(MID_GREY, rel=1e-6)
    assert flat(0.0) == pytest.approx(0.1 * MID_GREY, rel=1e-6)
    assert flat(1.0) == pytest.approx(0.9 + 0.1 * MID_GREY, rel=1e-6)
    lamp = np.zeros((90, 160, 3))
    lamp[40:50, 75:85] = 50
    spread = run(Mist(veil=0), lamp, Place(160, 90))
    assert spread.sum() == pytest.approx(lamp.sum(), rel=2e-3), "light is neither won nor lost, mirrored at the edges"
    assert spread[20, 80].min() > 0.01


@pytest.mark.parametrize(
    ("by", "clear", "black"), [("a negative's density", -7.5, 7.5), ("a print's density", 2.47, -7.53)]
)
def test_grain_by_density_is_least_where_film_is_clear_and_where_it_is_black(by, clear, black):
    """√(p·(1 − p)) of the share p covered: Dainty and Shaw 1974, independent grains that cover or do not."""
    found = {}
    for stops in (clear, (clear + black) / 2, (3 * clear + black) / 4, black):
        light = np.full((64, 64, 3), MID_GREY * 2.0**stops)
        found[stops] = np.log2(run(Grain(strength_by=by, amount=0.2), light, Place(64, 64)) / light).std()
    ends, middle, quarter = (found[clear], found[black]), found[(clear + black) / 2], found[(3 * clear + black) / 4]
    assert max(ends) < 0.03 * middle
    assert quarter / middle == pytest.approx(2 * np.sqrt(0.25 * 0.75), rel=0.02)


@pytest.mark.parametrize("name", HEIGHTS)
def test_a_formats_grain_has_its_pitch_and_the_same_spectrum_at_every_size(name):
    step = Grain(format=name, pitch=24.0, colour=1)
    assert step.shown_size == pytest.approx(0.024 / HEIGHTS[name])
    centroids = []
    for rows in (270, 540):
        light = np.full((rows, rows, 3), 0.18, np.float32)
        noise = engine.run(engine.compile_operations(step.at(0).operations(AP1)), light, place=Place(rows, rows))
        power = np.abs(np.fft.rfft2(np.log2(noise / 0.18)[..., 1])) ** 2
        y, x = np.meshgrid(np.fft.fftfreq(rows) * rows, np.fft.rfftfreq(rows) * rows, indexing="ij")
        power /= (np.sinc(x / rows) * np.sinc(y / rows)) ** 2  # what each size's own pixels average away
        low = np.hypot(x, y) < 100  # line pairs a frame height that both sizes hold
        centroids.append((power[low].sum() / rows**4, (power * np.hypot(x, y))[low].sum() / power[low].sum()))
    np.testing.assert_allclose(centroids[0], centroids[1], rtol=0.1)


def test_layers_and_frames_of_grain_are_independent():
    light = np.full((128, 128, 3), 0.18)
    noise = [np.log2(run(Grain(colour=1), light, Place(128, 128), f) / 0.18) for f in (0, 1)]
    assert abs(np.corrcoef(noise[0][..., 0].ravel(), noise[0][..., 2].ravel())[0, 1]) < 0.06
    assert abs(np.corrcoef(noise[0][..., 1].ravel(), noise[1][..., 1].ravel())[0, 1]) < 0.06


@pytest.mark.parametrize("step", [Gate(), Dust(), Grain()], ids=lambda s: s.kind)
def test_what_is_another_on_each_frame_asks_which(step):
    assert step.moves
    with pytest.raises(BadValue, match=r"another on every frame|along the shot"):
        step.operations(AP1)
