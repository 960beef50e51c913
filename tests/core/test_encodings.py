"""The library of encodings: complete, sourced, found in any case; ranges."""

import colour.models as cm
import numpy as np
import pytest

from upwelling.core import engine
from upwelling.core.curves.hlg import Ootf
from upwelling.core.encodings import ENCODINGS, encoding, full_to_legal, legal_to_full
from upwelling.core.encodings.custom import CustomEncoding, MakerLut
from upwelling.core.encodings.video import hlg_display
from upwelling.core.errors import BadValue, UnknownName
from upwelling.core.outputs import OUTPUTS, output
from upwelling.core.path import Display, Input, Path

ALL = list(ENCODINGS.values())


@pytest.mark.parametrize("member", ALL, ids=lambda m: m.name)
def test_every_encoding_is_whole(member):
    assert member.name == f"{member.curve_name}{' display' if member.ootf else ''}/{member.primaries_name}"
    assert member.source
    assert member.explanation
    assert encoding(member.name.upper()) is member
    assert encoding(f" {member.name.lower()} ") is member
    low, high = member.stops
    assert low < 0 < high
    light = np.array([0.0, 0.02, 0.18, 0.9])
    np.testing.assert_allclose(member.neutral_to_linear(member.neutral_from_linear(light)), light, atol=1e-7)


@pytest.mark.parametrize(
    ("name", "reflectance", "code"),
    [
        ("S-Log3/S-Gamut3.Cine", 0.18, 420 / 1023),
        ("V-Log/V-Gamut", 0.18, 433 / 1023),
        ("LogC3 EI 800/Wide Gamut 3", 0.18, 0.391),
        ("PQ/BT.2020", 1.0, 0.5807),  # BT.2408-7: 203 cd/m² is 58 % PQ
        ("HLG/BT.2020", 1.0, 0.75),  # BT.2408-7: reference white is 75 % HLG
        ("HLG/BT.2020", 0.18, 0.38),  # BT.2408-7, table 1: 18 % grey card is 38 % HLG
    ],
)
def test_neutral_codes(name, reflectance, code):
    assert encoding(name).code_of(reflectance) == pytest.approx(code, abs=5e-3 if reflectance != 1.0 else 1e-4)


@pytest.mark.parametrize(("depth", "black", "white"), [(8, 16, 235), (10, 64, 940), (12, 256, 3760), (16, 4096, 60160)])
def test_legal_range(depth, black, white):
    """ITU-R BT.2100-2, table 9: narrow range black and white."""
    top = 2**depth - 1
    np.testing.assert_allclose(full_to_legal(np.array([0.0, 1.0]), depth) * top, [black, white], atol=1e-9)
    np.testing.assert_allclose(
        legal_to_full(full_to_legal(np.linspace(-0.1, 1.1, 9), depth), depth), np.linspace(-0.1, 1.1, 9)
    )


def test_unknown_encoding_offers_a_near_one():
    with pytest.raises(UnknownName, match="Did you mean “V-Log/V-Gamut”"):
        encoding("V-Log/V-Gamu")


@pytest.mark.parametrize("name", OUTPUTS)
def test_outputs(name):
    display = output(name.lower())
    codes = np.linspace(0, 1, 33)
    least = 7.4e-7 if display.curve_name == "PQ" else 1e-9  # SMPTE ST 2084 puts no light at c1^m2 = 7.3e-7
    np.testing.assert_allclose(display.to_code(display.to_light(codes)), codes, atol=least)
    np.testing.assert_allclose(display.to_xyz(np.ones(3))[1], 1.0, atol=1e-12)
    assert (
        display.mid_grey_nits == 26 if display.is_hdr else 0.09 < display.mid_grey < 0.11
    )  # BT.2408; a tenth is common practice


@pytest.mark.parametrize(("peak", "black"), [(1000, 0), (1000, 0.05), (400, 0), (2000, 0.01), (600, 0.1)])
def test_hlg_display_light(peak, black):
    """colour-science 0.4.7, ITU-R BT.2100-2 HLG EOTF with OOTF and black lift, in cd/m²."""
    codes = np.random.default_rng(3).uniform(0.02, 1.0, (400, 3))
    ootf = Ootf(peak, black)
    member = hlg_display(ootf)
    theirs = cm.eotf_BT2100_HLG(codes, L_B=black, L_W=peak, method="ITU-R BT.2100-2")
    np.testing.assert_allclose(member.to_linear(codes) / member.linear_scale * peak, theirs, rtol=2e-6, atol=1e-6)
    np.testing.assert_allclose(member.from_linear(member.to_linear(codes)), codes, atol=1e-9)
    assert float(hlg_display(Ootf(peak)).neutral_to_linear(0.75)) == pytest.approx(1.0)


LOG_SHEET = {
    "kind": "log",
    "base": 10,
    "log_slope": 0.25,
    "log_offset": 0.38,
    "linear_slope": 5.5,
    "linear_offset": 0.05,
    "break_linear": 0.011,
}


def _custom(form, **more):
    return CustomEncoding.checked({"name": "Own", "form": form, **more})


