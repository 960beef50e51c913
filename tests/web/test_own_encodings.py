"""A production's own encodings: defined in four ways, tried on saving, used like built-in ones,
refused with a reason.
"""

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from upwelling.core.lut import Lut1D
from upwelling.core.tables.files import write_lut
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.footage.shots import settle_encoding
from upwelling.web.productions.models import Production
from upwelling.web.productions.services import set_rules

LOG = {
    "kind": "log",
    "name": "Emberlog",
    "base": "10",
    "log_slope": "0.247190",
    "log_offset": "0.385537",
    "linear_slope": "5.555556",
    "linear_offset": "0.052272",
    "break_linear": "0.010591",
    "toe_slope": "",
    "primaries": "Wide Gamut 3",
}
PAIRS = "code,light\n" + "\n".join(f"{c},{0.18 * 2 ** ((c - 400) / 75):.6f}" for c in range(0, 1024, 33))


@pytest.fixture
def define(as_, production):
    def send(**fields):
        said = {"default_range": "full", "code_top": "1", "expects": "full", "gives_range": "full", **fields}
        return as_("tess").post("/p/kilnlight/encodings/", said, follow=True).content.decode()

    return send


@pytest.fixture
def cube(tmp_path):
    """A .cube from S-Log3 codes to linear light, and one that falls."""

    def make(values, name="maker.cube"):
        write_lut(Lut1D(np.repeat(np.asarray(values, dtype=np.float32)[:, None], 3, axis=1)), tmp_path / name)
        return SimpleUploadedFile(name, (tmp_path / name).read_bytes())

    return make


def test_a_data_sheet_becomes_an_encoding(define, shot, production):
    page = define(**LOG)
    assert "Emberlog is saved. Round trip" in page
    assert "<polyline" in page
    production = Production.objects.get()
    shot = Shot.objects.get()
    settle_encoding(shot, "emberlog", "full")
    assert shot.encoding == "Emberlog"
    path = path_of(Shot.objects.get())
    assert path.input.custom.name == "Emberlog"
    # The constants are those of LogC3 at EI 800 with its tangent below the break: mid grey is code 400.
    assert float(path.to_working(np.full(3, 400 / 1023))[1]) == pytest.approx(0.18, rel=2e-3)
    set_rules(production, {"default_encoding": "EMBERLOG"})
    assert Production.objects.get().rule_set.default_encoding == "Emberlog"


def test_a_table_and_own_primaries(define):
    xy = {
        f"{p}_{a}": v
        for p, pair in {
            "red": (0.7, 0.29),
            "green": (0.17, 0.8),
            "blue": (0.13, 0.05),
            "white": (0.3127, 0.329),
        }.items()
        for a, v in zip("xy", pair, strict=True)
    }
    assert "Step chart is saved" in define(
        kind="table", name="Step chart", pairs=PAIRS, code_top="1023", primaries="own", **xy
    )
    custom = Production.objects.get().definitions["Step chart"]
    assert float(custom.encoding().neutral_to_linear(400 / 1023)) == pytest.approx(0.18, rel=0.01)
    assert custom.encoding().primaries.red == (0.7, 0.29)


def test_its_files_are_read_in_the_range_that_was_said(define, shot):
    """RGB files that say nothing; a shot's own word goes before it."""
    define(**{**LOG, "default_range": "legal"})
    settle_encoding(Shot.objects.get(), "Emberlog", "")
    assert Shot.objects.get().settled.range == "legal"
    settle_encoding(Shot.objects.get(), "Emberlog", "full")
    assert Shot.objects.get().settled.range == "full"


def test_a_makers_lut(define, cube, shot):
    import colour.models as cm

    page = define(
        kind="lut",
        name="Maker",
        lut_file=cube(cm.log_decoding_SLog3(np.linspace(0, 1, 2048))),
        gives="linear/S-Gamut3.Cine",
        expects="full",
    )
    assert "Maker is saved" in page
    settle_encoding(Shot.objects.get(), "Maker", "full")
    light = path_of(Shot.objects.get()).to_working(np.full(3, 420 / 1023))
    np.testing.assert_allclose(light, 0.18, rtol=2e-3)
    table = define(
        kind="table",
        name="From a LUT",
        table_file=cube(cm.log_decoding_SLog3(np.linspace(0, 1, 256))),
        primaries="S-Gamut3.Cine",
    )
    assert "From a LUT is saved" in table


