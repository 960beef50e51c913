"""Baking and verifying: right tables hold, wrong ones are found with their cause, receivers do what they are said to
do.
"""

import itertools
import json
import re

import colour
import numpy as np
import pytest

from tests.core.witness import ffmpeg_lut3d
from upwelling.core import engine
from upwelling.core.bake import RECEIVERS, BakeOrder, Section, bake
from upwelling.core.bake.fit_entries import interpolation_weights
from upwelling.core.bake.make import comments
from upwelling.core.bake.native import native_nodes
from upwelling.core.bake.receivers import Receiver, plain_receiver
from upwelling.core.bake.shaper import shaper_of
from upwelling.core.errors import BadLut, BadValue
from upwelling.core.lut import Lut3D, ProcessList
from upwelling.core.lut.process import TableNode
from upwelling.core.packages.cdl_part import cdl_part, step_of
from upwelling.core.packages.package import table_name
from upwelling.core.path import Display, Input, Look, Path, Trim
from upwelling.core.proof import Certificate, Tolerances, frame_sample, solve, verify
from upwelling.core.proof.hunt import grid_of, hunt
from upwelling.core.proof.left_out import left_out
from upwelling.core.proof.lut_box import LutBox, rounded
from upwelling.core.proof.samples import read_frames, sample_sets, write_frames
from upwelling.core.proof.tolerances import tolerances_for
from upwelling.core.proof.trial import Trial
from upwelling.core.steps import Exposure, Ladder, Saturation, SlopeOffsetPower, ToneCurve
from upwelling.core.tables.files import read_lut, write_lut

pytestmark = pytest.mark.slow

BY_NAME = {r.name: r for r in RECEIVERS}
PROGRAM = BY_NAME["Grading or editing program"]


def make(name="V-Log/V-Gamut", stops=0.0, output="BT.709 BT.1886", **parts):
    return Path(
        input=Input(encoding=name), trim=Trim(steps=(Exposure(stops=stops),)), display=Display(output=output), **parts
    )


def order(grid=33, path=None, side="full", **fields):
    return BakeOrder.checked(
        {"path": path or make(), "receiver": plain_receiver(min(grid, 129), side), "size": grid, **fields}
    )


def baked(folder, one, change=lambda table: table):
    lut, place = bake(one), folder / ("b" + {"cube": ".cube", "clf": ".clf", "hald": ".png"}[one.format])
    write_lut(lut if isinstance(lut, ProcessList) else type(lut)(change(lut.table.copy()).astype(np.float32)), place)
    return place


# A legal table spends a seventh of its grid on codes below black and above white, so it needs the finer grid.
@pytest.mark.parametrize(("side", "size"), [("full", 33), ("legal", 65)])
@pytest.mark.parametrize("name", ["S-Log3/S-Gamut3.Cine", "V-Log/V-Gamut", "LogC3 EI 800/Wide Gamut 3"])
def test_a_right_table_holds(tmp_path, name, side, size):
    one = order(size, make(name), side)
    certificate = verify(baked(tmp_path, one), one)
    assert certificate.holds, [str(f) for f in certificate.findings]
    assert certificate.overall.count >= 100_000
    assert certificate.neutral.drift < 2e-3
    assert certificate.neutral.falls == (0, 0, 0)
    assert certificate.grid.wrong == 0
    assert {s.name: s for s in certificate.sets}["neutral axis"].maximum < 0.5
    assert (
        certificate.overall.median
        <= certificate.overall.p95
        <= certificate.overall.p99
        <= certificate.overall.maximum
        <= certificate.hunted.delta_e
    )
    assert Certificate.model_validate_json(certificate.model_dump_json()) == certificate


def test_grid_points_are_the_exact_path(tmp_path):
    one = order(9, make(stops=0.5))
    lut = read_lut(baked(tmp_path, one))
    np.testing.assert_allclose(lut.table[3, 5, 2], one.path.apply(np.array([3, 5, 2]) / 8), atol=2e-5)


@pytest.mark.parametrize("output", ["BT.709 BT.1886", "P3-D65 gamma 2.6", "BT.2100 PQ 1000", "BT.2100 HLG 1000"])
def test_sampling_is_near_the_float64_path(output):
    """What ``bake`` promises of the tile engine, over the whole domain."""
    one, codes = order(17, make(output=output)), np.random.default_rng(3).random((4000, 3))
    fast = engine.run(engine.compile_operations(one.operations), codes)
    assert np.abs(one.held(fast) - one.held(one.path.apply(codes))).max() < 1e-4


