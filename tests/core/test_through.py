"""Deliveries through a proved table: as near as the certificate says, told in name, plan and proof, refused where the
table is not the path.
"""

import json

import numpy as np
import pytest

from tests.core.test_delivery import scene
from upwelling.cli.main import main
from upwelling.core.delivery.order import Order
from upwelling.core.encodings import encoding
from upwelling.core.media import Movie
from upwelling.core.media.movie_write import write_movie

LOG = "S-Log3/S-Gamut3.Cine"
PATH = ("--from", LOG, "--to", "BT.709 BT.1886", "--exposure", "0.5")


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    """A log movie, and a table of its path with a certificate."""
    place = tmp_path_factory.mktemp("through")
    log = encoding(LOG)
    write_movie(place / "A.mov", (log.from_linear(scene(n, 90, 160)) for n in range(30)), "prores-422")
    table = str(place / "t.cube")
    receiver = ("--receiver", "Grading or editing program", "--size", "33", "--report")
    assert main(["bake", table, *PATH, *receiver]) == 0
    return place


@pytest.mark.slow
def test_it_is_as_near_as_the_certificate_says_and_says_so(folder, tmp_path, capsys):
    for name, more in (("exact.mov", ()), ("by.mov", ("--through", str(folder / "t.cube")))):
        assert main(["deliver", str(folder / "A.mov"), str(tmp_path / name), *PATH, *more]) == 0
    exact, by = (Movie(tmp_path / name).frame(7).code for name in ("exact.mov", "by.mov"))
    assert 0 < np.abs(exact - by).max() < 0.03
    proof = json.loads((tmp_path / "by.mov.proof.json").read_text())
    assert proof["verdict"] == "holds"
    (made,) = [row["found"] for row in proof["checks"] if row["what"] == "made"]
    assert "through the table t.cube instead of the exact path" in made
    order = Order.from_json(json.dumps(proof["order"]))
    assert order.through is not None
    plain = order.model_copy(update={"through": None})
    assert plain.fingerprint != order.fingerprint
    assert "made" not in {row["what"] for row in json.loads((tmp_path / "exact.mov.proof.json").read_text())["checks"]}
    (tmp_path / "out").mkdir()
    arguments = ["deliver", str(folder / "A.mov"), str(tmp_path / "out"), "--preset", "ProRes 422 HQ", *PATH]
    assert main([*arguments, "--through", str(folder / "t.cube")]) == 0
    assert (tmp_path / "out" / "A_by_table.mov").exists()
    assert main(["verify-delivery", str(tmp_path / "by.mov")]) == 0


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (("--exposure", "0.25"), "not of the path as it is now"),
        (("--to", "sRGB"), "not of the path as it is now"),
        (("--fit-in", "80x45"), "sizes are changed in light"),
        (("--boundary", "look", "--as", LOG), "finished"),
    ],
)
def test_what_the_table_does_not_stand_for_is_refused(folder, tmp_path, capsys, change, words):
    arguments = ["deliver", str(folder / "A.mov"), str(tmp_path / "x.mov"), *PATH, *change]
    assert main([*arguments, "--through", str(folder / "t.cube")]) == 2
    assert words in capsys.readouterr().err
    assert not (tmp_path / "x.mov").exists()


def test_a_table_without_its_certificate_or_altered_is_refused(folder, tmp_path, capsys):
    bare = tmp_path / "t.cube"
    bare.write_bytes((folder / "t.cube").read_bytes())
    arguments = ["deliver", str(folder / "A.mov"), str(tmp_path / "x.mov"), *PATH, "--through", str(bare)]
    assert main(arguments) == 2
    assert "no certificate beside" in capsys.readouterr().err
    (tmp_path / "t.cube.certificate.json").write_bytes((folder / "t.cube.certificate.json").read_bytes())
    bare.write_text(bare.read_text().replace("0.5", "0.6", 3))
    assert main(arguments) == 2
    assert "not the file that its certificate" in capsys.readouterr().err
