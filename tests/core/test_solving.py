"""One-click solves: what they say is reached is reached, by the exact path."""

import colour
import numpy as np
import pytest

from upwelling.core.errors import BadValue
from upwelling.core.operations import run_reference
from upwelling.core.path import Display, Input, Layer, Path
from upwelling.core.scopes.dots import luma_of, off_skin_line
from upwelling.core.solving import AIMS, LEVELS, signal_mean, solve
from upwelling.core.steps import ColourCurves, Contrast, Exposure, SlopeOffsetPower, WhiteBalance

LUMA = (0.2126, 0.0722)
DARK, MID, BRIGHT = (0.12, 0.125, 0.13), (0.4, 0.41, 0.42), (0.6, 0.58, 0.55)
SKIN = (0.47, 0.43, 0.405)


def path(*steps, target="BT.709 BT.1886", **more):
    display = Display(output=target, **more)
    return Path(input=Input(encoding="S-Log3/S-Gamut3.Cine"), trim=Layer(steps=steps), display=display)


def patch(code):
    return np.array(code) + np.random.default_rng(4).normal(0, 0.004, (300, 3))


def hue_of(rgb):
    xyz = colour.RGB_to_XYZ(
        rgb, "ACEScg", colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"]["D65"], "CAT02"
    )
    _, a, b = colour.XYZ_to_Oklab(xyz)
    return float(np.degrees(np.arctan2(b, a)))


def after(of, step):
    ids = [one.id for one in of.layer("trim").steps]
    steps = (
        [step if one.id == step.id else one for one in of.layer("trim").steps]
        if step.id in ids
        else [*of.layer("trim").steps, step]
    )
    return of.with_layers(trim=Layer(steps=tuple(steps)))


@pytest.mark.parametrize("target", ["BT.709 BT.1886", "BT.2100 PQ 1000"])
@pytest.mark.parametrize("legal", ["full", "legal"])
@pytest.mark.parametrize("steps", [(), (Exposure(id="a", stops=0.7), Contrast(id="b", contrast=1.3))])
@pytest.mark.parametrize(
    ("aim", "code", "level"), [("black", DARK, None), ("white", BRIGHT, 0.72), ("grey", MID, 0.35)]
)
def test_levels_are_reached(target, legal, steps, aim, code, level):
    of, codes = path(*steps, target=target, range=legal), patch(code)
    found = solve(aim, of, codes, LUMA, level)
    reached = luma_of(signal_mean(after(of, found.step), codes), LUMA)
    assert reached == pytest.approx(LEVELS["black"] if level is None else level, abs=1.5 / 1023)
    assert "it was at" in found.sentence
    if aim == "grey" and steps:
        assert found.step.id == "a"  # the exposure that is there is moved, no second one added


@pytest.mark.parametrize("look", [(), (SlopeOffsetPower(slope=(1.1, 1.0, 0.88)),)])
@pytest.mark.parametrize("steps", [(), (WhiteBalance(id="w", kelvin=5600),)])
def test_a_patch_is_neutral_as_displayed(look, steps):
    """Through the Look: equal red, green and blue within half a code of 10 bits, by the exact path."""
    of, codes = path(*steps).with_layers(look=Layer(steps=look)), patch(SKIN)
    red, green, blue = signal_mean(after(of, solve("neutral", of, codes, LUMA).step), codes)
    assert max(abs(red - green), abs(blue - green)) < 0.5 / 1023
    with pytest.raises(BadValue, match="nearer to grey"):
        solve("neutral", of, patch((0.2, 0.55, 0.2)), LUMA)


@pytest.mark.parametrize("aim", ["skin by hue", "skin by balance"])
@pytest.mark.parametrize("steps", [(), (WhiteBalance(id="w", kelvin=5600), ColourCurves(id="c"))])
def test_skin_comes_to_its_line(aim, steps):
    of, codes = path(*steps), patch(SKIN)
    before = off_skin_line(signal_mean(of, codes), LUMA)
    found = solve(aim, of, codes, LUMA)
    assert abs(before) > 0.5
    assert abs(off_skin_line(signal_mean(after(of, found.step), codes), LUMA)) < 0.2
    assert found.step.id == ({"skin by hue": "c", "skin by balance": "w"}[aim] if steps else "")


