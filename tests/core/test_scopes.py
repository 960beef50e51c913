"""Scopes against small images worked by hand and against ffmpeg's waveform filter."""

import av
import numpy as np
import pytest

from upwelling.core.colour.primaries import primaries, rgb_to_rgb, rgb_to_xyz
from upwelling.core.colour.spectral_locus import LOCUS
from upwelling.core.measure.banding import banding
from upwelling.core.path import CameraFile, Display, Input, Layer, Path
from upwelling.core.scopes.dots import SKIN_DEGREES, UV_TOP, chromaticities, dot_picture, vector_targets, vectorscope
from upwelling.core.scopes.facts import STOP_BINS, camera_plateau, scene_facts, signal_facts
from upwelling.core.scopes.levels import LEVEL_HIGH, LEVEL_LOW, level_picture, parade, waveform
from upwelling.core.scopes.picture_views import (
    BAND_COLOURS,
    CLIP_COLOURS,
    FIRST_BAND,
    clip_view,
    false_colour,
    to_bytes,
)
from upwelling.core.scopes.spans import Region, common, inner, pixels_in, region_spans, thinned, whole
from upwelling.core.steps import Contrast

AP1 = primaries("AP1")


def _level(value, levels):
    return round((min(max(value, LEVEL_LOW), LEVEL_HIGH) - LEVEL_LOW) / (LEVEL_HIGH - LEVEL_LOW) * (levels - 1))


@pytest.mark.parametrize("value", [-1, -0.05, 0, 0.25, 0.5, 1.0, 1.05, 3])
def test_parade_of_a_flat_picture(value):
    counts = parade(np.full((6, 8, 3), value, np.float32), whole(6, 8), 111, 4)
    assert counts.sum() == 6 * 8 * 3
    for channel in range(3):
        np.testing.assert_array_equal(counts[channel, _level(value, 111)], 12)


def test_parade_keeps_columns_and_channels_apart():
    picture = np.zeros((2, 4, 3), np.float32)
    picture[:, 3, 2] = 1
    counts = parade(picture, whole(2, 4), 111, 4)
    assert counts[2, _level(1, 111), 3] == 2
    assert counts[0, _level(0, 111), 3] == 2
    assert counts[2, _level(0, 111)].tolist() == [2, 2, 2, 0]
    shades = level_picture(counts, 2, 4)
    assert shades.dtype == np.uint8
    assert (shades > 0).sum() == (counts > 0).sum()


def test_parade_against_ffmpegs_waveform():
    """Which 8-bit codes stand in which column: the same for ffmpeg's filter, for ours, and for the picture itself."""
    rng = np.random.default_rng(1)
    codes = rng.integers(0, 256, (64, 32, 3), dtype=np.uint8)
    graph = av.filter.Graph()
    source = graph.add_buffer(width=32, height=64, format=av.VideoFormat("gbrp"), time_base=1)
    wave = graph.add("waveform", "mode=column:components=7:display=stack:mirror=0:intensity=0.004:filter=lowpass")
    sink = graph.add("buffersink")
    source.link_to(wave)
    wave.link_to(sink)
    graph.configure()
    frame = av.VideoFrame(32, 64, "gbrp")
    for plane, channel in zip(frame.planes, (1, 2, 0), strict=True):
        rows = np.zeros((64, plane.line_size), np.uint8)
        rows[:, :32] = codes[..., channel]
        plane.update(rows.tobytes())
    source.push(frame)
    out = sink.pull()
    tops = [np.frombuffer(bytes(p), np.uint8).reshape(p.height, p.line_size)[:, :32] for p in out.planes]
    seen = np.max(tops, axis=0) > 0  # three stacked waveforms of 256 rows: R, G, B
    levels = 1123  # four levels an 8-bit code, so that every code meets a level
    counts = parade(codes.astype(np.float32) / 255, whole(64, 32), levels, 32)
    for block, channel in enumerate((0, 1, 2)):
        theirs = seen[block * 256 : (block + 1) * 256]
        for x in range(32):
            ours = set(((np.flatnonzero(counts[channel, :, x]) - 51) / 4).tolist())
            assert ours == set(np.flatnonzero(theirs[:, x]).tolist()) == set(codes[:, x, channel].tolist())


