"""Worst samples as colours for the certificate page, and the neutral axis as a plot."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.bake import Certificate
from upwelling.core.operations import run_reference
from upwelling.core.path import Path
from upwelling.web.footage.pictures import range_operations, view_operations

WIDTH, HEIGHT, LEFT, BOTTOM = 1180, 190, 44, 26


def swatches(certificate: Certificate, path: Path) -> list[dict[str, Any]]:
    """Each worst sample with exact and baked colour as hex for an sRGB screen, and codes at the display's depth."""
    top = 2**path.display.depth - 1
    rows = []
    for worst in certificate.worst:
        rows.append({
            "set": worst.set_name, "delta_e": worst.delta_e, "exact": _hex(path, worst.exact), "baked": _hex(path, worst.baked),
            "code": [round(v * 1023) for v in worst.code], "exact_code": [round(v * top) for v in worst.exact],
            "baked_code": [round(v * top) for v in worst.baked],
        })
    return rows


def _hex(path: Path, code: tuple[float, float, float]) -> str:
    signal = run_reference(range_operations(path), np.array(code))
    view = run_reference(view_operations(path), np.clip(signal, 0, 1))
    return "#" + "".join(f"{round(255 * float(v)):02x}" for v in np.clip(view, 0, 1))


def neutral_plot(certificate: Certificate) -> dict[str, Any]:
    """ΔE along the neutral axis: polyline points, the scale's top, and its limit line."""
    errors, codes = certificate.neutral.delta_e, certificate.neutral.codes
    limit = certificate.tolerances.neutral_max
    top = max(max(errors) * 1.15, 0.05)
    top = limit * 1.15 if top > limit * 0.5 and top < limit * 1.15 else top

    def x(code: float) -> float:
        return LEFT + code * (WIDTH - LEFT - 20)

    def y(error: float) -> float:
        return HEIGHT - BOTTOM - error / top * (HEIGHT - BOTTOM - 8)

    return {
        "points": " ".join(f"{x(c):.1f},{y(e):.1f}" for c, e in zip(codes, errors, strict=True)),
        "width": WIDTH, "height": HEIGHT, "left": LEFT, "base": HEIGHT - BOTTOM, "right": WIDTH - 20,
        "limit_y": round(y(limit), 1) if limit <= top else None, "limit": limit,
        "ticks": [{"y": round(y(v), 1), "label": f"{v:.2f}"} for v in (0, top / 2, top)],
        "codes": [{"x": round(x(c / 1023), 1), "label": c} for c in (0, 256, 512, 768, 1023)],
    }
