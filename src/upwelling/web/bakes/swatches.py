"""Worst samples as colours for the certificate page, and the neutral axis as a plot."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.bake import BakeOrder
from upwelling.core.operations import run_reference
from upwelling.core.proof import Certificate
from upwelling.web.footage.pictures import light_to_screen

WIDTH, HEIGHT, LEFT, BOTTOM = 700, 170, 44, 26


def depths_said(order: BakeOrder) -> str:
    """The depths in which codes are shown: the receiver's, 10 bit where it works in floating point."""
    into, out = (depth or 10 for depth in (order.receiver.input_depth, order.receiver.output_depth))
    return f"of {into} bit" if into == out else f"in of {into} bit, out of {out} bit"


def swatches(certificate: Certificate, order: BakeOrder) -> list[dict[str, Any]]:
    """Each worst sample with exact and baked colour as hex for an sRGB screen, and codes at the receiver's depths (1023
    for float).
    """
    into, out = (2 ** (depth or 10) - 1 for depth in (order.receiver.input_depth, order.receiver.output_depth))
    judge, target = order.judge, order.path.target
    rows = []
    for worst in certificate.worst:
        light = target.to_light(judge.signal(np.array([worst.exact, worst.baked])))
        exact, baked = (
            ("#" + "".join(f"{round(255 * float(v)):02x}" for v in row))
            for row in np.clip(run_reference(light_to_screen(target), light), 0, 1)
        )
        rows.append(
            {
                "set": worst.set_name,
                "delta_e": worst.delta_e,
                "exact": exact,
                "baked": baked,
                "code": [round(v * into) for v in worst.code],
                "exact_code": [round(v * out) for v in worst.exact],
                "baked_code": [round(v * out) for v in worst.baked],
            }
        )
    return rows


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
        "width": WIDTH,
        "height": HEIGHT,
        "left": LEFT,
        "base": HEIGHT - BOTTOM,
        "right": WIDTH - 20,
        "foot": HEIGHT - 8,
        "limit_y": round(y(limit), 1) if limit <= top else None,
        "limit": limit,
        "ticks": [{"y": round(y(v), 1), "label": f"{v:.2f}"} for v in (0, top / 2, top)],
        "codes": [{"x": round(x(c / 1023), 1), "label": c} for c in (0, 256, 512, 768, 1023)],
    }