def _facts(picture, to_output=None):
    picture = np.asarray(picture, np.float32)
    return scene_facts(picture, AP1, np.eye(3) if to_output is None else to_output, whole(*picture.shape[:2]))


@pytest.mark.parametrize(("stops", "place"), [(0.0, 50), (1.0, 55), (-1.0, 45), (9.95, 99), (30.0, 99), (-30.0, 0)])
def test_stop_histogram(stops, place):
    found = _facts(np.full((5, 4, 3), 0.18 * 2**stops * 1.0001))
    assert len(found.counts) == STOP_BINS
    assert found.counts[place] == found.pixels == 20
    assert found.above_white == (1.0 if stops > 2.48 else 0.0)
    assert found.below_zero == found.negative == 0


def test_scene_facts_by_hand():
    """Four pixels: no light, one negative channel, plain grey, bright green."""
    found = _facts([[[-1, -1, -1], [1, -0.2, 0.1], [0.2, 0.2, 0.2], [0, 3, 0]]])
    assert (found.below_zero, found.negative, found.above_white) == (0.25, 0.5, 0.25)
    y = rgb_to_xyz(AP1)[1] @ [1, -0.2, 0.1]
    assert found.counts[int((np.log2(y / 0.18) + 10) * 5)] == 1
    to_709 = rgb_to_rgb(AP1, primaries("BT.709"), "CAT02")
    inside = np.linalg.inv(to_709) @ [0.5, 0.2, 0.1]
    assert _facts([[inside, [0, 3, 0], [0.2, 0.2, 0.2], [1, 0, 0]]], to_709).out_of_gamut == 0.5


def test_signal_facts_by_hand():
    signal = np.array([[[0, 0.5, 0.5], [0.5, 1, 0.2], [0.5, 0.5, 0.5], [-0.1, 1.2, 0]]], np.float32)
    code = np.array([[[0.1, 0.2, 0.3], [0.9, 0.2, 0.1], [0.2, 0.9, 0.2], [0.1, 0.1, 0.1]]], np.float32)
    found = signal_facts(signal, code, 0.9, 0.0005, 0.9995, whole(1, 4))
    assert (found.at_black, found.at_peak, found.ours, found.camera) == (0.5, 0.5, 0.25, 0.5)
    np.testing.assert_allclose(found.mean, signal[0].mean(axis=0), rtol=1e-6)
    np.testing.assert_allclose(found.spread, signal[0].std(axis=0), rtol=1e-5)
    half = signal_facts(signal, code, 0.9, 0.0005, 0.9995, np.array([[1, 3]], np.int32))
    assert (half.at_black, half.at_peak) == (0.0, 0.5)


# --- what is measured
def test_rectangle_ellipse_and_bars():
    assert region_spans(4, 10, Region(left=0.2, top=0.25, right=0.6, bottom=0.75)).tolist() == [
        [0, 0],
        [2, 6],
        [2, 6],
        [0, 0],
    ]
    ellipse = region_spans(400, 400, Region(kind="ellipse", left=0.25, top=0.25, right=0.75, bottom=0.75))
    assert (ellipse[:, 1] - ellipse[:, 0]).sum() == pytest.approx(np.pi * 100**2, rel=0.01)
    assert (
        region_spans(9, 9, Region(left=0.5, top=0.5, right=0.5, bottom=0.5)).sum() > 0
    )  # a point still measures a pixel
    assert inner(6, 8, (1, 2, 3, 0)).tolist() == [[0, 0], [3, 8], [3, 8], [3, 8], [0, 0], [0, 0]]
    assert common(inner(2, 8, (0, 0, 3, 0)), np.array([[0, 5], [6, 8]], np.int32)).tolist() == [[3, 5], [6, 8]]


