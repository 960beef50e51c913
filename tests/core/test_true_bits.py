"""How many bits each codec really carries: a ramp of all its codes, decoded by ffmpeg's own program and counted."""

import subprocess

import numpy as np
import pytest

from upwelling.core.media import Movie
from upwelling.core.media.movie_write import CODECS, write_movie

LAYOUTS = {8: "gray", 10: "gray10le", 12: "gray12le", 16: "gray16le"}


def ramp(depth):
    """Every legal luma code of a depth as R'G'B' grey (H, W, 3), each code several pixels wide where there is room."""
    unit = 2 ** (depth - 8)
    codes = np.arange(16 * unit, 235 * unit + 1)
    wide = 1024 if depth < 16 else 2048
    held = np.resize(np.repeat(codes, max(1, wide * 64 // len(codes) // 4)), wide * (64 if depth < 16 else 32))
    grey = (held.reshape(-1, wide) - 16 * unit) / (219 * unit)
    return np.repeat(grey[..., None], 3, axis=-1), codes


@pytest.mark.parametrize(
    ("codec", "suffix", "given", "least"),
    [
        ("ffv1-10", ".mkv", 10, 1.0),
        ("h265-12", ".mp4", 12, 0.9),
        ("h265-10", ".mp4", 10, 0.9),
        ("prores-422", ".mov", 10, 0.9),
        ("prores-4444", ".mov", 10, 0.9),
    ],
)
def test_distinct_codes_by_ffmpeg(tmp_path, codec, suffix, given, least):
    """Lossless ones keep every code; others nearly all of as many as their depth has, and no more than a decoder's."""
    picture, codes = ramp(given)
    seen = np.unique(np.rint(picture[..., 0] * 219 * 2 ** (given - 8)).astype(int) + 16 * 2 ** (given - 8))
    place = tmp_path / f"ramp{suffix}"
    write_movie(place, [picture], codec, options={} if codec.startswith(("ffv1", "prores")) else {"crf": "0"})
    command = ["ffmpeg", "-v", "error", "-i", str(place), "-vf", "extractplanes=y", "-f", "rawvideo"]
    depth = {"prores-4444": 12}.get(codec, given)
    raw = subprocess.run([*command, "-pix_fmt", LAYOUTS[depth], "-"], capture_output=True, check=True).stdout
    found = np.unique(np.frombuffer(raw, "<u2").astype(int) >> (depth - given))
    assert CODECS[codec].depth == given
    assert len(np.intersect1d(found, seen)) >= least * len(seen)
    assert len(seen) <= len(codes)
    mine = Movie(place).frame().code
    assert np.abs(mine - np.clip((picture * 219 + 16) * 2 ** (given - 8) / (2**given - 1), 0, 1)).max() < 0.02