@pytest.mark.parametrize(
    ("fields", "words"),
    [
        ({**LOG, "name": ""}, "Name"),
        ({**LOG, "name": "S-Log3/S-Gamut3.Cine"}, "built-in"),
        ({**LOG, "log_slope": "steep"}, "must be a number"),
        ({**LOG, "break_linear": "-1"}, "Raise the break"),
        ({"kind": "table", "name": "T", "pairs": "0,0\n1,1"}, "at least four"),
        ({"kind": "table", "name": "T", "pairs": PAIRS + "\nx,y"}, "is not two numbers"),
        ({"kind": "table", "name": "T", "pairs": "1 2 3\n" * 5}, "3 numbers"),
        ({"kind": "lut", "name": "L", "gives": "linear/BT.709"}, "Choose the maker"),
        ({"kind": "curve", "name": "C", "curve": "wax", "primaries": "BT.709"}, "no curve named"),
        ({"kind": "curve", "name": "C", "curve": "S-Log3"}, "Choose the primaries"),
        ({"kind": "surprise", "name": "C"}, "Not saved"),
    ],
)
def test_refusals_keep_what_was_typed(define, production, fields, words):
    page = define(**fields)
    assert "Not saved" in page
    assert words in page
    if fields["name"]:
        assert f'value="{fields["name"]}"' in page
    assert not production.own_encodings.exists()


@pytest.mark.parametrize(
    ("kind", "left_open", "words"),
    [
        ("log", "default_range", "range of the codes"),
        ("log", "primaries", "primaries"),
        ("table", "code_top", "counted"),
        ("curve", "curve", "curve of its codes"),
        ("lut", "expects", "LUT expects"),
        ("lut", "gives", "comes out"),
        ("lut", "gives_range", "LUT gives"),
    ],
)
def test_nothing_that_changes_numbers_is_chosen_for_one(define, cube, production, kind, left_open, words):
    """Neither by the server nor by the page, whose fields begin at “Choose …”."""
    whole = {**LOG, "kind": kind, "pairs": PAIRS, "curve": "S-Log3", "gives": "linear/AP0"}
    if kind == "lut":
        whole["lut_file"] = cube(np.linspace(0, 1, 9))
    page = define(**{**whole, left_open: ""})
    assert "nothing is taken for granted" in page
    assert words in page
    assert not production.own_encodings.exists()
    field = page.split(f'name="{left_open}"', 1)[1].split("</select>")[0]
    assert '<option value="">Choose …</option>' in field
    assert "selected" not in field


def test_a_process_list_is_no_input(define):
    nodes = (
        b'<ProcessList id="a" compCLFversion="3"><Log inBitDepth="32f" outBitDepth="32f" style="antiLog2"/>'
        b"</ProcessList>"
    )
    assert "A process list cannot be an input" in define(
        kind="lut", name="L", lut_file=SimpleUploadedFile("x.clf", nodes), gives="linear/BT.709"
    )


def test_a_falling_lut_is_refused(define, cube, production):
    assert "falls from entry" in define(kind="lut", name="L", lut_file=cube([0, 0.5, 0.3, 1.0]), gives="linear/BT.709")
    assert "not a .cube" in define(
        kind="lut", name="L", lut_file=SimpleUploadedFile("x.cube", b"\xff\xfe\x00"), gives="linear/BT.709"
    )
    assert not production.own_encodings.exists()


def test_one_in_use_is_not_removed(define, shot, production, as_):
    define(**LOG)
    row = production.own_encodings.get()
    settle_encoding(Shot.objects.get(), "Emberlog", "")
    page = as_("tess").post(f"/p/kilnlight/encodings/{row.pk}/remove/", follow=True).content.decode()
    assert "in use by ramp" in page
    settle_encoding(Shot.objects.get(), "", "")
    assert (
        "Emberlog is removed"
        in as_("tess").post(f"/p/kilnlight/encodings/{row.pk}/remove/", follow=True).content.decode()
    )
