"""Proposals for a first pass on Kilnlight's scenes, shot with known errors of exposure and balance, by the greys of the
chart; and on pictures made so that one knows what is grey in them.
"""

import cv2
import numpy as np
import pytest

from upwelling.core.charts.find import find_chart
from upwelling.core.colour.primaries import primaries, rgb_to_rgb
from upwelling.core.encodings import encoding
from upwelling.core.match.first import greyest, propose
from upwelling.core.match.light import Picture, space_of
from upwelling.core.operations import run_reference
from upwelling.core.simulate.camera import A_CAM, B_CAM
from upwelling.core.simulate.shipped import shipped

AP1 = primaries("AP1")
SPACE = space_of(AP1)
ERRORS = [(0.0, (1, 1, 1)), (0.6, (1.06, 1, 0.9)), (-1.2, (0.92, 1, 1.12))]


def shot(scene, stops, gains, camera=A_CAM):
    code = camera.shoot(shipped(scene), stops=stops, gains=gains, seed=3)
    own = encoding(camera.encoding_name)
    light = own.to_linear(code.astype(np.float64)) @ rgb_to_rgb(own.primaries, AP1, "CAT02").T
    return Picture.of(light, code)


def corrected(rgb, steps):
    return run_reference(tuple(o for step in steps for o in step.operations(AP1)), np.asarray(rgb, np.float64))


@pytest.mark.slow
@pytest.mark.parametrize("scene", ["Gathering room", "Colour store", "Cold bench", "Yard at dusk"])
def test_a_charts_greys_are_brought_to_what_they_are_whatever_the_error(scene):
    """Luminance within 0.05 stop of the published reflectances and ΔE 2000 under 1; the corrected pictures agree."""
    left = []
    for stops, gains in ERRORS:
        picture = shot(scene, stops, gains)
        made = propose(picture, SPACE, {})
        assert made.figures.before > 5
        assert made.figures.after < 1
        greys = corrected(find_chart(picture.rgb, AP1).patches[[19, 20, 21]], made.steps)
        left.append(np.log2(greys @ SPACE.luminance))
        assert np.abs(np.log2(greys / greys[:, 1:2])).max() < 0.06
    # What Lab 81.257, 66.766 and 50.867 reflect by CIE 15: Y = ((L + 16) / 116)³.
    wanted = np.log2((np.array([81.257, 66.766, 50.867]) + 16) / 116) * 3
    np.testing.assert_allclose(np.mean(left, axis=1), wanted.mean(), atol=0.06)
    assert np.ptp(left, axis=0).max() < 0.08, "however the shot was exposed"


@pytest.mark.slow
@pytest.mark.parametrize("scene", ["Gathering room", "Colour store", "Cold bench", "Yard at dusk"])
def test_without_the_chart_nothing_is_proposed_there(scene):
    """The scenes have few greys that lie apart, under several lights: no evidence that would carry a correction."""
    for stops, gains in ERRORS:
        picture = shot(scene, stops, gains)
        corners = np.array(find_chart(picture.rgb, AP1).corners)
        (left, top), (right, bottom) = corners.min(axis=0) - 0.03, corners.max(axis=0) + 0.03
        height, width = picture.rgb.shape[:2]
        rgb = picture.rgb.copy()
        box = (
            slice(int(max(top, 0) * height), int(bottom * height)),
            slice(int(max(left, 0) * width), int(right * width)),
        )
        rgb[box] = rgb[box].mean(axis=(0, 1))
        made = propose(Picture(rgb, picture.usable, picture.clipped, picture.size), SPACE, {})
        assert made.steps == ()
        assert "nothing in the picture says" in " ".join(made.remarks)


