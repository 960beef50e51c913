"""Mistakes made on purpose in making a table or a file of formulas, and the name each is found by."""

import numpy as np
import pytest
from scipy.ndimage import uniform_filter

from tests.core.bakes import PROGRAM, baked, make, order
from upwelling.core.bake import BakeOrder
from upwelling.core.bake.make import bake
from upwelling.core.bake.section import Section
from upwelling.core.lut import Lut3D, ProcessList
from upwelling.core.lut.process import LogNode, MatrixNode
from upwelling.core.path import Correction, RenderingStage
from upwelling.core.proof import verify
from upwelling.core.rendering.bt2390 import Bt2390
from upwelling.core.rendering.reinhard import Reinhard
from upwelling.core.steps import Saturation, WhiteBalance
from upwelling.core.tables.files import write_lut

N = 33
I = np.arange(N)


def taken_at(one, axis):
    """The path at other places of its domain, one axis for all channels."""
    return one.path.apply(np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1))


def rolled(table, step):
    """The rows of a .cube, red fastest, moved by some."""
    flat = table.transpose(2, 1, 0, 3).reshape(-1, 3)
    return flat[np.clip(np.arange(len(flat)) + step, 0, len(flat) - 1)].reshape(N, N, N, 3).transpose(2, 1, 0, 3)


def whiter(one, table):
    """Light of another white: green and blue weaker."""
    light = one.path.target.to_light(table) * np.array([1.0, 0.94, 0.82])
    return one.path.target.to_code(light)


LAYOUT = {
    "half a cell": (lambda one, t: taken_at(one, np.clip(I + 0.5, 0, N - 1) / (N - 1)), "half a cell too high"),
    "middles of cells": (lambda one, t: taken_at(one, (I + 0.5) / N), "middles of 33 cells"),
    "i/N": (lambda one, t: taken_at(one, I / N), "i/33 instead of i/32"),
    "i/(N − 2)": (lambda one, t: taken_at(one, np.minimum(I / (N - 2), 1)), "i/31 instead of i/32"),
    "off by one": (lambda one, t: taken_at(one, np.clip(I + 1, 0, N - 1) / (N - 1)), "one grid point too high"),
    "off by one down": (lambda one, t: taken_at(one, np.clip(I - 1, 0, N - 1) / (N - 1)), "one grid point too low"),
    "a row missing": (lambda one, t: rolled(t, 1), "shifted up by one"),
    "a row too many": (lambda one, t: rolled(t, -1), "shifted down by one"),
    "smoothed": (
        lambda one, t: uniform_filter(t, size=(3, 3, 3, 1), mode="nearest"),
        "mean of its neighbourhood, 3 points wide",
    ),
    "cut off": (
        lambda one, t: t[np.ix_(np.clip(I, 3, 26), np.clip(I, 3, 26), np.clip(I, 3, 26))],
        "Its domain is cut off: codes below 0.094 and above 0.812",
    ),
    "8 bit": (lambda one, t: np.round(t * 255) / 255, "8 bit only"),
    "white": (whiter, "Its white lies at x 0.3"),
}


@pytest.mark.slow
@pytest.mark.parametrize("name", LAYOUT)
def test_a_mistake_in_the_grid_is_named(tmp_path, name):
    one = order(N)
    change, words = LAYOUT[name]
    certificate = verify(baked(tmp_path, one, lambda table: change(one, table).astype(np.float32)), one)
    assert certificate.verdict == "does not hold"
    assert words in certificate.findings[0].cause


def with_rendering(method):
    return order(N, make().model_copy(update={"rendering": RenderingStage(method=method)}))


def adapted(name, encoding="S-Log3/S-Gamut3.Cine"):
    path = make(encoding)
    return order(N, path.model_copy(update={"input": path.input.model_copy(update={"adaptation": name})}))


def corrected():
    path = make()
    held = Correction(name="Match to A-cam", steps=(WhiteBalance(kelvin=7500), Saturation(amount=1.3)))
    return order(N, path.model_copy(update={"input": path.input.model_copy(update={"correction": held})}))


@pytest.mark.slow
@pytest.mark.parametrize(
    ("was", "wanted", "words"),
    [
        (order(N), corrected(), "made without the camera's correction (“Match to A-cam”)"),
        (with_rendering(Reinhard()), order(N), "rendered by Reinhard, extended, not by Rise"),
        (with_rendering(Bt2390()), order(N), "rendered by BT.2390 EETF, not by Rise"),
        (order(N), with_rendering(Reinhard()), "rendered by Rise, not by Reinhard"),
        (adapted("Bradford"), adapted("CAT02"), "White was adapted by Bradford, where the path has CAT02"),
        (order(N, make(stops=-1.3)), order(N), "less by 1.30 stops"),
        (
            order(N, make(output="P3-D65 gamma 2.6")),
            order(N, make(output="Display P3")),
            "gives code for P3-D65 gamma 2.6, not Display P3",
        ),
    ],
)
def test_another_setting_is_named(tmp_path, was, wanted, words):
    certificate = verify(baked(tmp_path, was), wanted)
    assert certificate.verdict == "does not hold"
    assert words in certificate.findings[0].cause


