"""Every reader on mutated files: only declared errors, within memory and time. `python -m tests.outside.fuzz --count
10000`; 200 each run in the suite.

Each reader works in a process of its own under an address limit, so that a library that crashes is counted and not the
end of the run.
"""

from __future__ import annotations

import argparse
import json
import multiprocessing
import random
import resource
import signal
import tempfile
import time
from collections.abc import Callable
from pathlib import Path as FilePath

import numpy as np

from tests.core.test_raw import PROFILE, mosaic_of, scene
from upwelling.core.errors import UpwellingError
from upwelling.core.lut.formats.cdl import format_cdl, parse_cdl
from upwelling.core.lut.formats.clf import parse_clf
from upwelling.core.lut.formats.clf_write import format_clf
from upwelling.core.lut.formats.cube import format_cube, parse_cube
from upwelling.core.lut.formats.edl import CdlEvent, format_edl, parse_edl
from upwelling.core.lut.process import CdlNode, ExponentNode, LogNode, LogParams, MatrixNode, ProcessList, TableNode
from upwelling.core.lut.table import Lut1D, Lut3D
from upwelling.core.media import open_footage, write_still
from upwelling.core.media.icc import read_profile
from upwelling.core.media.movie_write import write_movie
from upwelling.core.path import Display, Input
from upwelling.core.path import Path as ColourPath
from upwelling.core.path.look_recipe import LookRecipe

MEMORY, SECONDS = 8 * 2**30, 20
"""Address space of a reader's process, most of it the compiler's, and what one file may take."""
PICTURE = np.random.default_rng(1).random((48, 64, 3)).astype(np.float32)
_NUMBERS = (
    b"\0\0\0\0",
    b"\xff\xff\xff\xff",
    b"\x7f\xff\xff\xff",
    b"\xff\xff\xff\x7f",
    b"\x80\0\0\0",
    b"\0\0\0\1",
    b"\1\0\0\0",
)


def mutated(data: bytes, rnd: random.Random) -> bytes:
    """One damage of ten kinds: flips, cuts, stretches lost, doubled, zeroed or overwritten, odd numbers."""
    out, kind, size = bytearray(data), rnd.randrange(10), len(data)
    at = rnd.randrange(size) if rnd.random() < 0.5 else rnd.randrange(min(size, 600))
    length = rnd.choice((1, 2, 4, 16, 64, 512))
    if kind < 4:
        for _ in range(rnd.choice((1, 1, 2, 8))):
            out[rnd.randrange(size) if kind else rnd.randrange(min(size, 600))] ^= 1 << rnd.randrange(8)
    elif kind == 4:
        del out[at:]
    elif kind == 5:
        del out[at : at + length]
    elif kind == 6:
        out[at:at] = out[at : at + length]
    elif kind == 7:
        out[at : at + length] = bytes(min(length, size - at))
    elif kind == 8:
        out[at : at + length] = rnd.randbytes(min(length, size - at))
    else:
        out[at : at + 4] = rnd.choice(_NUMBERS)
    return bytes(out)


def read_footage(place: FilePath) -> None:
    """Facts and two frames."""
    footage = open_footage(place)
    for number in {0, footage.facts.frames - 1}:
        code = footage.frame(number).code
        assert code.ndim == 3
        assert code.shape[-1] == 3
        assert np.isfinite(code).all()


def _text(parse: Callable[[bytes], object]) -> Callable[[FilePath], None]:
    def read(place: FilePath) -> None:
        parse(place.read_bytes())

    return read


def _profile() -> bytes:
    import imagecodecs

    return bytes(imagecodecs.cms_profile("srgb"))


def seeds(folder: FilePath) -> dict[str, tuple[bytes, Callable[[FilePath], None]]]:
    """A good file and its reader, by name; the ending is the file's."""
    from upwelling.core.media import dng

    found: dict[str, tuple[bytes, Callable[[FilePath], None]]] = {}
    for name in ("a8.png", "a16.png", "a.jpg", "a8.tif", "a16.tif", "a.exr", "a.dpx"):
        write_still(
            folder / name,
            PICTURE,
            "8" if "8" in name or name == "a.jpg" else None if name in ("a.exr", "a.dpx") else "16",
        )
    dng.write(folder / "a.dng", mosaic_of(scene(48, 64)), PROFILE, black=512, white=15871)
    for name in ("prores-422.mov", "h264-8.mp4", "h265-10.mp4", "ffv1-10.mkv", "h264-10.mkv"):
        write_movie(folder / name, [PICTURE] * 3, name.split(".")[0])
    for place in folder.iterdir():
        found[place.name] = (place.read_bytes(), read_footage)
    ramp = Lut1D(np.linspace(0, 1, 48, dtype=np.float32).reshape(16, 3))
    nodes = (
        MatrixNode(((1, 0, 0, 0.1), (0, 1, 0, 0), (0, 0, 1, 0))),
        LogNode("cameraLinToLog", (LogParams(10, break_lin=0.01),) * 3),
        ExponentNode("monCurveFwd", (2.4, 2.4, 2.4), (0.055,) * 3),
        CdlNode(),
        TableNode(ramp),
    )
    found["a.cube"] = (format_cube(Lut3D(PICTURE[:3, :9].reshape(3, 3, 3, 3))).encode(), _text(parse_cube))
    found["a.clf"] = (format_clf(ProcessList(nodes, "t", (), "", "", "a", ())).encode(), _text(parse_clf))
    from upwelling.core.lut.formats.cdl import CdlCorrection

    found["a.ccc"] = (
        format_cdl([CdlCorrection("one"), CdlCorrection("two", CdlNode((1.1, 1, 1)))], ".ccc").encode(),
        _text(parse_cdl),
    )
    found["a.edl"] = (
        format_edl("t", [CdlEvent(1, "A001", "clip", 0, 48, CdlNode()), CdlEvent(2, "B001", "clip", 0, 48)]).encode(),
        _text(parse_edl),
    )
    path = ColourPath(input=Input(encoding="S-Log3/S-Gamut3.Cine"), display=Display(output="BT.709 BT.1886"))
    found["recipe.json"] = (path.to_recipe().encode(), _text(ColourPath.from_recipe))
    found["look.json"] = (LookRecipe(name="x").to_text().encode(), _text(LookRecipe.from_text))
    found["a.icc"] = (_profile(), _text(read_profile))
    return found