def test_log_form_is_the_published_one():
    """LogC3 EI 800 from its constants as a technician types them (the same white paper as core/curves/log_c.py)."""
    made = _custom(
        {
            "kind": "log",
            "base": 10,
            "log_slope": 0.247190,
            "log_offset": 0.385537,
            "linear_slope": 5.555556,
            "linear_offset": 0.052272,
            "break_linear": 0.010591,
            "toe_slope": 5.367655,
        },
        primaries="Wide Gamut 3",
    )
    light = np.geomspace(1e-4, 40, 200)
    np.testing.assert_allclose(made.encoding().from_linear(light), cm.log_encoding_ARRILogC3(light), atol=1e-5)
    assert "Round trip" in made.report()


def test_table_form_follows_its_pairs():
    """64 pairs of S-Log3 stand for the curve within a fiftieth of a stop about its corner and a thousandth above −3
    stops.
    """
    codes = np.linspace(0, 1, 64)
    pairs = cm.log_decoding_SLog3(codes)
    made = _custom({"kind": "table", "code": codes.tolist(), "light": pairs.tolist()}).encoding()
    np.testing.assert_allclose(made.to_linear(codes), pairs, atol=1e-12)
    light = 0.18 * np.exp2(np.linspace(-6, 7, 300))
    off = np.abs(np.log2(made.to_linear(cm.log_encoding_SLog3(light)) / light))
    assert off.max() < 0.02
    assert off[light > 0.18 / 8].max() < 0.001
    np.testing.assert_allclose(
        made.from_linear(made.to_linear(np.linspace(-0.1, 1.1, 99))), np.linspace(-0.1, 1.1, 99), atol=1e-9
    )


def _lut(table, dimensions=1, **more):
    return {
        "kind": "lut",
        "dimensions": dimensions,
        "size": len(table),
        "data": MakerLut.pack(table),
        "gives": "linear/BT.709",
        **more,
    }


@pytest.mark.parametrize(
    ("form", "more", "reason"),
    [
        ({**LOG_SHEET, "log_slope": -0.2}, {}, "above 0"),
        ({**LOG_SHEET, "break_linear": -0.02}, {}, "inside"),
        ({**LOG_SHEET, "toe_slope": -1.0}, {}, "straight part"),
        ({**LOG_SHEET, "linear_slope": 0}, {}, "greater than 0"),
        ({"kind": "table", "code": [0, 0.2, 0.4, 1], "light": [0, 0.3, 0.2, 1]}, {}, "row 3"),
        ({"kind": "table", "code": [0, 0.2, 0.2, 1], "light": [0, 0.1, 0.2, 1]}, {}, "row 3"),
        ({"kind": "table", "code": [0, 1], "light": [0, 1]}, {}, "at least 4"),
        (
            {"kind": "curve", "name": "S-Log3"},
            {"primaries": {"red": [0.6, 0.3], "green": [0.3, 0.3], "blue": [0.1, 0.3], "white": [0.3127, 0.329]}},
            "one line",
        ),
        (
            {"kind": "curve", "name": "S-Log3"},
            {"primaries": {"red": [0.64, 0.33], "green": [0.3, 0.6], "blue": [0.15, 0.06], "white": [0.9, 0.1]}},
            "outside",
        ),
        ({"kind": "curve", "name": "S-Log9"}, {}, "no curve"),
        (_lut(np.repeat(np.array([[0.0], [0.6], [0.4], [1.0]], np.float32), 3, axis=1)), {}, "falls from entry 2 to 3"),
        (_lut(np.full((4, 3), 0.5, np.float32)), {}, "same value"),
        ({**_lut(np.zeros((4, 3), np.float32)), "data": "!"}, {}, "damaged"),
        ({**_lut(np.zeros((4, 3), np.float32)), "gives": "nowhere"}, {}, "no encoding"),
    ],
)
def test_unusable_definitions_are_refused(form, more, reason):
    with pytest.raises((BadValue, UnknownName), match=reason):
        _custom(form, **more)


def test_maker_lut_in_a_path_is_the_encoding_it_holds():
    """A table of S-Log3 to linear light stands for the built-in encoding; fast and exact path agree."""
    axis = np.linspace(0, 1, 4096)
    table = np.repeat(cm.log_decoding_SLog3(axis)[:, None], 3, axis=1).astype(np.float32)
    custom = _custom({**_lut(table), "gives": "linear/S-Gamut3.Cine"})
    codes = np.random.default_rng(5).uniform(0.1, 0.9, (64, 3))
    with_table = Path(input=Input(encoding="Own", custom=custom), display=Display(output="sRGB"))
    built_in = Path(input=Input(encoding="S-Log3/S-Gamut3.Cine"), display=Display(output="sRGB"))
    np.testing.assert_allclose(with_table.apply(codes), built_in.apply(codes), atol=2e-4)
    fast = engine.run(engine.compile_operations(with_table.operations()), codes)
    np.testing.assert_allclose(fast, with_table.apply(codes), atol=2e-4)
    assert Path.from_recipe(with_table.to_recipe()).fingerprint == with_table.fingerprint
