"""Baking and verifying: right tables hold, and wrong ones are found with their cause."""

import json

import colour
import numpy as np
import pytest

from tests.core.bakes import BY_NAME, PROGRAM, baked, make, one_wrong, order
from tests.core.witness import ffmpeg_lut3d
from upwelling.core import engine
from upwelling.core.bake import BakeOrder, bake
from upwelling.core.bake.receivers import plain_receiver
from upwelling.core.errors import BadLut
from upwelling.core.lut import Lut3D
from upwelling.core.proof import Certificate, Tolerances, frame_sample, verify
from upwelling.core.proof.hunt import grid_of, hunt
from upwelling.core.proof.lut_box import LutBox
from upwelling.core.proof.samples import read_frames, write_frames
from upwelling.core.tables.files import read_lut


# A legal table spends a seventh of its grid on codes below black and above white, so it needs the finer grid.
@pytest.mark.slow
@pytest.mark.parametrize(("side", "size"), [("full", 33), ("legal", 65)])
@pytest.mark.parametrize("name", ["S-Log3/S-Gamut3.Cine", "V-Log/V-Gamut", "LogC3 EI 800/Wide Gamut 3"])
def test_a_right_table_holds(tmp_path, name, side, size):
    one = order(size, make(name), side, entries="fitted" if size <= 36 else "sampled")
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
        (one_wrong((5, 9, 7), 0.1), "1 of 35 937 grid points are not what the path says, the worst at index 5, 9, 7"),
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
def test_the_hunt_findsone_wrong_node_in_65(tmp_path, seed):
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


@pytest.mark.slow
def test_frames_count_and_travel(tmp_path):
    one, picture = order(33), np.random.default_rng(1).uniform(0.2, 0.5, (120, 200, 3))
    frames = [frame_sample(one, "gathering", picture), frame_sample(one, "yard", picture[:10] + 0.4)]
    place = baked(tmp_path, one)
    certificate = verify(place, one, frames=frames)
    assert {s.name: s.count for s in certificate.sets}["frame: gathering"] == 15_000
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


@pytest.mark.slow
def test_progress_and_cancel():
    said = []
    bake(order(17), progress=lambda done, message: said.append(done))
    assert said[-1] == 1.0
    assert said == sorted(said)

    def stop(done, message):
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        bake(order(5), progress=stop)


@pytest.mark.slow
def test_certificate_is_plain_json(tmp_path):
    one = order(9)
    certificate = verify(baked(tmp_path, one), one)
    body = json.loads(certificate.model_dump_json())
    assert body["upwelling_certificate"] == 2
    assert len(body["lut_sha256"]) == len(body["fingerprint"]) == 64
    assert certificate.bake_order.fingerprint == body["fingerprint"]
