"""Sections and receivers: tables that join up, what a receiver takes, formulas, what is left out."""

import numpy as np
import pytest

from tests.core.bakes import BY_NAME, PROGRAM, baked, make, order
from upwelling.core.bake import RECEIVERS, BakeOrder, Section, bake
from upwelling.core.bake.native import native_nodes
from upwelling.core.bake.receivers import Receiver, plain_receiver
from upwelling.core.colour.primaries import primaries
from upwelling.core.errors import BadLut, BadValue
from upwelling.core.lut import Lut3D, ProcessList
from upwelling.core.lut.process import TableNode
from upwelling.core.operations.exact import exact
from upwelling.core.packages.naming import table_name
from upwelling.core.path import Layer
from upwelling.core.proof import solve, verify
from upwelling.core.proof.left_out import left_out
from upwelling.core.proof.lut_box import LutBox, rounded
from upwelling.core.proof.samples import sample_sets
from upwelling.core.steps import Exposure, Saturation, SlopeOffsetPower, ToneCurve
from upwelling.core.tables.files import read_lut


def test_samples_cover_the_cube():
    one = BakeOrder(path=make(), receiver=BY_NAME["Monitor box"], size=33)
    sets = sample_sets(one)
    assert len(sets["stratified"]) + len(sets["random"]) >= 100_000
    assert (np.ptp(sets["neutral axis"], axis=1) == 0).all()
    assert np.isin(sets["faces of the cube"], [0, 1]).any(axis=1).all()
    for codes in sets.values():
        np.testing.assert_allclose(codes * 1023, np.round(codes * 1023), atol=1e-9)


@pytest.mark.parametrize(
    ("start", "end"),
    [
        ("camera", "display"),
        ("camera", "input"),
        ("camera", "look"),
        ("trim", "display"),
        ("look", "look"),
        ("rendering", "display"),
        ("trim", "trim"),
    ],
)
@pytest.mark.parametrize("carrier", ["", "S-Log3/S-Gamut3"])
def test_sections_join_up_to_the_whole_path(start, end, carrier):
    """Before the section, the section and what follows it together are the path."""
    path = make(stops=0.4, look=Layer(steps=(SlopeOffsetPower(slope=(1.1, 1, 0.9)),)))
    one = order(17, path, section=Section(start=start, end=end, carrier=carrier))
    codes = np.random.default_rng(4).uniform(0.2, 0.6, (500, 3))
    from upwelling.core.operations import run_reference

    through = run_reference(one.judge.after, run_reference(one.operations, one.table_code(codes)))
    np.testing.assert_allclose(through, path.apply(codes), atol=1e-7)


@pytest.mark.slow
@pytest.mark.parametrize(
    ("body", "words"),
    [
        ({"section": {"start": "rendering", "end": "input"}}, "would end"),
        ({"format": "clf", "receiver": BY_NAME["Monitor box"]}, "Monitor box takes .cube, not"),
        ({"size": 34, "receiver": PROGRAM}, "takes 17, 33, 65"),
        ({"shaper": "adapted"}, "shaper before the cube needs"),
        ({"density": (1, 2)}, "belongs to a shaper"),
        ({"entries": "fitted", "dimensions": 1}, "fitted in a cube"),
        ({"entries": "fitted", "size": 65, "receiver": PROGRAM}, "up to 36 points"),
        ({"size": 1}, "greater than or equal to 2"),
        ({"dimensions": 1, "format": "hald"}, "holds a cube"),
        ({"dimensions": 1, "size": 5000, "receiver": BY_NAME["Camera"]}, "at most 4096"),
        ({"section": {"carrier": "nothing"}}, "no encoding named"),
    ],
)
def test_orders_that_cannot_be(body, words):
    with pytest.raises(BadValue, match=words):
        order(33, **body)


