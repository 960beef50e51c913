"""What a picture would be under each log: its numbers against light that is known, and how well they order."""

from types import SimpleNamespace

import colour
import numpy as np
import pytest
from scripts.kilnlight.rooms import cold_bench, colour_store, gathering_room, yard_at_dusk

from upwelling.core.colour.primaries import primaries, rgb_to_rgb
from upwelling.core.encodings import encoding, full_to_legal
from upwelling.core.operations.colour import polar
from upwelling.core.recognise.likeness import (
    OTHERS,
    SKIN_HUE,
    SKIN_STRENGTH,
    families,
    likenesses,
    others,
    range_says,
    surfaces,
)
from upwelling.core.recognise.signal import signal_facts
from upwelling.core.simulate.camera import SimulatedCamera
from upwelling.core.steps.selections.colour_range import oklab_rows

LOGS = ["S-Log3/S-Gamut3.Cine", "V-Log/V-Gamut", "LogC3 EI 800/Wide Gamut 3", "LogC4/Wide Gamut 4", "S-Log2/S-Gamut"]
LOGS += ["C-Log2/Cinema Gamut", "C-Log3/Cinema Gamut", "Log3G10/Wide Gamut RGB", "F-Log2/F-Gamut", "N-Log/BT.2020"]
LOGS += ["D-Log/D-Gamut", "Apple Log/BT.2020", "F-Log/F-Gamut", "C-Log/Cinema Gamut"]


OUTSIDE = {
    "HLG/BT.2020": lambda light: colour.models.oetf_BT2100_HLG(
        light * float(colour.models.oetf_inverse_BT2100_HLG(0.75))
    ),
    "HLG display/BT.2020": lambda light: colour.models.oetf_BT2100_HLG(
        light ** (1 / 1.2) * float(colour.models.oetf_inverse_BT2100_HLG(0.75))
    ),
    "PQ/BT.2020": lambda light: colour.models.eotf_inverse_ST2084(203 * light),
    "BT.709/BT.709": colour.models.oetf_BT709,
    "sRGB/BT.709": colour.models.eotf_inverse_sRGB,
    "gamma 2.4/BT.709": lambda light: light ** (1 / 2.4),
}


def facts_of(code):
    height, width = code.shape[:2]
    return signal_facts([SimpleNamespace(code=code, height=height, width=width, integer_depth=10)])


def shot(name, light, stops=0.0, seed=3, gains=(1.0, 1.0, 1.0)):
    most = float(encoding(name).to_linear(np.full((1, 3), 0.93))[0, 0])
    return SimulatedCamera("x", name, min(most, 40), 1e-4, 6e-4).shoot(light, stops=stops, gains=gains, seed=seed)


@pytest.mark.parametrize("code_range", ["full", "legal"])
@pytest.mark.parametrize("name", LOGS)
def test_the_numbers_are_those_of_the_light(name, code_range):
    """Grey steps of known light, in the encoding's own gamut: stops and reflectance come back, colour is none."""
    steps = np.repeat(0.18 * 2.0 ** np.linspace(-3, 2, 20), 12)
    light = np.repeat(np.tile(steps, (120, 1))[..., None], 3, axis=2)
    code = np.asarray(encoding(name).from_linear(light), np.float32)
    sent = np.asarray(full_to_legal(code, 10), np.float32) if code_range == "legal" else code
    found = {one.encoding: one for one in likenesses(sent, facts_of(sent), code_range)}[name]
    assert found.stops == pytest.approx(-0.5, abs=0.01)
    assert found.brightest == pytest.approx(0.72, rel=0.02)
    assert found.colour < 0.005
    assert found.skin is None


@pytest.mark.parametrize("code_range", ["full", "legal"])
@pytest.mark.parametrize("name", OTHERS)
def test_what_is_no_log_is_told_by_its_light_too(name, code_range):
    """Grey steps coded by colour-science, where it has the curve: PQ with 203 cd/m² as 1.0, HLG with 75 % as 1.0
    (ITU-R BT.2408-7, table 1), BT.709's OETF, sRGB, 2.4.
    """
    steps = np.repeat(0.18 * 2.0 ** np.linspace(-3, 2, 20), 12)
    coded = OUTSIDE[name](steps)
    code = np.repeat(np.tile(coded, (120, 1))[..., None], 3, axis=2).astype(np.float32)
    sent = np.asarray(full_to_legal(code, 10), np.float32) if code_range == "legal" else code
    found = {one.encoding: one for one in others(sent, facts_of(sent), code_range)}[name]
    assert found.range == code_range
    assert found.stops == pytest.approx(-0.5, abs=0.02)
    assert found.brightest == pytest.approx(0.72, rel=0.03)
    assert not any("exposed" in said or "surface" in said for said in found.says)
    assert any("weaker than things are" in said for said in found.says), "a grey ramp has no colour"


