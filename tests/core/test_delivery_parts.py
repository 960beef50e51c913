"""What deliveries are made of: rates, sizes, planes, dither, light levels, names."""

from fractions import Fraction

import colour
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from upwelling.core.delivery.form import framing
from upwelling.core.delivery.make import order_for, piece_of, remarks_on
from upwelling.core.delivery.names import FIELDS, is_taken, next_version, still_name
from upwelling.core.delivery.parts import light_level
from upwelling.core.delivery.presets import preset, preset_for
from upwelling.core.delivery.resample import resample
from upwelling.core.delivery.run import deliver
from upwelling.core.errors import BadValue, UnwritableFile
from upwelling.core.media import Reading, read_still, write_still
from upwelling.core.media.dither import blue_noise
from upwelling.core.media.hdr_words import HdrWords, escaped
from upwelling.core.media.rates import exact_rate, rate_text, read_rate
from upwelling.core.media.ycbcr import from_rgb_signal
from upwelling.core.outputs import output
from upwelling.core.outputs.mastering import LightLevel, MasteringDisplay
from upwelling.core.path import Display, Input, Path
from upwelling.core.patterns import named_by


@pytest.mark.parametrize(
    ("text", "wanted", "shown"),
    [
        ("24", Fraction(24), "24"),
        ("23.976", Fraction(24000, 1001), "23.976"),
        ("23.98", Fraction(24000, 1001), "23.976"),
        ("29.97", Fraction(30000, 1001), "29.97"),
        ("59.94", Fraction(60000, 1001), "59.94"),
        ("24000/1001", Fraction(24000, 1001), "23.976"),
        ("47.952", Fraction(48000, 1001), "47.95"),
        ("12.5", Fraction(25, 2), "25/2"),
    ],
)
def test_rates_are_exact_fractions(text, wanted, shown):
    assert read_rate(text) == wanted
    assert rate_text(wanted) == shown
    assert exact_rate(float(wanted)) == wanted


@pytest.mark.parametrize("text", ["", "fast", "0", "-24", "1e9", "24/0", "nan"])
def test_what_is_no_rate_is_refused(text):
    with pytest.raises(BadValue, match=r"rate|frames a second"):
        read_rate(text)


@settings(max_examples=25, deadline=None)
@given(st.integers(3, 60), st.integers(3, 60), st.integers(1, 90), st.integers(1, 90))
def test_resampling_is_pillows(height, width, new_width, new_height):
    """Witness: Pillow's LANCZOS on float pictures."""
    picture = np.random.default_rng(height * 61 + width).random((height, width, 3)).astype(np.float32)
    theirs = [
        np.asarray(Image.fromarray(picture[..., c]).resize((new_width, new_height), Image.Resampling.LANCZOS))
        for c in range(3)
    ]
    assert np.abs(resample(picture, new_width, new_height) - np.stack(theirs, axis=-1)).max() < 2e-6


def test_sizes_change_in_linear_light(tmp_path):
    """A fine checkerboard of 0 and 1 becomes half the light, not half the code."""
    board = (np.indices((64, 64)).sum(axis=0) % 2).astype(np.float64)[..., None] * np.ones(3)
    write_still(tmp_path / "in.tif", board, "16")
    path = Path(input=Input(encoding="linear/BT.709"), display=Display(output="sRGB"))
    path = path.model_copy(update={"rendering": path.rendering.model_copy(update={"on": False})})
    piece = piece_of(tmp_path / "in.tif", path, 0, 0, Reading("full"))
    form = preset("TIFF 16-bit").model_copy(update={"sizing": "exact", "width": 32, "height": 32})
    outcome = deliver(order_for([piece], form), tmp_path / "out.tif")
    middle = read_still(outcome.target).code[8:24, 8:24]
    white = path.apply(np.ones(3))
    expected = output("sRGB").to_code(output("sRGB").to_light(white) / 2)
    np.testing.assert_allclose(middle, np.broadcast_to(expected, middle.shape), atol=0.02)