def test_figures_against_colour_science(tmp_path):
    """The worst sample's ΔE again, with colour-science for the table and for CIEDE2000."""
    one = order(17)
    certificate = verify(baked(tmp_path, one), one)
    worst = certificate.worst[0]
    lut = colour.read_LUT(str(tmp_path / "b.cube"))
    code = lut.apply(np.array(worst.code), interpolator=colour.algebra.table_interpolation_tetrahedral)
    labs = [
        colour.XYZ_to_Lab(
            (np.array(c) ** 2.4) @ colour.RGB_COLOURSPACES["ITU-R BT.709"].matrix_RGB_to_XYZ.T, (0.3127, 0.329)
        )
        for c in (worst.exact, code)
    ]
    assert colour.delta_E(*labs, method="CIE 2000") == pytest.approx(worst.delta_e, rel=2e-3)


def test_hdr_is_judged_by_delta_e_itp(tmp_path):
    """The worst sample's ΔE ITP by colour-science's ICtCp and the sum that Recommendation BT.2124-0 gives: 720·√(ΔI² +
    ΔT² + ΔP²), T = Ct/2.
    """
    one = order(17, make(output="BT.2100 PQ 1000"))
    certificate = verify(baked(tmp_path, one), one)
    assert certificate.metric == "ΔE ITP"
    worst = certificate.worst[0]
    nits = [np.minimum(colour.models.eotf_ST2084(np.array(c)), 1000) for c in (worst.exact, worst.baked)]
    i, t, p = np.subtract(*[colour.RGB_to_ICtCp(n, method="ITU-R BT.2100-2 PQ") for n in nits])
    assert 720 * np.sqrt(i**2 + (t / 2) ** 2 + p**2) == pytest.approx(worst.delta_e, rel=5e-3)


def test_ffmpeg_gets_the_certified_picture(tmp_path):
    one = order(65, make("S-Log3/S-Gamut3.Cine"))
    baked(tmp_path, one)
    picture = np.random.default_rng(2).uniform(0.2, 0.6, (48, 64, 1)).astype(np.float32) * np.ones(3, np.float32)
    np.testing.assert_allclose(
        ffmpeg_lut3d(tmp_path / "b.cube", picture, "tetrahedral"), one.path.apply(picture), atol=1.5e-3
    )


def _fold(table):
    table[20] = table[14]
    return table


def _one_wrong(index, by):
    def change(table):
        table[index] = np.clip(table[index] + by, 0, 1)
        return table

    return change


def _legal(t):
    return (t * 219 + 16) * 4 / 1023


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda t: t.transpose(2, 1, 0, 3), "axes are swapped (red and blue)"),
        (lambda t: t.transpose(1, 0, 2, 3), "axes are swapped (red and green)"),
        (lambda t: t[..., ::-1], "channels are swapped (red and blue)"),
        (lambda t: t[..., [0, 2, 1]], "channels are swapped (green and blue)"),
        (_legal, "output codes are legal range where full is asked for"),
        (lambda t: t ** (2.4 / 2.2), "display gamma of 2.2 where 2.4 is asked for (power 2.4/2.2)"),
        (lambda t: t**1.21, "power of 1.210"),
        (lambda t: t * 1023, "run to 1023"),
        (lambda t: t * 0.97, "made from another path"),
        (lambda t: np.round(t * 31) / 31, "too few digits"),
        (lambda t: np.round(t * 255) / 255, "8 bit only"),
        (_fold, "folds tones over"),
        (_one_wrong((5, 9, 7), 0.1), "1 of 35 937 grid points are not what the path says, the worst at index 5, 9, 7"),
    ],
)
def test_wrong_tables_do_not_hold_and_are_named(tmp_path, change, words):
    one = order(33)
    certificate = verify(baked(tmp_path, one, change), one)
    assert certificate.verdict == "does not hold"
    assert words in " ".join(f"{f} {f.cause}" for f in certificate.findings) or (
        words == "folds tones over" and any(certificate.neutral.falls)
    )


@pytest.mark.parametrize(
    ("other", "words"),
    [
        (order(33, make("S-Log3/S-Gamut3.Cine")), "expects V-Log/V-Gamut code"),
        (order(33, side="legal"), "input and output codes are full range where legal"),
        (order(33, make(output="sRGB")), "gives code for BT.709 BT.1886"),
        (order(33, make(stops=0.4)), "scene light is less by 0.40 stops"),
    ],
)
def test_another_path_does_not_hold(tmp_path, other, words):
    certificate = verify(baked(tmp_path, order(33)), other)
    assert certificate.verdict == "does not hold"
    assert words in str(certificate.findings[0])


