"""Steps that look around: the engine against the reference, what each promises, and the preview against delivery."""

from dataclasses import dataclass

import colour
import cv2
import numpy as np
import pytest
from scipy.interpolate import BSpline
from scipy.ndimage import gaussian_filter

from upwelling.core import engine
from upwelling.core.bake import RECEIVERS, BakeOrder, bake
from upwelling.core.bake.order import SHAPE
from upwelling.core.colour.primaries import primaries, rgb_to_xyz
from upwelling.core.errors import BadValue, PlaceNeeded
from upwelling.core.operations import Place, needs_of, reach_of, run_reference
from upwelling.core.operations.blur import LEAST_SIGMA, TRUNCATE, blur_fast, blur_reference, blurs_fast, gaussian_reach
from upwelling.core.operations.grain import LATTICES, SPREAD, pixel_weights, spline_sum
from upwelling.core.operations.grain_kernel import fill_lattice, lattice_key
from upwelling.core.operations.scatter import CORE, SHARES, WEIGHTS, spread_shape
from upwelling.core.path import Display, Input, Layer, Path, trace
from upwelling.core.proof.left_out import left_out
from upwelling.core.simulate.shipped import shipped
from upwelling.core.steps import (
    CalmNoise,
    Dust,
    Exposure,
    Gate,
    Glow,
    Grain,
    Halation,
    Matte,
    Mist,
    Sharpen,
    Softness,
    Streaks,
    Vignette,
)
from upwelling.core.steps.selections import Ellipse
from upwelling.core.steps.track import Track

AP1 = primaries("AP1")
D65 = np.array([0.3127, 0.329])
RNG = np.random.default_rng(4)
SCENE = shipped("Gathering room").astype(np.float64)
FULL = Place.whole(1600, 900)
HALF = SCENE.reshape(450, 2, 800, 2, 3).mean(axis=(1, 3))
HALF_PLACE = Place(1600, 900, step=2)
KINDS = (
    Sharpen(),
    Sharpen(channels="all channels", fine=-0.8, medium=0.5, coarse=1.0, radius=0.002),
    CalmNoise(),
    CalmNoise(brightness=0, colour=1, by_stops=((-6.0, 0.2), (3.0, 1.0))),
    Glow(),
    Glow(energy="added", size=0.2, tint=(1, 0.7, 0.4)),
    Halation(),
    Grain(),
    Grain(strength_by="a negative's density", format="16 mm"),
    Softness(),
    Softness(half=250, layers=(0.7, 1, 1.4)),
    Mist(),
    Gate(flicker=0.05),
    Dust(amount=40),
    Streaks(x=0.2),
    Streaks(direction="towards", x=-0.6, y=0.4, length=0.3),
)
IDS = [f"{number}-{step.kind}" for number, step in enumerate(KINDS)]


def reference(step, light=HALF, place=HALF_PLACE):
    return run_reference(step.at(3).operations(AP1), light, place)


def fast(step, light=HALF, place=HALF_PLACE):
    return engine.run(engine.compile_operations(step.at(3).operations(AP1)), light, place=place)


def stops_apart(a, b):
    return np.abs(np.log2(np.maximum(a, 1e-3) / np.maximum(b, 1e-3)))


@pytest.mark.parametrize("step", KINDS, ids=IDS)
def test_the_engine_holds_to_the_reference(step):
    apart = stops_apart(fast(step), reference(step))
    assert np.percentile(apart, 99) < 0.02
    assert apart.max() < 0.08
    assert stops_apart(reference(step), HALF).mean() > 1e-4, "a new step acts, so that it is seen"
    mixed = step.model_copy(update={"strength": 0.5, "limit": Matte(selections=(Ellipse(width=1.0),), blur=0.02)})
    assert np.percentile(stops_apart(fast(mixed), reference(mixed)), 99) < 0.01


