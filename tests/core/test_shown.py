"""What is shown on a screen without the output's display: its light in codes that say what they are."""

import colour
import cv2
import imagecodecs
import numpy as np
import pytest
from PIL import Image

from upwelling.core.charts.patch_chart import PATCHES
from upwelling.core.delivery import shown
from upwelling.core.delivery.make import piece_of
from upwelling.core.delivery.shown import (
    judging_strip,
    make_shown,
    screen_path,
    screened,
    shows_numbers,
    still_order,
    write_small,
)
from upwelling.core.errors import BadValue
from upwelling.core.media import Reading, write_still
from upwelling.core.operations import Place
from upwelling.core.operations.exact import exact
from upwelling.core.outputs import OUTPUTS, CustomOutput, output
from upwelling.core.path import Display, Input, Layer, Path
from upwelling.core.steps import Exposure

RNG = np.random.default_rng(9)
SDR = [one.name for one in OUTPUTS.values() if not one.is_hdr]
HDR = [one.name for one in OUTPUTS.values() if one.is_hdr]


def path_for(name, **display):
    step = Exposure(stops=0.5, id="e")
    return Path(
        input=Input(encoding="S-Log3/S-Gamut3.Cine"),
        layers=(Layer(steps=(step,)), Layer(kind="finish", name=name, output=name)),
        display=Display(output=name, range="full", depth=10, **display),
    )


@pytest.fixture
def piece(tmp_path):
    """A frame of S-Log3, 48 × 32, as a piece of an order for an output."""
    file = tmp_path / "frame.png"
    write_still(file, 0.1 + 0.6 * RNG.random((32, 48, 3)), "16", {})
    return lambda name, **display: piece_of(file, path_for(name, **display), 0, 0, Reading("full", "", ""))


def light(path, code):
    signal = exact(path.operations(), code, Place.whole(16, 16))
    return np.asarray(path.target.to_light(np.clip(signal, 0, 1)))


@pytest.mark.parametrize("name", SDR)
def test_a_screen_is_given_the_outputs_light(name):
    """The same light from the same code, by the output's curve and by the one it is shown in."""
    path, code = path_for(name), 0.1 + 0.6 * RNG.random((16, 16, 3))
    seen = screen_path(path)
    assert (seen.target.name, seen.target.curve_name) == (name, "sRGB")
    assert (seen.target.gamut, seen.target.surround_nits) == (path.target.gamut, path.target.surround_nits)
    np.testing.assert_allclose(light(seen, code), light(path, code), atol=2e-9)
    assert Path.from_recipe(seen.to_recipe()).target == seen.target, "a recipe keeps it"


def test_a_black_that_is_not_none_and_an_own_displays_primaries_stay():
    own = CustomOutput(
        name="Projector", curve="BT.1886", black_nits=0.05, peak_nits=60, white_nits=60, mid_grey_nits=6,
        primaries={"red": (0.67, 0.32), "green": (0.26, 0.68), "blue": (0.15, 0.06), "white": (0.314, 0.351)},
    )  # fmt: skip
    path = path_for("Projector", custom=own)
    code = 0.1 + 0.6 * RNG.random((16, 16, 3))
    seen = screen_path(path)
    assert seen.target.primaries == path.target.primaries
    np.testing.assert_allclose(light(seen, code), light(path, code), atol=2e-9)


@pytest.mark.parametrize("name", HDR)
def test_hdr_goes_out_as_it_is_and_says_so_by_number(name, piece, tmp_path):
    made = make_shown(still_order(piece(name)), tmp_path / "shown.png")
    data = (tmp_path / "shown.png").read_bytes()
    at = data.index(b"cICP") + 4
    wide = {"BT.2020": 9, "P3-D65": 12}[output(name).primaries_name]
    assert (made.bits, tuple(data[at : at + 4])) == (16, (wide, {"PQ": 16, "HLG": 18}[output(name).curve_name], 0, 1))


