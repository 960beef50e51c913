"""Movies: our Y'CbCr decoding against colour-science and ffmpeg's own bars, every codec read back, tags, seeking."""

import av
import colour
import numpy as np
import pytest

from upwelling.core.encodings import legal_to_full
from upwelling.core.errors import UnreadableFile, UnwritableFile
from upwelling.core.media import ColourTags, Reading, open_footage
from upwelling.core.media.movie_write import CODECS, write_movie
from upwelling.core.media.ycbcr import LUMA, Planes, from_rgb_signal, to_rgb_code

WEIGHTS = {"BT.709": "ITU-R BT.709", "BT.601": "ITU-R BT.601", "BT.2020": "ITU-R BT.2020"}
H273_240M = (0.212, 0.087)  # ITU-T H.273 table 4; colour-science carries a finer pair


@pytest.mark.parametrize("depth", [8, 10, 12])
@pytest.mark.parametrize("code_range", ["legal", "full"])
@pytest.mark.parametrize("matrix", [name for name in LUMA if name != "FCC"])
def test_planes_against_colour_science(matrix, code_range, depth):
    """Random integer planes to R'G'B': colour-science 0.4.7 YCbCr_to_RGB; well under a hundredth of a code."""
    rng = np.random.default_rng(1)
    planes = [rng.integers(0, 2**depth, (40, 64)) for _ in range(3)]
    ours = to_rgb_code(Planes(*planes, depth), matrix, code_range)
    signal = legal_to_full(ours, depth) if code_range == "legal" else ours
    theirs = colour.YCbCr_to_RGB(
        np.stack(planes, -1),
        K=colour.WEIGHTS_YCBCR[WEIGHTS[matrix]] if matrix in WEIGHTS else np.array(H273_240M),
        in_bits=depth,
        in_int=True,
        in_legal=code_range == "legal",
        out_legal=False,
        clamp_int=False,
    )
    if code_range == "full":  # colour-science centres full-range chroma on 2^(n−1) − 0.5 … allow for that half code
        assert np.abs(signal - theirs).max() * (2**depth - 1) < 1.0
    else:
        np.testing.assert_allclose(signal, theirs, atol=1e-2 / 2**depth)


@pytest.mark.parametrize(
    ("y", "cb", "cr", "depth", "white"),
    [
        (235, 128, 128, 8, 1.0),
        (940, 512, 512, 10, 1.0),
        (3760, 2048, 2048, 12, 1.0),
        (64, 512, 512, 10, 0.0),
        (1019, 512, 512, 10, 955 / 876),
    ],
)
def test_greys_are_exact(y, cb, cr, depth, white):
    """ITU-R BT.2100-2 table 9: legal white is 235, 940, 3760. Overshoot is kept."""
    planes = Planes(*(np.full((8, 8), v) for v in (y, cb, cr)), depth)
    np.testing.assert_allclose(legal_to_full(to_rgb_code(planes, "BT.709", "legal"), depth), white, atol=2e-6)


@pytest.mark.parametrize("siting", ["left", "centre", "top left"])
@pytest.mark.parametrize("subsampling", [(1, 1), (2, 1), (2, 2)])
def test_chroma_sits_where_it_says(subsampling, siting):
    """A colour ramp survives subsampling and back to within rounding, away from the edges; a wrong siting does not."""
    x, y = np.meshgrid(np.linspace(0.2, 0.8, 96), np.linspace(0.3, 0.7, 64))
    ramp = np.stack([x, 0.5 * np.ones_like(x), y], axis=-1)
    planes = from_rgb_signal(ramp, "BT.709", "legal", 12, subsampling, siting)
    back = legal_to_full(to_rgb_code(planes, "BT.709", "legal", siting), 12)
    assert np.abs(back - ramp)[4:-4, 4:-4].max() * 4095 < 1.7  # half a code of Y and of chroma
    if subsampling == (2, 2):
        other = "centre" if siting != "centre" else "left"
        assert (
            np.abs(legal_to_full(to_rgb_code(planes, "BT.709", "legal", other), 12) - ramp)[4:-4, 4:-4].max() * 4095 > 3
        )


