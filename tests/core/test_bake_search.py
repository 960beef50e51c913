"""The search for the smallest table that holds, and entries fitted to the path."""

import itertools
import re

import numpy as np
import pytest

from tests.core.bakes import BY_NAME, PROGRAM, baked, make, one_wrong, order
from upwelling.cli.main import main
from upwelling.core.bake import BakeOrder, Section
from upwelling.core.bake.fit_entries import interpolation_weights
from upwelling.core.bake.make import comments
from upwelling.core.bake.shaper import shaper_of
from upwelling.core.lut import Lut3D
from upwelling.core.packages.cdl_part import cdl_part, step_of
from upwelling.core.path import Layer
from upwelling.core.proof import Certificate, Tolerances, frame_sample, solve, verify
from upwelling.core.proof.solver import way_out
from upwelling.core.proof.tolerances import tolerances_for
from upwelling.core.proof.trial import Trial
from upwelling.core.steps import Contrast, Exposure, Ladder, Saturation, SlopeOffsetPower


@pytest.mark.slow
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
    assert solution.summary() == f"{solution.best.summary()} is the smallest that holds."
    strict = solve(_of(one, 33, 65), tolerances=Tolerances(anywhere_max=0.001))
    assert strict.chosen.size == 33
    assert "holds within pictures; somewhere in the cube it strays by" in strict.summary()


def _of(one, *grids, **changed):
    return one.model_copy(
        update={"receiver": one.receiver.model_copy(update={"grids": grids, **changed}), "size": grids[0]}
    )


@pytest.mark.slow
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
        solve(_of(one, 33), tolerances=tight).summary(),
    )
    assert (
        "With tetrahedral interpolation" in solve(_of(one, 65, interpolation="trilinear"), tolerances=tight).summary()
    )
    assert re.search(
        r"Rounding to 8 bit at its output alone is \d+\.\d × a tolerance",
        solve(_of(one, 33, output_depth=8), tolerances=tight).summary(),
    )
    assert re.search(
        r"It would hold with the tolerance “Neutral axis",
        solve(_of(one, 9), tolerances=Tolerances(neutral_max=0.001)).summary(),
    )


@pytest.mark.slow
def test_all_formats_are_crossed():
    """Formulas where the receiver takes them, a shaper only where nothing holds without; another format than the one
    asked for is said.
    """
    working = BakeOrder(path=make(), section=Section(end="input"), receiver=PROGRAM, format="cube", size=33)
    solution = solve(working)
    assert solution.chosen.by_formulas
    assert solution.summary() == "Formulas without a cube hold if you choose Common LUT Format."
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
        ("clf", 65, "display", "sampled"),
        ("clf", 33, "display", "sampled"),
    ]
    assert "65³ behind formulas is the smallest that holds" in found.summary()
    assert "if you choose Common LUT Format" in found.summary()


def test_a_contrast_holds_on_an_hdr_display_behind_formulas_with_more_points():
    path = make("Apple Log/BT.2020", output="BT.2100 PQ 1000")
    trimmed = path.with_layers(trim=Layer(steps=(Contrast(contrast=1.5),)))
    one = _of(BakeOrder(path=trimmed, receiver=PROGRAM, format="clf", size=65), 65)
    trial = Trial(one, [], tolerances_for(True))
    nearest = trial.behind_formulas(65)
    assert not nearest.holds
    assert "With a grid of 129 points, 129³ behind formulas would hold: put 129 among" in way_out(trial, nearest)


def test_where_only_pictures_hold_that_is_said():
    """Random codes of a wide log lie far outside any display; the shipped scenes do not."""
    path = make("LogC4/Wide Gamut 4", output="BT.2100 PQ 1000")
    trial = Trial(_of(BakeOrder(path=path, receiver=PROGRAM, format="clf", size=65), 65), [], tolerances_for(True))
    found = trial.behind_formulas(65)
    assert (found.holds, trial.within_pictures(found)) == (False, True)
    assert "65³ behind formulas holds in the scenes that ship, and errs where hardly" in way_out(trial, found, [found])