@pytest.mark.parametrize(
    "draw",
    [
        lambda p, s: parade(p, s),
        lambda p, s: waveform(p, BT709, s),
        lambda p, s: vectorscope(p, BT709, s),
        lambda p, s: chromaticities(p, AP1, s),
    ],
    ids=["parade", "waveform", "vectorscope", "chromaticities"],
)
def test_a_region_counts_as_its_crop(draw):
    picture = np.random.default_rng(4).uniform(0.05, 0.9, (40, 64, 3)).astype(np.float32)
    spans = region_spans(40, 64, Region(left=0.25, top=0.25, right=0.75, bottom=0.75))
    crop = np.ascontiguousarray(picture[10:30, 16:48])
    kept, alone = draw(picture, spans), draw(crop, whole(20, 32))
    np.testing.assert_array_equal(kept.sum(axis=2), alone.sum(axis=2))


@pytest.mark.parametrize("value", [np.nan, np.inf, -np.inf, 1e30])
def test_what_is_not_a_number_is_survived(value):
    picture = np.full((8, 8, 3), value, np.float32)
    for out in (
        parade(picture, whole(8, 8)),
        waveform(picture, BT709, whole(8, 8)),
        vectorscope(picture, BT709, whole(8, 8)),
        chromaticities(picture, AP1, whole(8, 8)),
        _facts(picture).counts,
        to_bytes(picture),
    ):
        assert out.shape


def test_chromaticities_lie_where_colour_science_has_them():
    """u′, v′ by colour-science 0.4.7.

    And the table of the spectral locus is its CIE 1931 2° one to the fourth decimal.
    """
    import colour

    rng = np.random.default_rng(2)
    for rgb in rng.uniform(0.05, 2, (12, 3)):
        uv = colour.xy_to_Luv_uv(colour.XYZ_to_xy(rgb_to_xyz(AP1) @ rgb))
        counts = chromaticities(np.tile(rgb.astype(np.float32), (3, 5, 1)), AP1, whole(3, 5), 641)[0]
        (row,), (column,) = np.nonzero(counts)
        np.testing.assert_allclose([column * UV_TOP / 640, row * UV_TOP / 640], uv, atol=0.51 * UV_TOP / 640)
    observer = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"]
    for nm, x, y in LOCUS:
        np.testing.assert_allclose([x, y], colour.XYZ_to_xy(observer[nm]), atol=5.1e-5)


def test_histogram_against_ffmpeg():
    """Levels of an 8-bit grey picture: as many at each as ffmpeg's histogram filter draws."""
    rng = np.random.default_rng(8)
    codes = np.clip(rng.normal(120, 30, (64, 64)), 0, 255).astype(np.uint8)
    graph = av.filter.Graph()
    source = graph.add_buffer(width=64, height=64, format=av.VideoFormat("gray"), time_base=1)
    histogram, sink = (
        graph.add("histogram", "level_height=200:scale_height=0:levels_mode=linear:fgopacity=1:bgopacity=0"),
        graph.add("buffersink"),
    )
    source.link_to(histogram)
    histogram.link_to(sink)
    graph.configure()
    frame = av.VideoFrame(64, 64, "gray")
    rows = np.zeros((64, frame.planes[0].line_size), np.uint8)
    rows[:, :64] = codes
    frame.planes[0].update(rows.tobytes())
    source.push(frame)
    bars = (sink.pull().reformat(format="gray").to_ndarray() > 128).sum(axis=0)[:256]
    levels = 1123
    counts = parade(np.repeat(codes[..., None], 3, -1).astype(np.float32) / 255, whole(64, 64), levels, 32)[0].sum(
        axis=1
    )[51 : 51 + 1021 : 4]
    np.testing.assert_array_equal(counts, np.bincount(codes.ravel(), minlength=256))
    assert np.abs(bars - np.rint(counts * 200 / counts.max())).max() <= 1