@pytest.mark.parametrize("step", KINDS, ids=IDS)
def test_the_preview_shows_what_delivery_gives(step):
    """ΔE 2000 between the step at half size and the full size made half, rendered: mean under 0.3, 99 % under 2."""
    full = fast(step, SCENE, FULL).reshape(450, 2, 800, 2, 3).mean(axis=(1, 3))
    path = Path(input=Input(encoding="linear/AP1"), display=Display(output="BT.709 BT.1886"))
    show = engine.compile_operations(path.operations())
    xyz = [path.target.to_light(engine.run(show, np.ascontiguousarray(v))) for v in (full, fast(step))]
    to_xyz = rgb_to_xyz(primaries("BT.709"))
    lab = [colour.XYZ_to_Lab(np.clip(light, 0, 1) @ to_xyz.T, D65) for light in xyz]
    apart = colour.delta_E(*lab, method="CIE 2000")
    # A part of a small picture's pixel is another part of a large one's: cubic interpolation keeps less of its detail.
    mean, most = (0.6, 5) if step.kind == "gate" else (0.3, 2)
    assert apart.mean() < mean
    assert np.percentile(apart, 99) < most


@pytest.mark.parametrize("step", KINDS, ids=IDS)
def test_a_list_of_colours_is_refused(step):
    for values in (HALF[0], HALF[0, 0]):
        with pytest.raises(PlaceNeeded):
            run_reference(step.at(0).operations(AP1), values)
        with pytest.raises(PlaceNeeded):
            fast(step, values, None)
    assert needs_of(step.at(0).operations(AP1)) in ({"neighbours"}, {"place"})


@pytest.mark.parametrize("step", [s for s in KINDS if s.kind != "streaks"], ids=lambda s: s.kind)
def test_a_margin_of_the_reach_makes_a_part_the_whole(step):
    operations = step.at(0).operations(AP1)
    place, frame = Place(400, 225), HALF[:225, 200:600]
    whole = run_reference(operations, frame, place)
    reach = reach_of(operations, place.pixel)
    top, left = max(80 - reach, 0), max(150 - reach, 0)
    cut = run_reference(operations, frame[top : 120 + reach, left : 230 + reach], place.part(top, left))
    np.testing.assert_allclose(cut[80 - top : 120 - top, 150 - left : 230 - left], whole[80:120, 150:230], rtol=1e-7)


@pytest.mark.parametrize(
    "step", [s for s in KINDS if s.kind not in ("grain", "streaks", "gate", "dust")], ids=lambda s: s.kind
)
def test_mirrored_pictures_come_out_mirrored(step):
    for way in (np.s_[::-1], np.s_[:, ::-1]):
        np.testing.assert_allclose(reference(step, HALF[way]), reference(step)[way], rtol=1e-9, atol=1e-12)
    flat = np.full((60, 90, 3), 3.0)
    if step.kind not in ("glow", "mist"):  # a glow that adds light adds it to flat light too, a veil takes of it
        np.testing.assert_allclose(reference(step, flat, Place(90, 60)), flat, rtol=1e-9)


def test_light_is_kept_where_it_is_said_to_be():
    mean = HALF.mean(axis=(0, 1))
    np.testing.assert_allclose(reference(Glow(amount=1, threshold=-2)).mean(axis=(0, 1)), mean, rtol=1e-9)
    np.testing.assert_allclose(fast(Glow(amount=1)).astype(float).mean(axis=(0, 1)), mean, rtol=2e-5)
    assert (reference(Glow(energy="added")) >= HALF - 1e-12).all()
    grown = reference(Halation(colour=(1, 0.2, 0))) - HALF
    assert (grown >= -1e-12).all()
    assert grown[..., 2].max() < 1e-9 < grown[..., 1].max() < grown[..., 0].max()
    dark = np.minimum(HALF, 0.15)
    for step in (Glow(), Halation(), Streaks()):
        np.testing.assert_allclose(reference(step, dark), dark, err_msg=step.kind)


def test_the_spread_is_fitted_to_its_shape():
    assert sum(WEIGHTS) == pytest.approx(1)
    assert min(WEIGHTS) >= 0
    r = np.linspace(CORE / 4, 1.2, 50)
    made = sum(w * np.exp(-0.5 * (r / s) ** 2) / (2 * np.pi * s * s) for w, s in zip(WEIGHTS, SHARES, strict=True))
    ratio = made / spread_shape(r)
    assert ratio.max() / ratio.min() < 2.5, "within a stop or so over a hundredfold fall"


@pytest.mark.parametrize("shape", [(1, 1, 3), (5, 7), (64, 33, 3), (200, 311, 3), (90, 700)])
@pytest.mark.parametrize("sigma", [0.03, 0.4, 2.0, 9.0, 40.0, 150.0])
def test_the_exact_blur_is_scipys_however_it_is_made(shape, sigma):
    """Matrices and SciPy's own walk are one and the same blur: ends mirrored, as often as a wide one takes."""
    plane = np.random.default_rng(5).random(shape) ** 4 * 20
    widths = (sigma, sigma, 0)[: plane.ndim]
    witness = gaussian_filter(plane, widths, mode="reflect", truncate=TRUNCATE) if sigma > LEAST_SIGMA else plane
    np.testing.assert_allclose(blur_reference(plane, sigma), witness, rtol=1e-12, atol=1e-13)