def _bars(path, layout, source):
    """ffmpeg's own test source into FFV1, untouched by us."""
    graph = av.filter.Graph()
    node = graph.add(
        source, "size=1280x720:duration=1:rate=2" if source == "smptehdbars" else "size=720x576:duration=1:rate=2"
    )
    out = graph.add("buffersink")
    form = graph.add("format", f"pix_fmts={layout}")
    node.link_to(form)
    form.link_to(out)
    graph.configure()
    with av.open(str(path), "w") as container:
        stream = None
        for _ in range(2):
            frame = graph.vpull()
            if stream is None:
                stream = container.add_stream("ffv1", rate=2)
                stream.width, stream.height, stream.pix_fmt = frame.width, frame.height, layout
            container.mux(stream.encode(frame))
        container.mux(stream.encode())


@pytest.mark.parametrize("layout", ["yuv422p", "yuv444p"])
def test_ffmpeg_bars(tmp_path, layout):
    """ffmpeg's smptehdbars: 75 % bars of BT.709 in legal range (SMPTE RP 219).

    0 and 75 % come out within one 8-bit code.
    """
    _bars(tmp_path / "bars.mkv", layout, "smptehdbars")
    footage = open_footage(tmp_path / "bars.mkv")
    signal = legal_to_full(footage.frame(1, Reading("legal", "BT.709")).code, 8)
    row = signal[100]
    wanted = [
        (0.75, 0.75, 0.75),
        (0.75, 0.75, 0),
        (0, 0.75, 0.75),
        (0, 0.75, 0),
        (0.75, 0, 0.75),
        (0.75, 0, 0),
        (0, 0, 0.75),
    ]
    start, width = 160, 137.2
    for i, rgb in enumerate(wanted):
        np.testing.assert_allclose(row[int(start + (i + 0.5) * width)], rgb, atol=1.0 / 219)


