"""The stand-ins: published chart, light-keeping renderer, cameras whose codes mean what they should."""

import colour
import numpy as np
import pytest
from scripts.kilnlight import tracer
from scripts.kilnlight.bust import turning_bust
from scripts.kilnlight.rooms import SCENES
from scripts.kilnlight.scene import Scene

from upwelling.core.charts.patch_chart import PATCHES, chart_linear
from upwelling.core.colour.primaries import primaries, rgb_to_rgb
from upwelling.core.encodings import encoding
from upwelling.core.path import Display, Input, Path
from upwelling.core.simulate.camera import A_CAM, B_CAM
from upwelling.core.simulate.kilnlight_set import Studio
from upwelling.core.simulate.shipped import shipped, shipped_frames
from upwelling.core.simulate.turning_bust import COVERED, FRAMES


def test_chart_against_colour_science():
    data = colour.CCS_COLOURCHECKERS["ColorChecker24 - Before November 2014"]
    xyz = colour.xyY_to_XYZ(np.array(list(data.data.values())))
    labs = colour.XYZ_to_Lab(xyz, data.illuminant)
    np.testing.assert_allclose([p[1:] for p in PATCHES], labs, atol=0.06)
    theirs = colour.XYZ_to_RGB(xyz, "ACEScg", data.illuminant, "CAT02")
    np.testing.assert_allclose(chart_linear("AP1"), theirs, atol=1.5e-3)


@pytest.mark.parametrize("name", SCENES)
def test_scenes(name):
    image = SCENES[name](160, 90, 4)
    assert image.shape == (90, 160, 3)
    assert np.isfinite(image).all()
    assert image.min() >= 0
    stops = np.log2(np.maximum(image.mean(axis=-1), 1e-6) / 0.18)
    assert np.ptp(np.percentile(stops, [0.5, 99.8])) > 6  # deep shadow to highlight
    np.testing.assert_array_equal(image, SCENES[name](160, 90, 4))


def test_furnace_is_thirty_times_white():
    assert 24 < SCENES["Gathering room"](320, 180, 4).max() <= 30


def test_a_wall_under_an_even_sky_has_its_own_reflectance():
    scene = Scene(ambient=((1, 1, 1), (1, 1, 1)), glow=0.0)
    scene.rectangle((0, 0, 5), (50, 0, 0), (0, 50, 0), scene.material((0.18, 0.36, 0.09)))
    image = scene.render(16, 16, eye=(0, 0, 0), target=(0, 0, 5), half_height=0.2, samples=4)
    np.testing.assert_allclose(image.mean(axis=(0, 1)), (0.18, 0.36, 0.09), rtol=1e-5)


def test_glow_keeps_the_sum_of_light():
    scene = Scene(glow=0.2)
    scene.sphere((0, 0, 5), 0.3, scene.material((0, 0, 0), tracer.LIGHT, emission=(10, 5, 1)))
    view = {"eye": (0, 0, 0), "target": (0, 0, 5), "half_height": 0.8, "samples": 4}
    glowing = scene.render(128, 128, **view)
    scene.glow = 0.0
    np.testing.assert_allclose(glowing.sum(axis=(0, 1)), scene.render(128, 128, **view).sum(axis=(0, 1)), rtol=0.03)


@pytest.mark.parametrize("camera", [A_CAM, B_CAM])
def test_cameras(camera):
    grey = np.full((200, 200, 3), 0.18)
    code = camera.shoot(grey, seed=1)
    assert code.dtype == np.float32
    np.testing.assert_allclose(code * 1023, np.rint(code * 1023), atol=1e-3)
    assert code.mean() == pytest.approx(encoding(camera.encoding_name).code_of(0.18), abs=1e-3)
    assert 0 < code.std() < 0.02
    over = camera.shoot(grey, stops=1, seed=1)
    assert over.mean() == pytest.approx(encoding(camera.encoding_name).code_of(0.36), abs=2e-3)
    assert camera.shoot(grey * 1e4).max() == pytest.approx(
        encoding(camera.encoding_name).code_of(camera.clip), abs=1e-3
    )
    np.testing.assert_array_equal(camera.shoot(grey, seed=3), camera.shoot(grey, seed=3))


def test_two_cameras_agree_about_the_chart():
    """Shot without error, both cameras' patches come to the chart's own light, within the noise."""
    chart = chart_linear("AP1").reshape(4, 6, 3).repeat(40, axis=0).repeat(40, axis=1)
    for camera in (A_CAM, B_CAM):
        path = Path(input=Input(encoding=camera.encoding_name), display=Display(output="BT.709 BT.1886"))
        light = path.to_working(camera.shoot(chart, seed=2)).reshape(4, 40, 6, 40, 3).mean(axis=(1, 3)).reshape(24, 3)
        np.testing.assert_allclose(light, chart_linear("AP1"), atol=4e-3)


def test_gains_are_on_the_cameras_own_channels():
    code = B_CAM.shoot(np.full((100, 100, 3), 0.18), gains=(2, 1, 1), seed=4)
    native = encoding(B_CAM.encoding_name).to_linear(code).mean(axis=(0, 1))
    expected = rgb_to_rgb(primaries("AP1"), primaries("V-Gamut"), "CAT02") @ np.full(3, 0.18) * (2, 1, 1)
    np.testing.assert_allclose(native, expected, rtol=5e-3)


@pytest.mark.parametrize("name", SCENES)
def test_what_ships_is_what_is_traced(name):
    """Scenes traced anew at a tenth of the size: places a tenth as wide again, in which noise evens out, are as bright,
    and nothing leans one way.
    """
    picture = shipped(name)
    assert picture.shape == (900, 1600, 3)

    def places(light, rows):
        return light.reshape(9, rows // 9, 16, rows // 9, 3).mean(axis=(1, 3))

    off = np.log2(places(picture, 900) / places(SCENES[name](160, 90, 48), 90))
    assert abs(np.median(off)) < 0.01
    assert np.percentile(np.abs(off), 95) < 0.08
    np.testing.assert_array_equal(Studio().scene(name), picture)


def test_the_bust_that_ships_is_the_one_that_is_traced():
    frames = list(shipped_frames())
    assert len(frames) == FRAMES
    for number in (6, COVERED[0]):
        seen, traced = (
            light.reshape(9, rows // 9, 16, rows // 9, 3).mean(axis=(1, 3))
            for light, rows in ((frames[number], 360), (turning_bust(number, 160, 90, 24), 90))
        )
        off = np.log2(seen / traced)
        assert abs(np.median(off)) < 0.02
        assert np.percentile(np.abs(off), 95) < 0.12
