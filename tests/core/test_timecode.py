"""Timecode against ffmpeg's own arithmetic, and where files keep it."""

import struct
from fractions import Fraction

import av
import numpy as np
import OpenEXR
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.witness import ffmpeg_write
from upwelling.core.media import open_footage
from upwelling.core.media.sequence import frames_since_first
from upwelling.core.media.timecode import Timecode

RATES = {
    "24000/1001": "01:02:03:04",
    "24": "23:59:59:23",
    "25": "10:00:00:24",
    "30000/1001": "01:01:00;02",
    "30": "01:09:59:29",
    "50": "00:10:00:49",
    "60000/1001": "11:59:59;59",
}


def movie(place, rate, label):
    """By ffmpeg: MPEG-4 in MOV with a timecode track. Gives that track's frame number."""
    with av.open(str(place), "w") as container:
        container.metadata["timecode"] = label
        stream = container.add_stream("mpeg4", rate=Fraction(rate))
        stream.width = stream.height = 32
        for _ in range(3):
            container.mux(stream.encode(av.VideoFrame.from_ndarray(np.zeros((32, 32, 3), np.uint8))))
        container.mux(stream.encode(None))
    with av.open(str(place)) as container:
        packet = next(container.demux(container.streams.data[0]))
        return struct.unpack(">I", bytes(packet))[0]


@pytest.mark.parametrize(("rate", "label"), RATES.items())
def test_ffmpeg_counts_the_same_frames(tmp_path, rate, label):
    counted = movie(tmp_path / "a.mov", rate, label)
    read = Timecode.read(label, float(Fraction(rate)))
    assert read.count == counted
    assert str(read) == label


@pytest.mark.parametrize(
    ("label", "rate", "later", "then"),
    [
        ("00:00:59;29", 29.97, 1, "00:01:00;02"),
        ("00:09:59;29", 29.97, 1, "00:10:00;00"),
        ("00:00:59;59", 59.94, 1, "00:01:00;04"),
        ("01:00:00:00", 23.976, 24, "01:00:01:00"),
        ("23:59:59:24", 25, 1, "00:00:00:00"),
        ("00:00:00;00", 29.97, 107892, "01:00:00;00"),
        ("00:00:00;00", 29.97, 2589408, "00:00:00;00"),
    ],
)
def test_the_label_of_a_later_frame(label, rate, later, then):
    """SMPTE ST 12-1:2014, 5.2.2: 107 892 frames an hour at 29.97."""
    assert str(Timecode.read(label, rate).later(later)) == then


@pytest.mark.parametrize(
    ("label", "rate"),
    [
        *[(label, 24) for label in ("01:00:00:24", "24:00:00:00", "1.5", "00:60:00:00", "")],
        *[("01:01:00;00", 29.97), ("01:00:00;00", 25), ("01:00:00:00", 0)],
    ],
)
def test_what_is_no_label_is_none(label, rate):
    assert Timecode.read(label, rate) is None


@given(st.integers(0, 2589407), st.sampled_from([(24, False), (25, False), (30, True), (60, True), (120, False)]))
def test_every_count_has_a_label_that_reads_back(count, rate):
    one = Timecode(0, *rate).later(count)
    assert Timecode.read(str(one), rate[0]) == one


def test_files_say_it(tmp_path):
    movie(tmp_path / "a.mov", "25", "10:00:00:24")
    assert open_footage(tmp_path / "a.mov").facts.metadata["timecode"] == "10:00:00:24"
    dpx = tmp_path / "a.dpx"
    ffmpeg_write(dpx, np.full((32, 32, 3), 0x044), "dpx", "gbrp10be")
    data = bytearray(dpx.read_bytes())
    assert struct.unpack_from(">I", data, 4)[0] == 1664, "ffmpeg's header has no television part: a picture lies there"
    assert "timecode" not in open_footage(dpx).facts.metadata
    data[1664:1664] = bytes(384)
    struct.pack_into(">I", data, 4, 2048)
    struct.pack_into(">I", data, 808, 2048)
    for word, said in ((0x11223308, "11:22:33:08"), (0xFFFFFFFF, None), (0x1122330A, None)):
        struct.pack_into(">I", data, 1920, word)
        dpx.write_bytes(data)
        assert open_footage(dpx).facts.metadata.get("timecode") == said, "SMPTE ST 268-1 table 5, field 47"
    label = OpenEXR.TimeCode()
    label.hours, label.minutes, label.seconds, label.frame, label.dropFrame = 1, 2, 3, 4, True
    header = {"type": OpenEXR.scanlineimage, "timeCode": label}
    OpenEXR.File(header, {"RGB": np.zeros((4, 4, 3), np.float16)}).write(str(tmp_path / "a.exr"))
    assert open_footage(tmp_path / "a.exr").facts.metadata["timecode"] == "01:02:03;04"


def test_missing_files_of_a_sequence_count(tmp_path):
    names = [tmp_path / f"a.{n:04}.dpx" for n in (1001, 1002, 1005)]
    assert [frames_since_first(names, n) for n in range(3)] == [0, 1, 4]
    assert frames_since_first(names[::2], 1) is None
