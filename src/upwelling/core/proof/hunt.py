"""The hunt for the worst place of a table: every grid point and every cell's middle first, then ever nearer around the
largest errors.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core import engine
from upwelling.core.arrays import Float64
from upwelling.core.bake.display_cube import display_cube
from upwelling.core.bake.make import cube
from upwelling.core.bake.order import BakeOrder
from upwelling.core.bake.shaper import shaper_for, unshaped
from upwelling.core.lut import Lut1D, Lut3D, ProcessList
from upwelling.core.lut.process import TableNode
from upwelling.core.operations.exact import exact
from upwelling.core.proof.lut_box import LutBox
from upwelling.core.proof.pictures import SEED

SCREENED = 384
"""Grid points and cell middles, of each the ones furthest off in code, whose ΔE is found exactly."""
STARTS, TRIES, MOST_ROUNDS, GROWTH = 24, 16, 24, 0.01
WRONG_CODE = 6e-4
"""A grid point further off than this was not made from the path: sampling, 16-bit entries and seven decimals together
stay below it.
"""


@dataclass(frozen=True, eq=False)
class Grid:
    """A table's grid points: their input codes (N, 3), what the file has there, and their indices."""

    codes: Float64
    entries: Float64
    shape: tuple[int, ...]
    middles: Float64


def grid_of(box: LutBox) -> Grid | None:
    """The grid of a file's one table, through its shaper if it has one; None for formulas and for tables behind other
    nodes.
    """
    lut = box.as_read
    shaper: Lut1D | None = None
    if isinstance(lut, ProcessList):
        tables = [node.lut for node in lut.nodes if isinstance(node, TableNode) and not node.half]
        if (
            len(tables) != len(lut.nodes)
            or not 1 <= len(tables) <= 2
            or (len(tables) == 2 and not isinstance(tables[0], Lut1D))
        ):
            return None
        shaper = tables[0] if len(tables) == 2 and isinstance(tables[0], Lut1D) else None
        lut = tables[-1]
    n = lut.size
    axis, middle = np.linspace(0.0, 1.0, n), (np.arange(n - 1) + 0.5) / (n - 1)
    if shaper is not None:
        axis, middle = unshaped(shaper, axis), unshaped(shaper, middle)
    low, wide = np.array(lut.domain.low), np.array(lut.domain.high) - np.array(lut.domain.low)
    if isinstance(lut, Lut1D):
        return Grid(
            low + wide * np.repeat(axis[:, None], 3, axis=1),
            lut.table.astype(np.float64),
            (n,),
            low + wide * np.repeat(middle[:, None], 3, axis=1),
        )
    return Grid(
        low + wide * _cube(axis), lut.table.reshape(-1, 3).astype(np.float64), (n, n, n), low + wide * _cube(middle)
    )


def grid_of_display_cube(order: BakeOrder, box: LutBox) -> Grid | None:
    """The cube of a file that has it behind formulas, held against the same cube made anew; its grid points are given
    by what is coded for them, as no camera code may come to some of them. None where the file has no such cube.
    """
    nodes = box.as_read.nodes if isinstance(box.as_read, ProcessList) else ()
    lut = nodes[-1].lut if nodes and isinstance(nodes[-1], TableNode) else None
    if not isinstance(lut, Lut3D) or lut.size != order.size:
        return None
    axis = np.linspace(0.0, 1.0, lut.size)
    return Grid(_cube(axis), lut.table.reshape(-1, 3).astype(np.float64), (lut.size,) * 3, np.empty((0, 3)))


def _cube(axis: Float64) -> Float64:
    return np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)


@dataclass(frozen=True, eq=False)
class Found:
    """Places (N, 3) with the exact and the baked code there, and their ΔE."""

    codes: Float64
    exact: Float64
    baked: Float64
    delta_e: Float64

    def best(self, count: int) -> Found:
        """The ``count`` largest errors, worst first."""
        order = np.argsort(self.delta_e)[::-1][:count]
        return Found(self.codes[order], self.exact[order], self.baked[order], self.delta_e[order])

    def with_(self, other: Found) -> Found:
        return Found(
            *(
                np.concatenate([getattr(self, name), getattr(other, name)])
                for name in ("codes", "exact", "baked", "delta_e")
            )
        )