def cards(greys, wall, light):
    """A picture of cards on a wall under a light."""
    rng = np.random.default_rng(2)
    picture = np.tile(np.array(wall), (360, 640, 1)) * rng.uniform(0.7, 1.3, (1, 640, 1))
    for n, grey in enumerate(greys):
        y, x = 20 + 110 * (n // 6), 20 + 100 * (n % 6)
        picture[y : y + 72, x : x + 72] = grey
    noise = 1 + 0.01 * rng.standard_normal(picture.shape)
    return Picture.of(cv2.GaussianBlur(picture * np.array(light) * noise, (0, 0), 1))


GREYS = [(v, v, v) for v in (0.03, 0.06, 0.12, 0.2, 0.35, 0.5, 0.7, 0.9, 0.05, 0.15)]


@pytest.mark.parametrize("light", [(1, 1, 1), (1.15, 1, 0.85), (0.9, 1, 1.2), (1.05, 1, 1.1)])
def test_greys_that_lie_apart_say_what_the_light_is(light):
    found = greyest(cards(GREYS, (0.3, 0.12, 0.06), light), SPACE)
    np.testing.assert_allclose(found.rgb / found.rgb[1], np.array(light) / light[1], rtol=0.02)
    made = propose(cards(GREYS, (0.3, 0.12, 0.06), light), SPACE, {})
    after = corrected(np.array([light]) * 0.4, made.steps)
    assert float(SPACE.delta_e(after, np.full((1, 3), float(after[0] @ SPACE.luminance)))[0]) < 1.2


@pytest.mark.parametrize(
    ("greys", "wall"),
    [
        (GREYS[:3], (0.3, 0.12, 0.06)),  # too few
        ([(0.3, 0.3, 0.3)] * 10, (0.3, 0.12, 0.06)),  # all of one brightness: it may be a paint
        ([(v * 1.1, v, v * 0.8) for (v, _, _) in GREYS[:5]] + GREYS[5:], (0.3, 0.12, 0.06)),  # two colours
        ([(v, v * 0.6, v * 0.3) for (v, _, _) in GREYS], (0.3, 0.12, 0.06)),  # nothing grey
    ],
)
def test_poor_evidence_proposes_nothing(greys, wall):
    assert greyest(cards(greys, wall, (1, 1, 1)), SPACE) is None


@pytest.mark.parametrize(
    ("kind", "value", "stops"),
    [
        ("grey", 0.18, 0), ("grey", 0.36, -1), ("white", 0.45, 1), ("white", 0.9, 0),
        ("skin", 0.3, 0), ("skin", 1.0, -1), ("skin", 0.05, 1),
    ],
)  # fmt: skip
def test_marks_say_how_bright(kind, value, stops):
    """A white reflects 90 %, mid grey 18 %; skin is brought no further than to where skin lies."""
    picture = cards(GREYS[:2], (0.3, 0.12, 0.06), (1, 1, 1))
    made = propose(picture, SPACE, {kind: np.full((50, 3), value)})
    assert sum(step.stops for step in made.steps if step.kind == "exposure") == pytest.approx(stops, abs=0.011)
    assert not [step for step in made.steps if step.kind == "white_balance"]


@pytest.mark.parametrize(
    ("pixels", "why"),
    [
        (np.zeros((0, 3)), "did not clip"),
        (np.tile([[0.1] * 3, [0.9] * 3], (20, 1)), "uneven"),
        (np.full((9, 3), -1.0), "did not clip"),
    ],
)
def test_a_poor_mark_is_left_aside_with_a_word(pixels, why):
    made = propose(cards(GREYS[:2], (0.3, 0.12, 0.06), (1, 1, 1)), SPACE, {"grey": pixels})
    assert made.steps == ()
    assert why in made.remarks[0]


def test_both_cameras_are_brought_to_one_grey():
    greys = []
    for camera in (A_CAM, B_CAM):
        picture = shot("Gathering room", 0.4, (1.04, 1, 0.95), camera)
        made = propose(picture, SPACE, {})
        greys.append(corrected(find_chart(picture.rgb, AP1).patches[[20]], made.steps))
    assert float(SPACE.delta_e(*greys)[0]) < 0.6
