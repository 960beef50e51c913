"""Stills to send: what the file says of itself, read by other programs, and that its codes are the path's."""

import io

import colour
import cv2
import imagecodecs
import numpy as np
import OpenEXR
import pytest
import tifffile
from PIL import Image, ImageCms

from upwelling.core.delivery.frames import ways
from upwelling.core.delivery.presets import preset
from upwelling.core.delivery.sending import FORMS, still_codes, with_caption, write_to_send
from upwelling.core.errors import BadValue
from upwelling.core.media import read_still
from upwelling.core.media.icc_write import display_profile
from upwelling.core.operations import Place
from upwelling.core.operations.exact import exact
from upwelling.core.outputs import output
from upwelling.core.path import Display, Input, Layer, Path
from upwelling.core.steps import Exposure

RNG = np.random.default_rng(5)
CODE = RNG.random((36, 64, 3)).astype(np.float32)
PLACE = Place.whole(64, 36)
SDR = {  # colour-science's names of the primaries, and its curves
    "sRGB": ("sRGB", colour.models.eotf_sRGB),
    "BT.709 BT.1886": ("ITU-R BT.709", lambda code: colour.models.eotf_BT1886(code)),
    "Display P3": ("Display P3", colour.models.eotf_sRGB),
    "P3-D65 gamma 2.6": ("P3-D65", lambda code: code**2.6),
}


def path_for(name, stops=0.5):
    aim = output(name)
    return Path(
        input=Input(encoding="S-Log3/S-Gamut3.Cine"),
        layers=(Layer(steps=(Exposure(stops=stops, id="e"),)),),
        display=Display(output=aim.name, range="legal", depth=10),
    )


@pytest.mark.parametrize("name", SDR)
def test_a_profile_says_the_displays_light(name):
    """Little CMS to XYZ under D50 against colour-science: its primaries, its curve, its Bradford adaptation."""
    space, eotf = SDR[name]
    codes = RNG.random((200, 3))
    profile = display_profile(output(name))
    xyz = imagecodecs.cms_transform(
        codes[None], profile, imagecodecs.cms_profile("xyz"), colorspace="rgb", outcolorspace="xyz", outdtype="f8",
        intent=imagecodecs.CMS.INTENT.RELATIVE_COLORIMETRIC,
    )[0]  # fmt: skip
    held = colour.RGB_COLOURSPACES[space]
    d50 = (0.3457, 0.3585)
    adapt = colour.adaptation.matrix_chromatic_adaptation_VonKries(
        colour.xy_to_XYZ(held.whitepoint), colour.xy_to_XYZ(d50), transform="Bradford"
    )
    light = np.asarray(eotf(codes)) / np.asarray(eotf(np.ones(1)))
    wanted = light @ (adapt @ held.matrix_RGB_to_XYZ).T
    # The profile holds its numbers in 16 bit, and the white of its D50 is rounded.
    np.testing.assert_allclose(xyz, wanted, atol=6e-4)
    assert ImageCms.getOpenProfile(io.BytesIO(profile)).profile.xcolor_space.strip() == "RGB"


@pytest.mark.parametrize("name", SDR)
@pytest.mark.parametrize("kind", ["png", "tif"])
def test_codes_are_the_exact_paths_and_the_profile_is_in_the_file(name, kind, tmp_path):
    path, place = path_for(name), tmp_path / f"still.{kind}"
    codes = still_codes(CODE, path, kind, PLACE)
    write_to_send(place, codes, path, kind)
    way = ways(path, preset(FORMS[kind]))
    right = np.clip(exact((*way.to_light, *way.to_code), CODE.astype(np.float64), PLACE), 0, 1)
    seen = cv2.cvtColor(cv2.imread(str(place), cv2.IMREAD_UNCHANGED), cv2.COLOR_BGR2RGB)
    assert seen.dtype == np.uint16
    np.testing.assert_allclose(seen / 65535, right, atol=2e-4)
    if kind == "png":
        held = Image.open(place).info["icc_profile"]
        assert b"cICP" not in place.read_bytes(), "it would be believed instead of the profile"
    else:
        held = tifffile.TiffFile(place).pages[0].tags.valueof(34675)
    assert bytes(held)[36:40] == b"acsp"
    tags = read_still(place).tags
    assert (tags.primaries, tags.transfer) == (output(name).primaries_name, read_as(output(name).curve_name))


def read_as(curve):
    return {"BT.1886": "gamma 2.4"}.get(curve, curve)


def test_an_srgb_still_is_shown_as_it_is_by_a_colour_managed_reader(tmp_path):
    """Pillow's Little CMS brings the file to sRGB: its own codes, to one of 255."""
    path = path_for("sRGB")
    codes = still_codes(CODE, path, "png", PLACE)
    profile = ImageCms.ImageCmsProfile(io.BytesIO(display_profile(path.target)))
    levels = np.rint(np.clip(codes, 0, 1) * 255).astype(np.uint8)
    shown = ImageCms.profileToProfile(Image.fromarray(levels), profile, ImageCms.createProfile("sRGB"))
    assert np.abs(np.asarray(shown).astype(int) - levels).max() <= 1


@pytest.mark.parametrize(("name", "transfer"), [("BT.2100 PQ 1000", 16), ("BT.2100 HLG 1000", 18)])
def test_an_hdr_png_says_cicp_and_no_profile(name, transfer, tmp_path):
    """PNG 3rd edition, 11.3.2.6: primaries 9 (BT.2020), transfer, no matrix, full range."""
    path, place = path_for(name), tmp_path / "still.png"
    write_to_send(place, still_codes(CODE, path, "png", PLACE), path, "png")
    data = place.read_bytes()
    assert data[data.index(b"cICP") + 4 :][:4] == bytes((9, transfer, 0, 1))
    assert b"iCCP" not in data
    with pytest.raises(BadValue, match="no place to say"):
        write_to_send(tmp_path / "still.tif", still_codes(CODE, path, "tif", PLACE), path, "tif")
    with pytest.raises(BadValue, match="does not say"):
        display_profile(path.target)


def test_an_exr_holds_the_scenes_light_and_says_its_primaries(tmp_path):
    """AP0's chromaticities as SMPTE ST 2065-1 has them, read by the OpenEXR library; one stop is twice the light."""
    path, place = path_for("sRGB"), tmp_path / "still.exr"
    write_to_send(place, still_codes(CODE, path, "exr", PLACE), path, "exr")
    header = OpenEXR.File(str(place)).header()
    np.testing.assert_allclose(
        np.ravel(header["chromaticities"]), [0.7347, 0.2653, 0, 1, 0.0001, -0.077, 0.32168, 0.33767], atol=1e-5
    )
    brighter = path_for("sRGB", 1.5)
    ratio = still_codes(CODE, brighter, "exr", PLACE) / still_codes(CODE, path, "exr", PLACE)
    np.testing.assert_allclose(np.median(ratio), 2, rtol=1e-4)


def test_a_caption_stands_below_and_leaves_the_picture():
    letters = np.zeros((20, 64), np.float32)
    letters[5:9, 3:30] = 1
    made = with_caption(CODE, letters)
    assert made.shape == (56, 64, 3)
    np.testing.assert_array_equal(made[:36], CODE)
    assert (made[36:].max(), made[36:].min()) == (np.float32(0.6), 0)


def test_codes_that_are_no_displays_are_not_called_so(tmp_path):
    path = path_for("sRGB")
    off = path.model_copy(update={"display": path.display.model_copy(update={"on": False})})
    with pytest.raises(BadValue, match="no display"):
        write_to_send(tmp_path / "a.png", still_codes(CODE, off, "png", PLACE), off, "png")
