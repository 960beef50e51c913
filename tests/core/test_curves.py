"""Every curve against colour-science 0.4.7, against its white paper's codes, and back again."""

import functools as ft

import colour.models as cm
import numpy as np
import pytest

from upwelling.core.curves import CURVES, curve
from upwelling.core.curves.log_c import EXPOSURE_INDICES
from upwelling.core.errors import UnknownName

CODES = np.linspace(-0.2, 1.3, 6001)
LIGHT = np.concatenate([np.linspace(-0.1, 1.0, 2001), np.geomspace(1e-7, 200, 2001)])
POSITIVE = LIGHT[LIGHT >= 0]
UNIT = np.linspace(0, 1, 4001)


def _log_c(index):
    options = {"EI": index, "firmware": "SUP 3.x", "method": "Linear Scene Exposure Factor"}
    return ft.partial(cm.log_decoding_ARRILogC3, **options), ft.partial(cm.log_encoding_ARRILogC3, **options)


# name: decode, encode of colour-science, codes and light where it defines them
PEERS = {
    "ACEScct": (cm.log_decoding_ACEScct, cm.log_encoding_ACEScct, CODES[CODES < 1.46], LIGHT),
    "ACEScc": (cm.log_decoding_ACEScc, cm.log_encoding_ACEScc, CODES, LIGHT),
    "S-Log3": (cm.log_decoding_SLog3, cm.log_encoding_SLog3, CODES, LIGHT),
    "V-Log": (cm.log_decoding_VLog, cm.log_encoding_VLog, CODES, LIGHT),
    "BT.709": (cm.oetf_inverse_BT709, cm.oetf_BT709, CODES, LIGHT),
    "BT.1886": (cm.eotf_BT1886, cm.eotf_inverse_BT1886, UNIT, POSITIVE),
    "sRGB": (cm.eotf_sRGB, cm.eotf_inverse_sRGB, CODES, LIGHT),
    "PQ": (lambda v: cm.eotf_ST2084(v) / 10000, lambda v: cm.eotf_inverse_ST2084(v * 10000), UNIT, UNIT),
    "HLG": (cm.oetf_inverse_BT2100_HLG, cm.oetf_BT2100_HLG, UNIT, UNIT),
    "linear": (lambda v: v, lambda v: v, CODES, LIGHT),
    "S-Log2": (cm.log_decoding_SLog2, cm.log_encoding_SLog2, CODES, LIGHT),
    "S-Log": (cm.log_decoding_SLog, cm.log_encoding_SLog, CODES, LIGHT),
    "C-Log": (cm.log_decoding_CanonLog, cm.log_encoding_CanonLog, CODES, LIGHT),
    "C-Log2": (cm.log_decoding_CanonLog2, cm.log_encoding_CanonLog2, CODES, LIGHT),
    "C-Log3": (cm.log_decoding_CanonLog3, cm.log_encoding_CanonLog3, CODES, LIGHT),
    "LogC4": (cm.log_decoding_ARRILogC4, cm.log_encoding_ARRILogC4, CODES, LIGHT),
    "Log3G10": (cm.log_decoding_Log3G10, cm.log_encoding_Log3G10, CODES, LIGHT),
    "F-Log": (cm.log_decoding_FLog, cm.log_encoding_FLog, CODES, LIGHT),
    "F-Log2": (cm.log_decoding_FLog2, cm.log_encoding_FLog2, CODES, LIGHT),
    "N-Log": (cm.log_decoding_NLog, cm.log_encoding_NLog, CODES, LIGHT),
    "D-Log": (cm.log_decoding_DJIDLog, cm.log_encoding_DJIDLog, CODES, LIGHT),
    "L-Log": (cm.log_decoding_LLog, cm.log_encoding_LLog, CODES, LIGHT),
    "Apple Log": (cm.log_decoding_AppleLogProfile, cm.log_encoding_AppleLogProfile, CODES, LIGHT),
    "Mi-Log": (cm.log_decoding_MiLog, cm.log_encoding_MiLog, CODES, LIGHT),
    "Film Gen 5": (cm.oetf_inverse_BlackmagicFilmGeneration5, cm.oetf_BlackmagicFilmGeneration5, CODES, LIGHT),
    "Protune": (cm.log_decoding_Protune, cm.log_encoding_Protune, CODES[CODES >= 0], POSITIVE),
    "opRGB": (lambda v: cm.gamma_function(v, 563 / 256), lambda v: cm.gamma_function(v, 256 / 563), UNIT, POSITIVE),
    "Printing density": (cm.log_decoding_Cineon, cm.log_encoding_Cineon, UNIT, POSITIVE),
    **{
        f"gamma {g:g}": (
            lambda v, g=g: cm.gamma_function(v, g),
            lambda v, g=g: cm.gamma_function(v, 1 / g),
            UNIT,
            POSITIVE,
        )
        for g in (2.2, 2.4, 2.6)
    },
    **{f"LogC3 EI {i}": (*_log_c(i), CODES, LIGHT) for i in EXPOSURE_INDICES},
}