def test_levels_speak_against_a_range():
    """Code 0 is no code of legal range; 64 to 940 alone is what legal range has (ITU-R BT.709-6, item 5)."""
    full, legal = np.linspace(0, 1, 4000), np.linspace(64, 940, 4000) / 1023
    for codes, told in ((full, ("", "below code 64")), (legal, ("as in legal range", ""))):
        facts = facts_of(np.repeat(codes.reshape(50, 80)[..., None], 3, axis=2).astype(np.float32))
        for code_range, words in zip(("full", "legal"), told, strict=True):
            against, said = range_says(facts, code_range)
            assert (bool(against), words in "".join(said)) == (bool(words), True)


@pytest.mark.parametrize(
    ("light", "words"),
    [(0.0008, "under what takes are"), (60.0, "brighter than a lamp"), (0.004, "darker than grey paper")],
)
def test_what_speaks_against_is_said(light, words):
    code = np.full((40, 60, 3), float(encoding("HLG/BT.2020").from_linear(np.array(min(light, 3.77)))), np.float32)
    if light > 3.77:
        code[:] = float(encoding("PQ/BT.2020").from_linear(np.array(light)))
    said = [text for one in others(code, facts_of(code), "full") for text in one.says]
    assert any(words in text for text in said)


def test_skin_is_where_the_chart_has_it():
    """The chart's two patches of skin as colour-science has them (BabelColor's mean of 30), in AP1 under its white."""
    chart = colour.CCS_COLOURCHECKERS["BabelColor Average"]
    for name in ("dark skin", "light skin"):
        xyz = colour.xyY_to_XYZ(chart.data[name])
        light = colour.XYZ_to_RGB(xyz, "ACEScg", chart.illuminant, chromatic_adaptation_transform="CAT02")
        _, hue, strength, _ = polar(np.asarray(light, float), np.array(oklab_rows(primaries("AP1"))))
        assert abs(float(hue) - SKIN_HUE) < 2.5
        assert abs(float(strength) - SKIN_STRENGTH) < 0.015


def test_skin_of_another_gamut_is_turned():
    """Skin recorded in one wide gamut and taken for another with the same curve: its hue says which."""
    light = np.zeros((120, 240, 3)) + np.array([0.30, 0.185, 0.13])
    light[:, :120] *= np.linspace(0.3, 1.6, 120)[:, None]
    wide = encoding("S-Log3/S-Gamut3.Cine")
    code = np.asarray(wide.from_linear(light @ rgb_to_rgb(primaries("AP1"), wide.primaries, "CAT02").T), np.float32)
    found = {one.encoding: one for one in likenesses(code, facts_of(code), "full")}
    assert abs(found["S-Log3/S-Gamut3.Cine"].skin) < 8
    assert found["S-Log3/S-Gamut3"].skin != pytest.approx(found["S-Log3/S-Gamut3.Cine"].skin, abs=0.5)


@pytest.mark.slow
def test_the_order_is_better_than_chance_and_no_answer():
    """168 takes of 14 logs, four places, three exposures, unbalanced at random: what the page says of the order."""
    rng = np.random.default_rng(1)
    lights = [place(480, 270, 2) for place in (gathering_room, colour_store, cold_bench, yard_at_dusk)]
    places, chances = [], []
    for name in LOGS:
        for light in lights:
            for stops in (-1.0, 0.0, 0.8):
                code = shot(name, light, stops, gains=(2 ** rng.uniform(-0.2, 0.2), 1.0, 2 ** rng.uniform(-0.2, 0.2)))
                order = [one.encoding.split(" EI ")[0] for one in families(likenesses(code, facts_of(code), "full"))]
                assert name.split(" EI ")[0] in order
                places.append(order.index(name.split(" EI ")[0]))
                chances.append(len(order))
    places, chances = np.array(places), np.array(chances)
    assert 1.7 * np.mean(1 / chances) < np.mean(places == 0) < 0.2
    assert 1.7 * np.mean(3 / chances) < np.mean(places < 3) < 0.45
    assert 0.3 < np.mean(places / (chances - 1)) < 0.4


@pytest.mark.slow
def test_the_order_of_what_is_no_log_is_better_than_chance():
    """72 takes of the six others, as the page says."""
    rng = np.random.default_rng(2)
    places = []
    for name in OTHERS:
        for light in (place(480, 270, 2) for place in (gathering_room, colour_store, cold_bench, yard_at_dusk)):
            for stops in (-1.0, 0.0, 0.8):
                code = shot(name, light, stops, gains=(2 ** rng.uniform(-0.2, 0.2), 1.0, 2 ** rng.uniform(-0.2, 0.2)))
                places.append([one.encoding for one in others(code, facts_of(code), "full")].index(name))
    assert 0.3 < np.mean(np.array(places) == 0) < 0.45
    assert 0.65 < np.mean(np.array(places) < 3) < 0.85


@pytest.mark.parametrize("shape", [(1, 1), (3, 500), (500, 3), (37, 41)])
def test_any_size_is_told(shape):
    code = np.full((*shape, 3), 0.4, np.float32)
    assert np.allclose(surfaces(code), 0.4)
    assert likenesses(code, facts_of(np.full((64, 64, 3), 0.4, np.float32)), "full")
