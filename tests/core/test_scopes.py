"""Scopes against small images worked by hand and against ffmpeg's waveform filter."""

import av
import numpy as np
import pytest

from upwelling.core.primaries import primaries, rgb_to_xyz
from upwelling.core.scopes import (
    PARADE_HIGH,
    PARADE_LOW,
    SKIN_DEGREES,
    STOP_BINS,
    camera_plateau,
    parade,
    parade_picture,
    shares_at_ends,
    stop_histogram,
    vector_picture,
    vector_targets,
    vectorscope,
    waveform,
)

AP1 = primaries("AP1")


def _level(value, levels):
    return round((min(max(value, PARADE_LOW), PARADE_HIGH) - PARADE_LOW) / (PARADE_HIGH - PARADE_LOW) * (levels - 1))


@pytest.mark.parametrize("value", [-1, -0.05, 0, 0.25, 0.5, 1.0, 1.05, 3])
def test_parade_of_a_flat_picture(value):
    counts = parade(np.full((6, 8, 3), value, np.float32), 111, 4)
    assert counts.sum() == 6 * 8 * 3
    for channel in range(3):
        np.testing.assert_array_equal(counts[channel, _level(value, 111)], 12)


def test_parade_keeps_columns_and_channels_apart():
    picture = np.zeros((2, 4, 3), np.float32)
    picture[:, 3, 2] = 1
    counts = parade(picture, 111, 4)
    assert counts[2, _level(1, 111), 3] == 2
    assert counts[0, _level(0, 111), 3] == 2
    assert counts[2, _level(0, 111)].tolist() == [2, 2, 2, 0]
    shades = parade_picture(counts, 2, 4)
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
    counts = parade(codes.astype(np.float32) / 255, levels, 32)
    for block, channel in enumerate((0, 1, 2)):
        theirs = seen[block * 256:(block + 1) * 256]
        for x in range(32):
            ours = set(((np.flatnonzero(counts[channel, :, x]) - 51) / 4).tolist())
            assert ours == set(np.flatnonzero(theirs[:, x]).tolist()) == set(codes[:, x, channel].tolist())


@pytest.mark.parametrize(("stops", "place"), [(0.0, 50), (1.0, 55), (-1.0, 45), (9.95, 99), (30.0, 99), (-30.0, 0)])
def test_stop_histogram(stops, place):
    found = stop_histogram(np.full((5, 4, 3), 0.18 * 2**stops * 1.0001, np.float32), AP1)
    assert len(found.counts) == STOP_BINS
    assert found.counts[place] == 20
    assert found.above_white == (1.0 if stops > 2.48 else 0.0)
    assert found.below_zero == 0


def test_stop_histogram_weighs_by_luminance():
    picture = np.array([[[-1, -1, -1], [1, 0, 0], [0, 3, 0]]], np.float32)
    found = stop_histogram(picture, AP1)
    assert found.below_zero == pytest.approx(1 / 3)
    assert found.above_white == pytest.approx(1 / 3)
    red = np.log2(rgb_to_xyz(AP1)[1, 0] / 0.18)
    assert found.counts[int((red + 10) * 5)] == 1


def test_shares_at_ends():
    signal = np.array([[[0, 0.5, 0.5], [0.5, 1, 0.2], [0.5, 0.5, 0.5], [-0.1, 1.2, 0]]], np.float32)
    assert shares_at_ends(signal, 0.0005, 0.9995) == (0.5, 0.5)


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
    counts = waveform(np.full((6, 8, 3), value, np.float32), BT709, 111, 4)
    assert counts.sum() == 48
    np.testing.assert_array_equal(counts[0, _level(value, 111)], 12)


def test_waveform_is_luma():
    """BT.709: pure green at full signal is 71.52 % of luma."""
    counts = waveform(np.tile(np.float32([0, 1, 0]), (4, 4, 1)), BT709, 111, 4)
    assert counts[0, _level(0.7152, 111)].sum() == 16


def test_vectorscope_places_bars_on_their_targets():
    """75 % bars of BT.709 by colour-science's colour differences (0.4.7): each falls on its printed target, grey in the middle."""
    import colour

    bars = {"R": (1, 0, 0), "Ye": (1, 1, 0), "G": (0, 1, 0), "Cy": (0, 1, 1), "B": (0, 0, 1), "Mg": (1, 0, 1)}
    size = 201
    for target in vector_targets(BT709):
        rgb = np.array(bars[target["name"]]) * target["percent"] / 100
        theirs = colour.RGB_to_YCbCr(rgb, K=colour.WEIGHTS_YCBCR["ITU-R BT.709"], out_legal=False, out_int=False)
        np.testing.assert_allclose([target["pb"], target["pr"]], theirs[1:], atol=1e-9)
        counts = vectorscope(np.tile(rgb.astype(np.float32), (5, 7, 1)), BT709, size)[0]
        assert counts[round((target["pr"] + 0.5) * 200), round((target["pb"] + 0.5) * 200)] == 35
    counts = vectorscope(np.full((3, 3, 3), 0.4, np.float32), BT709, size)
    assert counts[0, 100, 100] == 9
    assert vector_picture(counts, 9)[0, 100, 100] == 255
    assert SKIN_DEGREES == 123  # common practice, no source


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
    ours = vectorscope(np.stack([red, green, blue], -1).astype(np.float32), BT709, 225)[0]  # one cell a chroma code from 16 to 240
    places = {(int(255 - r), int(c)) for r, c in np.argwhere(marked)}
    assert {(int(r) + 16, int(c) + 16) for r, c in np.argwhere(ours)} == places