# --- views that show numbers
def test_false_colour_bands_are_whole_stops():
    stops = np.array([-20, -6.5, -0.5, 0.5, 1.5, 5.5, 6.5, 20])
    picture = false_colour((0.18 * np.exp2(stops))[None, :, None].repeat(3, -1).astype(np.float32), AP1)[0]
    bands = np.clip(np.floor(stops).astype(int) - FIRST_BAND, 0, len(BAND_COLOURS) - 1)
    np.testing.assert_array_equal(picture, np.array(BAND_COLOURS)[bands])
    light = np.array(BAND_COLOURS) @ [0.2126, 0.7152, 0.0722]
    assert (np.diff(light) > 8).all()  # readable without colour: brighter means more light
    assert len(set(BAND_COLOURS[-FIRST_BAND])) == 1  # the band from mid grey up is grey


def test_clip_view_by_hand():
    signal = np.array([[[0.5] * 3, [0.0, 0.5, 0.5], [1.0, 0.5, 0.5], [1.0, 1.0, 1.0]]], np.float32)
    code = np.array([[[0.3] * 3, [0.3] * 3, [0.3] * 3, [0.95, 0.3, 0.3]]], np.float32)
    picture = clip_view(signal, code, 0.9, 0.0005, 0.9995)[0]
    assert [tuple(int(v) for v in p) for p in picture[1:]] == list(CLIP_COLOURS.values())
    assert len(set(picture[0].tolist())) == 1


@pytest.mark.parametrize(
    ("depth", "contrast", "risky"),
    [(8, 1.0, True), (8, 0.3, False), (10, 1.0, False), (10, 2.5, True), (12, 3.0, None)],
)
def test_banding_risk(depth, contrast, risky):
    """8-bit log codes lie further apart on the display than an 8-bit display code; 10-bit ones do when stretched.

    Steps by hand below.
    """
    path = Path(
        camera=CameraFile(depth=depth),
        input=Input(encoding="S-Log3/S-Gamut3.Cine"),
        trim=Layer(steps=(Contrast(contrast=contrast),)),
        display=Display(output="BT.709 BT.1886"),
    )
    found = banding(path, 0.3, 0.6)
    if risky is None:
        assert found is None
        return
    codes = np.arange(int(0.3 * (2**depth - 1)), int(np.ceil(0.6 * (2**depth - 1))) + 1) / (2**depth - 1)
    steps = np.diff(path.apply(np.repeat(codes[:, None], 3, 1))[:, 0]) * 1023
    assert found.steps == len(steps)
    assert found.widest == pytest.approx(steps.max(), rel=1e-3)
    assert (found.risky > 0) is risky


def test_every_second_row_is_looked_at_where_there_are_many():
    many, few = whole(200, 50), whole(60, 50)
    assert (pixels_in(many), pixels_in(thinned(many)), pixels_in(thinned(few))) == (10_000, 5_000, 3_000)
    picture = np.random.default_rng(5).uniform(0, 1, (200, 50, 3)).astype(np.float32)
    both = [signal_facts(picture, picture, 2.0, 0.1, 0.9, spans) for spans in (many, thinned(many))]
    assert both[1].at_peak == pytest.approx(both[0].at_peak, abs=0.02)


def test_camera_plateau():
    code = (0.1 + 0.6 * np.random.default_rng(0).beta(2, 6, (100, 100, 3))).astype(np.float32)
    assert camera_plateau(code)[1] == 0  # a highlight's tip
    code[:10, :, 0] = 0.8
    highest, share = camera_plateau(code)
    assert highest == pytest.approx(0.8)
    assert share == pytest.approx(0.1)


BT709 = (0.2126, 0.0722)


@pytest.mark.parametrize("value", [-1, 0, 0.25, 0.5, 1.0, 3])
def test_waveform_of_a_flat_picture(value):
    counts = waveform(np.full((6, 8, 3), value, np.float32), BT709, whole(6, 8), 111, 4)
    assert counts.sum() == 48
    np.testing.assert_array_equal(counts[0, _level(value, 111)], 12)


