"""Raw development against LibRaw (rawpy 0.28), and against a known scene through simulated mosaics."""

import numpy as np
import pytest
import rawpy
import tifffile
from colour.temperature import uv_to_CCT_Ohno2013

from upwelling.core import engine
from upwelling.core.colour.primaries import primaries, rgb_to_xyz
from upwelling.core.colour.temperature import kelvin_duv_to_xy, xy_to_kelvin_duv
from upwelling.core.errors import BadValue, UnreadableFile
from upwelling.core.media import dng, open_footage
from upwelling.core.operations import run_reference
from upwelling.core.path import CameraFile, Display, Input, Path
from upwelling.core.raw import Development, Mosaic, RawProfile, RawSettings
from upwelling.core.raw.neutral import neutral_light

# Two invented but plausible cameras' matrices (XYZ to camera) under light A and D65.
COLOR_A = ((0.95, -0.30, -0.08), (-0.42, 1.22, 0.21), (-0.06, 0.18, 0.58))
COLOR_D65 = ((0.86, -0.22, -0.09), (-0.45, 1.26, 0.20), (-0.08, 0.20, 0.62))
PROFILE = RawProfile(
    camera="Stills one",
    color_1=COLOR_A,
    color_2=COLOR_D65,
    kelvin_1=2850,
    kelvin_2=6500,
    as_shot=(0.52, 1.0, 0.66),
    exposure_index=400,
)
BLACK, WHITE = 512, 15871


def scene(height=120, width=160):
    """Camera RGB of smooth colour, well below clipping."""
    x, y = np.meshgrid(np.linspace(0, 1, width), np.linspace(0, 1, height))
    return np.stack([0.15 + 0.3 * x, 0.2 + 0.5 * y, 0.12 + 0.25 * (1 - x) * y], axis=-1)