@pytest.mark.parametrize("sigma", [0.3, 0.54, 1.3, 2.9, 3.5, 7.0, 20.0, 60.0])
def test_blurs_are_opencvs_and_scipys(sigma):
    """Mirrored at the edges, edge pixels twice: a hard picture, a plane and three channels, odd sizes."""
    plane = (RNG.random((131, 203)) > 0.7).astype(np.float64)
    expected = gaussian_filter(plane, sigma, mode="reflect", truncate=8)
    side = 2 * gaussian_reach(sigma) + 1
    witness = cv2.GaussianBlur(plane, (side, side), sigma, borderType=cv2.BORDER_REFLECT) if side < 131 else expected
    np.testing.assert_allclose(blur_reference(plane, sigma), witness, atol=1e-3)
    made = blur_fast(plane.astype(np.float32), sigma)
    assert np.abs(made - expected).max() < 0.02, "white noise is the worst there is for being made smaller"
    assert np.abs(made - expected).mean() < 0.003
    # Light is kept where halves come out even; where the picture has to go on mirrored, what is cut off is not made up.
    assert made.astype(float).mean() == pytest.approx(plane.mean(), rel=2e-3)
    even = plane[:128, :192].astype(np.float32)
    assert blur_fast(even, sigma).astype(float).mean() == pytest.approx(even.astype(float).mean(), rel=1e-4)
    both = blurs_fast(np.repeat(plane.astype(np.float32)[..., None], 3, axis=-1), ((0.5, sigma), (0.5, sigma * 2)))
    pair = (expected + gaussian_filter(plane, 2 * sigma, mode="reflect", truncate=8)) / 2
    assert np.abs(both[..., 0] - pair).max() < 0.02


# --- sharpen and calm
def test_sharpening_raises_detail_and_holds_its_halo():
    step = np.where(np.arange(200) < 100, 0.1, 0.4)[None, :, None] * np.ones((80, 1, 3))
    made = np.log2(reference(Sharpen(fine=3, medium=3, halo=0.3, radius=0.01), step, Place(200, 80))[40, :, 1])
    assert 0.05 < made.max() - np.log2(0.4) <= 0.3 + 1e-6
    assert 0.05 < np.log2(0.1) - made.min() <= 0.3 + 0.05
    soft = reference(Sharpen(fine=-1, medium=-1, coarse=-1, radius=0.01), step, Place(200, 80))[40, :, 1]
    assert (np.diff(np.log2(soft)) >= -1e-9).all()
    assert np.diff(np.log2(soft)).max() < 1
    noise = 0.2 * np.exp2(RNG.normal(0, 0.02, (80, 120, 1))) * np.ones(3)
    small = [reference(Sharpen(fine=2, medium=0, threshold=t, radius=0.02), noise, Place(120, 80)) for t in (0.0, 0.2)]
    before, raised, passed_over = (np.log2(v).std() for v in (noise, *small))
    assert raised > before * 1.3
    assert passed_over < before * 1.05
    colour = reference(Sharpen(), HALF) / np.maximum(HALF, 1e-6)
    np.testing.assert_allclose(colour[..., 0], colour[..., 2], rtol=1e-6)


def test_calming_takes_noise_and_leaves_edges():
    clean = np.where(np.arange(300) < 150, 0.05, 0.8)[None, :, None] * np.ones((200, 1, 3))
    noisy = clean * np.exp2(RNG.normal(0, 0.15, (200, 300, 3)))
    made = reference(CalmNoise(brightness=1, colour=1, level=0.4, radius=0.015), noisy, Place(300, 200))
    inside = np.s_[20:-20, 20:120]
    assert np.log2(made[inside]).std() < 0.35 * np.log2(noisy[inside]).std()
    assert np.log2(made[:, 156:160] / made[:, 140:144]).mean() == pytest.approx(4, abs=0.2), "the edge stays 4 stops"
    only_dark = CalmNoise(by_stops=((-3.0, 1.0), (0.0, 0.0)), brightness=1, colour=1)
    kept = reference(only_dark, noisy, Place(300, 200))
    np.testing.assert_allclose(kept[:, 160:], noisy[:, 160:], rtol=1e-9)


