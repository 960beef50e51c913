"""Operations that need more than a pixel's own value, where a picture lies, and values that change along a shot."""

from dataclasses import dataclass
from typing import ClassVar

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError
from scipy.interpolate import PchipInterpolator

from upwelling.core import engine
from upwelling.core.arrays import Float64
from upwelling.core.bake import RECEIVERS, BakeOrder, bake
from upwelling.core.colour.primaries import primaries
from upwelling.core.errors import BadValue, PlaceNeeded
from upwelling.core.operations import Affine, Place, RadialGain, needs_of, run_reference
from upwelling.core.operations.exact import exact
from upwelling.core.path import Display, Input, Layer, Path, trace
from upwelling.core.proof.left_out import left_out
from upwelling.core.proof.samples import frame_sample
from upwelling.core.steps import STEPS, Exposure, SlopeOffsetPower, Vignette
from upwelling.core.steps.track import Track

AP1 = primaries("AP1")
RNG = np.random.default_rng(4)
PICTURE = RNG.random((54, 96, 3))
WHOLE = Place.whole(1920, 1080, 54)
VIGNETTE = Vignette(id="dark", stops=-2, x=0.3, y=-0.1, size=0.2, falloff=0.5, stretch=1.5)
GAIN = VIGNETTE.work(AP1)


def path_of(*steps, **changes):
    return Path(
        **{
            "input": Input(encoding="S-Log3/S-Gamut3.Cine"),
            "display": Display(output="BT.709 BT.1886"),
            "trim": Layer(steps=steps),
            **changes,
        }
    )


def test_a_vignette_is_the_formula_it_says():
    """Worked by hand: at the centre nothing, half way through the falloff half the stops, beyond it all of them."""
    gain, place = RadialGain(-2, 0.0, 0.0, 0.25, 0.75), Place(1000, 1000)
    out = run_reference((gain,), np.ones((1000, 1000, 3)), place)
    assert out[499, 499, 0] == 1
    np.testing.assert_allclose(
        out[499, 999, 1], 2.0 ** (-2 * (3 * 0.499**2 - 2 * 0.499**3)), rtol=1e-5
    )  # 0.4995 from the middle
    np.testing.assert_allclose(
        run_reference((RadialGain(-2, 0, 0, 0.1, 0.2),), np.ones((10, 10, 3)), Place(10, 10))[0, 0], 0.25
    )


@pytest.mark.parametrize(
    ("rows", "columns", "place"),
    [
        (54, 96, WHOLE),
        (1, 1, Place(1920, 1080, 900, 20)),
        (7, 333, Place(4096, 2160, 11, 2000, 3)),
        (1080, 1, Place(1, 1080)),
        (40, 2600, Place(2600, 40)),
    ],
)
@pytest.mark.parametrize(
    "step",
    [VIGNETTE, Vignette(stops=3, size=0, falloff=0.01), Vignette(strength=0.4, stretch=0.25)],
    ids=["soft", "hard", "mixed in"],
)
def test_engine_and_reference_agree_on_every_shape(rows, columns, place, step):
    picture = RNG.random((rows, columns, 3)) * 4
    operations = (Affine(1.5), *step.operations(AP1))
    fast = engine.run(engine.compile_operations(operations), picture, place=place)
    np.testing.assert_allclose(fast, run_reference(operations, picture, place), rtol=2e-4, atol=1e-5)


@given(top=st.integers(0, 50), left=st.integers(0, 90), every=st.integers(1, 3))
def test_a_part_is_the_whole_there(top, left, every):
    whole = run_reference(GAIN, PICTURE, WHOLE)
    part = run_reference(GAIN, np.ascontiguousarray(PICTURE[top::every, left::every]), WHOLE.part(top, left, every))
    np.testing.assert_allclose(part, whole[top::every, left::every], rtol=1e-12)


def test_exact_in_bands_is_the_whole():
    tall = RNG.random((100, 40, 3))
    place = Place.whole(40, 100)
    np.testing.assert_array_equal(exact(GAIN, tall, place), run_reference(GAIN, tall, place))
    np.testing.assert_array_equal(exact((Affine(2.0),), tall), tall * 2)


@pytest.mark.parametrize("values", [np.ones((4, 3)), np.ones(3), np.ones((2, 2, 2, 3)), PICTURE])
def test_codes_without_a_place_are_refused(values):
    """A list of colours sent through something that depends on where a pixel stands is an error, never a number."""
    path = path_of(VIGNETTE)
    for attempt in (
        lambda: run_reference(GAIN, values),
        lambda: engine.run(engine.compile_operations(GAIN), values),
        lambda: path.apply(values),
        lambda: exact(GAIN, values),
        lambda: GAIN[0].apply(values),
    ):
        with pytest.raises(PlaceNeeded, match="list of colours"):
            attempt()
    if values.ndim != 3:
        with pytest.raises(PlaceNeeded):
            run_reference(GAIN, values, WHOLE)


@dataclass(frozen=True)
class Blur:
    """Stands for what is to come: an operation that needs its neighbours."""

    needs: ClassVar = frozenset({"neighbours"})

    def apply(self, rgb: Float64) -> Float64:
        return (rgb + np.roll(rgb, 1, axis=0)) / 2


