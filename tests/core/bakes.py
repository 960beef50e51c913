"""Paths, orders and files of tables that tests bake."""

import numpy as np

from upwelling.core.bake import RECEIVERS, BakeOrder, bake
from upwelling.core.bake.receivers import plain_receiver
from upwelling.core.lut import ProcessList
from upwelling.core.path import Display, Input, Layer, Path
from upwelling.core.steps import Exposure
from upwelling.core.tables.files import write_lut

BY_NAME = {r.name: r for r in RECEIVERS}
PROGRAM = BY_NAME["Grading or editing program"]


def make(name="V-Log/V-Gamut", stops=0.0, output="BT.709 BT.1886", **parts):
    return Path(
        input=Input(encoding=name), trim=Layer(steps=(Exposure(stops=stops),)), display=Display(output=output), **parts
    )


def order(grid=33, path=None, side="full", **fields):
    return BakeOrder.checked(
        {"path": path or make(), "receiver": plain_receiver(min(grid, 129), side), "size": grid, **fields}
    )


def baked(folder, one, change=lambda table: table):
    lut, place = bake(one), folder / ("b" + {"cube": ".cube", "clf": ".clf", "hald": ".png"}[one.format])
    write_lut(lut if isinstance(lut, ProcessList) else type(lut)(change(lut.table.copy()).astype(np.float32)), place)
    return place


def one_wrong(index, by):
    def change(table):
        table[index] = np.clip(table[index] + by, 0, 1)
        return table

    return change