# --- grain
def _fields(place, rows, columns, **given):
    return Grain(**given).at(0).operations(AP1)[0].fields(rows, columns, place)


def test_the_spline_is_scipys():
    t = np.linspace(-3, 3, 61)
    basis = BSpline.basis_element(np.arange(-2, 3), extrapolate=False).antiderivative()
    np.testing.assert_allclose(spline_sum(t), basis(np.clip(t, -2, 2)) - basis(-2), atol=1e-12)
    square = BSpline.basis_element(np.arange(-2, 3), extrapolate=False)(np.linspace(-2, 2, 100_001)[1:-1])
    assert (square**2).mean() * 4 == pytest.approx(SPREAD, rel=1e-4)
    _, weights = pixel_weights(np.array([0.31, 0.5]), 0.02, 0.007)
    np.testing.assert_allclose(weights.sum(axis=1), 1, atol=1e-12)


def test_grain_is_seeded_new_on_every_frame_and_unbiased():
    numbers = np.empty((400, 400), np.float32)
    fill_lattice(np.uint64(lattice_key(1, 5, 0)), np.int64(-7), np.int64(3), numbers)
    assert abs(numbers.mean()) < 0.01
    assert numbers.std() == pytest.approx(1, abs=0.01)
    assert abs(np.corrcoef(numbers[:, 1:].ravel(), numbers[:, :-1].ravel())[0, 1]) < 0.01
    grey = np.full((360, 640, 3), 0.18)
    place = Place(640, 360)
    one, again, other, seeded = (
        run_reference(step.at(frame).operations(AP1), grey, place)
        for step, frame in ((Grain(), 4), (Grain(), 4), (Grain(), 5), (Grain(seed=2), 4))
    )
    np.testing.assert_array_equal(one, again)
    for another in (other, seeded):
        assert abs(np.corrcoef(np.log2(one[..., 0]).ravel(), np.log2(another[..., 0]).ravel())[0, 1]) < 0.03
    strong = run_reference(Grain(amount=0.6, size=0.005).at(1).operations(AP1), grey, place)
    np.testing.assert_allclose(strong.mean(axis=(0, 1)), 0.18, rtol=0.008)
    np.testing.assert_allclose(run_reference(Grain().at(0).operations(AP1), 0 * grey, place), 0)
    with pytest.raises(BadValue, match="at which frame"):
        Grain().operations(AP1)
    assert Grain().moves
    assert not Grain(amount=0).moves


def test_grain_is_the_same_at_every_size_and_has_the_amount_it_says():
    fields, variance = _fields(Place(1920, 1080), 540, 960, size=0.008, colour=0.5)
    small, _ = _fields(Place(1920, 1080, step=2), 270, 480, size=0.008, colour=0.5)
    np.testing.assert_allclose(small, fields.reshape(3, 270, 2, 480, 2).mean(axis=(2, 4)), atol=2e-5)
    assert fields.std() == pytest.approx(np.sqrt(variance.mean()), rel=0.04)
    assert variance.mean() == pytest.approx(1, rel=0.12), "pixels are far smaller than grains, and average little"
    part, _ = _fields(Place(1920, 1080, 200, 100), 50, 60, size=0.008, colour=0.5)
    np.testing.assert_allclose(part, fields[:, 100:150, 200:260], atol=1e-5)
    for mixed, together in ((0.0, 1.0), (1.0, 0.0)):
        layers, _ = _fields(Place(1920, 1080), 300, 300, colour=mixed)
        assert np.corrcoef(layers[0].ravel(), layers[1].ravel())[0, 1] == pytest.approx(together, abs=0.05)
    power = (np.abs(np.fft.rfft(fields[0] - fields[0].mean(), axis=1)) ** 2).mean(axis=0)
    bands = [band.mean() for band in np.array_split(power[2:], 6)]
    assert bands == sorted(bands, reverse=True)
    assert bands[0] > 30 * bands[2], "no white noise"
    assert sum(share**2 for _, share, _ in LATTICES) == pytest.approx(1)