def test_needs_add_up_and_say_what_a_table_can_carry():
    assert needs_of((Affine(1.0), *GAIN, Blur())) == {"place", "neighbours"}
    assert path_of(VIGNETTE).needs == {"place"}
    assert path_of(VIGNETTE.model_copy(update={"on": False})).needs == frozenset()
    assert path_of(VIGNETTE, Exposure(stops=1)).carried() == path_of(Exposure(stops=1))
    bound = ["Calm noise", "Sharpen · soften", "Softness", "Streaks", "Glow", "Mist", "Halation", "Vignette"]
    bound += ["Gate weave · flicker", "Dust", "Grain"]
    assert [step.title for step in STEPS if not step().fits_in_lut] == bound
    assert Vignette(stops=0).fits_in_lut
    with pytest.raises(PlaceNeeded, match="neighbours"):
        run_reference((Blur(),), np.ones((5, 3)))


def test_one_pixel_alone_is_no_neighbourhood(monkeypatch):
    monkeypatch.setattr(Vignette, "work", lambda self, working: (Blur(),))
    with pytest.raises(PlaceNeeded, match="neighbours"):
        trace(path_of(VIGNETTE), [0.4, 0.4, 0.4], WHOLE.part(3, 3))


def test_a_table_refuses_it_and_says_what_leaving_it_out_costs():
    order = BakeOrder(path=path_of(VIGNETTE, Exposure(id="up", stops=1)), receiver=RECEIVERS[0], size=17)
    with pytest.raises(BadValue, match="No table can carry Vignette"):
        bake(order)
    lost = left_out(order, PICTURE * 0.5 + 0.1, WHOLE)
    assert [(one.name, one.step) for one in lost] == [("Vignette", "dark")]
    assert lost[0].worst > 5
    assert "where a pixel stands" in lost[0].why
    without = order.model_copy(update={"left_out": ("dark",)})
    bake(without)
    assert without.kept_path == path_of(Exposure(id="up", stops=1))


def test_test_pixels_are_picked_after_what_needs_the_frame():
    """A table above a vignette is tested with the light the vignette leaves, at every pixel's own place."""
    order = BakeOrder(
        path=path_of(VIGNETTE), section={"start": "look", "end": "display"}, receiver=RECEIVERS[2], size=17
    )
    sample = frame_sample(order, "frame", PICTURE * 0.4 + 0.2, None, WHOLE)
    expected = np.clip(run_reference(order.section.before(order.path), PICTURE * 0.4 + 0.2, WHOLE), 0, 1).reshape(-1, 3)
    np.testing.assert_allclose(sample.codes, np.round(expected * 65535) / 65535, atol=1e-9)
    with pytest.raises(PlaceNeeded):
        frame_sample(order, "frame", PICTURE.reshape(-1, 3))


KEYS = ((10, -1.0), (20, 0.5), (40, 0.5), (64, 3.0))
MOVING = Exposure(id="up", tracks=(Track(parameter="stops", keys=KEYS),))


@pytest.mark.parametrize("frame", [0, 10, 13, 20, 31, 47, 64, 1000])
def test_a_track_is_scipys_monotone_cubic_and_stands_beyond_its_ends(frame):
    inside = min(max(frame, 10), 64)
    xs, ys = zip(*KEYS, strict=True)
    assert MOVING.at(frame).stops == pytest.approx(float(PchipInterpolator(xs, ys)(inside)), abs=1e-12)
    assert (
        Track(parameter="stops", keys=KEYS, between="held").at(frame)
        == {0: -1, 10: -1, 13: -1, 20: 0.5, 31: 0.5, 47: 0.5, 64: 3, 1000: 3}[frame]
    )


@given(
    st.lists(st.tuples(st.integers(0, 500), st.floats(-8, 8)), min_size=1, max_size=9, unique_by=lambda key: key[0]),
    st.floats(0, 500),
)
def test_a_track_never_goes_beyond_its_keys(keys, frame):
    track = Track(parameter="stops", keys=tuple(sorted(keys)))
    values = [value for _, value in keys]
    assert min(values) - 1e-9 <= track.at(frame) <= max(values) + 1e-9


def test_time_is_put_in_before_anything_is_computed():
    path = path_of(MOVING)
    assert path.moves
    assert path.at(20) == path_of(Exposure(id="up", stops=0.5))
    with pytest.raises(BadValue, match="at which frame"):
        path.apply(np.full(3, 0.4))
    assert Path.from_recipe(path.to_recipe()) == path
    assert path.fingerprint != path_of(Exposure(id="up")).fingerprint
    assert not path_of(Exposure()).moves
    assert "4 keys" in MOVING.summary()
    assert path_of(look=Layer(steps=(MOVING,)), trim=Layer()).at(64).layer("look").steps[0].stops == 3


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda: Exposure(tracks=({"parameter": "stops", "keys": [[5, 1], [5, 2]]},)), "follow each other"),
        (lambda: Exposure(tracks=({"parameter": "stops", "keys": [[5, 12]]},)), "outside"),
        (lambda: Exposure(tracks=({"parameter": "strength", "keys": [[5, 1]]},)), "cannot change along"),
        (lambda: SlopeOffsetPower(tracks=({"parameter": "saturation", "keys": [[5, 1]]},)), "none of them"),
        (lambda: Exposure(tracks=({"parameter": "stops", "keys": [[5, 1]]},) * 2), "two tracks"),
        (lambda: Track(parameter="stops", keys=()), "at least 1"),
        (lambda: Track(parameter="stops", keys=((-1, 0.0),)), "greater than or equal to 0"),
        (lambda: Track(parameter="stops", keys=((1, float("nan")),)), "finite"),
    ],
)
def test_tracks_that_cannot_be_are_refused_in_words(make, words):
    with pytest.raises(ValidationError, match=words):
        make()