@pytest.mark.parametrize(
    ("sizing", "size", "pixel", "inner", "outer"),
    [
        ("source", (0, 0), 1, (96, 54), (96, 54)),
        ("fit", (48, 48), 1, (48, 28), (48, 28)),
        ("exact", (48, 48), 1, (48, 28), (48, 48)),
        ("exact", (128, 54), 1, (96, 54), (128, 54)),
        ("exact", (192, 108), 1, (192, 108), (192, 108)),
        ("fit", (400, 54), Fraction(4, 3), (128, 54), (128, 54)),
    ],
)
def test_frames_lie_as_asked(sizing, size, pixel, inner, outer):
    form = preset("H.264").model_copy(update={"sizing": sizing, "width": size[0], "height": size[1]})
    found = framing(form, 96, 54, Fraction(pixel))
    assert (found.inner, found.outer) == (inner, outer)


def test_odd_sizes_are_refused_where_chroma_is_halved():
    with pytest.raises(BadValue, match="cannot be halved"):
        framing(preset("H.264"), 95, 54)
    assert framing(preset("ProRes 4444"), 95, 53).outer == (95, 53)


@pytest.mark.parametrize("depth", [8, 10])
@pytest.mark.parametrize("side", ["legal", "full"])
@pytest.mark.parametrize(("matrix", "weights"), [("BT.709", "ITU-R BT.709"), ("BT.2020", "ITU-R BT.2020")])
def test_planes_are_the_standards(depth, side, matrix, weights):
    """Witness: colour-science's RGB_to_YCbCr."""
    rgb = np.random.default_rng(5).random((8, 6, 3))
    planes = from_rgb_signal(rgb, matrix, side, depth)
    theirs = colour.RGB_to_YCbCr(
        rgb,
        K=colour.WEIGHTS_YCBCR[weights],
        in_bits=depth,
        in_legal=False,
        in_int=False,
        out_bits=depth,
        out_legal=side == "legal",
        out_int=True,
    )
    ours = np.stack([planes.y, planes.cb, planes.cr], axis=-1).astype(int)
    np.testing.assert_allclose(ours, np.clip(theirs, 0, 2**depth - 1), atol=1 if side == "full" else 0)


@pytest.mark.parametrize("how", ["blue noise", "diffused"])
def test_dither_keeps_the_mean_and_is_the_same_again(how):
    """A level between two codes comes out as that level on average, a ramp without steps; whole codes are untouched."""
    for level in (0.3012, 0.5, 0.70021):
        flat = np.full((128, 128, 3), level)
        luma = from_rgb_signal(flat, "BT.709", "legal", 8, (2, 2), dither=how, frame=7).y
        assert abs(luma.mean() - (16 + 219 * level)) < 0.01
        assert set(np.unique(luma)) <= {int(16 + 219 * level), int(16 + 219 * level) + 1}
    again = from_rgb_signal(flat, "BT.709", "legal", 8, (2, 2), dither=how, frame=7).y
    assert (again == luma).all()
    black = from_rgb_signal(np.zeros((16, 16, 3)), "BT.709", "legal", 8, dither=how)
    assert (black.y == 16).all()
    assert (black.cb == 128).all()


def test_blue_noise_has_no_low_frequencies():
    tile = blue_noise()
    power = np.abs(np.fft.fft2(tile)) ** 2
    radius = np.hypot(*np.meshgrid(np.fft.fftfreq(64), np.fft.fftfreq(64)))
    assert power[(radius > 0) & (radius < 0.1)].mean() < 0.001 * power[radius > 0.3].mean()
    assert len(np.unique(tile)) == 64 * 64
    assert abs(tile.mean()) < 1e-12


def test_light_levels_are_those_of_the_standard():
    """Witness: colour-science's eotf_ST2084."""
    code = np.random.default_rng(2).random((31, 17, 3)).astype(np.float32)
    nits = colour.models.eotf_ST2084(code.astype(np.float64)).max(axis=-1)
    level = light_level(code)
    assert level.max_cll == pytest.approx(nits.max(), rel=2e-4)
    assert level.max_fall == pytest.approx(nits.mean(), rel=2e-4)


