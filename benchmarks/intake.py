"""Looking at forty files as Intake does, beside ffprobe and an ffmpeg thumbnail of the same files, in one run.

Ours: facts, three frames of a movie, levels, recognition, and both thumbnails. Theirs: ffprobe's facts and one scaled
JPEG. The peers are the command-line programs of Debian's ffmpeg; their start of a process is part of what they cost.
Files: the Kilnlight set at 1600 × 900 (movies 800 × 448), some twice.
"""

from __future__ import annotations

import shutil
import statistics
import subprocess
import tempfile
import time
from pathlib import Path as FilePath

import numpy as np

from upwelling.core.media import Raw, Reading, looked_at, open_footage
from upwelling.core.path import CameraFile, Display, Input
from upwelling.core.path import FilePath as SignalPath
from upwelling.core.raw import RawSettings
from upwelling.core.recognise import FileClues, read_sidecars, recognise_file, recognise_raw, signal_facts
from upwelling.core.simulate.kilnlight_set import TAKES, Studio
from upwelling.web.common.pictures import reduced
from upwelling.web.footage.pictures import as_recorded, thumbnail

COUNT = 40


def ours(place: FilePath) -> None:
    footage = open_footage(place)
    facts = footage.facts
    if isinstance(footage, Raw):
        stills = looked_at(footage)
        recognise_raw(facts, signal_facts(stills))
        path = SignalPath(
            camera=CameraFile(raw=RawSettings(profile=footage.profile), depth=16),
            input=Input(encoding="linear/AP1"),
            display=Display(output="sRGB"),
        )
    else:
        stills = looked_at(footage)
        found = recognise_file(facts, signal_facts(stills), FileClues(place.name, read_sidecars(place)))
        name = found.best.encoding if found.best else "S-Log3/S-Gamut3.Cine"
        path = SignalPath(
            camera=CameraFile(range="legal" if facts.ycbcr else "full", depth=int(facts.depth)),
            input=Input(encoding=name),
            display=Display(output="sRGB"),
        )
        if facts.ycbcr:
            stills = [footage.frame(facts.frames // 2, Reading("legal", facts.tags.matrix))]
    working, _ = reduced(stills[len(stills) // 2].code)
    thumbnail(path, working)
    as_recorded(path, working)


def theirs(place: FilePath, out: FilePath) -> None:
    subprocess.run(
        ["ffprobe", "-v", "error", "-show_streams", "-show_format", "-of", "json", str(place)],
        check=False,
        capture_output=True,
    )
    subprocess.run(
        ["ffmpeg", "-v", "error", "-y", "-i", str(place), "-frames:v", "1", "-vf", "scale=176:-2", str(out)],
        check=False,
        capture_output=True,
    )


def main() -> None:
    if not shutil.which("ffprobe"):
        print("ffprobe is not on this machine (Debian package ffmpeg); the comparison is left out.")
        return
    with tempfile.TemporaryDirectory() as folder:
        studio = Studio()
        files = [studio.write(take, FilePath(folder)) for take in TAKES]
        files = (files + files)[:COUNT]
        ours(files[0])
        times: dict[str, list[float]] = {"ours": [], "theirs": []}
        by_kind: dict[str, list[float]] = {}
        for place in files:
            for name, job in (
                ("ours", lambda p=place: ours(p)),
                ("theirs", lambda p=place: theirs(p, FilePath(folder) / "t.jpg")),
            ):
                start = time.perf_counter()
                job()
                spent = (time.perf_counter() - start) * 1000
                times[name].append(spent)
                if name == "ours":
                    by_kind.setdefault(place.suffix, []).append(spent)
        for name, title in (
            ("ours", "facts, 3 frames, levels, recognition, 2 thumbnails"),
            ("theirs", "ffprobe and one ffmpeg thumbnail"),
        ):
            print(
                f"{title:58} median {statistics.median(times[name]):7.1f} ms   mean {np.mean(times[name]):7.1f} ms a "
                f"file, {COUNT} files"
            )
        for suffix, spent in sorted(by_kind.items()):
            print(f"  ours, {suffix:8} median {statistics.median(spent):7.1f} ms")
        print(f"{'':58} ratio of means {np.mean(times['theirs']) / np.mean(times['ours']):.2f} × their speed")


if __name__ == "__main__":
    main()
