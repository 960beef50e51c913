"""Which tables hold: encoding × output × kind of table, each baked, written, read back and verified, with its figures
and a pass mark.

    python benchmarks/tables.py                                # all encodings and outputs below, full range,
    Kilnlight's scenes as the pictures python benchmarks/tables.py --range legal --outputs "BT.709 BT.1886" --encodings
    "S-Log3/S-Gamut3.Cine" python benchmarks/tables.py --pictures FOLDER              # also with real pictures: EXR
    files of linear BT.709, coded for each camera

Figures are ΔE (2000 on SDR outputs, ITP on HDR ones) under the product's own tolerances; a figure above its limit is
marked with “!”. “hunted” is the worst place a search found anywhere in the cube.
"""

from __future__ import annotations

import argparse
import tempfile
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path as FilePath
from typing import Any

import numpy as np

from upwelling.core.bake.make import bake
from upwelling.core.bake.order import BakeOrder
from upwelling.core.bake.receivers import plain_receiver
from upwelling.core.colour.primaries import primaries, rgb_to_rgb
from upwelling.core.media import read_still
from upwelling.core.outputs import output
from upwelling.core.path import Display, Input, Path
from upwelling.core.proof.samples import FrameSample
from upwelling.core.proof.solver import solve
from upwelling.core.proof.tolerances import tolerances_for
from upwelling.core.proof.verify import verify
from upwelling.core.simulate.shipped import SCENES, shipped_at
from upwelling.core.tables.files import write_lut
from upwelling.core.tables.formats import FORMATS

ENCODINGS = (
    "S-Log3/S-Gamut3.Cine",
    "V-Log/V-Gamut",
    "LogC3 EI 800/Wide Gamut 3",
    "LogC4/Wide Gamut 4",
    "C-Log3/Cinema Gamut",
    "F-Log2/F-Gamut",
    "N-Log/BT.2020",
    "Apple Log/BT.2020",
    "D-Log/D-Gamut",
    "HLG/BT.2020",
)
SDR = ("BT.709 BT.1886", "P3-D65 gamma 2.6", "Display P3", "sRGB")
HDR = ("BT.2100 PQ 1000", "BT.2100 HLG 1000")
PIXELS = 8000
WIDTH, HEIGHT = 640, 360


@dataclass(frozen=True)
class Kind:
    """A kind of table: what it is called here, and what of the order it stands for."""

    name: str
    size: int
    interpolation: str
    entries: str = "sampled"
    solved: bool = False

    def order(self, encoding: str, target: str, code_range: str) -> BakeOrder:
        receiver = plain_receiver(self.size, code_range).model_copy(update={"interpolation": self.interpolation})  # type: ignore[arg-type]
        path = Path(input=Input(encoding=encoding), display=Display(output=target))
        return BakeOrder(
            path=path, receiver=receiver, format="clf" if self.solved else "cube", size=self.size, entries=self.entries
        )  # type: ignore[arg-type]


SDR_KINDS = (
    Kind("33 tetrahedral", 33, "tetrahedral"),
    Kind("33 tetrahedral, fitted", 33, "tetrahedral", "fitted"),
    Kind("33 trilinear", 33, "trilinear"),
    Kind("33 trilinear, fitted", 33, "trilinear", "fitted"),
    Kind("65 tetrahedral", 65, "tetrahedral"),
    Kind("65 trilinear", 65, "trilinear"),
    Kind("17 tetrahedral, fitted", 17, "tetrahedral", "fitted"),
    Kind("17 trilinear, fitted", 17, "trilinear", "fitted"),
)
HDR_KINDS = (
    Kind("33 tetrahedral, fitted", 33, "tetrahedral", "fitted"),
    Kind("65 tetrahedral", 65, "tetrahedral"),
    Kind("65 tetrahedral, solved shaper", 65, "tetrahedral", solved=True),
)


def pictures(folder: str) -> dict[str, Any]:
    """Working light (N, 3) by name: pixels of Kilnlight's scenes, and of the EXR files in a folder if one is given."""
    rng = np.random.default_rng(20130)
    found = {name: shipped_at(name, WIDTH, HEIGHT).reshape(-1, 3) for name in SCENES}
    if folder:
        matrix = rgb_to_rgb(primaries("BT.709"), primaries("AP1"), "CAT02").T
        found |= {
            place.stem: read_still(place).code[..., :3].reshape(-1, 3) @ matrix
            for place in sorted(FilePath(folder).glob("*.exr"))
        }
    return {name: rgb[rng.choice(len(rgb), min(PIXELS, len(rgb)), replace=False)] for name, rgb in found.items()}


def frames(order: BakeOrder, lights: dict[str, Any]) -> Iterator[FrameSample]:
    for name, rgb in lights.items():
        codes = np.nan_to_num(order.code_of_working(rgb))
        outside = float(np.mean(((codes < -1e-6) | (codes > 1 + 1e-6)).any(axis=-1)))
        yield FrameSample(name, np.round(np.clip(codes, 0, 1) * 65535) / 65535, outside)


def row(order: BakeOrder, kind: Kind, lights: dict[str, Any], folder: FilePath) -> tuple[str, bool]:
    """One line of figures, and whether the table holds."""
    tested, limits = list(frames(order, lights)), tolerances_for(order.judge.target.is_hdr)
    start = time.perf_counter()
    if kind.solved:
        best = solve(order, frames=tested, tolerances=limits).best
        order = order.model_copy(update=best.wish)
    place = folder / f"table{FORMATS[order.format].ending}"
    write_lut(bake(order), place)
    made = time.perf_counter() - start
    certificate = verify(place, order, frames=tested, tolerances=limits)
    figures = " ".join(
        f"{found:6.2f}{'!' if found is not None and found > limit else ' '}" for _, found, limit in certificate.held_to
    )
    mark = {"holds": "holds", "holds within the tested pictures": "pictures"}.get(certificate.verdict, "NO")
    return f"{kind.name:30} {figures}  {mark:8} {made:5.1f} s", certificate.usable


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--pictures", default="", help="a folder of EXR files, linear BT.709")
    parser.add_argument("--range", default="full", choices=("full", "legal"))
    parser.add_argument("--encodings", nargs="*", default=ENCODINGS)
    parser.add_argument("--outputs", nargs="*", default=(*SDR, *HDR))
    parser.add_argument("--kinds", nargs="*", default=(), help="only kinds whose name begins with one of these")
    asked = parser.parse_args()
    lights = pictures(asked.pictures)
    tried = held = 0
    with tempfile.TemporaryDirectory() as folder:
        for target in asked.outputs:
            hdr = output(target).is_hdr
            print(
                f"\n{target}, {asked.range} range, ΔE {'ITP' if hdr else '2000'}\n{'':30} neutral frm 99  frm max "
                "median all 99  hunted"
            )
            for encoding in asked.encodings:
                print(encoding)
                for kind in HDR_KINDS if hdr else SDR_KINDS:
                    if asked.kinds and not kind.name.startswith(tuple(asked.kinds)):
                        continue
                    text, holds = row(kind.order(encoding, target, asked.range), kind, lights, FilePath(folder))
                    print(f"  {text}", flush=True)
                    tried, held = tried + 1, held + holds
    print(f"\n{held} of {tried} tables hold.")


if __name__ == "__main__":
    main()
