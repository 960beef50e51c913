"""Writes the spectra that ship, from colour-science's data sets; run again when they are to be others."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

import colour
import numpy as np
from colour.colorimetry import SDS_BASIS_FUNCTIONS_CIE_ILLUMINANT_D_SERIES

NM = np.arange(380, 781, 5)
LIGHTS = ("A", "D50", "D55", "D65", "D75", "FL2", "FL11", "LED-B2", "LED-B3", "LED-V1")
TARGET = Path(__file__).parent.parent / "src/upwelling/core/characterise/spectra.csv"
SG = "ColorCheckerSG - After November 2014"


def main() -> int:
    shape = colour.SpectralShape(380, 780, 5)
    observer = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"].copy().align(shape)
    columns: dict[str, Any] = {f"observer {axis}": observer.values[:, i] for i, axis in enumerate("xyz")}
    for name in LIGHTS:
        columns[f"light {name}"] = colour.SDS_ILLUMINANTS[name].copy().align(shape).values
    for name in ("S0", "S1", "S2"):
        columns[f"daylight {name}"] = SDS_BASIS_FUNCTIONS_CIE_ILLUMINANT_D_SERIES[name].copy().align(shape).values
    for number, sd in enumerate(colour.SDS_COLOURCHECKERS["ISO 17321-1"].values()):
        columns[f"patch {number}"] = sd.copy().align(shape).values
    rows = [",".join(["nm", *columns])]
    rows += [",".join([str(nm), *(f"{values[i]:.6g}" for values in columns.values())]) for i, nm in enumerate(NM)]
    TARGET.write_text("\n".join(rows) + "\n")
    patches = colour.CCS_COLOURCHECKERS[SG].data
    ordered = [f"{column}{row}" for row in range(1, 11) for column in "ABCDEFGHIJKLMN"]
    lines = ["patch,x,y,Y", *(",".join([name, *(f"{v:.6f}" for v in patches[name])]) for name in ordered)]
    TARGET.with_name("patches_140.csv").write_text("\n".join(lines) + "\n")
    return 0


if __name__ == "__main__":
    sys.exit(main())