@pytest.mark.parametrize("seed", range(6))
def test_the_hunt_finds_one_wrong_node_in_65(tmp_path, seed):
    """A planted error of three 10-bit codes at any grid point, with every ordinary sample taken away."""
    one, rng = order(65), np.random.default_rng(seed)
    index = tuple(rng.integers(1, 64, 3))
    lut = bake(one)
    lut.table[index] = np.where(lut.table[index] > 0.5, lut.table[index] - 0.003, lut.table[index] + 0.003)
    box = LutBox(one.receiver, Lut3D(lut.table))
    from upwelling.core.proof.hunt import compare, wrong_points

    count, place, _ = wrong_points(one, grid_of(box))
    assert (count, tuple(place)) == (1, index)
    lut.table[index] = 1 - lut.table[index]
    box = LutBox(one.receiver, Lut3D(lut.table))
    found, _ = hunt(one, box, grid_of(box), compare(one, box, np.full((4, 3), 0.5)))
    np.testing.assert_allclose(found.codes[0] * 64, index, atol=1)


def test_a_truncated_file_is_named(tmp_path):
    place = baked(tmp_path, order(9))
    place.write_text(place.read_text()[:9000])
    with pytest.raises(BadLut, match="cut short"):
        verify(place, order(9))


@pytest.mark.parametrize(
    ("one", "words"),
    [
        (order(5, receiver=plain_receiver(5).model_copy(update={"grids": (5, 33)})), "larger grid (33)"),
        (BakeOrder(path=make(), receiver=BY_NAME["Monitor box"], size=17), "tetrahedral interpolation"),
        (BakeOrder(path=make(), receiver=PROGRAM.model_copy(update={"precision": 8}), size=65), "Entries of 8 bit"),
        (
            BakeOrder(path=make(), receiver=PROGRAM.model_copy(update={"output_depth": 8, "grids": (65,)}), size=65),
            "8 bit at the receiver",
        ),
    ],
)
def test_honest_tables_that_are_too_coarse_say_why(tmp_path, one, words):
    certificate = verify(baked(tmp_path, one), one, tolerances=Tolerances(neutral_max=0.1))
    text = " ".join(map(str, certificate.findings))
    assert words in text
    assert certificate.grid.wrong == 0
    assert "another path" not in text


def test_frames_count_and_travel(tmp_path):
    one, picture = order(33), np.random.default_rng(1).uniform(0.2, 0.5, (120, 200, 3))
    frames = [frame_sample(one, "gathering", picture), frame_sample(one, "yard", picture[:10] + 0.4)]
    place = baked(tmp_path, one)
    certificate = verify(place, one, frames=frames)
    assert {s.name: s.count for s in certificate.sets}["frame: gathering"] == 20_000
    write_frames(frames, tmp_path / "f.png")
    again = verify(
        place, one, frames=read_frames(tmp_path / "f.png", [(f.name, f.count, f.outside) for f in certificate.frames])
    )
    assert {**again.model_dump(), "made": ""} == {**certificate.model_dump(), "made": ""}
    assert verify(place, one, frames=frames, tolerances=Tolerances(picture_max=1e-6)).verdict == "does not hold"
    within = verify(
        place, one, frames=[frame_sample(one, "grey", np.full((9, 9, 3), 0.4))], tolerances=Tolerances(anywhere_max=1)
    )
    assert within.verdict == "holds within the tested pictures"


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
    path = make(stops=0.4, look=Look(steps=(SlopeOffsetPower(slope=(1.1, 1, 0.9)),)))
    one = order(17, path, section=Section(start=start, end=end, carrier=carrier))
    codes = np.random.default_rng(4).uniform(0.2, 0.6, (500, 3))
    from upwelling.core.operations import run_reference

    through = run_reference(one.judge.after, run_reference(one.operations, one.table_code(codes)))
    np.testing.assert_allclose(through, path.apply(codes), atol=1e-7)


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