def _near_break(values, member, side):
    """Published constants do not meet exactly at the break; there the two may choose different branches."""
    place = getattr(member, f"break_{side}", None)
    gap = 3e-4 if member.name in ("BT.709", "N-Log") else 1e-5
    return np.zeros_like(values, bool) if place is None else np.abs(values - place) < gap


@pytest.mark.parametrize("name", CURVES)
def test_against_colour_science(name):
    decode, encode, codes, light = PEERS[name]
    member = CURVES[name]
    theirs = decode(codes)
    np.testing.assert_allclose(member.to_linear(codes), theirs, rtol=1e-6, atol=1e-6)
    np.testing.assert_allclose(member.from_linear(light), encode(light), rtol=0, atol=1e-6)


@pytest.mark.parametrize("name", CURVES)
def test_round_trip(name):
    member = CURVES[name]
    codes = np.linspace({"ACEScc": -0.358, "Apple Log": 0.0, "Mi-Log": 0.0}.get(name, -0.1), 1.2, 4001)
    keep = ~_near_break(codes, member, "code")
    np.testing.assert_allclose(member.from_linear(member.to_linear(codes))[keep], codes[keep], atol=1e-9)


@pytest.mark.parametrize("name", CURVES)
def test_rising_and_any_shape(name):
    member = CURVES[name]
    step = (
        6e-5 if name == "BT.709" else 1e-6 if hasattr(member, "toe_slope") else 1e-12
    )  # printed constants that do not meet
    assert (np.diff(member.to_linear(CODES[::7])) >= -step).all()
    for shape in ((), (3,), (2, 5, 3)):
        assert np.shape(member.to_linear(np.full(shape, 0.4))) == shape
        assert np.shape(member.from_linear(np.full(shape, 0.2))) == shape
    assert member.to_linear(np.array(np.nan)) == member.to_linear(np.array(0.0))


@pytest.mark.parametrize(("name", "anchor"), [(c.name, a) for c in CURVES.values() for a in c.anchors])
def test_published_codes(name, anchor):
    """Codes printed in each curve's source (10 bit); white papers print whole codes."""
    assert float(CURVES[name].from_linear(np.array(anchor.reflectance))) * 1023 == pytest.approx(
        anchor.code_10bit, abs=0.5
    )


# Display and HDR signals: value in, value out, source of the pair.
@pytest.mark.parametrize(
    ("name", "linear", "code", "within"),
    [
        ("PQ", 203 / 10000, 0.58, 0.005),  # ITU-R BT.2408-7, table 1: reference white, 58 % PQ
        ("PQ", 26 / 10000, 0.38, 0.005),  # same table: 18 % grey card, 38 % PQ
        ("PQ", 1000 / 10000, 0.7518, 5e-5),  # ST 2084: 1000 cd/m² at 75.18 %
        ("HLG", 1 / 12, 0.5, 1e-9),  # BT.2100-2, table 5: the two branches meet at 1/12, ½
        ("HLG", 1.0, 1.0, 1e-7),
        ("sRGB", 0.21404114, 0.5, 1e-7),  # IEC 61966-2-1: code ½
        ("BT.709", 1.0, 1.0, 1e-12),
        ("BT.1886", 0.5**2.4, 0.5, 1e-12),  # BT.1886 annex 1 with black 0
    ],
)
def test_known_pairs(name, linear, code, within):
    assert float(CURVES[name].from_linear(np.array(linear))) == pytest.approx(code, abs=within)


def test_unknown_curve_is_named():
    with pytest.raises(UnknownName, match="S-Log3"):
        curve("slog3")


def test_every_curve_says_what_it_is():
    for member in CURVES.values():
        assert member.source
        assert member.explanation
        assert member.linear_unit


# coloraide 8.13: its spaces hold the curve; a neutral of light in, its code out.
@pytest.mark.parametrize(
    ("name", "space", "linear_space", "scale"),
    [
        ("sRGB", "srgb", "srgb-linear", 1.0),
        ("PQ", "rec2100-pq", "rec2020-linear", 203 / 10000),
        ("HLG", "rec2100-hlg", "rec2020-linear", None),
        ("ACEScct", "acescct", "acescg", 1.0),
        ("ACEScc", "acescc", "acescg", 1.0),
    ],
)
def test_against_coloraide(name, space, linear_space, scale):
    from coloraide.everything import ColorAll

    for code in (0.2, 0.4, 0.55, 0.7):
        theirs = ColorAll(space, [code] * 3)
        if name == "HLG":
            # coloraide scales HLG so that 75 % is 203/1000 of the peak in rec2020-linear after its OOTF-free curve.
            white = ColorAll(space, [0.75] * 3).convert("xyz-d65")["y"]
            ratio = theirs.convert("xyz-d65")["y"] / white
            ours = float(CURVES[name].to_linear(np.array(code)) / CURVES[name].to_linear(np.array(0.75)))
            assert ours == pytest.approx(ratio, rel=2e-6)
            continue
        y = theirs.convert("xyz-d65")["y"] if name == "PQ" else theirs.convert(linear_space)[1]
        assert float(CURVES[name].to_linear(np.array(code))) == pytest.approx(y * scale, rel=1e-5)