def mosaic_of(rgb, pattern=(0, 1, 1, 2), black=BLACK, white=WHITE):
    height, width = rgb.shape[:2]
    out = np.empty((height, width))
    for i, colour in enumerate(pattern):
        out[i // 2 :: 2, i % 2 :: 2] = rgb[i // 2 :: 2, i % 2 :: 2, colour]
    return np.rint(black + out * (white - black)).astype(np.uint16)


def write(path, rgb, pattern=(0, 1, 1, 2), profile=PROFILE):
    dng.write(
        path,
        mosaic_of(rgb, pattern),
        profile,
        pattern=pattern,
        black=BLACK,
        white=WHITE,
        metadata={"make": "Invented", "model": "Stills one"},
    )
    return open_footage(path)


@pytest.mark.parametrize("pattern", [(0, 1, 1, 2), (2, 1, 1, 0), (1, 0, 2, 1), (1, 2, 0, 1)])
@pytest.mark.parametrize("quality", ["half", "bilinear", "full"])
def test_demosaic_of_a_smooth_scene(tmp_path, pattern, quality):
    footage = write(tmp_path / "a.dng", scene(), pattern)
    code = footage.frame(0, quality=quality).code
    wanted = scene().reshape(60, 2, 80, 2, 3).mean(axis=(1, 3)) if quality == "half" else scene()
    assert code.shape == wanted.shape
    assert np.abs(code - wanted)[3:-3, 3:-3].max() < (4e-3 if quality == "half" else 2e-4)


def test_malvar_keeps_detail_that_bilinear_loses():
    """A grey picture with fine detail: the paper reports over 5 dB better than bilinear; at least 4 dB here."""
    rng = np.random.default_rng(2)
    detail = (
        0.4
        + 0.2 * np.sin(np.arange(200) * 0.9)[:, None] * np.sin(np.arange(200) * 1.1)
        + 0.02 * rng.standard_normal((200, 200))
    )
    grey = np.repeat(detail[..., None], 3, axis=-1)
    mosaic = Mosaic(mosaic_of(grey), black=np.full((1, 1, 1), BLACK), white=(WHITE,))
    errors = [np.mean((mosaic.camera_rgb(q)[4:-4, 4:-4] - grey[4:-4, 4:-4]) ** 2) for q in ("bilinear", "full")]
    assert 10 * np.log10(errors[0] / errors[1]) > 4


def test_levels_by_place_table_and_crop():
    values = np.arange(64, dtype=np.uint16).reshape(8, 8)
    mosaic = Mosaic(
        values,
        table=np.arange(64) * 2.0,
        active=(2, 2, 8, 8),
        black=np.array([[[1.0], [2.0]], [[3.0], [4.0]]]),
        black_rows=np.full(6, 0.5),
        black_columns=np.zeros(6),
        white=(100.0,),
    )
    out = mosaic.linear()
    assert out.shape == (6, 6)
    # DNG 1.7, chapter 5: (table[v] − black) / (white − largest black)
    assert out[0, 0] == pytest.approx((18 * 2 - 1.5) / (100 - 4.5))
    assert out[1, 1] == pytest.approx((27 * 2 - 4.5) / (100 - 4.5))


def libraw(path, **options):
    with rawpy.imread(str(path)) as raw:
        return raw.raw_image_visible.copy(), raw.postprocess(
            gamma=(1, 1),
            no_auto_bright=True,
            output_bps=16,
            user_flip=0,
            half_size=False,
            no_auto_scale=False,
            demosaic_algorithm=rawpy.DemosaicAlgorithm.LINEAR,
            **options,
        ) / 65535


def test_values_as_libraw_reads_them(tmp_path):
    footage = write(tmp_path / "a.dng", scene())
    theirs, _ = libraw(tmp_path / "a.dng", output_color=rawpy.ColorSpace.raw, user_wb=[1, 1, 1, 1])
    np.testing.assert_array_equal(footage.mosaic.values, theirs)


def test_camera_rgb_against_libraw(tmp_path):
    """LibRaw without its curves, camera colours, gains of 1: its bilinear demosaic within 1e-3 away from the border."""
    footage = write(tmp_path / "a.dng", scene())
    _, theirs = libraw(
        tmp_path / "a.dng", output_color=rawpy.ColorSpace.raw, user_wb=[1, 1, 1, 1], user_sat=WHITE - BLACK
    )
    ours = footage.frame(0, quality="bilinear").code
    assert np.abs(ours - theirs)[4:-4, 4:-4].max() < 1e-3


def _libraw_xyz(path):
    _, rgb = libraw(path, output_color=rawpy.ColorSpace.XYZ, use_camera_wb=True, user_sat=WHITE - BLACK)
    return rgb


@pytest.mark.parametrize("neutral", [(0.52, 1.0, 0.66), (0.7, 1.0, 0.5)])
def test_developed_colour_against_libraw(tmp_path, neutral):
    """One matrix, as-shot balance, to XYZ: LibRaw takes white to D65 by the camera's own matrix; chromaticities within
    0.004.
    """
    profile = PROFILE.model_copy(update={"color_1": COLOR_D65, "color_2": None, "kelvin_1": 6500.0, "as_shot": neutral})
    footage = write(tmp_path / "a.dng", scene(), profile=profile)
    theirs = _libraw_xyz(tmp_path / "a.dng")
    camera = footage.frame(0, quality="bilinear").code.astype(np.float64)
    # LibRaw's way (dcraw's cam_xyz_coeff): rows of the matrix times sRGB's are normalised to sum 1, then balanced RGB
    # is sRGB.
    srgb = rgb_to_xyz(primaries("BT.709"))
    rows = np.array(COLOR_D65) @ srgb
    to_srgb = np.linalg.pinv(rows / rows.sum(axis=1, keepdims=True))
    xyz = camera / np.array(neutral) @ to_srgb.T @ srgb.T
    inside = np.s_[6:-6, 6:-6]
    ours_xy, their_xy = (v[inside][..., :2] / v[inside].sum(axis=-1, keepdims=True) for v in (xyz, theirs))
    assert np.abs(ours_xy - their_xy).max() < 2e-3


@pytest.mark.parametrize("forward", [False, True])
@pytest.mark.parametrize("kelvin", [2900, 4000, 5600, 7000])
def test_a_white_patch_becomes_white(kelvin, forward):
    """Whatever the light, its own white comes out neutral in the working primaries, at the light it went in with."""
    profile = PROFILE
    if forward:
        # Forward matrices must take camera white to D50 (DNG 1.7, chapter 6): rows scaled to do so.
        raw = np.linalg.inv(np.array(COLOR_D65))
        d50 = np.array([0.9642, 1.0, 0.8251])
        rows = tuple(tuple(float(v) for v in row * target / row.sum()) for row, target in zip(raw, d50, strict=True))
        profile = PROFILE.model_copy(update={"forward_1": rows, "forward_2": rows})
    xy = kelvin_duv_to_xy(kelvin, 0.002)
    neutral = profile.neutral_of(xy)
    shot = RawSettings(profile=profile.model_copy(update={"as_shot": tuple(float(v) for v in neutral)}))
    ap1 = primaries("AP1")
    np.testing.assert_allclose(shot.white(), xy, atol=1e-5)
    out = run_reference(shot.operations(ap1, "CAT02"), neutral * 0.18)
    np.testing.assert_allclose(out, 0.18, rtol=2e-4 if not forward else 1e-3)
    own = RawSettings(profile=profile, development=Development(balance="own", kelvin=kelvin, duv=0.002))
    np.testing.assert_allclose(run_reference(own.operations(ap1, "CAT02"), neutral * 0.18), 0.18, rtol=1e-3)


def test_two_lights_are_mixed_by_reciprocal_kelvin():
    """DNG 1.7, chapter 6: weights follow 1 / T; half way in mired the matrix is the mean."""
    middle = 2 / (1 / 2850 + 1 / 6500)
    np.testing.assert_allclose(PROFILE.xyz_to_camera(middle), (np.array(COLOR_A) + np.array(COLOR_D65)) / 2, atol=1e-12)
    np.testing.assert_allclose(PROFILE.xyz_to_camera(20000), COLOR_D65)


@pytest.mark.parametrize(
    ("change", "stops"),
    [({"exposure": 1.5}, 1.5), ({"exposure_index": 1600}, 2.0), ({"exposure_index": 200, "exposure": 1}, 0.0)],
)
def test_exposure_and_index(change, stops):
    plain, changed = (RawSettings(profile=PROFILE, development=Development(**c)) for c in ({}, change))
    light = np.array([0.05, 0.1, 0.07])
    out = [run_reference(s.operations(primaries("AP1"), "CAT02"), light) for s in (plain, changed)]
    np.testing.assert_allclose(out[1], out[0] * 2.0**stops)


def test_clipped_white_is_not_pink():
    """A sensor clipped in all channels, and one clipped in green only, against plain gains, which turn magenta."""
    clipped = np.array([[1.0, 1.0, 1.0], [0.95, 1.0, 1.0], [0.6, 1.0, 0.7], [0.4, 0.7, 0.4]])
    made = [
        RawSettings(profile=PROFILE, development=Development(highlights=h)).operations(primaries("AP1"), "CAT02")
        for h in ("balanced", "as recorded")
    ]
    balanced, plain = (run_reference(ops, clipped) for ops in made)

    def pinkness(rgb):
        return (rgb[..., 0] + rgb[..., 2]) / 2 - rgb[..., 1]

    assert pinkness(plain[0]) > 0.3
    assert abs(pinkness(balanced[0])) < 0.01
    assert (pinkness(balanced[:3]) < pinkness(plain[:3]) - 0.02).all()
    np.testing.assert_allclose(balanced[3], plain[3])  # nothing below the clip is touched
    ramp = np.linspace(0, 1, 400)[:, None] * np.array(PROFILE.as_shot) * 2
    light = run_reference(made[0][:1], np.minimum(ramp, 1.0))
    assert (np.diff(light, axis=0) > -1e-9).all()  # brighter light never comes out darker in any channel


def test_engine_develops_like_the_reference():
    path = Path(
        camera=CameraFile(raw=RawSettings(profile=PROFILE), depth=16),
        input=Input(encoding="linear/AP1"),
        display=Display(output="sRGB"),
    )
    codes = np.random.default_rng(4).uniform(0, 1.05, (4000, 3))
    np.testing.assert_allclose(
        engine.run(engine.compile_operations(path.operations()), codes), path.apply(codes), atol=2e-4
    )
    assert Path.from_recipe(path.to_recipe()) == path


def test_impossible_light_is_refused():
    with pytest.raises(BadValue, match="daylight"):
        PROFILE.model_copy(update={"color_1": ((-1.0, 0, 0), (0, 1, 0), (0, 0, 1)), "color_2": None}).neutral_of(
            (0.31, 0.33)
        )


@pytest.mark.parametrize("kelvin", [2000, 2856, 4000, 6504, 12000])
@pytest.mark.parametrize("duv", [-0.01, 0.0, 0.008])
def test_kelvin_of_a_light(kelvin, duv):
    """Against Ohno 2013 by colour-science 0.4.7: within 1 % and 0.0006, the size of Krystek's own error."""
    xy = kelvin_duv_to_xy(kelvin, duv)
    found = xy_to_kelvin_duv(xy)
    assert found == pytest.approx((kelvin, duv), rel=2e-4, abs=2e-6)
    x, y = xy
    theirs = uv_to_CCT_Ohno2013(np.array([4 * x, 6 * y]) / (-2 * x + 12 * y + 3))
    assert found[0] == pytest.approx(float(theirs[0]), rel=0.01)
    assert found[1] == pytest.approx(float(theirs[1]), abs=6e-4)


@pytest.mark.parametrize(
    ("change", "reason"),
    [
        ({50721: None}, "colour matrix"),
        ({50717: 100}, "white level"),
        ({33422: bytes((0, 1, 2, 3))}, "colour pattern"),
        ({33421: (6, 6)}, "colour pattern"),
        ({50829: (0, 0, 9999, 9999)}, "active area"),
    ],
)
def test_unusable_files_are_refused(tmp_path, change, reason):
    values = mosaic_of(scene())
    tags = {
        33421: (33421, 3, 2, (2, 2), True),
        33422: (33422, 1, 4, bytes((0, 1, 1, 2)), True),
        50706: (50706, 1, 4, bytes((1, 4, 0, 0)), True),
        50714: (50714, 4, 1, BLACK, True),
        50717: (50717, 4, 1, WHITE, True),
        50829: (50829, 4, 4, (0, 0, 120, 160), True),
        50721: (50721, 10, 9, tuple(v for row in COLOR_D65 for x in row for v in (round(x * 10000), 10000)), True),
    }
    for number, value in change.items():
        if value is None:
            del tags[number]
        else:
            tags[number] = (*tags[number][:3], value, True)
    tifffile.imwrite(
        tmp_path / "bad.dng", values, photometric=32803, metadata=None, extratags=list(tags.values()), subfiletype=0
    )
    with pytest.raises(UnreadableFile, match=reason):
        _ = open_footage(tmp_path / "bad.dng").facts


def test_lossless_jpeg_tiles_are_read(tmp_path):
    values = mosaic_of(scene(128, 160))
    tifffile.imwrite(
        tmp_path / "a.dng",
        values,
        photometric=32803,
        metadata=None,
        subfiletype=0,
        tile=(128, 160),
        compression="jpeg",
        compressionargs={"lossless": True, "bitspersample": 16},
        extratags=[
            (33421, 3, 2, (2, 2), True),
            (33422, 1, 4, bytes((0, 1, 1, 2)), True),
            (50706, 1, 4, bytes((1, 4, 0, 0)), True),
            (50714, 4, 1, BLACK, True),
            (50717, 4, 1, WHITE, True),
            (50721, 10, 9, tuple(v for row in COLOR_D65 for x in row for v in (round(x * 10000), 10000)), True),
        ],
    )
    np.testing.assert_array_equal(open_footage(tmp_path / "a.dng").mosaic.values, values)


@pytest.mark.parametrize(("kelvin", "duv"), [(2900, 0.0), (4300, -0.008), (6200, 0.002), (9000, 0.01)])
def test_a_grey_patch_tells_the_light(kelvin, duv):
    """A noisy grey patch under a known light: the light comes back, and under it the patch is developed to a grey."""
    noise = np.random.default_rng(4).normal(1, 0.03, (400, 3))
    patch = PROFILE.neutral_of(kelvin_duv_to_xy(kelvin, duv)) * 0.3 * noise
    found = neutral_light(patch, PROFILE)
    assert found.kelvin == pytest.approx(kelvin, rel=0.02)
    assert found.duv == pytest.approx(duv, abs=0.002)
    assert found.uneven == pytest.approx(0.03, abs=0.005)
    own = RawSettings(profile=PROFILE, development=Development(balance="own", kelvin=found.kelvin, duv=found.duv))
    grey = run_reference(own.operations(primaries("AP1"), "CAT02"), patch.mean(axis=0))
    np.testing.assert_allclose(grey / grey[1], 1, atol=2e-3)


@pytest.mark.parametrize(
    ("patch", "reason"),
    [
        pytest.param([0.6, 1.0, 0.8], "clipped", id="at the white level"),
        pytest.param([0.0, 0.0, 0.0], "too dark", id="black"),
        pytest.param([0.05, 0.6, 0.05], "beyond what the controls reach", id="green glass"),
    ],
)
def test_what_is_no_grey_is_refused(patch, reason):
    with pytest.raises(BadValue, match=reason):
        neutral_light(np.tile(patch, (20, 1)), PROFILE)
