"""Plain interpolation kernels: the oracle of the fast one, and its fallback. Tables are (n, n, n, 3), red slowest."""

from __future__ import annotations

from typing import Any

from upwelling.core.kernels import serial


@serial
def _cell(value: Any, n: Any) -> Any:
    """The cell that a value 0…1 lies in, and where in it; beyond, the nearest; not a number counts as 0."""
    held = value if value > 0 else 0.0
    held = (held if held < 1 else 1.0) * (n - 1)
    cell = min(int(held), n - 2)
    return cell, held - cell


@serial
def tetrahedral_plain(image: Any, table: Any, out: Any) -> None:
    """image, out: (N, 3); table (n, n, n, 3). Inputs are held to 0…1; not a number counts as 0."""
    n = table.shape[0]
    for i in range(image.shape[0]):
        (r, fr), (g, fg), (b, fb) = _cell(image[i, 0], n), _cell(image[i, 1], n), _cell(image[i, 2], n)
        for c in range(3):
            near, far = table[r, g, b, c], table[r + 1, g + 1, b + 1, c]
            if fr > fg:
                if fg > fb:
                    v = (
                        near * (1 - fr)
                        + table[r + 1, g, b, c] * (fr - fg)
                        + table[r + 1, g + 1, b, c] * (fg - fb)
                        + far * fb
                    )
                elif fr > fb:
                    v = (
                        near * (1 - fr)
                        + table[r + 1, g, b, c] * (fr - fb)
                        + table[r + 1, g, b + 1, c] * (fb - fg)
                        + far * fg
                    )
                else:
                    v = (
                        near * (1 - fb)
                        + table[r, g, b + 1, c] * (fb - fr)
                        + table[r + 1, g, b + 1, c] * (fr - fg)
                        + far * fg
                    )
            elif fb > fg:
                v = (
                    near * (1 - fb)
                    + table[r, g, b + 1, c] * (fb - fg)
                    + table[r, g + 1, b + 1, c] * (fg - fr)
                    + far * fr
                )
            elif fb > fr:
                v = (
                    near * (1 - fg)
                    + table[r, g + 1, b, c] * (fg - fb)
                    + table[r, g + 1, b + 1, c] * (fb - fr)
                    + far * fr
                )
            else:
                v = (
                    near * (1 - fg)
                    + table[r, g + 1, b, c] * (fg - fr)
                    + table[r + 1, g + 1, b, c] * (fr - fb)
                    + far * fb
                )
            out[i, c] = v


@serial
def trilinear_plain(image: Any, table: Any, out: Any) -> None:
    """As ``tetrahedral_plain``, weighting all eight corners of the cell."""
    n = table.shape[0]
    for i in range(image.shape[0]):
        (r, fr), (g, fg), (b, fb) = _cell(image[i, 0], n), _cell(image[i, 1], n), _cell(image[i, 2], n)
        for c in range(3):
            v00 = table[r, g, b, c] * (1 - fr) + table[r + 1, g, b, c] * fr
            v01 = table[r, g, b + 1, c] * (1 - fr) + table[r + 1, g, b + 1, c] * fr
            v10 = table[r, g + 1, b, c] * (1 - fr) + table[r + 1, g + 1, b, c] * fr
            v11 = table[r, g + 1, b + 1, c] * (1 - fr) + table[r + 1, g + 1, b + 1, c] * fr
            v0 = v00 * (1 - fg) + v10 * fg
            v1 = v01 * (1 - fg) + v11 * fg
            out[i, c] = v0 * (1 - fb) + v1 * fb