def test_waveform_is_luma():
    """BT.709: pure green at full signal is 71.52 % of luma."""
    counts = waveform(np.tile(np.float32([0, 1, 0]), (4, 4, 1)), BT709, whole(4, 4), 111, 4)
    assert counts[0, _level(0.7152, 111)].sum() == 16


def test_vectorscope_places_bars_on_their_targets():
    """75 % bars of BT.709 by colour-science's colour differences (0.4.7): each falls on its printed target, grey in the
    middle.
    """
    import colour

    bars = {"R": (1, 0, 0), "Ye": (1, 1, 0), "G": (0, 1, 0), "Cy": (0, 1, 1), "B": (0, 0, 1), "Mg": (1, 0, 1)}
    size = 201
    for target in vector_targets(BT709):
        rgb = np.array(bars[target["name"]]) * target["percent"] / 100
        theirs = colour.RGB_to_YCbCr(rgb, K=colour.WEIGHTS_YCBCR["ITU-R BT.709"], out_legal=False, out_int=False)
        np.testing.assert_allclose([target["pb"], target["pr"]], theirs[1:], atol=1e-9)
        counts = vectorscope(np.tile(rgb.astype(np.float32), (5, 7, 1)), BT709, whole(5, 7), size=size)[0]
        assert counts[round((target["pr"] + 0.5) * 200), round((target["pb"] + 0.5) * 200)] == 35
    counts = vectorscope(np.full((3, 3, 3), 0.4, np.float32), BT709, whole(3, 3), size=size)
    assert counts[0, 100, 100] == 9
    assert dot_picture(counts, 9)[0, 100, 100] == 255
    assert SKIN_DEGREES == 123  # common practice, no source
    double = vectorscope(np.tile(np.float32([0.4, 0.3, 0.3]), (3, 3, 1)), BT709, whole(3, 3), 2.0, size)[0]
    (row,), (column,) = np.nonzero(double)
    single = np.array(
        [(0.1 * (1 - 0.2126)) / (2 * (1 - 0.2126)), -0.1 * 0.2126 / (2 * (1 - 0.0722))]
    )  # by hand, BT.709
    np.testing.assert_allclose([(row / 200 - 0.5) / 2, (column / 200 - 0.5) / 2], single, atol=0.003)


def test_vectorscope_against_ffmpeg():
    """Which chroma codes occur: ffmpeg's vectorscope marks the same cells of a 4:4:4 picture of known codes."""
    rng = np.random.default_rng(5)
    chroma = rng.integers(16, 241, (2, 24, 24), dtype=np.uint8)
    graph = av.filter.Graph()
    source = graph.add_buffer(width=24, height=24, format=av.VideoFormat("yuv444p"), time_base=1)
    scope, sink = graph.add("vectorscope", "mode=gray:intensity=1"), graph.add("buffersink")
    source.link_to(scope)
    scope.link_to(sink)
    graph.configure()
    frame = av.VideoFrame(24, 24, "yuv444p")
    for plane, values in zip(frame.planes, (np.full((24, 24), 128, np.uint8), *chroma), strict=True):
        rows = np.zeros((24, plane.line_size), np.uint8)
        rows[:, :24] = values
        plane.update(rows.tobytes())
    source.push(frame)
    marked = sink.pull().reformat(format="gray").to_ndarray() > 128  # its rows lie backwards in memory; a copy does not
    cb, cr = chroma.astype(np.float64)
    pb, pr, y = (cb - 128) / 224, (cr - 128) / 224, (128 - 16) / 219
    red, blue = y + pr * 2 * (1 - BT709[0]), y + pb * 2 * (1 - BT709[1])
    green = (y - BT709[0] * red - BT709[1] * blue) / (1 - sum(BT709))
    ours = vectorscope(np.stack([red, green, blue], -1).astype(np.float32), BT709, whole(24, 24), size=225)[
        0
    ]  # one cell a chroma code from 16 to 240
    places = {(int(255 - r), int(c)) for r, c in np.argwhere(marked)}
    assert {(int(r) + 16, int(c) + 16) for r, c in np.argwhere(ours)} == places