@pytest.mark.parametrize(("output", "said"), [("BT.2100 PQ 1000", True), ("BT.709 BT.1886", False)])
def test_a_grid_that_nobody_chose_is_said_where_it_seldom_holds(tmp_path, capsys, output, said):
    order = ["--from", "S-Log3/S-Gamut3.Cine", "--to", output]
    assert main(["bake", str(tmp_path / "a.cube"), *order]) == 0
    assert ("33 points are taken unasked, and on an HDR output" in capsys.readouterr().err) is said
    assert main(["bake", str(tmp_path / "b.cube"), *order, "--size", "33", "--no-fit-entries"]) == 0
    assert "unasked" not in capsys.readouterr().err


@pytest.mark.slow
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


@pytest.mark.slow
@pytest.mark.parametrize(("receiver", "name"), [("Monitor box", "S-Log3/S-Gamut3.Cine"), ("Camera", "V-Log/V-Gamut")])
def test_fitted_entries_bring_a_trilinear_receiver_nearer_to_the_path(tmp_path, receiver, name):
    """Everywhere at once: greys, pictures, the cube as a whole;
    and the fit made anew by the verification is the same.
    """
    one = BakeOrder(
        path=make(name, look=Layer(steps=(SlopeOffsetPower(slope=(1.03, 1, 0.955), saturation=1.06),))),
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
        ("Pictures, 99 % of samples", 0.75),
        ("All samples, median", 1.0),
        ("All samples, 99 %", 0.9),
    ):
        assert figures(after)[title] < most * figures(before)[title], title
    assert fitted.fingerprint != one.fingerprint
    assert fitted.summary().endswith("fitted entries")
    assert "entries fitted to it" in " ".join(comments(fitted))


@pytest.mark.slow
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


@pytest.mark.slow
def test_one_wrong_entry_among_fitted_ones_is_found(tmp_path):
    one = order(17, entries="fitted")
    certificate = verify(baked(tmp_path, one, one_wrong((5, 9, 7), 0.02)), one)
    assert (certificate.grid.wrong, certificate.grid.worst_index) == (1, (5, 9, 7))
    swapped = verify(baked(tmp_path, one, lambda t: t.transpose(2, 1, 0, 3)), one)
    assert "axes are swapped (red and blue)" in swapped.findings[0].cause


@pytest.mark.slow
def test_fitted_entries_go_after_a_shaper_too(tmp_path):
    one = BakeOrder(path=make(output="BT.2100 PQ 1000"), receiver=PROGRAM, format="clf", size=17, shaper="adapted")
    fitted = one.model_copy(update={"entries": "fitted"})
    before, after = (verify(baked(tmp_path, order_), order_) for order_ in (one, fitted))
    assert after.grid.wrong == 0
    assert after.overall.p99 < before.overall.p99


@pytest.mark.slow
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


@pytest.mark.slow
def test_a_density_puts_grid_points_where_it_is_high():
    shaper = shaper_of((1.0, 3.0), 0.5, 9)
    places = np.interp([0.25, 0.75], np.linspace(0, 1, len(shaper.table)), shaper.table[:, 0])
    assert places[0] < 0.2 < places[1]
    assert shaper.table[[0, -1], 0].tolist() == [0, 1]
    assert (np.diff(shaper.table[:, 0]) > 0).all()
    on = np.interp(0.5, np.linspace(0, 1, len(shaper.table)), shaper.table[:, 0]) * 8
    assert on == pytest.approx(round(on), abs=1e-3)


@pytest.mark.slow
def test_the_cdl_part_of_steps():
    part = cdl_part([Exposure(stops=1), SlopeOffsetPower(slope=(1.2, 1, 1), saturation=0.8), Saturation(amount=1.2)])
    assert part.cdl.slope == (1.2, 1, 1)
    assert part.cdl.saturation == 0.8
    assert [s.title for s in part.left_out] == ["Exposure", "Saturation"]
    assert step_of(part.cdl, "warm").slope == (1.2, 1.0, 1.0)
    assert cdl_part([SlopeOffsetPower(slope=(2, 1, 1), strength=0.5), Ladder()]).said is None
