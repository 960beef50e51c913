"""Commands on encodings and lookup tables: encodings, bake, verify, inspect."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path as FilePath
from typing import Any

import numpy as np

from upwelling.cli.paths import add_path_options, path_from
from upwelling.core.bake import Certificate, bake, verify
from upwelling.core.encodings import ENCODINGS
from upwelling.core.errors import UnwritableFile
from upwelling.core.files import whole_file
from upwelling.core.lut import Lut3D
from upwelling.core.lut_files import ENDINGS, read_lut, write_lut
from upwelling.core.outputs import OUTPUTS


def add_commands(commands: Any) -> None:
    """Declares encodings, bake, verify and inspect."""
    listing = commands.add_parser("encodings", help="list encodings and outputs, with codes of 0, 18 and 90 %% and sources")
    listing.add_argument("--json", action="store_true")
    listing.set_defaults(run=_encodings)

    baking = commands.add_parser("bake", help="bake the path into a .cube table")
    baking.add_argument("lut", metavar="OUT.cube")
    add_path_options(baking)
    baking.add_argument("--size", type=int, default=33, help="grid points a side (default: 33)")
    baking.add_argument("--report", metavar="FILE.json", help="verify what was written and save the certificate")
    baking.set_defaults(run=_bake)

    verifying = commands.add_parser("verify", help="test a table against the exact path: exit 0 holds, 1 does not, 2 cannot tell")
    verifying.add_argument("lut", metavar="LUT")
    add_path_options(verifying)
    verifying.add_argument("--json", action="store_true")
    verifying.set_defaults(run=_verify)

    inspecting = commands.add_parser("inspect", help="say what a table is and does")
    inspecting.add_argument("lut", metavar="LUT")
    inspecting.add_argument("--json", action="store_true")
    inspecting.set_defaults(run=_inspect)


def _encodings(options: argparse.Namespace) -> int:
    rows: list[dict[str, Any]] = [{
        "name": e.name, "curve": e.curve_name, "primaries": e.primaries_name, "referred": e.referred,
        "default_range": e.default_range, "codes_10bit": [round(e.code_of(r) * 1023, 2) for r in (0.0, 0.18, 0.90)],
        "source": e.source,
    } for e in ENCODINGS.values()]
    outputs: list[dict[str, Any]] = [{"name": o.name, "peak_nits": o.peak_nits, "mid_grey_nits": o.mid_grey_nits, "source": o.source}
               for o in OUTPUTS.values()]
    if options.json:
        print(json.dumps({"encodings": rows, "outputs": outputs}, indent=2, ensure_ascii=False))
        return 0
    print(f"{'encoding':32}{'0 %':>8}{'18 %':>8}{'90 %':>8}   10-bit full-range code; source")
    for row in rows:
        print("{:32}{:8.1f}{:8.1f}{:8.1f}   {}".format(row["name"], *row["codes_10bit"], row["source"]))
    print(f"\n{'output':32}{'peak':>8}{'18 %':>8}           cd/m²; source")
    for out in outputs:
        print(f"{out['name']:32}{out['peak_nits']:8.0f}{out['mid_grey_nits']:8.1f}           {out['source']}")
    return 0


def _bake(options: argparse.Namespace) -> int:
    if FilePath(options.lut).suffix.lower() not in ENDINGS:
        raise UnwritableFile(options.lut, f"tables are written as {', '.join(ENDINGS)}.")
    path = path_from(options)
    lut = bake(path, options.size, title=f"{path.input.encoding} to {path.display.output}")
    write_lut(lut, options.lut)
    if not options.report:
        return 0
    certificate = verify(options.lut, path)
    with whole_file(options.report) as temporary:
        temporary.write_text(certificate.model_dump_json(indent=2) + "\n", encoding="utf-8")
    _say(certificate, sys.stderr)
    return 0


def _verify(options: argparse.Namespace) -> int:
    certificate = verify(options.lut, path_from(options))
    if options.json:
        print(certificate.model_dump_json(indent=2))
    else:
        _say(certificate, sys.stdout)
    return 0 if certificate.holds else 1


def _say(certificate: Certificate, stream: Any) -> None:
    stream.write(f"{certificate.lut_file}: {certificate.verdict}\n")
    for figures in certificate.sets:
        stream.write(f"  {figures.name:20} {figures.count:7d} samples   ΔE 2000 median {figures.median:.3f}   "
                     f"95 % {figures.p95:.3f}   99 % {figures.p99:.3f}   max {figures.maximum:.2f}\n")
    for reason in certificate.reasons:
        stream.write(f"  {reason}\n")


def _inspect(options: argparse.Namespace) -> int:
    lut = read_lut(options.lut)
    table = np.asarray(lut.table, dtype=np.float64)
    ramp = np.repeat(np.linspace(0, 1, 1025)[:, None], 3, axis=1)
    low, high = np.array(lut.domain.low), np.array(lut.domain.high)
    neutral = lut.apply(low + ramp * (high - low)).astype(np.float64)
    facts = {
        "file": FilePath(options.lut).name, "title": lut.title, "dimensions": 3 if isinstance(lut, Lut3D) else 1,
        "size": lut.size, "domain": {"low": list(lut.domain.low), "high": list(lut.domain.high)},
        "lowest": [float(v) for v in table.reshape(-1, 3).min(axis=0)],
        "highest": [float(v) for v in table.reshape(-1, 3).max(axis=0)],
        "entries_at_or_beyond_0_or_1": float(np.mean(((table <= 0) | (table >= 1)).any(axis=-1))),
        "neutral_output": {f"{v:.2f}": [round(float(c), 6) for c in neutral[round(v * 1024)]] for v in (0.0, 0.25, 0.41, 0.5, 0.75, 1.0)},
        "neutral_spread": float((neutral.max(axis=-1) - neutral.min(axis=-1)).max()),
        "neutral_falls": [int(n) for n in (np.diff(neutral, axis=0) < -2e-6).sum(axis=0)],
        "comments": list(lut.comments),
    }
    if options.json:
        print(json.dumps(facts, indent=2, ensure_ascii=False))
        return 0
    for key, value in facts.items():
        print(f"{key.replace('_', ' '):28} {value}")
    return 0
