"""Traces Kilnlight's scenes and writes them where the package ships them.

Run it when a scene is changed: `python -m scripts.kilnlight.render [NAME …]`, all of them without a name. The four that
stand still take a minute, the one that moves some minutes.
"""

import sys
from pathlib import Path as FilePath
from typing import Any

import av
import numpy as np
import OpenEXR

from upwelling.core import simulate
from upwelling.core.colour.primaries import primaries
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.simulate import shipped
from upwelling.core.simulate.turning_bust import FRAMES

from .bust import turning_bust
from .rooms import SCENES

FOLDER = FilePath(simulate.__file__).parent / "scenes"


def write(name: str, picture: Any) -> None:
    space = primaries("AP1")
    header = {
        "compression": OpenEXR.DWAB_COMPRESSION,
        "type": OpenEXR.scanlineimage,
        "chromaticities": tuple(float(v) for xy in (*space.xy, space.white) for v in xy),
    }
    OpenEXR.File(header, {"RGB": np.ascontiguousarray(picture, dtype=np.float16)}).write(str(FOLDER / name))
    print(f"{name}: {(FOLDER / name).stat().st_size / 1e6:.2f} MB")


def write_moving() -> None:
    """As 10-bit RGB in H.265, which keeps what stands still once; noise of the tracer is the same in every frame."""
    place = FOLDER / shipped.MOVING_FILE
    with av.open(str(place), "w", format="mp4") as container:
        stream = container.add_stream("libx265", rate=24, options={"crf": "10", "x265-params": "log-level=none"})
        stream.width, stream.height, stream.pix_fmt = shipped.MOVING_WIDTH, shipped.MOVING_HEIGHT, "gbrp10le"
        for index in range(FRAMES):
            light = turning_bust(index, shipped.MOVING_WIDTH, shipped.MOVING_HEIGHT, shipped.MOVING_SAMPLES)
            code = np.rint(np.clip(ACESCCT.from_linear(light.astype(np.float64)), 0, 1) * 1023).astype("<u2")
            frame = av.VideoFrame(stream.width, stream.height, "gbrp10le")
            for plane, channel in zip(frame.planes, (1, 2, 0), strict=True):
                rows = np.zeros((stream.height, plane.line_size), np.uint8)
                rows[:, : 2 * stream.width] = np.ascontiguousarray(code[..., channel]).view(np.uint8)
                plane.update(rows.tobytes())
            frame.pts = index
            container.mux(stream.encode(frame))
            print(index, end=" ", flush=True)
        container.mux(stream.encode(None))
    print(f"\n{place.name}: {place.stat().st_size / 1e6:.2f} MB")


def main(names: list[str]) -> None:
    FOLDER.mkdir(exist_ok=True)
    for name, trace in SCENES.items():
        if not names or name in names:
            write(shipped.file_name(name), trace(shipped.WIDTH, shipped.HEIGHT, shipped.SAMPLES))
    if not names or shipped.MOVING in names:
        write_moving()


if __name__ == "__main__":
    main(sys.argv[1:])