@pytest.mark.parametrize(
    ("aim", "code", "level", "words"),
    [
        ("white", BRIGHT, 2.0, "not possible"),
        ("grey", (0.0, 0.0, 0.0), 0.9, "Mark another patch"),
        ("skin by hue", (0.3, 0.6, 0.5), None, "further than"),
        ("hue", (0.41, 0.41, 0.41), 20.0, "no hue"),
        ("hue", SKIN, 200.0, "Turn colours"),
        ("hue", SKIN, None, "Type the hue"),
        ("hue", SKIN, 400.0, "Type the hue"),
    ],
)
def test_out_of_reach_is_said(aim, code, level, words):
    with pytest.raises(BadValue, match=words):
        solve(aim, path(), np.tile(code, (20, 1)), LUMA, level)


def test_a_neutral_is_no_skin():
    grey = path().input.source.from_linear(np.full(3, 0.18))
    with pytest.raises(BadValue, match="no hue"):
        solve("skin by hue", path(), np.tile(grey, (20, 1)), LUMA)
    assert set(AIMS) > set(LEVELS)


@pytest.mark.parametrize("by", [-55, -35, -12, 8, 35, 48])
@pytest.mark.parametrize("steps", [(), (ColourCurves(id="c", hue_by_hue=((0, 4), (120, -6), (240, 3))),)])
def test_a_hue_is_carried_as_widely_as_keeps_its_neighbours_apart(by, steps):
    """To another by colour-science's Oklab; and hues keep their order, no steeper than they must."""
    of, codes = path(*steps), patch(SKIN)
    rgb = run_reference(of.until("look", ""), codes).mean(axis=0)
    was = hue_of(rgb)
    found = solve("hue", of, codes, LUMA, (was + by) % 360)
    turned = run_reference(after(of, found.step).until("look", ""), codes).mean(axis=0)
    assert (hue_of(turned) - was - by + 180) % 360 - 180 == pytest.approx(0, abs=0.6)
    axis = np.linspace(0, 360, 721)
    slope = 1 + np.diff(found.step.curve_of("hue_by_hue")(axis)) / np.diff(axis)
    assert slope.min() > 0
    if not steps:
        # The spline between two flat ends is steepest in its middle, at one and a half times its mean slope.
        turn = max(abs(y) for _, y in found.step.hue_by_hue)
        width = min(max(3 * turn, 30), 90)
        assert slope.max() == pytest.approx(1 + 1.5 * turn / width, abs=0.02)
        assert slope.min() == pytest.approx(1 - 1.5 * turn / width, abs=0.02)
    assert "as far apart as before" in found.sentence
    assert ("come near" in found.sentence) == (slope.min() < 0.4)


def test_a_carry_that_would_make_hues_pass_one_another_is_refused():
    bent = ColourCurves(id="c", hue_by_hue=((0, 4), (120, -6), (240, 3)))
    of, codes = path(bent), patch(SKIN)
    was = hue_of(run_reference(of.until("look", ""), codes).mean(axis=0))
    with pytest.raises(BadValue, match="pass one another"):
        solve("hue", of, codes, LUMA, (was + 57) % 360)


def test_skin_comes_to_its_line_though_the_curve_is_bent_so_far_that_not_every_turn_can_be_tried():
    bent = ColourCurves(id="c", hue_by_hue=((0, 4), (120, -6), (240, 3)))
    of, codes = path(bent), patch(SKIN)
    step = solve("skin by hue", of, codes, LUMA).step
    assert abs(off_skin_line(signal_mean(after(of, step), codes), LUMA)) < 0.2
