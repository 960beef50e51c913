"""Delivering 1080p: frames a second against ffmpeg's own way to the same codec (decode, lut3d, its scaler, encoder),
the encoder alone, and one worker against two.

Run: python -m benchmarks.deliveries. Ratios in one run; absolute times mean little on a shared machine.
"""

from __future__ import annotations

import subprocess
import tempfile
import time
from fractions import Fraction
from pathlib import Path as FilePath

import numpy as np

from upwelling.core.delivery import cluster
from upwelling.core.delivery.make import order_for, piece_of
from upwelling.core.delivery.presets import preset
from upwelling.core.delivery.run import Here, deliver
from upwelling.core.encodings import encoding
from upwelling.core.lut import Lut3D, lattice
from upwelling.core.lut.formats.cube import format_cube
from upwelling.core.media import open_footage, reading_for
from upwelling.core.media.movie_write import write_movie
from upwelling.core.path import CameraFile, Display, Input, Path

LOG = "S-Log3/S-Gamut3.Cine"
ENCODERS = {
    "ProRes 422 HQ": "-c:v prores -profile:v 3 -pix_fmt yuv422p10le",
    "DNxHR HQX": "-c:v dnxhd -profile:v dnxhr_hqx -pix_fmt yuv422p10le",
    "H.264": "-c:v libx264 -crf 18 -preset medium -x264-params threads=4:mbtree=0 -pix_fmt yuv420p",
}
"""ffmpeg's encoder as ours is opened: with libx264's tree of macroblocks its output would be another and smaller file,
which changes from run to run (core/media/movie_write.py). H.265 is bound by its encoder alone, and left out for time.
"""
FRAMES = 48
"""Two parts of a movie whose frames stand by themselves. One of groups is one part of as many, and two workers have
nothing to share: it is made here alone.
"""


def source(folder: FilePath) -> FilePath:
    """A log movie with texture, grain and movement."""
    rng = np.random.default_rng(0)
    y, x = np.mgrid[0:1080, 0:1920] / 1080
    grain = rng.normal(0, 0.002, (1080, 1920, 1)).astype(np.float32)
    waves = sum(np.sin(x * 2**k * 5 + k) * np.cos(y * 2**k * 4) / 2**k for k in range(5))
    stops = (waves * 2)[..., None] + np.array([0.3, 0.0, -0.3])

    def frames():
        for number in range(FRAMES):
            light = 0.18 * 2 ** np.roll(stops, number * 6, axis=1)
            yield encoding(LOG).from_linear(light) + np.roll(grain, number * 31, axis=0)

    place = folder / "log.mov"
    write_movie(place, frames(), "prores-422", rate=Fraction(24))
    return place


def timed(command: str) -> float:
    begun = time.monotonic()
    subprocess.run(command.split(), check=True, capture_output=True)
    return time.monotonic() - begun


def main() -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = FilePath(name)
        place = source(folder)
        path = Path(
            camera=CameraFile(range="legal", depth=10), input=Input(encoding=LOG), display=Display(output="sRGB")
        )
        full = path.model_copy(update={"camera": CameraFile()})
        table = Lut3D(full.apply(lattice(33).astype(np.float64)).astype(np.float32))
        (folder / "t.cube").write_text(format_cube(table))
        reading = reading_for(open_footage(place), None)
        piece = piece_of(place, path, 0, FRAMES - 1, reading)
        print(f"{FRAMES} frames of 1080p log, ProRes 422 HQ in")
        with cluster.local(1) as one, cluster.local(2) as two:
            engines = {"here": Here(), "1 worker": one, "2 workers": two}
            for engine in engines.values():  # loads what it needs, in every process
                deliver(order_for([piece], preset("ProRes 422 HQ")), folder / "warm.mov", engine=engine).target.unlink()
            for form, encoder in ENCODERS.items():
                order = order_for([piece], preset(form))
                lut = f"lut3d=file={folder}/t.cube:interp=tetrahedral"
                ffmpeg = timed(f"ffmpeg -y -i {place} -vf format=gbrp10le,{lut} {encoder} {folder}/f.mov")
                raw = folder / "raw.nut"
                layout = encoder.split("-pix_fmt ")[1]
                timed(f"ffmpeg -y -i {place} -c:v rawvideo -pix_fmt {layout} {raw}")
                alone = timed(f"ffmpeg -y -i {raw} {encoder} {folder}/f.mov")
                raw.unlink()
                ours = {}
                for title, engine in engines.items():
                    if title != "here" and len(order.parts()) == 1:
                        continue
                    ours[title] = deliver(order, folder / f"x{order.form.ending}", engine=engine).seconds
                    (folder / f"x{order.form.ending}").unlink()
                rates = ", ".join(f"{title} {FRAMES / spent:.1f}" for title, spent in ours.items())
                shared = (
                    f", 2 workers ÷ here {ours['here'] / ours['2 workers']:.2f}, 1 ÷ 2 workers "
                    f"{ours['1 worker'] / ours['2 workers']:.2f}"
                    if "2 workers" in ours
                    else ""
                )
                print(
                    f"{form:15} fps: ffmpeg {FRAMES / ffmpeg:.1f}, its encoder alone {FRAMES / alone:.1f}, {rates}; "
                    f"here ÷ ffmpeg {ffmpeg / ours['here']:.2f}{shared}"
                )


if __name__ == "__main__":
    main()
