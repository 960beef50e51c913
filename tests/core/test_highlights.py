"""Highlights that clipped: where channels pile up, and what is rebuilt, against scenes whose light is known."""

import re
from fractions import Fraction
from typing import get_args

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from upwelling.core.colour.oklab import lms_to_oklab, rgb_to_lms
from upwelling.core.colour.primaries import PRIMARIES, primaries, rgb_to_rgb
from upwelling.core.encodings import encoding
from upwelling.core.errors import BadValue
from upwelling.core.media import Reading, open_footage
from upwelling.core.media.movie_write import write_movie
from upwelling.core.operations import run_reference
from upwelling.core.path import Input, Path
from upwelling.core.path.stages import Display
from upwelling.core.scopes.plateau import camera_plateaus
from upwelling.core.simulate.camera import A_CAM, B_CAM, PHONE
from upwelling.core.simulate.shipped import shipped
from upwelling.core.steps import Highlights
from upwelling.core.steps.highlights import Channels, find_clips

AP1 = primaries("AP1")
SKY, FURNACE, SKIN = (0.75, 0.95, 1.3), (1.9, 0.75, 0.25), (1.35, 0.9, 0.7)


def scene(colour, brightest=14.0, wide=320, high=180):
    """AP1 light: a lamp of one colour that fades out over grey surroundings, with a dark wedge beside it."""
    y, x = np.mgrid[0:high, 0:wide] / high
    lamp = brightest * np.exp(-(((x - 0.9) ** 2 + (y - 0.5) ** 2) / 0.09))
    light = 0.05 + lamp[..., None] * np.array(colour)
    light[:, : wide // 8] = np.linspace(0.001, 0.6, high)[:, None, None]
    return light


def linear_to_oklab(light, space):
    return lms_to_oklab(np.maximum(light, 1e-6) @ rgb_to_lms(space, "CAT02").T)


def shot(colour, camera=A_CAM, stops=2.5, **more):
    """The light as it would be without clipping, and the file's code."""
    light = scene(colour) * 2**stops
    return light, camera.shoot(light, seed=3, **more)


def to_light(code, name):
    path = Path(input=Input(encoding=name), display=Display(output="sRGB"))
    return run_reference(path.until("trim"), code.astype(np.float64))


def false_colour(light, truth, places):
    """How far off hue and saturation are, as chroma distance over lightness in Oklab: mean of some places."""
    lab, wanted = (linear_to_oklab(part[places], AP1) for part in (light, truth))
    return float(np.hypot(*np.moveaxis(lab[:, 1:] / lab[:, :1] - wanted[:, 1:] / wanted[:, :1], -1, 0)).mean())


# --- where channels clip
@pytest.mark.parametrize("camera", [A_CAM, PHONE], ids=lambda c: c.name)
@pytest.mark.parametrize("colour", [SKY, FURNACE, SKIN])
def test_each_channels_share_is_found(camera, colour):
    light, code = shot(colour, camera)
    there = light @ rgb_to_rgb(AP1, encoding(camera.encoding_name).primaries, "CAT02").T
    found = camera_plateaus(code)
    for channel in range(3):
        assert found.shares[channel] == pytest.approx((there[..., channel] >= camera.clip).mean(), abs=0.004), channel


@pytest.mark.parametrize(("codec", "crf"), [("h265-10", "24"), ("h265-8", "28"), ("h264-8", "26")])
def test_codec_noise_widens_the_pile_and_hides_it_not(codec, crf, tmp_path):
    """HLG of a phone through a lossy encoder: the shares of the clean file, and none where nothing clips."""
    clean, dark = shot(SKY, PHONE)[1], shot(SKY, PHONE, -3.0)[1]
    for name, code in (("over", clean), ("under", dark)):
        place = tmp_path / f"{name}.mov"
        write_movie(place, [code] * 3, codec, rate=Fraction(25), matrix="BT.2020", options={"crf": crf})
        found = camera_plateaus(open_footage(place).frame(1).code)
        wanted = camera_plateaus(code)
        assert found.shares == pytest.approx(wanted.shares, abs=0.03), name
        assert found.found == (name == "over")


@given(st.floats(0.3, 6), st.floats(0.3, 6), st.floats(0.1, 0.95), st.integers(0, 99))
@settings(max_examples=40, deadline=None)
def test_a_highlights_tip_is_no_plateau(a, b, top, seed):
    code = np.random.default_rng(seed).beta(a, b + 2, (90, 160, 3)).astype(np.float32) * np.float32(top)
    assert not camera_plateaus(code).found


@pytest.mark.parametrize("code", [np.zeros((8, 8, 3)), np.full((8, 8, 3), np.nan), -np.ones((8, 8, 3))])
def test_what_holds_no_light_has_none(code):
    assert not camera_plateaus(code.astype(np.float32)).found


# --- what is rebuilt
def solved(colour, camera=A_CAM, stops=2.5, **more):
    truth, code = shot(colour, camera, stops)
    name = camera.encoding_name
    light, channels = to_light(code, name), encoding(name).primaries
    found = find_clips(light, code, camera_plateaus(code).starts, AP1, channels)
    step = Highlights(clip=found.clip, light=found.light, channels=channels.name, **more)
    return truth, code, light, run_reference(step.operations(AP1), light), step


@pytest.mark.parametrize("camera", [A_CAM, PHONE], ids=lambda c: c.name)
@pytest.mark.parametrize("colour", [SKY, FURNACE, SKIN])
@pytest.mark.parametrize("way", ["rebuild", "calm"])
def test_false_colour_goes_and_no_ring_comes(camera, colour, way):
    truth, code, light, rebuilt, step = solved(colour, camera, way=way)
    clipped = code >= np.array(camera_plateaus(code).starts)
    partly = clipped.any(-1) & ~clipped.all(-1)
    before, after = (false_colour(part, truth, clipped.any(-1)) for part in (light, rebuilt))
    assert after < before / 3
    assert false_colour(rebuilt, truth, partly) < 0.06
    # From the holding light inwards the hue runs through no ring of another, as it did before.
    spread = []
    for part in (light, rebuilt):
        lab = linear_to_oklab(part[90, 160:], AP1)
        hue = np.degrees(np.unwrap(np.arctan2(lab[:, 2], lab[:, 1])))
        spread.append(np.ptp(hue[np.convolve(clipped[90, 160:].any(-1), np.ones(9), "same") > 0]))
    assert spread[1] < spread[0] / 2
    dim = light.max(-1) < 0.5 * min(c for c in step.clip if c)
    np.testing.assert_allclose(rebuilt[dim], light[dim], atol=1e-9)
    if way == "rebuild" and (partly.sum() > 50):
        error = [np.abs(np.log2(np.maximum(p[partly], 1e-3) / truth[partly])).mean() for p in (light, rebuilt)]
        assert error[1] < error[0] / 2


@pytest.mark.parametrize(
    ("name", "stops", "camera"),
    [
        ("Yard at dusk", 2.5, A_CAM),
        ("Yard at dusk", 0.0, PHONE),
        ("Gathering room", 0.6, A_CAM),
        ("Gathering room", 0.8, B_CAM),
    ],
)
def test_kilnlights_over_exposed_shots_against_the_light_they_were_shot_of(name, stops, camera, tmp_path):
    """The phone's through its lossy HLG movie: halved chroma mixes clipped white into the border that is asked."""
    truth = shipped(name)[::2, ::2].astype(np.float64) * 2**stops
    code, channels = camera.shoot(truth, seed=1), encoding(camera.encoding_name).primaries
    if camera is PHONE:
        place = tmp_path / "p.mp4"
        write_movie(place, [code] * 2, "h265-10", matrix="BT.2020")
        code = open_footage(place).frame(0, Reading("legal", "BT.2020")).code  # it names no matrix: as it was coded
    light = to_light(code, camera.encoding_name)
    starts = camera_plateaus(code).starts
    found = find_clips(light, code, starts, AP1, channels)
    step = Highlights(clip=found.clip, light=found.light, channels=channels.name)
    rebuilt, clipped = run_reference(step.operations(AP1), light), (code >= np.array(starts)).any(-1)
    assert clipped.mean() > 0.01
    limit = 0.75 if camera is PHONE else 0.6
    assert false_colour(rebuilt, truth, clipped) < limit * false_colour(light, truth, clipped)


def _found(picture, stops):
    code = A_CAM.shoot(picture * 2.0**stops, seed=1)
    light = to_light(code, A_CAM.encoding_name)
    return find_clips(light, code, camera_plateaus(code).starts, AP1, encoding(A_CAM.encoding_name).primaries)


def test_what_rebuilding_would_do_is_tried_on_the_pictures_own_light():
    """One coloured light is brought back; a picture whose bright places are of random colours, each sharp, is not."""
    helped = _found(shot(FURNACE, A_CAM, 0)[0].astype(np.float64), 2.5)
    assert re.search(r"0\.\d+ of 0\.\d+ stops lost are left: a sign for it", helped.sentence)
    patches = np.random.default_rng(4).uniform(0.02, 1.0, (36, 64, 3)) ** 2
    mixed = _found(np.repeat(np.repeat(patches, 5, axis=0), 5, axis=1), 6)
    assert "a sign for it" not in mixed.sentence


def test_highlights_of_many_colours_are_said_to_be():
    """Saturated glass rods, one stop over: one light for all of them would be wrong, and the sentence says so."""
    code = B_CAM.shoot(shipped("Colour store")[::2, ::2] * 2.0, seed=1)
    light = to_light(code, B_CAM.encoding_name)
    found = find_clips(light, code, camera_plateaus(code).starts, AP1, primaries("V-Gamut"))
    assert "differs from place to place" in found.sentence


def test_brightness_never_falls_towards_the_middle():
    truth, _, _, rebuilt, _ = solved(SKIN)
    row = rebuilt[90, 120:288].sum(-1)
    wanted = truth[90, 120:288].sum(-1)
    smooth = np.convolve(row, np.ones(7) / 7, "valid")
    assert (np.diff(smooth)[np.diff(wanted)[3:-3] > 0] > -0.03 * smooth.max()).all()


def test_a_channel_without_a_clip_is_left_alone_and_rest_is_nothing():
    light = np.random.default_rng(2).uniform(0, 20, (50, 3))
    out = run_reference(Highlights(clip=(8, 0, 0), light=(2, 1, 0.5)).operations(AP1), light)
    assert np.array_equal(out[:, 1:], light[:, 1:])
    assert (out[:, 0] >= light[:, 0]).all()
    assert Highlights(light=(2, 1, 1)).operations(AP1) == ()


def test_its_primaries_are_all_there_are():
    assert set(get_args(Channels)) == set(PRIMARIES)


def test_where_nothing_clips_it_says_so():
    light = scene(SKY, 1.0)
    with pytest.raises(BadValue, match="nothing to rebuild"):
        find_clips(light, light, (np.inf,) * 3, AP1, AP1)
    with pytest.raises(ValueError, match="hundred times"):
        Highlights(light=(3, 0.01, 1))