@pytest.mark.slow
@pytest.mark.parametrize(
    ("body", "words"),
    [
        ({"grids": [1]}, "grid of 1"),
        ({"name": ""}, "Name"),
        ({"formats": ["hald"], "grids": [33]}, "Hald"),
        ({"precision": 9}, "Precision"),
    ],
)
def test_receivers_that_cannot_be(body, words):
    with pytest.raises(BadValue, match=words):
        Receiver.checked({"name": "box", **body})


@pytest.mark.parametrize("receiver", RECEIVERS, ids=lambda r: r.name)
def test_the_box_does_what_the_receiver_says(tmp_path, receiver):
    """Depths, precision and edge, against the same done by hand on the plain table."""
    one = BakeOrder(
        path=make(), receiver=receiver, format=receiver.formats[0], size=receiver.sizes(receiver.formats[0])[-1]
    )
    place = baked(tmp_path, one)
    box, codes = LutBox.load(receiver, place), np.random.default_rng(8).random((900, 3))
    lut = read_lut(place)
    cube = lut if isinstance(lut, Lut3D) else lut.nodes[-1].lut
    by_hand = Lut3D(np.asarray(rounded(cube.table, receiver.precision), np.float32)).apply(
        rounded(codes, receiver.input_depth), receiver.interpolation, plain=True
    )
    np.testing.assert_allclose(
        box.apply(codes),
        rounded(by_hand.astype(float), receiver.output_depth),
        atol=1e-6 if not receiver.output_depth else 1.001 / (2**receiver.output_depth - 1),
    )
    beyond = box.interpolated(np.array([[1.2, 0.5, -0.3]]))
    np.testing.assert_allclose(beyond, box.interpolated(np.array([[1.0, 0.5, 0.0]])))


@pytest.mark.slow
def test_carried_straight_on():
    lut = Lut3D(np.stack(np.meshgrid(*[np.linspace(0, 1, 9)] * 3, indexing="ij"), axis=-1).astype(np.float32))
    box = LutBox(plain_receiver(9).model_copy(update={"beyond": "carried on"}), lut)
    np.testing.assert_allclose(box.interpolated(np.array([[1.2, -0.1, 0.5]])), [[1.2, -0.1, 0.5]], atol=1e-5)


def test_a_receiver_refuses_what_it_does_not_take(tmp_path):
    place = baked(tmp_path, order(17))
    for receiver, words in (
        (BY_NAME["Player"], "takes Hald image"),
        (BY_NAME["Camera"], "grids of 33; this file has 17"),
    ):
        with pytest.raises(BadLut, match=words):
            LutBox.load(receiver, place)


@pytest.mark.slow
def test_formulas_are_written_where_the_section_is_one(tmp_path):
    """Camera to working needs no table, a Look of one CDL neither, and both are exact; a rendering is sampled."""
    look = Layer(steps=(SlopeOffsetPower(slope=(1.1, 1, 0.9), power=(1, 1.1, 1), saturation=0.9),))
    for section, kinds in (
        (Section(end="input"), ("Log", "Matrix", "Log")),
        (Section(start="look", end="look"), ("ASC_CDL",)),
        (Section(), ("LUT3D",)),
    ):
        one = order(33, make(look=look), format="clf", section=section)
        lut = bake(one)
        assert lut.kinds == kinds
        if "LUT3D" not in kinds:
            certificate = verify(baked(tmp_path, one), one)
            assert (
                certificate.hunted.delta_e < 0.01
            )  # V-Log's printed constants miss each other at the break by 1e-6 of code; the format has them meet
            assert certificate.grid is None
    assert native_nodes(order(33).operations) is None


@pytest.mark.parametrize(("step", "formulas"), [({"amount": 1.4}, True), ({"amount": 0.3, "spare_skin": 0.5}, False)])
def test_oklab_chroma_is_written_as_formulas(step, formulas):
    """Where all colours are scaled alike; held to the float64 reference, negative light with it."""
    shift = Saturation(**step).work(primaries("AP1"))
    nodes = native_nodes(shift)
    assert (nodes is not None) is formulas
    light = np.random.default_rng(3).uniform(-0.1, 4.0, (4000, 3))
    if nodes:
        np.testing.assert_allclose(ProcessList(tuple(nodes)).apply(light), exact(shift, light), atol=2e-6)