@pytest.mark.parametrize(
    ("layout", "depth"),
    [
        ("yuv420p", 8),
        ("yuv444p", 8),
        ("yuv422p10le", 10),
        ("yuv444p12le", 12),
        ("bgr0", 8),
        ("gbrp10le", 10),
        ("gray", 8),
        ("yuva444p", 8),
        ("rgb48le", 16),
    ],
)
def test_layouts_of_known_grey(tmp_path, layout, depth):
    """A frame of one value in each layout, filled by hand: the value comes back, whatever the layout."""
    frame = av.VideoFrame(64, 48, layout)
    rgb = not layout.startswith("yuv")
    grey = 180 * 2 ** (depth - 8)
    kind = np.uint8 if depth == 8 else np.uint16
    for i, plane in enumerate(frame.planes):
        value = grey if rgb or i in (0, 3) else 2 ** (depth - 1)
        plane.update(np.full(plane.buffer_size // kind().itemsize, value, kind).tobytes())
    with av.open(str(tmp_path / "grey.mkv"), "w") as container:
        stream = container.add_stream("ffv1", rate=2)
        stream.width, stream.height, stream.pix_fmt = 64, 48, layout
        container.mux(stream.encode(frame))
        container.mux(stream.encode())
    footage = open_footage(tmp_path / "grey.mkv")
    np.testing.assert_allclose(footage.frame(0).code * (2**depth - 1), grey, atol=2e-2)
    assert footage.facts.ycbcr is not rgb


PICTURE = np.stack(
    [*np.meshgrid(np.linspace(0.1, 0.9, 256), np.linspace(0.2, 0.7, 144)), np.full((144, 256), 0.4)], axis=-1
)


@pytest.mark.parametrize("matrix", ["BT.709", "BT.2020"])
@pytest.mark.parametrize(
    ("codec", "ending", "within"),
    [
        ("prores-4444", "mov", 2.5),
        ("prores-422", "mov", 2.5),
        ("h265-10", "mp4", 6),
        ("h264-8", "mp4", 3),
        ("h264-10", "mkv", 6),
        ("dnxhr-hqx", "mov", 2.5),
        ("dnxhr-hqx", "mxf", 2.5),
        ("ffv1-10", "mkv", 1.7),
        ("ffv1-8", "mkv", 1.7),
    ],
)
def test_codecs_read_back(tmp_path, codec, ending, within, matrix):
    """Frame 3 of 5 in its place, colours within what the codec loses (in codes of its depth; FFV1: rounding only), tags
    as written.
    """
    path = tmp_path / f"clip.{ending}"
    tags = ColourTags(matrix, "HLG" if matrix == "BT.2020" else "BT.709", matrix, "legal")
    depth = CODECS[codec].depth
    options = {"crf": "12"} if codec == "h264-8" else {}
    assert (
        write_movie(path, (PICTURE - 0.02 * i for i in range(5)), codec, tags=tags, matrix=matrix, options=options) == 5
    )
    footage = open_footage(path)
    facts = footage.facts
    assert (facts.kind, facts.width, facts.height, facts.frames, facts.rate) == ("movie", 256, 144, 5, 24.0)
    assert facts.ycbcr
    if ending != "mxf":
        assert facts.tags == tags
    still = footage.frame(3, Reading("legal", matrix))
    signal = legal_to_full(still.code, int(facts.depth))
    error = np.abs(signal - (PICTURE - 0.06))[6:-6, 6:-6] * (2**depth - 1)
    assert np.percentile(error, 99) < within


def test_untagged_and_full_range(tmp_path):
    write_movie(tmp_path / "a.mp4", [PICTURE] * 2, "h264-8", code_range="full")
    footage = open_footage(tmp_path / "a.mp4")
    assert footage.facts.tags.primaries == footage.facts.tags.transfer == ""
    assert np.abs(footage.frame(0, Reading("full", "BT.709")).code - PICTURE)[6:-6, 6:-6].mean() < 0.01
    with pytest.raises(UnwritableFile, match="legal range"):
        write_movie(tmp_path / "b.mov", [PICTURE], "prores-4444", code_range="full")
    with pytest.raises(UnwritableFile, match="no frame"):
        write_movie(tmp_path / "b.mov", [], "prores-4444")
    with pytest.raises(UnwritableFile, match="not a codec"):
        write_movie(tmp_path / "b.mov", [PICTURE], "wax")
    assert not (tmp_path / "b.mov").exists()


@pytest.mark.parametrize("index", [-1, 2, 10**9])
def test_a_frame_that_is_not_there(tmp_path, index):
    write_movie(tmp_path / "a.mov", [PICTURE] * 2, "prores-422")
    with pytest.raises(UnreadableFile, match="frames 0 to 1"):
        open_footage(tmp_path / "a.mov").frame(index)


def test_long_groups_of_pictures_seek_to_the_right_frame(tmp_path):
    """H.264 with B frames: each frame's own brightness comes back by number."""
    write_movie(
        tmp_path / "a.mp4", (np.full((64, 96, 3), 0.2 + 0.01 * i) for i in range(40)), "h264-8", options={"g": "25"}
    )
    footage = open_footage(tmp_path / "a.mp4")
    for index in (0, 1, 7, 24, 25, 26, 39):
        assert float(legal_to_full(footage.frame(index).code, 8).mean()) == pytest.approx(0.2 + 0.01 * index, abs=0.004)
    for numbers in ((0, 20, 39), (5, 6, 38), (39,)):
        means = [float(legal_to_full(still.code, 8).mean()) for still in footage.several(numbers)]
        np.testing.assert_allclose(means, 0.2 + 0.01 * np.array(numbers), atol=0.004)
