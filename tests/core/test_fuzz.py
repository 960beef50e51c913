"""Every reader on damaged files: flipped bytes, cuts and noise.

Only UnreadableFile may come out, soon and within memory.
"""

import time

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.core.test_raw import PROFILE, mosaic_of, scene
from tests.outside import fuzz
from upwelling.core.errors import UnreadableFile
from upwelling.core.media import dng, open_footage, write_still
from upwelling.core.media.movie_write import write_movie

PICTURE = np.random.default_rng(1).random((48, 64, 3)).astype(np.float32)
KINDS = [
    "a.png",
    "a.jpg",
    "a.tif",
    "a.exr",
    "a.dpx",
    "a.dng",
    "prores-422.mov",
    "h264-8.mp4",
    "h265-10.mp4",
    "ffv1-10.mkv",
    "dnxhr-hqx.mxf",
]


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
    started = time.process_time()  # work done, however busy the machine
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
    assert time.process_time() - started < 20


READERS = [
    "a8.png",
    "a16.png",
    "a.jpg",
    "a8.tif",
    "a16.tif",
    "a.exr",
    "a.dpx",
    "a.dng",
    "prores-422.mov",
    "h264-8.mp4",
    "h265-10.mp4",
    "ffv1-10.mkv",
    "h264-10.mkv",
    "a.cube",
    "a.clf",
    "a.ccc",
    "a.edl",
    "recipe.json",
    "look.json",
    "a.icc",
]


@pytest.fixture(scope="module")
def seeds(tmp_path_factory):
    found = fuzz.seeds(tmp_path_factory.mktemp("seeds"))
    assert sorted(found) == sorted(READERS)
    return found


@pytest.mark.slow
@pytest.mark.parametrize("name", READERS)
def test_two_hundred_mutants_of_each_reader(seeds, name, tmp_path):
    """In a process under an address limit: declared errors only, in time.

    `python -m tests.outside.fuzz` makes ten thousand of each.
    """
    found = fuzz.run(name, *seeds[name], 200, tmp_path)
    assert found["faults"] == []
    assert found["read"] + found["refused"] == 200
    assert found["slowest"] < fuzz.SECONDS
    assert found["peak MiB"] < 3000


@given(name=st.sampled_from(KINDS), tail=st.binary(max_size=400), keep=st.integers(8, 600))
@settings(max_examples=80, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_a_true_beginning_and_noise(whole, tmp_path, name, tail, keep):
    place = tmp_path / name
    place.write_bytes(whole[name][:keep] + tail)
    attempt(place)
