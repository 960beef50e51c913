"""Traces Kilnlight's four scenes and writes them where the package ships them.

Run it when a scene is changed; takes a minute.
"""

from pathlib import Path as FilePath

import numpy as np
import OpenEXR

from upwelling.core import simulate
from upwelling.core.colour.primaries import primaries
from upwelling.core.simulate.kilnlight import SCENES
from upwelling.core.simulate.shipped import HEIGHT, SAMPLES, WIDTH, file_name

FOLDER = FilePath(simulate.__file__).parent / "scenes"


def main() -> None:
    space = primaries("AP1")
    header = {
        "compression": OpenEXR.DWAB_COMPRESSION,
        "type": OpenEXR.scanlineimage,
        "chromaticities": tuple(float(v) for xy in (*space.xy, space.white) for v in xy),
    }
    FOLDER.mkdir(exist_ok=True)
    for name, trace in SCENES.items():
        picture = np.ascontiguousarray(trace(WIDTH, HEIGHT, SAMPLES), dtype=np.float16)
        OpenEXR.File(header, {"RGB": picture}).write(str(FOLDER / file_name(name)))
        print(f"{name}: {(FOLDER / file_name(name)).stat().st_size / 1e6:.1f} MB")


if __name__ == "__main__":
    main()
