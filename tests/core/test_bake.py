"""Baking and verifying: right tables hold, wrong ones are found, with the cause."""

import json

import colour
import numpy as np
import pytest

from tests.core.witness import ffmpeg_lut3d
from upwelling.core.bake import Certificate, Tolerances, bake, verify
from upwelling.core.bake.sampling import FRAME, sample_sets
from upwelling.core.errors import BadLut, BadValue
from upwelling.core.lut import Domain, Lut1D, Lut3D
from upwelling.core.lut_files import read_lut, write_lut
from upwelling.core.path import CameraFile, Display, Input, Path, Trim
from upwelling.core.steps import Exposure


def make(name="V-Log/V-Gamut", side="full", stops=0.0):
    return Path(camera=CameraFile(range=side), input=Input(encoding=name), trim=Trim(steps=(Exposure(stops=stops),)),
                display=Display(output="BT.709 BT.1886", range=side))


def baked(folder, path, size=33, change=lambda table: table, **fields):
    lut = bake(path, size)
    write_lut(Lut3D(change(lut.table.copy()).astype(np.float32), **fields), folder / "b.cube")
    return folder / "b.cube"


# A legal table spends a seventh of its grid on codes below black and above white, so it needs the finer grid.
@pytest.mark.parametrize(("side", "size"), [("full", 33), ("legal", 65)])
@pytest.mark.parametrize("name", ["S-Log3/S-Gamut3.Cine", "V-Log/V-Gamut", "LogC3 EI 800/Wide Gamut 3"])
def test_a_right_table_holds(tmp_path, name, side, size):
    path = make(name, side)
    certificate = verify(baked(tmp_path, path, size), path)
    assert certificate.holds, certificate.reasons
    assert certificate.overall.count >= 100_000
    assert certificate.neutral.drift < 1e-4
    assert certificate.neutral.falls == (0, 0, 0)
    by_name = {s.name: s for s in certificate.sets}
    assert by_name["neutral axis"].maximum < 0.5
    assert certificate.overall.median <= certificate.overall.p95 <= certificate.overall.p99 <= certificate.overall.maximum
    assert certificate.worst[0].delta_e == pytest.approx(certificate.overall.maximum)
    assert Certificate.model_validate_json(certificate.model_dump_json()) == certificate


def test_grid_points_are_the_exact_path(tmp_path):
    path = make(stops=0.5)
    lut = read_lut(baked(tmp_path, path, 9))
    np.testing.assert_allclose(lut.table[3, 5, 2], path.apply(np.array([3, 5, 2]) / 8), atol=6e-8)


def test_figures_against_colour_science(tmp_path):
    """The worst sample's ΔE again, with colour-science for the table and for CIEDE2000."""
    path = make()
    certificate = verify(baked(tmp_path, path, 17), path)
    worst = certificate.worst[0]
    lut = colour.read_LUT(str(tmp_path / "b.cube"))
    code = lut.apply(np.array(worst.code), interpolator=colour.algebra.table_interpolation_tetrahedral)
    labs = [colour.XYZ_to_Lab((np.array(c) ** 2.4) @ colour.RGB_COLOURSPACES["ITU-R BT.709"].matrix_RGB_to_XYZ.T, (0.3127, 0.329))
            for c in (worst.exact, code)]
    assert colour.delta_E(*labs, method="CIE 2000") == pytest.approx(worst.delta_e, rel=2e-3)


def test_ffmpeg_gets_the_certified_picture(tmp_path):
    path = make("S-Log3/S-Gamut3.Cine")
    baked(tmp_path, path, 65)
    picture = np.random.default_rng(2).uniform(0.2, 0.6, (48, 64, 1)).astype(np.float32) * np.ones(3, np.float32)
    np.testing.assert_allclose(ffmpeg_lut3d(tmp_path / "b.cube", picture, "tetrahedral"), path.apply(picture), atol=1.5e-3)


def _fold(table):
    table[20] = table[14]
    return table


@pytest.mark.parametrize(("change", "words"), [
    (lambda t: t[..., ::-1], "made from another path"), (lambda t: t * 0.97, "made from another path"),
    (lambda t: np.round(t * 31) / 31, "too few digits"), (_fold, "folds tones over"),
    (lambda t: t + np.array([0.02, 0, 0]), "neutral axis"),
])
def test_wrong_tables_do_not_hold(tmp_path, change, words):
    path = make()
    certificate = verify(baked(tmp_path, path, 33, change), path)
    assert not certificate.holds
    assert words in " ".join(certificate.reasons)


@pytest.mark.parametrize("other", [make("S-Log3/S-Gamut3.Cine"), make(side="legal"), make(stops=0.1)])
def test_another_path_does_not_hold(tmp_path, other):
    certificate = verify(baked(tmp_path, make()), other)
    assert not certificate.holds
    assert "another path" in certificate.reasons[0]


def test_a_coarse_table_is_told_to_grow(tmp_path):
    certificate = verify(baked(tmp_path, make(), 5), make())
    assert not certificate.holds
    assert "larger grid" in " ".join(certificate.reasons)
    assert "another path" not in " ".join(certificate.reasons)


def test_the_frame_counts(tmp_path):
    path, frame = make(), np.random.default_rng(1).uniform(0.2, 0.5, (20, 30, 3))
    certificate = verify(baked(tmp_path, path), path, frame=frame)
    assert {s.name: s.count for s in certificate.sets}[FRAME] == 600
    assert certificate.clipped_frame == 0
    assert not verify(tmp_path / "b.cube", path, frame=frame, tolerances=Tolerances(picture_max=1e-6)).holds


def test_reproducible(tmp_path):
    path = make()
    place = baked(tmp_path, path, 9)
    one, two = (verify(place, path).model_dump() for _ in range(2))
    assert {**one, "made": ""} == {**two, "made": ""}


def test_samples_cover_the_cube():
    sets = sample_sets(np.zeros((300, 300, 3)))
    assert len(sets["stratified"]) + len(sets["random"]) >= 100_000
    assert (np.ptp(sets["neutral axis"], axis=1) == 0).all()
    assert np.isin(sets["faces of the cube"], [0, 1]).any(axis=1).all()
    assert len(sets[FRAME]) == 60_000


@pytest.mark.parametrize("lut", [Lut1D(np.zeros((4, 3), np.float32)), Lut3D(np.zeros((2, 2, 2, 3), np.float32), Domain((0, 0, 0), (2, 1, 1)))])
def test_tables_that_cannot_be_judged(tmp_path, lut):
    write_lut(lut, tmp_path / "x.cube")
    with pytest.raises(BadLut):
        verify(tmp_path / "x.cube", make())


@pytest.mark.parametrize("size", [1, 0, 130])
def test_sizes(size):
    with pytest.raises(BadValue, match="cannot be baked"):
        bake(make(), size)


def test_progress_and_cancel(tmp_path):
    said = []
    bake(make(), 5, progress=lambda done, message: said.append(done))
    assert said == [0.2, 0.4, 0.6, 0.8, 1.0]

    def stop(done, message):
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        bake(make(), 5, progress=stop)


def test_certificate_is_plain_json(tmp_path):
    body = json.loads(verify(baked(tmp_path, make(), 9), make()).model_dump_json())
    assert body["upwelling_certificate"] == 1
    assert len(body["lut_sha256"]) == len(body["fingerprint"]) == 64
    assert Path.checked(body["recipe"]).fingerprint == body["fingerprint"]