def compare(order: BakeOrder, box: LutBox, codes: Any) -> Found:
    """Exact path and receiver at the same input codes (N, 3)."""
    values = order.snapped(codes)
    right, baked = order.held(exact(order.operations, values)), box.apply(values)
    return Found(values, right, baked, order.judge.apart(order.judge.seen(right), order.judge.seen(baked)))


def wrong_points(order: BakeOrder, grid: Grid) -> tuple[int, Any, float]:
    """Grid points that were not made from the path: how many, the worst one's index, and its ΔE in the file's own
    precision.

    A cube with fitted entries is held against the same fit, made anew, and so is one behind formulas.
    """
    fitted = (order.entries == "fitted" or order.shaper == "display") and grid.shape == (order.size,) * 3
    if fitted:
        made = _made_anew(order).table.reshape(-1, 3).astype(np.float64)
    else:
        made = order.held(engine.run(engine.compile_operations(order.operations), grid.codes)).astype(np.float64)
    off = np.abs(made - grid.entries).max(axis=-1)
    first = np.argsort(off)[::-1][:SCREENED]
    right = made[first] if fitted else order.held(exact(order.operations, grid.codes[first]))
    apart = order.judge.apart(order.judge.seen(right), order.judge.seen(grid.entries[first]))
    really = np.abs(right - grid.entries[first]).max(axis=-1)
    wrong = (
        int((off > WRONG_CODE).sum())
        if len(off) > SCREENED and (off > WRONG_CODE).sum() > SCREENED
        else int((really > WRONG_CODE).sum())
    )
    return wrong, np.unravel_index(first[int(np.argmax(really))], grid.shape), float(apart.max())


def _made_anew(order: BakeOrder) -> Lut1D | Lut3D:
    if order.shaper != "display":
        return cube(order, shaper_for(order), "")
    last = display_cube(order)[-1]
    assert isinstance(last, TableNode)
    return last.lut


def hunt(order: BakeOrder, box: LutBox, grid: Grid | None, known: Found) -> tuple[Found, int]:
    """The worst places found, worst first, and how many samples it took; ``known`` are the worst of the ordinary
    samples.

    Around each start, random steps in a box as large as a cell; where nothing worse is found the box halves, until it
    is smaller than a sixteenth of a cell or the worst grows by less than a hundredth.
    """
    starts, looked = known.best(STARTS), 0
    if grid is not None:
        program = engine.compile_operations(order.operations)
        for codes in (grid.codes, grid.middles):
            made = order.held(engine.run(program, codes))
            off = np.abs(made - box.lut.apply(codes.astype(np.float32), box.receiver.interpolation)).max(axis=-1)
            starts = starts.with_(compare(order, box, codes[np.argsort(off)[::-1][:SCREENED]]))
            looked += len(codes)
    starts = starts.best(STARTS)
    rng = np.random.default_rng(SEED)
    cell = 1.0 / (round(len(grid.codes) ** (1 / 3)) - 1 if grid is not None and len(grid.shape) == 3 else 64)
    reach = np.full(len(starts.codes), cell)
    now = starts
    for _ in range(MOST_ROUNDS):
        before = float(now.delta_e.max())
        steps = rng.uniform(-1.0, 1.0, (len(now.codes), TRIES, 3)) * reach[:, None, None]
        near = np.clip(now.codes[:, None] + steps, 0.0, 1.0)
        tried = compare(order, box, near.reshape(-1, 3))
        looked += len(tried.codes)
        best = tried.delta_e.reshape(len(now.codes), TRIES).argmax(axis=1)
        place = np.arange(len(now.codes)) * TRIES + best
        better = tried.delta_e[place] > now.delta_e
        now = Found(
            *(
                np.where(better if new.ndim == 1 else better[:, None], new, old)
                for new, old in (
                    (tried.codes[place], now.codes),
                    (tried.exact[place], now.exact),
                    (tried.baked[place], now.baked),
                    (tried.delta_e[place], now.delta_e),
                )
            )
        )
        reach = np.where(better, reach, reach / 2)
        if reach.max() < cell / 16 or (
            not better.any() and float(now.delta_e.max()) < before * (1 + GROWTH) and reach.max() < cell / 4
        ):
            break
    return now.best(len(now.codes)), looked
