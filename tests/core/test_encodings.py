"""The library of encodings: complete, sourced, found in any case; ranges."""

import numpy as np
import pytest

from upwelling.core.encodings import ENCODINGS, encoding, full_to_legal, legal_to_full
from upwelling.core.errors import UnknownName
from upwelling.core.outputs import OUTPUTS, output

ALL = list(ENCODINGS.values())


@pytest.mark.parametrize("member", ALL, ids=lambda m: m.name)
def test_every_encoding_is_whole(member):
    assert member.name == f"{member.curve_name}/{member.primaries_name}"
    assert member.source
    assert member.explanation
    assert encoding(member.name.upper()) is member
    assert encoding(f" {member.name.lower()} ") is member
    low, high = member.stops
    assert low < 0 < high
    light = np.array([0.0, 0.02, 0.18, 0.9])
    np.testing.assert_allclose(member.to_linear(member.from_linear(light)), light, atol=1e-7)


@pytest.mark.parametrize(("name", "reflectance", "code"), [
    ("S-Log3/S-Gamut3.Cine", 0.18, 420 / 1023), ("V-Log/V-Gamut", 0.18, 433 / 1023), ("LogC3 EI 800/Wide Gamut 3", 0.18, 0.391),
    ("PQ/BT.2020", 1.0, 0.5807),   # BT.2408-7: 203 cd/m² is 58 % PQ
    ("HLG/BT.2020", 1.0, 0.75),    # BT.2408-7: reference white is 75 % HLG
    ("HLG/BT.2020", 0.18, 0.38),   # BT.2408-7, table 1: 18 % grey card is 38 % HLG
])
def test_neutral_codes(name, reflectance, code):
    assert encoding(name).code_of(reflectance) == pytest.approx(code, abs=5e-3 if reflectance != 1.0 else 1e-4)


@pytest.mark.parametrize(("depth", "black", "white"), [(8, 16, 235), (10, 64, 940), (12, 256, 3760), (16, 4096, 60160)])
def test_legal_range(depth, black, white):
    """ITU-R BT.2100-2, table 9: narrow range black and white."""
    top = 2**depth - 1
    np.testing.assert_allclose(full_to_legal(np.array([0.0, 1.0]), depth) * top, [black, white], atol=1e-9)
    np.testing.assert_allclose(legal_to_full(full_to_legal(np.linspace(-0.1, 1.1, 9), depth), depth), np.linspace(-0.1, 1.1, 9))


def test_unknown_encoding_offers_a_near_one():
    with pytest.raises(UnknownName, match="Did you mean “V-Log/V-Gamut”"):
        encoding("V-Log/V-Gamu")


@pytest.mark.parametrize("name", OUTPUTS)
def test_outputs(name):
    display = output(name.lower())
    codes = np.linspace(0, 1, 33)
    np.testing.assert_allclose(display.to_code(display.to_light(codes)), codes, atol=1e-9)
    np.testing.assert_allclose(display.to_xyz(np.ones(3))[1], 1.0, atol=1e-12)
    assert 0.09 < display.mid_grey_nits / display.peak_nits < 0.11