def attempt(place: FilePath, read: Callable[[FilePath], None]) -> str:
    """“read” or “refused”; raises anything else that comes out, and AssertionError for a sentence that is none."""
    try:
        read(place)
    except UpwellingError as error:
        said = str(error)
        assert said.strip()
        assert "\n" not in said
        return "refused"
    return "read"


def _late(*_: object) -> None:
    raise TimeoutError("took too long")


def work(
    name: str, data: bytes, read: Callable[[FilePath], None], first: int, last: int, folder: str, report: str
) -> None:
    """Attempts of a range of seeds; figures and faults go into ``report``, the seed in hand into its neighbour."""
    read_first = FilePath(folder) / f"{first}-{name}"
    read_first.write_bytes(data)
    attempt(read_first, read)  # compiles what there is to compile before the limit
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    signal.signal(signal.SIGPROF, _late)
    found: dict[str, object] = {"read": 0, "refused": 0, "slowest": 0.0, "faults": []}
    for seed in range(first, last):
        FilePath(report + ".seed").write_text(str(seed))
        place = FilePath(folder) / f"{seed}-{name}"
        place.write_bytes(mutated(data, random.Random(f"{name} {seed}")))
        # Processor time, which no other process takes from it: the machine may be busy.
        began = time.process_time()
        signal.setitimer(signal.ITIMER_PROF, SECONDS)
        try:
            outcome = attempt(place, read)
            found[outcome] += 1  # type: ignore[operator]
        except BaseException as error:  # whatever it is, it is what is looked for
            found["faults"].append((seed, f"{type(error).__name__}: {str(error)[:160]}"))  # type: ignore[attr-defined]
        signal.setitimer(signal.ITIMER_PROF, 0)
        found["slowest"] = max(float(found["slowest"]), time.process_time() - began)  # type: ignore[arg-type]
        place.unlink()
    found["peak MiB"] = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
    FilePath(report).write_text(json.dumps(found))


def run(name: str, data: bytes, read: Callable[[FilePath], None], count: int, folder: FilePath) -> dict[str, object]:
    """All attempts of one reader; a process that dies is begun again after the seed that killed it."""
    total: dict[str, object] = {"read": 0, "refused": 0, "slowest": 0.0, "peak MiB": 0, "faults": []}
    first, report = 0, folder / f"{name}.json"
    while first < count:
        last = min(first + 2000, count)
        report.unlink(missing_ok=True)
        child = multiprocessing.Process(target=work, args=(name, data, read, first, last, str(folder), str(report)))
        child.start()
        child.join()
        if report.exists():
            part = json.loads(report.read_text())
            for key in ("read", "refused"):
                total[key] += part[key]
            for key in ("slowest", "peak MiB"):
                total[key] = max(total[key], part[key])  # type: ignore[call-overload]
            total["faults"] += part["faults"]  # type: ignore[operator]
            first = last
        else:
            seed = int(FilePath(f"{report}.seed").read_text())
            total["faults"].append((seed, f"the process died ({child.exitcode})"))  # type: ignore[attr-defined]
            first = seed + 1
    return total


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--count", type=int, default=10_000)
    parser.add_argument("--only", default="")
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as made, tempfile.TemporaryDirectory() as folder:
        for name, (data, read) in seeds(FilePath(made)).items():
            if options.only in name:
                began = time.monotonic()
                found = run(name, data, read, options.count, FilePath(folder))
                print(
                    f"{name:16} read {found['read']:6} refused {found['refused']:6} slowest {found['slowest']:.2f} s "
                    f"peak {found['peak MiB']} MiB "
                    f"in {time.monotonic() - began:.0f} s; faults {len(found['faults'])} {found['faults'][:6]}",
                    flush=True,
                )  # type: ignore[arg-type, index]


if __name__ == "__main__":
    main()
