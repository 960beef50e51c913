"""Tables that were declared: evidence of what one is, facts, comparisons, steps and renderings made of one."""

import colour
import numpy as np
import pytest

from tests.core.test_lut import bent
from tests.core.test_lut_formats import ALL_KINDS
from upwelling.core.engine import compile_operations, run
from upwelling.core.errors import BadValue
from upwelling.core.lut import Lut1D, Lut3D, ProcessList, lattice
from upwelling.core.lut.carried import CarriedLut
from upwelling.core.operations import run_reference
from upwelling.core.operations.declared_lut import DeclaredLut
from upwelling.core.outputs import output
from upwelling.core.path import Display, Input, Layer, Path, RenderingStage
from upwelling.core.rendering import LutRendering
from upwelling.core.steps import ColourRange, LutStep
from upwelling.core.tables.evidence import _SAMPLES, evidence
from upwelling.core.tables.facts import compare_luts, measure

RNG = np.random.default_rng(6)


def conversion(size=33):
    """A table from S-Log3 to BT.709 made from the path, and the path."""
    path = Path(input=Input(encoding="S-Log3/S-Gamut3.Cine"), display=Display(output="BT.709 BT.1886"))
    return Lut3D(np.clip(path.apply(lattice(size)), 0, 1).astype(np.float32)), path


def test_evidence_names_a_conversion():
    lut, _ = conversion()
    found = evidence(lut)
    assert found.log_to_display
    assert (found.nearest[0].expects, found.nearest[0].gives, found.nearest[0].codes_legal) == (
        "S-Log3/S-Gamut3.Cine",
        "BT.709 BT.1886 by Rise",
        False,
    )
    assert found.nearest[0].mean_codes < 4
    look = evidence(Lut3D((lattice(9) ** 1.05).astype(np.float32)))
    assert not look.log_to_display
    assert "Look" in " ".join(look.sentences)
    slight = evidence(Lut3D((lattice(33) ** 1.004).astype(np.float32))).nearest[0]
    assert (slight.expects, slight.mean_codes) == (
        "",
        pytest.approx(np.abs(_SAMPLES**1.004 - _SAMPLES).mean() * 1023, rel=0.05),
    )


def test_facts():
    facts = measure(Lut3D(lattice(9).astype(np.float32)))
    assert (facts.roughness_worst, facts.folds, facts.neutral_falls) == (pytest.approx(0, abs=1e-3), 0, (0, 0, 0))
    table = lattice(9).astype(np.float32)
    table[4, 4, 4] += 0.1
    facts = measure(Lut3D(table))
    assert facts.roughness_worst == pytest.approx(0.2 * 1023, rel=1e-4)
    assert facts.kink_at == (0.5, 0.5, 0.5)
    assert measure(Lut3D(table[..., ::-1].copy())).folds > 0.9
    assert measure(Lut1D(np.array([[0, 0, 0], [0.6, 0.6, 0.6], [0.5, 0.5, 0.5]], np.float32))).neutral_falls[0] > 0
    assert measure(ALL_KINDS).nodes == ALL_KINDS.kinds


def test_comparison_against_colour_science():
    one, two = bent(9), bent(9)
    found = compare_luts(one, two, output("BT.709 BT.1886"))
    worst = found.places[:1]
    matrix = colour.RGB_COLOURSPACES["ITU-R BT.709"].matrix_RGB_to_XYZ
    labs = [
        colour.XYZ_to_Lab(np.clip(lut.apply(worst), 0, 1).astype(float) ** 2.4 @ matrix.T, (0.3127, 0.329))
        for lut in (one, two)
    ]
    assert colour.delta_E(*labs, method="CIE 2000")[0] == pytest.approx(found.maximum, rel=1e-3)
    assert compare_luts(one, one, output("sRGB")).maximum == 0


@pytest.mark.parametrize(
    "lut",
    [
        bent(5),
        Lut1D(np.linspace(0, 1, 9)[:, None].repeat(3, 1).astype(np.float32)),
        ProcessList(ALL_KINDS.nodes[:1], "p", identifier="x"),
    ],
)
def test_carried_tables_are_whole_or_refused(lut):
    carried = CarriedLut.of(lut, "a.cube", "0" * 64)
    again = CarriedLut.model_validate_json(carried.model_dump_json())
    x = RNG.random((40, 3))
    np.testing.assert_allclose(again.lut().apply(x), lut.apply(x), atol=1e-6)
    other = CarriedLut.of(Lut3D(bent(5).table * 0.5), "b.cube")
    with pytest.raises(BadValue, match="damaged"):
        other.model_copy(update={"digest": "1" * 64}).lut()


def lut_step(**fields):
    table = Lut3D(np.clip(bent(17).table, 0.05, 0.95))
    return LutStep(
        id="lut",
        lut=DeclaredLut(table=CarriedLut.of(table, "film.cube"), expects="ACEScct/AP1", gives="ACEScct/AP1"),
        **fields,
    )


@pytest.mark.parametrize("step", [lut_step(), lut_step(strength=0.4), lut_step(limit=ColourRange(hue=30))])
@pytest.mark.parametrize("strength", [1.0, 0.5])
def test_the_engine_runs_a_look_with_a_table(step, strength):
    """Holding and blending around a table, against the float64 reference."""
    path = Path(
        input=Input(encoding="V-Log/V-Gamut"),
        look=Layer(steps=(step,), strength=strength),
        display=Display(output="BT.709 BT.1886"),
    )
    codes = RNG.uniform(0.2, 0.7, (300, 3))
    out = np.empty((300, 3), np.float32)
    fast = run(compile_operations(path.operations()), codes, out=out)
    assert fast is out
    np.testing.assert_allclose(fast, run_reference(path.operations(), codes), atol=3e-4)
    back = Path.from_recipe(path.to_recipe())
    assert back.fingerprint == path.fingerprint
    assert back.fingerprint != path.with_layers(look=Layer()).fingerprint


def test_a_conversion_table_as_rendering_is_the_rendering_it_was_made_from():
    lut, path = conversion(65)
    declared = DeclaredLut(table=CarriedLut.of(lut, "c.cube"), expects="S-Log3/S-Gamut3.Cine", gives="BT.709 BT.1886")
    through = path.model_copy(update={"rendering": RenderingStage(method=LutRendering(lut=declared))})
    codes = RNG.uniform(0.3, 0.6, (400, 1)) * np.ones(3) + RNG.uniform(-0.02, 0.02, (400, 3))
    np.testing.assert_allclose(through.apply(codes), path.apply(codes), atol=3e-3)
    with pytest.raises(BadValue, match="SDR"):
        through.model_copy(update={"display": Display(output="BT.2100 PQ 1000")}).segments()


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda t: DeclaredLut(table=t, expects="", gives="ACEScct/AP1"), "at least 1"),
        (lambda t: DeclaredLut(table=t, expects="nothing", gives="ACEScct/AP1"), "no encoding named"),
        (
            lambda t: LutStep(lut=DeclaredLut(table=t, expects="ACEScct/AP1", gives="BT.709 BT.1886")),
            "use it as a Rendering",
        ),
        (
            lambda t: LutRendering(lut=DeclaredLut(table=t, expects="ACEScct/AP1", gives="ACEScct/AP1")),
            "declare the output",
        ),
    ],
)
def test_nothing_runs_undeclared(make, words):
    with pytest.raises(ValueError, match=words):
        make(CarriedLut.of(bent(3), "x.cube"))