def test_formulas_are_written_where_the_section_is_one(tmp_path):
    """Camera to working needs no table, a Look of one CDL neither, and both are exact; a rendering is sampled."""
    look = Look(steps=(SlopeOffsetPower(slope=(1.1, 1, 0.9), power=(1, 1.1, 1), saturation=0.9),))
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
    assert (certificate.grid, certificate.said) == (None, "Common LUT Format · formulas, no cube")
    assert certificate.hunted.delta_e < 0.05
    assert max(outside.delta_e for outside in certificate.outside) < 0.05
    assert table_name("k", "A", one).endswith("_formulas_full.clf")
    kinds = {node.half for node in read_lut(tmp_path / "b.clf").nodes if isinstance(node, TableNode)}
    small = one.model_copy(update={"receiver": one.receiver.model_copy(update={"most_entries": 4096})})
    assert (bake(small).kinds == ("LUT3D",)) == (kinds == {True})
    if kinds:
        with pytest.raises(BadLut, match="at most 4096 entries; this file has 65536"):
            LutBox.load(small.receiver, tmp_path / "b.clf")


def test_a_tone_curve_is_a_table_of_one_channel_each(tmp_path):
    curve = ToneCurve(master=((0.0, 0.02), (0.4, 0.42), (1.0, 0.97)), red=((0.0, 0.0), (0.5, 0.53), (1.0, 1.0)))
    one = order(
        33, make(look=Look(steps=(Exposure(stops=0.5), curve))), format="clf", section=Section(start="look", end="look")
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
        make(look=Look(steps=(SlopeOffsetPower(power=(1.2, 1, 1)),))),
        dimensions=1,
        section=Section(start="look", end="look"),
    )
    assert not [one for one in left_out(curves, frame) if one.matters and one.name == "Mixing between channels"]
    assert verify(baked(tmp_path, curves), curves).holds


