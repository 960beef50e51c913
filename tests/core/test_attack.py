"""Files made to kill, stall or fill: each is read, or refused with a sentence, within a stated time and memory."""

import os
import pickle
import resource
import signal
import time

import pytest

from tests.attack import FOOTAGE, LOOKS, TABLES
from upwelling.core.errors import UpwellingError
from upwelling.core.lut.formats.cdl import parse_cdl
from upwelling.core.media import looked_at, open_footage
from upwelling.core.path.look_recipe import LookRecipe
from upwelling.core.recognise import signal_facts
from upwelling.core.tables.files import read_lut

pytestmark = pytest.mark.slow
SECONDS, MEBIBYTES = 30, 3000
"""What one of them may take beyond what the process has already; a 16-bit still of 112 million pixels takes 2 GB."""


def _footage(place):
    signal_facts(looked_at(open_footage(place)).stills)


def _look(place):
    return (LookRecipe.from_text if place.suffix == ".json" else parse_cdl)(place.read_bytes())


READERS = {"footage": (FOOTAGE, _footage), "table": (TABLES, read_lut), "look": (LOOKS, _look)}


def attempt(read, place):
    """What came of reading in a process of its own, its seconds and its mebibytes."""
    ear, mouth = os.pipe()
    begun = time.monotonic()
    child = os.fork()
    if child == 0:
        signal.alarm(2 * SECONDS)
        resource.setrlimit(resource.RLIMIT_AS, (12 * 2**30,) * 2)
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        try:
            read(place)
            said = "read"
        except UpwellingError as error:
            said = f"refused: {error}"
        except BaseException as error:  # what it is, is the finding
            said = f"fell: {type(error).__name__} {error}"[:300]
        os.write(mouth, pickle.dumps((said, (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024)))
        os._exit(0)
    os.close(mouth)
    _, status = os.waitpid(child, 0)
    with os.fdopen(ear, "rb") as stream:
        data = stream.read()
    said, memory = pickle.loads(data) if data else (f"died: {status}", 0)
    return said, time.monotonic() - begun, memory


@pytest.mark.parametrize(("kind", "name"), [(kind, name) for kind, (files, _) in READERS.items() for name in files])
def test_it_is_read_or_refused_in_time(kind, name, tmp_path):
    files, read = READERS[kind]
    (tmp_path / name).write_bytes(files[name]())
    said, seconds, memory = attempt(read, tmp_path / name)
    assert said == "read" or said.startswith("refused: "), said
    assert seconds < SECONDS
    assert memory < MEBIBYTES
    assert len(said) < 500