def test_emulation_is_prevented_in_messages():
    """Source: ITU-T H.265, 7.4.2: two zeros are never followed by 0 to 3."""
    assert escaped(b"\0\0\0\0\1\0\0\4") == b"\0\0\3\0\0\3\1\0\0\4"
    words = HdrWords.of(MasteringDisplay.of(output("BT.2100 PQ 1000")), LightLevel(768.0, 0.0, 1))
    unit = words.sei()
    assert not any(unit[n : n + 2] == b"\0\0" and unit[n + 2] < 3 for n in range(len(unit) - 2))


@pytest.mark.parametrize(
    ("pattern", "made"),
    [
        ("{shot}_{output}", "A012 gather_BT.709 BT.1886.mov"),
        ("{cut}/{event}", "Cut 3-004.mov"),
        ("{shot}__{reel}", "A012 gather.mov"),
        ("  ..x..  ", "x.mov"),
        ("ünïcode {shot}", "ünïcode A012 gather.mov"),
    ],
)
def test_names_by_pattern(pattern, made):
    fields = {"shot": "A012 gather", "output": "BT.709 BT.1886", "cut": "Cut 3", "event": "004", "reel": ""}
    assert named_by(pattern, fields, FIELDS) + ".mov" == made


@pytest.mark.parametrize("pattern", ["{camera}", "", "///", "{reel}"])
def test_patterns_without_a_name_are_refused(pattern):
    with pytest.raises(BadValue):
        named_by(pattern, {}, FIELDS)


def test_numbered_names_and_versions(tmp_path):
    at = tmp_path / "shot.dpx"
    assert still_name(at, 7, False).name == "shot.0000007.dpx"
    assert still_name(tmp_path / "s_####.dpx", 7, False).name == "s_0007.dpx"
    assert still_name(tmp_path / "s.%05d.dpx", 7, True).name == "s.00007.dpx"
    assert still_name(at, 7, True) == at
    (tmp_path / "shot.0000001.dpx").touch()
    assert is_taken(at)
    assert next_version(at).name == "shot_v2.dpx"


def test_endings_say_what_is_written():
    assert preset_for(".mp4", output("BT.2100 PQ 1000")).preset == "HDR10 H.265"
    assert preset_for(".mp4", output("BT.2100 HLG 1000")).preset == "HLG H.265"
    assert preset_for(".tiff", None).ending == ".tif"
    with pytest.raises(UnwritableFile):
        preset_for(".gif", None)


@pytest.mark.parametrize(
    ("name", "ranged", "cut"), [("HLG", "full", True), ("HLG", "legal", False), ("PQ", "full", False)]
)
def test_hlg_codes_above_one_are_kept_by_legal_range_and_said_of_full(tmp_path, name, ranged, cut):
    """Yellow at the peak, by BT.2100's inverse OOTF worked out here: its signal is above 1, below what legal holds."""
    write_still(tmp_path / "a.dpx", np.full((4, 4, 3), 0.4))
    path = Path(input=Input(encoding="S-Log3/S-Gamut3.Cine"), display=Display(output=f"BT.2100 {name} 1000"))
    form = preset("DPX 10-bit").model_copy(update={"range": ranged})
    order = order_for([piece_of(tmp_path / "a.dpx", path, 0, 0, Reading("legal"))], form)
    assert any("which full range cuts" in one for one in remarks_on(order)) == cut
    light = np.array([1.0, 1.0, 0.0])
    scene_light = light * float(light @ [0.2627, 0.678, 0.0593]) ** ((1 - 1.2) / 1.2)
    signal = 0.17883277 * np.log(12 * scene_light[0] - 0.28466892) + 0.55991073
    assert 1 < signal < 1.03 < (1019 - 64) / 876
