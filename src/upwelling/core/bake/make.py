"""Sampling an order's exact function into a table."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from upwelling.core import engine
from upwelling.core.bake.display_cube import display_cube
from upwelling.core.bake.fit_entries import fitted_entries
from upwelling.core.bake.native import native_nodes
from upwelling.core.bake.order import BakeOrder
from upwelling.core.bake.shaper import shaper_for, unshaped
from upwelling.core.engine.fold import folded
from upwelling.core.lut import Lut, Lut1D, Lut3D, ProcessList, lattice
from upwelling.core.lut.process import HALFS, Node, RangeNode, TableNode
from upwelling.core.tables.formats import FORMATS


def no_report(share: float, message: str) -> None:
    """A progress callback that says nothing."""


Progress = Callable[[float, str], None]
_PLANES = 8


def bake(order: BakeOrder, *, title: str = "", progress: Progress = no_report) -> Lut:
    """The table of an order: a cube or a curve, or process nodes for the Common LUT Format, formulas where the whole
    section has them.

    Samples come from the tile engine in float32, whose distance from the float64 path tests hold below 1e-4 of code;
    what is written is then tested against the float64 path. Raises BadValue while a step that no table can carry is not
    left out.
    """
    order.check_carried()
    if not FORMATS[order.format].nodes:
        made = _curve(order, title) if order.dimensions == 1 else cube(order, None, title, progress)
        progress(1.0, "Sampled")
        return made
    nodes = formulas(order) if order.shaper != "display" else None
    listed: tuple[Node, ...]
    if nodes:
        listed = tuple(nodes)
    elif order.dimensions == 1:
        listed = (TableNode(_curve(order, title)),)
    elif order.shaper == "display":
        listed = display_cube(order)
    else:
        shaper = shaper_for(order)
        listed = cube_after(order, shaper, cube(order, shaper, title, progress)).nodes
    progress(1.0, "Sampled")
    return ProcessList(
        listed,
        title,
        comments(order),
        order.section.input_name(order.path),
        order.section.output_name(order.path),
        f"upwelling-{order.fingerprint[:16]}",
    )


def formulas(order: BakeOrder) -> list[Node] | None:
    """The order's function as process nodes without a cube, or None where it has none or its format holds no nodes."""
    r = order.receiver
    nodes = (
        native_nodes(folded(order.operations), curves=r.precision == 0 and r.most_entries >= HALFS)
        if FORMATS[order.format].nodes
        else None
    )
    if nodes is None or not order.holds_codes or _stays_inside(order):
        return nodes
    return [*nodes, RangeNode(0.0, 1.0, 0.0, 1.0)]


def _stays_inside(order: BakeOrder) -> bool:
    """Whether the exact output stays within 0…1 on a coarse lattice, so that holding it there changes nothing."""
    codes = engine.run(engine.compile_operations(order.operations), lattice(9).reshape(-1, 3))
    return bool((codes >= -1e-6).all() and (codes <= 1 + 1e-6).all())


def comments(order: BakeOrder) -> tuple[str, ...]:
    """What a file says of itself."""
    r, section = order.receiver, order.section
    return (
        f"Baked by Upwelling, fingerprint {order.fingerprint[:16]}",
        f"Carries: {section.title()}",
        f"Expects: {section.input_name(order.path)} code, {r.input_range} range",
        f"Gives: {section.output_name(order.path)} code, {r.output_range} range",
        f"For: {r.name}, {r.interpolation} interpolation"
        + (", entries fitted to it" if order.entries == "fitted" else ""),
        *((f"Leaves out: {', '.join(order.left_out_said)}",) if order.left_out else ()),
        *((f"Stands still at frame {order.frozen}",) if order.frozen is not None else ()),
    )


def cube_after(order: BakeOrder, shaper: Lut1D | None, made: Lut3D) -> ProcessList:
    """A cube, after its shaper if it has one, as process nodes."""
    last = TableNode(made, order.receiver.interpolation)
    return ProcessList((last,) if shaper is None else (TableNode(shaper), last))


def cube(order: BakeOrder, shaper: Lut1D | None, title: str, progress: Progress = no_report) -> Lut3D:
    """The cube, over the shaper's output where there is one; its entries sampled, or fitted."""
    size, program = order.size, engine.compile_operations(order.operations)
    axis = np.linspace(0.0, 1.0, size)
    if shaper is not None:
        axis = unshaped(shaper, axis)
    codes = np.stack(np.meshgrid(*[axis.astype(np.float32)] * 3, indexing="ij"), axis=-1)
    table = np.empty(codes.shape, dtype=np.float32)
    for first in range(0, size, _PLANES):
        some = slice(first, min(first + _PLANES, size))
        table[some] = order.held(engine.run(program, codes[some]))
        progress(some.stop / size, f"Sampling the path, {some.stop} of {size} planes")
    if order.entries == "fitted":
        progress(1.0, f"Fitting the entries to {order.receiver.interpolation} interpolation")
        table = fitted_entries(order, table, shaper)
    return Lut3D(table, title=title, comments=comments(order))


def _curve(order: BakeOrder, title: str) -> Lut1D:
    """Each channel's curve, taken along neutral: what a 1D table can carry of a path."""
    codes = np.repeat(np.linspace(0.0, 1.0, order.size)[:, None], 3, axis=1)
    table = order.held(engine.run(engine.compile_operations(order.operations), codes))
    return Lut1D(np.ascontiguousarray(table, dtype=np.float32), title=title, comments=comments(order))
