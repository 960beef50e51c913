"""Matrices, adaptation and temperature against colour-science 0.4.7."""

import itertools

import colour
import numpy as np
import pytest
from colour.adaptation import matrix_chromatic_adaptation_VonKries
from colour.models import RGB_COLOURSPACES
from colour.temperature import CCT_to_uv_Krystek1985, CCT_to_uv_Ohno2013

from upwelling.core.colour.primaries import (
    D60_ACES,
    D65,
    PRIMARIES,
    adaptation_matrix,
    primaries,
    rgb_to_rgb,
    rgb_to_xyz,
    xy_to_xyz,
)
from upwelling.core.colour.temperature import kelvin_duv_to_xy, planckian_uv
from upwelling.core.errors import UnknownName

PEERS = {
    "AP0": "ACES2065-1",
    "AP1": "ACEScg",
    "S-Gamut3": "S-Gamut3",
    "S-Gamut3.Cine": "S-Gamut3.Cine",
    "V-Gamut": "V-Gamut",
    "Wide Gamut 3": "ARRI Wide Gamut 3",
    "BT.709": "ITU-R BT.709",
    "BT.2020": "ITU-R BT.2020",
    "P3-D65": "P3-D65",
    "P3-DCI": "DCI-P3",
    "S-Gamut": "S-Gamut",
    "Cinema Gamut": "Cinema Gamut",
    "Wide Gamut 4": "ARRI Wide Gamut 4",
    "Wide Gamut RGB": "REDWideGamutRGB",
    "F-Gamut": "F-Gamut",
    "D-Gamut": "DJI D-Gamut",
    "Wide Gamut Gen 5": "Blackmagic Wide Gamut",
    "F-Gamut C": "F-Gamut C",
    "Protune Native": "Protune Native",
    "opRGB": "Adobe RGB (1998)",
}


def _derived(name):
    space = RGB_COLOURSPACES[PEERS[name]].copy()
    space.use_derived_matrix_RGB_to_XYZ = space.use_derived_matrix_XYZ_to_RGB = True
    return space


@pytest.mark.parametrize("name", PRIMARIES)
def test_matrix_to_xyz(name):
    np.testing.assert_allclose(rgb_to_xyz(PRIMARIES[name]), _derived(name).matrix_RGB_to_XYZ, atol=1e-6)
    np.testing.assert_allclose(PRIMARIES[name].xy, _derived(name).primaries, atol=1e-9)


@pytest.mark.parametrize("method", ["CAT02", "Bradford"])
@pytest.mark.parametrize(("source", "target"), list(itertools.permutations(PRIMARIES, 2)))
def test_matrix_between_spaces(source, target, method):
    ours = rgb_to_rgb(PRIMARIES[source], PRIMARIES[target], method)
    theirs = colour.matrix_RGB_to_RGB(_derived(source), _derived(target), chromatic_adaptation_transform=method)
    np.testing.assert_allclose(ours, theirs, atol=1e-6)
    np.testing.assert_allclose(ours.sum(axis=1), 1.0, atol=1e-12)  # white stays white


@pytest.mark.parametrize("method", ["CAT02", "Bradford"])
def test_adaptation(method):
    theirs = matrix_chromatic_adaptation_VonKries(xy_to_xyz(D60_ACES), xy_to_xyz(D65), transform=method)
    np.testing.assert_allclose(adaptation_matrix(D60_ACES, D65, method), theirs, atol=1e-6)


@pytest.mark.parametrize("kelvin", [1700, 2856, 3200, 5000, 6504, 9300, 15000])
def test_locus(kelvin):
    np.testing.assert_allclose(planckian_uv(kelvin), CCT_to_uv_Krystek1985(kelvin), atol=1e-12)


@pytest.mark.parametrize("kelvin", [1700, 2856, 3200, 5000, 6504, 9300, 15000])
@pytest.mark.parametrize("duv", [-0.02, -0.003, 0.0, 0.01, 0.02])
def test_light_off_the_locus(kelvin, duv):
    """Ohno 2013 integrates Planck's law; the bounds are those stated in temperature.py."""
    ours = colour.xy_to_UCS_uv(kelvin_duv_to_xy(kelvin, duv))
    np.testing.assert_allclose(ours, CCT_to_uv_Ohno2013(np.array([kelvin, duv])), atol=1.2e-4 + 0.035 * abs(duv))


def test_unknown_primaries():
    with pytest.raises(UnknownName):
        primaries("Rec 709")