@pytest.mark.parametrize("name", SDR)
def test_a_still_is_read_by_others_as_the_light_it_shows(name, piece, tmp_path):
    """Pillow and OpenCV decode the same codes; its profile, by Little CMS, or sRGB where it has none, gives the exact
    light of the output in XYZ by colour-science's matrix.
    """
    one, place = piece(name), tmp_path / "shown.png"
    made = make_shown(still_order(one), place)
    assert (made.width, made.height, made.bits) == (48, 32, 8)
    assert made.codes_off <= 0.502
    opened = Image.open(place)
    codes = np.asarray(opened)
    np.testing.assert_array_equal(codes, cv2.imread(str(place))[..., ::-1])
    profile = opened.info.get("icc_profile")
    narrow = output(name).primaries_name == "BT.709"
    assert bool(profile) is not narrow
    space = colour.RGB_COLOURSPACES["sRGB" if narrow else "P3-D65"]
    wanted = np.asarray(exact(one.path.operations(), one.footage.frame(0).code.astype(np.float64), Place.whole(48, 32)))
    linear = np.asarray(one.path.target.to_light(np.clip(wanted, 0, 1)))
    back = colour.models.eotf_sRGB(codes / 255)
    if profile:
        rgb = imagecodecs.cms_transform(
            np.asarray(codes), profile, imagecodecs.cms_profile("srgb"), outdtype="f4", colorspace="rgb",
            outcolorspace="rgb", intent=imagecodecs.CMS.INTENT.RELATIVE_COLORIMETRIC,
        )  # fmt: skip
        inside = ((rgb > 0.001) & (rgb < 0.999)).all(axis=-1)
        assert inside.mean() > 0.3
        to_709 = colour.matrix_RGB_to_RGB(space, colour.RGB_COLOURSPACES["sRGB"], "Bradford")
        want = colour.models.eotf_inverse_sRGB(np.clip(back @ to_709.T, 0, 1))
        np.testing.assert_allclose(rgb[inside], want[inside], atol=0.004)
    np.testing.assert_allclose(back, linear, atol=0.006)


def test_a_still_that_is_not_the_exact_paths_is_not_shown(piece, tmp_path, monkeypatch):
    right = shown.write_still
    monkeypatch.setattr(shown, "write_still", lambda place, code, *rest: right(place, code + 0.02, *rest))
    with pytest.raises(BadValue, match="codes from the exact path"):
        make_shown(still_order(piece("sRGB")), tmp_path / "shown.png")
    assert not (tmp_path / "shown.png").exists()


@pytest.mark.parametrize("stage", ["input", "display"])
def test_numbers_without_light_are_known_as_such(stage):
    path = path_for("BT.709 BT.1886")
    off = path.model_copy(update={stage: getattr(path, stage).model_copy(update={"on": False})})
    assert (shows_numbers(path), shows_numbers(off)) == (False, True)
    assert screen_path(off).target.curve_name == "sRGB"


def test_an_order_is_screened_piece_by_piece_and_once(piece):
    order = still_order(piece("BT.709 BT.1886"))
    both = order.model_copy(update={"pieces": order.pieces * 2})
    seen = screened(both)
    assert [one.path.target.curve_name for one in seen.pieces] == ["sRGB", "sRGB"]
    assert screened(seen) == seen
    assert seen.fingerprint != both.fingerprint


def test_a_small_still_is_the_mean_of_light(tmp_path):
    """A field of black and white pixels is half the light, code 188 of sRGB, not half the code (IEC 61966-2-1)."""
    checks = np.indices((40, 480)).sum(axis=0) % 2
    write_still(tmp_path / "a.png", np.repeat(checks[..., None], 3, axis=-1).astype(float), "8", {})
    write_small(tmp_path / "a.png", tmp_path / "b.png", output("sRGB"))
    small = np.asarray(Image.open(tmp_path / "b.png"))
    assert small.shape == (20, 240, 3)
    assert set(small.ravel()) == {188}


def test_the_strip_by_which_a_screen_is_judged():
    """Skins by colour-science from the chart's Lab of its maker; steps rise, greys are grey."""
    strip = np.rint(judging_strip() * 255).astype(int)
    edges = [0, *(np.flatnonzero((np.diff(strip[0], axis=0) != 0).any(axis=-1)) + 1)]
    fields = strip[0][edges]
    lab = [patch[1:] for patch in PATCHES[:2]]
    d50, d65 = (colour.xy_to_XYZ(xy) for xy in ((0.3457, 0.3585), (0.3127, 0.329)))
    xyz = [
        colour.chromatic_adaptation(colour.Lab_to_XYZ(one, (0.3457, 0.3585)), d50, d65, transform="CAT02")
        for one in lab
    ]
    skins = np.rint(255 * colour.XYZ_to_sRGB(np.array(xyz), apply_cctf_encoding=True))
    grey = (fields == fields[:, :1]).all(axis=-1)
    assert np.abs(fields[~grey] - skins).max() <= 1
    assert list(fields[grey][:6, 0]) == [0, 2, 4, 8, 12, 18]
    assert list(fields[grey][-6:, 0]) == [255, 252, 249, 245, 240, 234]
    assert (np.diff(fields[grey][6:-6, 0]) > 20).all()
