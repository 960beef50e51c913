"""Every reader on damaged files: flipped bytes, cuts and noise. Only UnreadableFile may come out, soon and within memory."""

import random
import resource
import time

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.core.test_raw import PROFILE, mosaic_of, scene
from upwelling.core.errors import UnreadableFile
from upwelling.core.media import dng, open_footage, write_still
from upwelling.core.media.movie_write import write_movie

PICTURE = np.random.default_rng(1).random((48, 64, 3)).astype(np.float32)
KINDS = ["a.png", "a.jpg", "a.tif", "a.exr", "a.dpx", "a.dng", "prores-422.mov", "h264-8.mp4", "h265-10.mp4", "ffv1-10.mkv", "dnxhr-hqx.mxf"]


@pytest.fixture(scope="module")
def whole(tmp_path_factory):
    """One good file of each kind, by name, as bytes."""
    folder = tmp_path_factory.mktemp("whole")
    for name in KINDS:
        if name == "a.dng":
            dng.write(folder / name, mosaic_of(scene(48, 64)), PROFILE, black=512, white=15871)
        elif name.startswith("a."):
            write_still(folder / name, PICTURE, "8" if name in ("a.png", "a.jpg", "a.tif") else None)
        else:
            big = np.repeat(np.repeat(PICTURE, 4, axis=0), 4, axis=1) if "dnx" in name else PICTURE
            write_movie(folder / name, [big] * 3, name.split(".")[0])
    return {name: (folder / name).read_bytes() for name in KINDS}


def attempt(path):
    """Opens, reads facts and the last frame; a refusal is fine, anything else is a fault."""
    started = time.monotonic()
    said = "a sentence"
    try:
        footage = open_footage(path)
        code = footage.frame(footage.facts.frames - 1).code
        assert code.ndim == 3
        assert code.shape[-1] == 3
    except UnreadableFile as error:
        said = str(error)
    assert said
    assert "\n" not in said
    assert time.monotonic() - started < 20


@pytest.mark.parametrize("name", KINDS)
def test_flips_and_cuts(whole, name, tmp_path):
    data, rng = whole[name], random.Random(name)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    place = tmp_path / name
    place.write_bytes(data)
    attempt(place)
    for turn in range(60):
        broken = bytearray(data)
        if turn % 3 == 0:
            broken = broken[: rng.randrange(1, len(data))]
        for _ in range(rng.choice([1, 2, 8, 40])):
            reach = len(broken) if turn % 2 else min(len(broken), 2048)
            broken[rng.randrange(reach)] = rng.randrange(256)
        place.write_bytes(bytes(broken))
        attempt(place)
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 3_000_000  # kB


@given(name=st.sampled_from(KINDS), tail=st.binary(max_size=400), keep=st.integers(8, 600))
@settings(max_examples=80, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_a_true_beginning_and_noise(whole, tmp_path, name, tail, keep):
    place = tmp_path / name
    place.write_bytes(whole[name][:keep] + tail)
    attempt(place)