@pytest.mark.slow
@pytest.mark.parametrize(
    "name",
    [
        "S-Log3/S-Gamut3.Cine",
        "C-Log2/Cinema Gamut",
        "N-Log/BT.2020",
        "D-Log/D-Gamut",
        "PQ/BT.2020",
        "HLG/BT.2020",
        "sRGB/BT.709",
        "gamma 2.6/P3-D65",
    ],
)
def test_camera_to_working_needs_no_cube(tmp_path, name):
    """A curve without a formula in the format is a table over all halfs:
    codes far outside 0…1 come through it as well.
    """
    one = order(33, make(name), format="clf", section=Section(end="input"))
    certificate = verify(baked(tmp_path, one), one)
    assert (certificate.grid, certificate.summary) == (None, "Common LUT Format · formulas, no cube")
    assert certificate.hunted.delta_e < 0.05
    assert max(outside.delta_e for outside in certificate.outside) < 0.05
    assert table_name(one, {"name": "A"}).endswith("_formulas.clf")
    kinds = {node.half for node in read_lut(tmp_path / "b.clf").nodes if isinstance(node, TableNode)}
    small = one.model_copy(update={"receiver": one.receiver.model_copy(update={"most_entries": 4096})})
    assert (bake(small).kinds == ("LUT3D",)) == (kinds == {True})
    if kinds:
        with pytest.raises(BadLut, match="at most 4096 entries; this file has 65536"):
            LutBox.load(small.receiver, tmp_path / "b.clf")


@pytest.mark.slow
def test_a_tone_curve_is_a_table_of_one_channel_each(tmp_path):
    curve = ToneCurve(master=((0.0, 0.02), (0.4, 0.42), (1.0, 0.97)), red=((0.0, 0.0), (0.5, 0.53), (1.0, 1.0)))
    one = order(
        33,
        make(look=Layer(steps=(Exposure(stops=0.5), curve))),
        format="clf",
        section=Section(start="look", end="look"),
    )
    assert "LUT3D" not in bake(one).kinds
    assert verify(baked(tmp_path, one), one).hunted.delta_e < 0.05


def test_a_one_dimensional_table_needs_a_yes_for_what_it_leaves_out(tmp_path):
    frame = np.random.default_rng(1).uniform(0.2, 0.6, (30, 40, 3))
    mixing = left_out(order(1024, dimensions=1), frame)
    assert mixing[0].name == "Mixing between channels"
    assert mixing[0].matters
    curves = order(
        4096,
        make(look=Layer(steps=(SlopeOffsetPower(power=(1.2, 1, 1)),))),
        dimensions=1,
        section=Section(start="look", end="look"),
    )
    assert not [one for one in left_out(curves, frame) if one.matters and one.name == "Mixing between channels"]
    assert verify(baked(tmp_path, curves), curves).holds


def test_a_step_no_table_can_carry_is_listed_with_its_cost(monkeypatch):
    """No step is of that kind yet, so one is made to say that it is."""
    monkeypatch.setattr(Saturation, "fits_in_lut", False)
    path, frame = (
        make(look=Layer(steps=(Saturation(id="sat", amount=0.3),))),
        np.random.default_rng(1).uniform(0.35, 0.5, (30, 40, 3)),
    )
    lost = left_out(order(33, path), frame)
    assert [(one.name, one.step, one.matters) for one in lost] == [("Saturation", "sat", True)]
    without = order(33, path, left_out=("sat",))
    assert left_out(without, frame) == []
    with pytest.raises(BadValue, match="No table can carry Saturation"):
        bake(order(33, path))
    with pytest.raises(BadValue, match="No table can carry Saturation"):
        solve(order(33, path))
    np.testing.assert_allclose(bake(without).table, bake(order(33)).table, atol=1e-6)