@pytest.mark.parametrize(("size", "rows", "place"), [(0.0016, 540, True), (0.0016, 180, True), (0.0004, 90, False)])
def test_grain_of_small_frames_is_that_of_large_ones(size, rows, place):
    """Finer than a pixel it is filtered, not made coarser; of the finest on the smallest the strength alone is kept."""
    height, width, times = 1080, 1920, 1080 // rows
    large, _ = _fields(Place(width, height), height, width, size=size)
    small, variance = _fields(Place(width // times, rows), rows, width // times, size=size)
    filtered = large[0].reshape(rows, times, width // times, times).mean(axis=(1, 3))
    assert small[0].std() == pytest.approx(filtered.std(), rel=0.15)
    assert variance.mean() == pytest.approx(small[0].var(), rel=0.15)
    assert bool(np.corrcoef(small[0].ravel(), filtered.ravel())[0, 1] > 0.999) is place


# --- paths, tables, traces
def _path(*steps):
    return Path(input=Input(encoding="linear/AP1"), display=Display(output="BT.709 BT.1886"), trim=Layer(steps=steps))


def test_a_trace_through_neighbours_is_the_pictures_pixel():
    path, frame, place = _path(Sharpen(id="s"), Exposure(id="e", stops=1)), SCENE[300:400, 500:640], Place(140, 100)
    whole = path.apply(frame, place)
    reach = path.reach(place.pixel)
    top, left = 50 - reach, 60 - reach
    window = frame[top : 51 + reach, left : 61 + reach]
    found = trace(path, window, place.part(top, left), (reach, reach))
    np.testing.assert_array_equal(found[-1].rgb, np.clip(np.round(whole[50, 60] * 1023), 0, 1023))
    np.testing.assert_allclose(found[1].rgb, frame[50, 60])
    with pytest.raises(PlaceNeeded):
        trace(path, frame[50, 60], place)


EACH = {
    "a glow last": (Exposure(id="e", stops=1), Glow(id="g")),
    "a glow, then colour": (Glow(id="g", amount=0.3), Exposure(id="e", stops=-1)),
    "two that look around": (Sharpen(id="s"), Halation(id="h")),
    "streaks": (Streaks(id="s"), Exposure(id="e", stops=1)),
    "half of one": (Exposure(id="e", stops=1), Glow(id="g", strength=0.5)),
    "in a shape": (Halation(id="h", limit=Matte(selections=(Ellipse(id="m", width=0.4, height=0.4),))),),
    "a vignette over it": (Glow(id="g"), Vignette(id="v", stops=-1)),
}


@pytest.mark.parametrize("name", EACH)
@pytest.mark.parametrize("at", [(0, 0), (45, 20), (89, 159)])
def test_one_pixel_traced_is_that_of_the_whole_picture(name, at):
    """A blur is worked out at the pixel alone where nothing to come needs more of it."""
    path, frame, place = _path(*EACH[name]), 4 * SCENE[300:390, 500:660].astype(np.float64), Place(160, 90)
    found = {one.stage: one.rgb for one in trace(path, frame, place, at)}
    after = run_reference([op for stage in ("camera", "input", "trim") for op in path.segments()[stage]], frame, place)
    np.testing.assert_allclose(found["trim"], after[at], rtol=1e-12)
    whole = np.clip(np.round(path.apply(frame, place)[at] * 1023), 0, 1023)
    np.testing.assert_allclose(found["display"], whole, atol=1)


LIMITED = Exposure(id="e", stops=2, limit=Matte(selections=(Ellipse(id="m", width=0.2, height=0.2),)))
WIDE = LIMITED.model_copy(update={"limit": Matte(selections=(Ellipse(width=6, height=6),))})
MOVING = Exposure(id="m", tracks=(Track(parameter="stops", keys=((0, 1.0), (9, -1.0))),))


def _order(*steps, **more):
    return BakeOrder.checked({"path": _path(*steps), "receiver": RECEIVERS[0], "size": 17, **more})


def test_a_table_leaves_out_steps_or_their_shapes_by_what_costs_less():
    order = _order(LIMITED, Glow(id="g"))
    small = HALF[::5, ::5]
    lost = left_out(order, small, Place(1600, 900, step=10))
    assert [(one.step, one.name) for one in lost] == [("e", "Exposure: all of it"), ("g", "Glow")]
    assert "where a pixel stands" in lost[0].why
    assert "what lies around it" in lost[1].why
    rows, columns = lost[0].where.shape
    assert columns <= 96
    assert lost[0].where[rows // 2, columns // 2] > 1 > lost[0].where[2, 2]
    assert [one.step for one in left_out(_order(WIDE), small, Place(1600, 900, step=10))] == [f"e{SHAPE}"]
    shapeless = order.model_copy(update={"left_out": (f"e{SHAPE}", "g")})
    assert shapeless.kept_path.layer("trim").steps == (Exposure(id="e", stops=2),)
    assert shapeless.left_out_said == ("the shape of Exposure", "Glow")
    assert any("the shape of Exposure, Glow" in line for line in bake(shapeless).comments)
    with pytest.raises(BadValue, match="No table can carry Exposure, Glow"):
        bake(order)


def test_a_moving_step_is_refused_or_frozen():
    with pytest.raises(BadValue, match="the same on every frame"):
        _order(MOVING)
    frozen = _order(MOVING, frozen=9)
    assert frozen.kept_path.layer("trim").steps[0].stops == -1
    assert _order(MOVING, frozen=0).fingerprint != frozen.fingerprint
    assert _order(MOVING, Grain(id="g"), left_out=("m", "g")).stuck == ()
    assert [step.kind for _, step in _order(Grain(id="g")).stuck] == ["grain"], "grain needs no frame to be left out"


# --- the frames around
@dataclass(frozen=True, eq=False)
class Reel:
    """Frames in memory, around one of them."""

    codes: tuple
    number: int

    def code(self, offset, shape, place):
        wanted = self.number + offset
        if not 0 <= wanted < len(self.codes):
            return None
        top, left = round(place.top), round(place.left)
        return self.codes[wanted][top : top + shape[0], left : left + shape[1]]


STILL = np.full((60, 90, 3), 0.18)
REEL = Reel(tuple(STILL * np.exp2(RNG.normal(0, 0.1, STILL.shape)) for _ in range(5)), 2)
AVERAGED = CalmNoise(id="c", brightness=0, colour=0, frames=2, level=0.6)


def averaged(step=AVERAGED, reel=REEL, fast=False, before=()):
    path = _path(*before, step).at(reel.number).fed(reel)
    operations = path.until("look")
    place = Place(90, 60)
    if fast:
        return engine.run(engine.compile_operations(operations), reel.codes[reel.number], place=place)
    return run_reference(operations, reel.codes[reel.number], place)


def test_frames_around_take_noise_where_nothing_moves():
    """Five frames of independent noise: its deviation falls by the root of five, in log light."""
    before, after = (np.log2(v).std() for v in (REEL.codes[2], averaged()))
    assert after == pytest.approx(before / np.sqrt(5), rel=0.06)
    np.testing.assert_allclose(averaged(fast=True), averaged(), rtol=1e-4)
    first = Reel(REEL.codes, 0)
    two_after = np.log2(averaged(reel=first)).std()
    assert two_after == pytest.approx(before / np.sqrt(3), rel=0.06)
    led = (Exposure(id="e", stops=1),)
    np.testing.assert_allclose(averaged(before=led), 2 * averaged(), rtol=1e-9)
    both = averaged(AVERAGED.model_copy(update={"brightness": 0.8, "strength": 0.5}), before=led)
    fast = averaged(AVERAGED.model_copy(update={"brightness": 0.8, "strength": 0.5}), before=led, fast=True)
    np.testing.assert_allclose(fast, both, rtol=1e-3)


def test_what_moves_is_left_alone():
    frames = [STILL.copy() for _ in range(5)]
    for number, frame in enumerate(frames):
        frame[20:40, 10 + 15 * number : 20 + 15 * number] = 0.9
    moving = Reel(tuple(frames), 2)
    np.testing.assert_allclose(averaged(reel=moving), frames[2], rtol=1e-9)


def test_frames_around_are_asked_for_or_refused():
    path = _path(AVERAGED)
    assert path.moves
    assert path.needs == {"frames"}
    with pytest.raises(PlaceNeeded, match="the frames around it"):
        path.at(0).apply(STILL, Place(90, 60))
    with pytest.raises(BadValue, match="at which frame"):
        path.operations()
    assert [step.kind for _, step in _order(AVERAGED).stuck] == ["calm_noise"]
    found = {b.stage: b.rgb for b in trace(path.at(2).fed(REEL), REEL.codes[2][30, 40], Place(90, 60, 40, 30))}
    np.testing.assert_allclose(found["trim"], averaged()[30, 40], rtol=1e-9)
    assert path.at(2).fed(REEL).fingerprint == path.at(2).fingerprint