CAMERA = BakeOrder(
    path=make("S-Log3/S-Gamut3.Cine"),
    section=Section(start="camera", end="input", carrier="V-Log/V-Gamut"),
    receiver=PROGRAM,
    format="clf",
    size=33,
)


def written(tmp_path, one, change):
    """A file of formulas with its nodes changed."""
    made = bake(one)
    place = tmp_path / "f.clf"
    write_lut(ProcessList(tuple(change(node) for node in made.nodes), made.title), place)
    return place


def half_a_percent(node):
    if not isinstance(node, LogNode):
        return node
    params = tuple(
        p.model_copy(update={"log_slope": p.log_slope * 1.005})
        if hasattr(p, "model_copy")
        else type(p)(**{**p.__dict__, "log_slope": p.log_slope * 1.005})
        for p in node.params
    )
    return type(node)(node.style, params)


@pytest.mark.slow
def test_formulas_are_held_to_tighter_limits(tmp_path):
    """Right ones hold; a log slope 0.5 % off or a matrix of another adaptation does not,
    and nothing is said of grids.
    """
    right = verify(written(tmp_path, CAMERA, lambda node: node), CAMERA)
    assert right.holds, right.findings
    assert right.tolerances.neutral_max < 0.1
    off = verify(written(tmp_path, CAMERA, half_a_percent), CAMERA)
    assert not off.usable
    assert "formulas are not those of the path" in off.findings[0].cause
    assert not any("grid" in f"{f.cause} {f.change}" for f in off.findings)
    bradford = CAMERA.model_copy(
        update={
            "path": CAMERA.path.model_copy(
                update={"input": CAMERA.path.input.model_copy(update={"adaptation": "Bradford"})}
            )
        }
    )
    # The carrier's own white is the camera's, so that only what lies between two whites tells the two adaptations
    # apart.
    to_working = CAMERA.model_copy(update={"section": Section(start="camera", end="input")})
    other = bradford.model_copy(update={"section": Section(start="camera", end="input")})
    wrong = verify(written(tmp_path, other, lambda node: node), to_working)
    assert not wrong.usable
    assert "White was adapted by Bradford" in wrong.findings[0].cause
    assert any(isinstance(node, MatrixNode) for node in bake(to_working).nodes)


@pytest.mark.slow
def test_a_finding_passes_its_limit_as_it_is_printed(tmp_path):
    for one in (order(17), order(33), order(17, make("S-Log3/S-Gamut3.Cine"))):
        certificate = verify(baked(tmp_path, one), one)
        assert all(round(finding.value, 2) > finding.limit for finding in certificate.findings)


def test_an_honest_table_is_not_accused(tmp_path):
    one = order(9)
    certificate = verify(baked(tmp_path, one), one)
    assert "Between grid points the table strays" in certificate.findings[-1].cause
    assert isinstance(bake(one), Lut3D)


def _along(t, axis):
    return np.take(t, np.clip(I + 1, 0, N - 1), axis)


@pytest.mark.slow
@pytest.mark.parametrize("entries", ["sampled", "fitted"])
@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda t: _along(t, 0), "too high along red alone"),
        (lambda t: _along(t, 2), "too high along blue alone"),
        (lambda t: np.round(t * 255) / 255, "8 bit only"),
        (lambda t: np.clip(t, 0, 1) ** 1.02, "power of 1.02"),
    ],
    ids=["red", "blue", "8 bit", "power"],
)
def test_small_mistakes_are_named_in_sampled_and_in_fitted_tables(tmp_path, entries, change, words):
    one = order(N, entries=entries)
    certificate = verify(baked(tmp_path, one, change), one)
    assert words in " ".join(certificate.reasons_said)


@pytest.mark.slow
@pytest.mark.parametrize("entries", ["sampled", "fitted"])
def test_another_adaptation_is_named(tmp_path, entries):
    """From a tungsten-balanced space adaptation shows; between two D65 ones there is none."""
    path = make("LogC3 EI 800/Wide Gamut 3", output="P3-D65 gamma 2.6")
    one = order(N, path, entries=entries)
    other = path.model_copy(update={"input": path.input.model_copy(update={"adaptation": "Bradford"})})
    certificate = verify(baked(tmp_path, order(N, other, entries=entries)), one)
    assert "White was adapted by Bradford" in " ".join(certificate.reasons_said) or certificate.usable