def test_a_step_no_table_can_carry_is_listed_with_its_cost(monkeypatch):
    """No step is of that kind yet, so one is made to say that it is."""
    monkeypatch.setattr(Saturation, "fits_in_lut", False)
    path, frame = (
        make(look=Look(steps=(Saturation(id="sat", amount=0.3),))),
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


def test_solver_finds_the_smallest_that_holds(tmp_path):
    one = BakeOrder(
        path=make(),
        receiver=PROGRAM.model_copy(update={"grids": (9, 17, 33, 65), "formats": ("cube",)}),
        format="cube",
        size=9,
    )
    solution = solve(one)
    plain = [t for t in solution.tried if t.entries == "sampled"]
    assert [t.size for t in plain] == [9, 17, 33, 65]
    assert all(a.figures["anywhere_p99"] > b.figures["anywhere_p99"] for a, b in itertools.pairwise(plain))
    assert [t.size for t in solution.tried if t.entries == "fitted"] == [t.size for t in plain if not t.holds]
    best = one.model_copy(update=solution.best.wish)
    assert verify(baked(tmp_path, best), best).holds
    assert solution.said() == f"{solution.best.said()} is the smallest that holds."
    strict = solve(_of(one, 33, 65), tolerances=Tolerances(anywhere_max=0.001))
    assert strict.chosen.size == 33
    assert "holds within pictures; somewhere in the cube it strays by" in strict.said()


def _of(one, *grids, **changed):
    return one.model_copy(
        update={"receiver": one.receiver.model_copy(update={"grids": grids, **changed}), "size": grids[0]}
    )


def test_where_nothing_holds_the_least_change_is_said():
    """Another property of the receiver where one is enough, a limit with its present figure in any case, and rounding
    where no table can.
    """
    one = BakeOrder(
        path=make("S-Log3/S-Gamut3.Cine"),
        receiver=PROGRAM.model_copy(update={"formats": ("cube",)}),
        format="cube",
        size=33,
    )
    tight = Tolerances(neutral_max=0.05)
    assert re.search(
        r"With a grid of 65 points, 65³ would hold; or with the tolerance “Neutral axis, worst sample” at 0\.\d\d "
        r"instead of 0\.05\.",
        solve(_of(one, 33), tolerances=tight).said(),
    )
    assert "With tetrahedral interpolation" in solve(_of(one, 65, interpolation="trilinear"), tolerances=tight).said()
    assert re.search(
        r"Rounding to 8 bit at its output alone is \d+\.\d × a tolerance",
        solve(_of(one, 33, output_depth=8), tolerances=tight).said(),
    )
    assert re.search(
        r"It would hold with the tolerance “Neutral axis",
        solve(_of(one, 9), tolerances=Tolerances(neutral_max=0.001)).said(),
    )


def test_all_formats_are_crossed():
    """Formulas where the receiver takes them, a shaper only where nothing holds without; another format than the one
    asked for is said.
    """
    working = BakeOrder(path=make(), section=Section(end="input"), receiver=PROGRAM, format="cube", size=33)
    solution = solve(working)
    assert solution.chosen.by_formulas
    assert solution.said() == "Formulas without a cube hold if you choose Common LUT Format."
    dark = _of(
        BakeOrder(path=make("Apple Log/BT.2020", output="BT.2100 PQ 1000"), receiver=PROGRAM, format="cube", size=65),
        33,
        65,
    )
    found = solve(dark)
    assert [(t.format, t.size, t.shaper, t.entries) for t in found.tried] == [
        ("cube", 33, "none", "sampled"),
        ("cube", 33, "none", "fitted"),
        ("cube", 65, "none", "sampled"),
        ("clf", 65, "adapted", "sampled"),
        ("clf", 33, "adapted", "sampled"),
        *([("clf", 33, "adapted", "fitted")] if not found.tried[4].holds else []),
    ]
    assert "after a shaper" in found.said()
    assert "if you choose Common LUT Format" in found.said()


def test_a_shaper_that_was_searched_for_is_baked_as_it_was_tried(tmp_path):
    """The figures the solver gives are those the verification finds, and no worse than those of the two likeliest
    shapers.
    """
    one = BakeOrder(
        path=make(output="BT.2100 PQ 1000"), receiver=PROGRAM.model_copy(update={"grids": (17,)}), format="clf", size=17
    )
    frames, said = [frame_sample(one, "grey", np.random.default_rng(5).uniform(0.3, 0.5, (60, 80, 3)))], []
    tried = solve(one, frames=frames, progress=lambda done, message: said.append((done, message))).tried
    plain, found = tried[0], next(t for t in tried if t.shaper == "adapted")
    assert [done for done, _ in said] == sorted(done for done, _ in said)
    assert any("best shaper" in message for _, message in said)
    after = BakeOrder.checked({**one.model_dump(), "shaper": "adapted", "density": found.density})
    certificate = verify(baked(tmp_path, after), after, frames=frames)
    sets = {s.name: s for s in certificate.sets}
    assert sets["neutral axis"].maximum == pytest.approx(found.figures["neutral_max"], rel=0.02)
    assert (certificate.overall.p99, sets["frame: grey"].p99) == (
        pytest.approx(found.figures["anywhere_p99"], rel=0.02),
        pytest.approx(found.figures["picture_p99"], rel=0.02),
    )
    assert Certificate.model_validate_json(certificate.model_dump_json()).bake_order == after
    assert after.fingerprint != after.model_copy(update={"density": ()}).fingerprint
    likely = [
        max(value / limit for _, value, limit in verify(baked(tmp_path, other), other, frames=frames).held_to[:-1])
        for other in (after.model_copy(update={"density": ()}), after.model_copy(update={"density": (1.0, 1.0)}))
    ]
    assert found.share <= 1.01 * min(likely)
    assert found.share < plain.share


def figures(certificate):
    return {title: value for title, value, _ in certificate.held_to}


@pytest.mark.parametrize(("receiver", "name"), [("Monitor box", "S-Log3/S-Gamut3.Cine"), ("Camera", "V-Log/V-Gamut")])
def test_fitted_entries_bring_a_trilinear_receiver_nearer_to_the_path(tmp_path, receiver, name):
    """Everywhere at once: greys, pictures, the cube as a whole;
    and the fit made anew by the verification is the same.
    """
    one = BakeOrder(
        path=make(name, look=Look(steps=(SlopeOffsetPower(slope=(1.03, 1, 0.955), saturation=1.06),))),
        receiver=BY_NAME[receiver],
        size=33,
    )
    rng = np.random.default_rng(4)
    frames = [
        frame_sample(
            one, "picture", np.repeat(rng.uniform(0.2, 0.6, (4000, 1)), 3, axis=1) + rng.normal(0, 0.03, (4000, 3))
        )
    ]
    fitted = one.model_copy(update={"entries": "fitted"})
    before, after = (verify(baked(tmp_path, order_), order_, frames=frames) for order_ in (one, fitted))
    assert after.grid.wrong == 0
    for title, most in (
        ("Neutral axis, worst sample", 0.6),
        ("Own frames, 99 % of samples", 0.75),
        ("All samples, median", 1.0),
        ("All samples, 99 %", 0.9),
    ):
        assert figures(after)[title] < most * figures(before)[title], title
    assert fitted.fingerprint != one.fingerprint
    assert fitted.said().endswith("fitted entries")
    assert "entries fitted to it" in " ".join(comments(fitted))


@pytest.mark.parametrize("interpolation", ["tetrahedral", "trilinear"])
def test_the_fit_mixes_entries_as_the_receiver_does(interpolation):
    """Its weights against the kernels, on any table."""
    codes, table = (
        np.random.default_rng(6).random((500, 3)),
        np.random.default_rng(7).random((9, 9, 9, 3)).astype(np.float32),
    )
    codes[:3] = [[0, 0, 0], [1, 1, 1], [0.5, 0.5, 0.5]]
    places, shares = interpolation_weights(codes, 9, interpolation)
    mixed = (shares[..., None] * table.reshape(-1, 3)[places]).sum(axis=1)
    np.testing.assert_allclose(mixed, Lut3D(table).apply(codes, interpolation, plain=True), atol=2e-6)


def test_one_wrong_entry_among_fitted_ones_is_found(tmp_path):
    one = order(17, entries="fitted")
    certificate = verify(baked(tmp_path, one, _one_wrong((5, 9, 7), 0.02)), one)
    assert (certificate.grid.wrong, certificate.grid.worst_index) == (1, (5, 9, 7))
    swapped = verify(baked(tmp_path, one, lambda t: t.transpose(2, 1, 0, 3)), one)
    assert "axes are swapped (red and blue)" in swapped.findings[0].cause


def test_fitted_entries_go_after_a_shaper_too(tmp_path):
    one = BakeOrder(path=make(output="BT.2100 PQ 1000"), receiver=PROGRAM, format="clf", size=17, shaper="adapted")
    fitted = one.model_copy(update={"entries": "fitted"})
    before, after = (verify(baked(tmp_path, order_), order_) for order_ in (one, fitted))
    assert after.grid.wrong == 0
    assert after.overall.p99 < before.overall.p99


@pytest.mark.parametrize(
    "section",
    [
        Section(end="trim", carrier="S-Log3/S-Gamut3"),
        Section(end="input"),
        Section(start="trim"),
        Section(start="rendering"),
    ],
    ids=str,
)
@pytest.mark.parametrize("output", ["BT.709 BT.1886", "BT.2100 PQ 1000"])
def test_fitted_entries_of_any_section_are_finite_and_no_worse(section, output):
    one = BakeOrder(
        path=make("S-Log3/S-Gamut3.Cine", output=output), section=section, receiver=PROGRAM, size=17, entries="fitted"
    )
    trial = Trial(one, (), tolerances_for(one.judge.target.is_hdr))
    plain, fitted = trial.plain("cube", 17), trial.plain("cube", 17, "fitted")
    assert np.isfinite([v for v in fitted.figures.values() if v is not None]).all()
    assert fitted.figures["anywhere_median"] <= plain.figures["anywhere_median"] + 0.01


def test_a_density_puts_grid_points_where_it_is_high():
    shaper = shaper_of((1.0, 3.0), 0.5, 9)
    places = np.interp([0.25, 0.75], np.linspace(0, 1, len(shaper.table)), shaper.table[:, 0])
    assert places[0] < 0.2 < places[1]
    assert shaper.table[[0, -1], 0].tolist() == [0, 1]
    assert (np.diff(shaper.table[:, 0]) > 0).all()
    on = np.interp(0.5, np.linspace(0, 1, len(shaper.table)), shaper.table[:, 0]) * 8
    assert on == pytest.approx(round(on), abs=1e-3)


def test_the_cdl_part_of_steps():
    part = cdl_part([Exposure(stops=1), SlopeOffsetPower(slope=(1.2, 1, 1), saturation=0.8), Saturation(amount=1.2)])
    assert part.cdl.slope == (1.2, 1, 1)
    assert part.cdl.saturation == 0.8
    assert [s.title for s in part.left_out] == ["Exposure", "Saturation"]
    assert step_of(part.cdl, "warm").slope == (1.2, 1.0, 1.0)
    assert cdl_part([SlopeOffsetPower(slope=(2, 1, 1), strength=0.5), Ladder()]).said is None


def test_progress_and_cancel():
    said = []
    bake(order(17), progress=lambda done, message: said.append(done))
    assert said[-1] == 1.0
    assert said == sorted(said)

    def stop(done, message):
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        bake(order(5), progress=stop)


def test_certificate_is_plain_json(tmp_path):
    one = order(9)
    certificate = verify(baked(tmp_path, one), one)
    body = json.loads(certificate.model_dump_json())
    assert body["upwelling_certificate"] == 2
    assert len(body["lut_sha256"]) == len(body["fingerprint"]) == 64
    assert certificate.bake_order.fingerprint == body["fingerprint"]
