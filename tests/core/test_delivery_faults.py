"""Faults planted into delivered files, encoded anew with their words kept: the proof finds each, and names its
cause.
"""

import shutil
from fractions import Fraction

import numpy as np
import pytest

from tests.core.test_delivery import order
from upwelling.core.delivery.proof import prove, verify_again, write_proof
from upwelling.core.delivery.run import deliver
from upwelling.core.encodings import encoding
from upwelling.core.encodings.base import legal_to_full
from upwelling.core.media import open_footage
from upwelling.core.media.movie_write import write_movie
from upwelling.core.simulate.shipped import shipped

FRAMES = 12


@pytest.fixture(scope="module")
def delivered(tmp_path_factory):
    """A coloured scene that pans, delivered as ProRes, its proof, and its frames' signals."""
    folder = tmp_path_factory.mktemp("faults")
    log = encoding("V-Log/V-Gamut")
    scene = np.asarray(shipped("Colour store")[::3, ::3], dtype=np.float64)
    rng = np.random.default_rng(3)
    frames = [
        np.clip(log.from_linear(scene[:240, 4 * n : 320 + 4 * n] * 2 + rng.normal(0, 2e-3, (240, 320, 3))), 0, 1)
        for n in range(FRAMES)
    ]
    write_movie(folder / "log.mov", frames, "prores-4444", rate=Fraction(24), code_range="legal")
    wanted = order(folder / "log.mov", "ProRes 422 HQ")
    outcome = deliver(wanted, folder / "out.mov")
    proof = prove(wanted, outcome)
    assert proof.holds, proof.sentence
    write_proof(proof, outcome.target)
    footage = open_footage(outcome.target)
    return folder, [legal_to_full(footage.frame(n).code.astype(np.float64), 10) for n in range(FRAMES)]


def again(delivered, tmp_path, frames):
    """The proof of the file encoded anew from other signals, its old proof beside it."""
    folder, _ = delivered
    for name in ("out.mov.proof.json", "log.mov"):
        shutil.copy(folder / name, tmp_path / name)
    tags = open_footage(folder / "out.mov").facts.tags
    write_movie(tmp_path / "out.mov", frames, "prores-422", rate=Fraction(24), tags=tags, code_range="legal")
    return verify_again(tmp_path / "out.mov")


PLANTED = {
    "gain": (lambda f: f * 1.04, "brighter or darker by one factor"),
    "gamma": (lambda f: f ** (2.4 / 2.2), "gamma 2.2 instead of 2.4"),
    "squeezed": (lambda f: (f * 876 + 64) / 1023, "squeezed twice"),
    "stretched": (lambda f: np.clip((f * 1023 - 64) / 876, 0, 1), "stretched"),
    "red and blue": (lambda f: f[..., ::-1], "red and blue are swapped"),
    "shift": (lambda f: np.roll(f, 1, axis=1), "by a pixel to the right"),
    "lines": (lambda f: np.roll(f, -1, axis=0), "by a pixel to the top"),
}


@pytest.mark.slow
@pytest.mark.parametrize("name", PLANTED)
def test_a_fault_of_every_picture_is_named(delivered, tmp_path, name):
    change, words = PLANTED[name]
    proof = again(delivered, tmp_path, [np.clip(change(frame), 0, 1) for frame in delivered[1]])
    assert not proof.holds
    assert words in proof.sentence


@pytest.mark.slow
def test_another_matrix_than_said_is_named(delivered, tmp_path):
    """Coded by BT.601, said to be BT.709: what a player shows is R'G'B' turned by both (BT.601-7, BT.709-6)."""
    from upwelling.core.delivery.faults import FAULTS

    turned = FAULTS["it was coded by BT.601 and says BT.709"]
    proof = again(delivered, tmp_path, [np.clip(turned(frame, frame), 0, 1) for frame in delivered[1]])
    assert "coded by BT.601 and says BT.709" in proof.sentence
    swapped = FAULTS["its colour differences Cb and Cr are swapped"]
    proof = again(delivered, tmp_path, [np.clip(swapped(frame, frame), 0, 1) for frame in delivered[1]])
    assert "Cb and Cr are swapped" in proof.sentence


@pytest.mark.slow
@pytest.mark.parametrize(
    ("numbers", "words"),
    [
        ([0, 1, 2, 4, 3, *range(5, FRAMES)], "3, 4: another frame"),
        ([0, 1, 2, 3, 3, *range(5, FRAMES)], "4: another frame"),
        ([*range(5), *range(6, FRAMES), FRAMES - 1], "another frame"),
    ],
    ids=["swapped", "held", "dropped"],
)
def test_frames_in_another_place_are_counted(delivered, tmp_path, numbers, words):
    proof = again(delivered, tmp_path, [delivered[1][n] for n in numbers])
    assert not proof.holds
    (check,) = [one for one in proof.checks if one.what == "every frame"]
    assert words in check.found


def test_a_file_encoded_anew_rightly_fails_by_its_checksum_alone(delivered, tmp_path):
    proof = again(delivered, tmp_path, delivered[1])
    assert [check.what for check in proof.checks if not check.holds] == ["checksum"]
    assert proof.looks_right
