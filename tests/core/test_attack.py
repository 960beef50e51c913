"""Files made to kill, stall or fill: each is read, or refused with a sentence, within a stated time and memory."""

import json
import os
import pickle
import resource

import pytest

from tests.attack import CUTS, FOOTAGE, LOOKS, TABLES
from upwelling.core.apart import READERS as APART
from upwelling.core.apart import ReadingFailed, read_apart
from upwelling.core.cut import BadCut, read_cut
from upwelling.core.errors import UpwellingError
from upwelling.core.lut.formats.cdl import parse_cdl
from upwelling.core.media import looked_at, open_footage
from upwelling.core.path.look_recipe import LookRecipe
from upwelling.core.recognise import signal_facts
from upwelling.core.tables.files import read_lut

SECONDS, MEBIBYTES = 30, 3000
"""What one of them may take beyond what the process has already; a 16-bit still of 112 million pixels takes 2 GB."""


def _footage(place):
    signal_facts(looked_at(open_footage(place)).stills)


def _look(place):
    return (LookRecipe.from_text if place.suffix == ".json" else parse_cdl)(place.read_bytes())


READERS = {"footage": (FOOTAGE, _footage), "table": (TABLES, read_lut), "look": (LOOKS, _look)}


def attempt(read, place):
    """What came of reading in a process of its own, its seconds of processor time, which no other process takes from
    it, and its mebibytes.
    """
    ear, mouth = os.pipe()
    child = os.fork()
    if child == 0:
        resource.setrlimit(resource.RLIMIT_CPU, (2 * SECONDS, 2 * SECONDS))
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
    _, status, used = os.wait4(child, 0)
    with os.fdopen(ear, "rb") as stream:
        data = stream.read()
    said, memory = pickle.loads(data) if data else (f"died: {status}", 0)
    return said, used.ru_utime + used.ru_stime, memory


@pytest.mark.slow
def test_hostile_cuts_are_read_or_refused_and_name_the_event(tmp_path):
    """Values of wrong kinds at every place of a timeline, and lists made for slow patterns: none ends the process that
    asked, none is beyond what is stored, and none takes longer than its reader is given.
    """
    said = {}
    for name, data in CUTS.items():
        place = tmp_path / name
        place.write_bytes(data)
        try:
            cut = read_cut(place)
        except BadCut as error:
            said[name] = str(error)
            assert len(said[name]) < 400
            continue
        assert 1 <= cut.rate <= 1000
        for event in cut.events:
            assert 0 <= event.frames <= 10**9
            assert max(abs(event.start), abs(event.record)) <= 2 * 10**9
            assert event.label(event.record)
            json.dumps([event.name, event.reel, event.file, event.notes]).encode()
    assert not [text for text in said.values() if "seconds" in text or "GiB" in text]
    assert "ended its reader" in said["null-tracks.otio"] or "cannot be read" in said["null-tracks.otio"]
    assert "event 1 cannot be read" in said["speed-7.otio"]


@pytest.mark.parametrize(
    ("ends", "words"),
    [
        ("__import__('os').kill(__import__('os').getpid(), 11)", "ended its reader"),
        ("[0] * 10**9", "more than 2 GiB"),
        ("[n for n in iter(int, 1)]", "took more than"),
    ],
)
def test_what_kills_a_reader_is_refused_in_words(monkeypatch, ends, words):
    monkeypatch.setitem(APART, "cut", "builtins:eval")
    monkeypatch.setattr("upwelling.core.apart.CPU_SECONDS", 1)
    with pytest.raises(ReadingFailed, match=words):
        read_apart("cut", "x.otio", ends)


@pytest.mark.slow
@pytest.mark.parametrize(("kind", "name"), [(kind, name) for kind, (files, _) in READERS.items() for name in files])
def test_it_is_read_or_refused_in_time(kind, name, tmp_path):
    files, read = READERS[kind]
    (tmp_path / name).write_bytes(files[name]())
    said, seconds, memory = attempt(read, tmp_path / name)
    assert said == "read" or said.startswith("refused: "), said
    assert seconds < SECONDS
    assert memory < MEBIBYTES
    assert len(said) < 500
