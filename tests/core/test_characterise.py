"""Cameras measured: simulated ones whose truth is known, by spectra of colour-science 0.4.7."""

from datetime import date

import colour
import numpy as np
import pytest

from tests.simulated_camera import PATCHES, SHAPE, SimulatedCamera, light_spectrum, wax_camera
from upwelling.core.characterise import ALL, CameraReport, judged, measure, picture_of, report_of, sensitivities_from
from upwelling.core.characterise.curve import fit_curve
from upwelling.core.characterise.matrix import fit_matrix, patches_of
from upwelling.core.characterise.spectra import LIGHTS, light_of, patches_under, reflectances, white_of, xyz_of
from upwelling.core.charts.grid import read_grid
from upwelling.core.encodings.custom import CustomEncoding
from upwelling.core.errors import BadValue

CURVES = ("S-Log3/S-Gamut3.Cine", "V-Log/V-Gamut", "LogC4/Wide Gamut 4", "BT.709/BT.709")


# --- spectra
@pytest.mark.parametrize("name", [*LIGHTS, "5200 K", "6504 K", "2000 K", "9000 K"])
def test_lights_and_patches_by_colour(name):
    """XYZ of every patch under every light, against colour.sd_to_XYZ by sums; daylights by its own generator."""
    kelvin = int(name[:-2]) if name.endswith(" K") else 0
    if kelvin:
        xy = colour.temperature.CCT_to_xy_CIE_D(kelvin) if kelvin >= 4000 else None
        made = colour.sd_CIE_illuminant_D_series(xy) if kelvin >= 4000 else colour.sd_blackbody(kelvin, SHAPE)
    else:
        made = colour.SDS_ILLUMINANTS[name]
    made = made.copy().align(SHAPE)
    cmfs = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"].copy().align(SHAPE)
    patches = [sd.copy().align(SHAPE) for sd in colour.SDS_COLOURCHECKERS["ISO 17321-1"].values()]
    wanted = [colour.sd_to_XYZ(sd, cmfs, made, method="Integration") / 100 for sd in patches]
    np.testing.assert_allclose(xyz_of(reflectances(), light_of(name)), wanted, atol=6e-4)


@pytest.mark.parametrize(
    ("name", "xy"),
    [("A", (0.44758, 0.40745)), ("D50", (0.34567, 0.35850)), ("D65", (0.31272, 0.32903)), ("FL2", (0.3721, 0.3751))],
)
def test_whites_as_published(name, xy):
    """CIE 15:2018, tables T.3 and T.6.1."""
    assert white_of(light_of(name)) == pytest.approx(xy, abs=5e-4)


def test_the_large_chart_by_colour():
    published = colour.CCS_COLOURCHECKERS["ColorCheckerSG - After November 2014"]
    mine = patches_under("140", light_of("D50"))
    for at, name in ((0, "A1"), (13, "N1"), (14, "A2"), (139, "N10"), (60, "E5")):
        np.testing.assert_allclose(mine[at], colour.xyY_to_XYZ(published.data[name]), atol=2e-4)


@pytest.mark.parametrize("name", ["Moonlight", "900 K", "3200", "99999 K"])
def test_unknown_lights_are_refused(name):
    with pytest.raises(BadValue, match="no light known"):
        light_of(name)


# --- the curve
def lit(camera, fit, stops=(-4.5, 4.5)):
    """Error of the knots in stops, and their uncertainty, over nine stops about grey."""
    true = np.asarray(camera.curve.to_linear(fit.codes))
    with np.errstate(divide="ignore", invalid="ignore"):
        at = np.log2(np.maximum(true, 1e-9) / 0.18)
        kept = (at > stops[0]) & (at < stops[1])
        return np.log2(fit.light / true)[kept], fit.sigma_stops[kept]


@pytest.mark.parametrize("curve", CURVES[:3])
@pytest.mark.parametrize("bits", [8, 10, 12])
def test_the_curve_is_found_to_a_fiftieth_of_a_stop(curve, bits):
    """Over nine stops, for codes of 8 to 12 bit, by a series in half stops whose exposures are a two-hundredth off."""
    camera = SimulatedCamera(curve, bits=bits, seed=bits)
    found = measure(camera.series(np.arange(-7, 6.5, 0.5)))
    light = 0.18 * 2.0 ** np.linspace(-4.5, 4.5, 200)
    apart = np.log2(found.curve.to_light(camera.curve.from_linear(light)) / light)
    assert np.abs(apart).max() < (0.02 if bits > 8 else 0.035)
    assert found.curve.black == pytest.approx(float(camera.curve.from_linear(np.zeros(1))[0]), abs=1.5 / (2**bits - 1))
    assert float(found.curve.glare[-1]) == pytest.approx(0.004, abs=0.002)


def test_uncertainties_cover_the_truth():
    """Nine in ten of the table of twelve cameras lie within 1.645 sigma, and of the gains of a second light."""
    within, gains = [], []
    for seed in range(12):
        camera = SimulatedCamera(CURVES[seed % 3], seed=100 + seed, off=0.01, shot=1e-4 * (1 + seed % 3))
        pictures = camera.series(lights=("D65", "A"))
        first = fit_matrix(patches_of(pictures, fit_curve(pictures)), [one.light for one in pictures], tried=False)
        found = fit_curve(pictures, np.linalg.inv(first.matrix))
        error, sigma = lit(camera, found)
        within += list(np.abs(error) < 1.645 * sigma)
        truth = np.log2(camera.channels(np.ones(81), "A")[0])
        apart = found.gains[1] - found.gains[1][1] - truth + truth[1]
        gains += list(np.abs(apart[[0, 2]]) < 1.645 * np.maximum(found.gains_sigma[1][[0, 2]], 5e-3))
    assert np.mean(within) >= 0.9
    assert np.mean(gains) >= 0.9


def test_clip_and_floor():
    camera = SimulatedCamera(clip=6.0, read=2e-3, seed=4)
    found = fit_curve(camera.series(range(-9, 8)))
    assert found.clips
    assert found.clip == pytest.approx(float(camera.curve.from_linear(np.array([6.0]))[0]), abs=2e-3)
    # Noise is as large as the light where light² = shot · light + read².
    assert found.floor_seen
    assert np.log2(found.floor / 2e-3) == pytest.approx(0, abs=1.1)
    short = fit_curve(camera.series(range(-2, 3)))
    assert not short.clips
    assert not short.floor_seen


def test_charts_alone_tell_a_curve():
    """Less surely than with a card, for glare lies over dark patches: the uncertainty says so."""
    camera = SimulatedCamera(seed=7)
    found = measure([camera.shoot("24", stops) for stops in (-3, -2, -1, 0, 1, 2)])
    error, sigma = lit(camera, found.curve, (-4, 3))
    assert np.abs(error).max() < 0.1
    assert (np.abs(error) < 3 * sigma).all()


# --- colour
@pytest.mark.parametrize("light", ["D65", "A"])
def test_left_out_patches_are_within_one(light):
    """A real camera's sensitivities (NPL's measurement, in colour-science) under one light."""
    found = measure(SimulatedCamera(seed=2).series(lights=(light,)))
    fit = found.colour[ALL]
    assert min(fit.left_out.mean(), fit.roots_left_out.mean()) <= 1.0
    assert fit.errors.mean() < 1.0
    assert np.isnan(fit.other_light).all()


def test_a_camera_that_a_matrix_undoes():
    """The primaries found are those of the mixture, under one light."""
    sees, mixed = wax_camera()
    camera = SimulatedCamera(sensitivities=sees, glare=0.0, seed=3)
    found = measure(camera.series(lights=("D65",)))
    fit = found.colour[ALL]
    assert fit.left_out.mean() < 0.4
    assert np.isnan(fit.other_light).all()
    true = np.linalg.inv(mixed) / camera.gains  # XYZ of its balanced channels, but for a factor
    xy = (true[:2] / true.sum(axis=0)).T
    made = np.array([fit.primaries.red, fit.primaries.green, fit.primaries.blue])
    assert np.abs(made - xy).max() < 0.02


def test_two_lights_are_a_compromise_and_it_is_said():
    found = measure(SimulatedCamera(seed=5).series(lights=("D65", "A")))
    said = judged(found)
    assert said.good_for == 2
    assert "Save one for each light" in " ".join(said.reasons)
    assert set(found.colour) == {ALL, "D65", "A"}
    assert found.colour["A"].left_out.mean() < 1.3
    rows = {row[0]: row for row in found.balance()}
    assert rows["A"][1] == pytest.approx(2856, abs=15)
    assert rows["A"][2] > 0.5 > -0.5 > rows["A"][3]
    middle = found.balance_at(4000)
    assert rows["D65"][2] < middle[0] < rows["A"][2]
    with pytest.raises(BadValue, match="two lights"):
        measure(SimulatedCamera(seed=5).series()).balance_at(4000)


def test_sensitivities_stand_for_charts_and_are_held_against_them():
    camera = SimulatedCamera(seed=6)
    text = "nm,r,g,b\n" + "\n".join(
        f"{nm},{r:.6f},{g:.6f},{b:.6f}" for nm, (r, g, b) in zip(range(380, 781, 5), camera.sees, strict=True)
    )
    own = measure(camera.series(), sensitivities_from(text))
    assert own.foretold < 1.2
    assert not any("sensitivities" in why for why in judged(own).reasons)
    other = SimulatedCamera(sensitivities="Sigma SDMerill (NPL)").sees
    assert "another camera" in " ".join(judged(measure(camera.series(), other)).reasons)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "400 nm"),
        ("\n".join(f"{nm} 1 1 1" for nm in range(450, 781, 10)), "400 nm"),
        ("\n".join(f"{nm} 1 1 1" for nm in range(380, 781, 20)), "steps"),
        ("\n".join(f"{nm} 1 0 1" for nm in range(380, 781, 10)), "sees nothing"),
        ("380 1 1 1\n390 1 x 1", "Line 2"),
        ("nm r g b\n380 1 1", "Line 2"),
        ("380 1 1 nan", "Line 1"),
    ],
)
def test_odd_sensitivities_are_refused(text, words):
    with pytest.raises(BadValue, match=words):
        sensitivities_from(text)


# --- the verdict, and what comes out
@pytest.mark.parametrize(
    ("series", "words"),
    [
        ({"stops": range(-7, 3)}, "the clip was not reached"),
        ({"stops": range(-2, 7)}, "the noise was not reached"),
        ({"dark": False}, "lens capped"),
        ({}, "under tungsten"),
        ({"lights": ("A",)}, "under daylight"),
        ({"stops": (-6, -5, -4, -1, 0, 1, 2, 3, 4, 5, 6, 7)}, "−2.5 stops: nothing lies between"),
    ],
)
def test_which_picture_comes_next(series, words):
    assert words in " ".join(judged(measure(SimulatedCamera(clip=10.0, seed=8).series(**series))).next_pictures)


def test_glare_is_found_and_said():
    said = judged(measure(SimulatedCamera(glare=0.03, seed=9).series()))
    assert "veiling glare" in " ".join(said.reasons)
    assert "black cloth" in " ".join(said.next_pictures)


def test_not_enough_is_said():
    said = judged(
        measure(SimulatedCamera(sensitivities="Sigma SDMerill (NPL)", seed=10).series(lights=("D65", "FL11")))
    )
    assert said.good_for == 0
    assert said.sentence.startswith("Not enough.")


@pytest.mark.parametrize(
    ("pictures", "words"),
    [
        (lambda c: [c.shoot("grey", k) for k in range(4)], "None of the pictures is of a chart"),
        (lambda c: [c.shoot("24")], "at least two exposures"),
        (lambda c: [c.shoot("24", -12), c.shoot("24", -13)], "tell a curve"),
        (lambda c: [c.shoot("24", 9), *(c.shoot("grey", k) for k in range(-4, 5))], "another exposure"),
    ],
)
def test_pictures_that_tell_nothing_are_refused(pictures, words):
    with pytest.raises(BadValue, match=words):
        measure(pictures(SimulatedCamera()))


@pytest.mark.parametrize("curve", CURVES[:2])
def test_the_encoding_reads_as_the_camera_recorded(curve):
    """Through the whole encoding: patches of the camera's codes come out as the chart under D65, and it can travel."""
    camera = SimulatedCamera(curve, seed=11, glare=0.0)
    found = measure(camera.series())
    report = report_of(found)
    assert CameraReport.model_validate_json(report.model_dump_json()) == report
    made = report.encoding("Wax one", ALL, "full", date(2026, 5, 1))
    assert "Measured 2026-05-01 from 16 pictures" in made.note
    with pytest.raises(BadValue, match="none of the lights"):
        report.correction("FL2")
    assert CustomEncoding.checked(made.model_dump(mode="json")) == made
    source = made.encoding()
    codes = camera.curve.from_linear(camera.channels(PATCHES, "D65"))
    xyz = (
        source.curve.to_linear(codes)
        @ colour.normalised_primary_matrix(np.array(source.primaries.xy[:3]), np.array(source.primaries.white)).T
    )
    wanted = xyz_of(PATCHES, light_spectrum("D65"))
    white = colour.xy_to_XYZ((0.3127, 0.329))
    apart = colour.delta_E(*(colour.XYZ_to_Lab(v, (0.3127, 0.329)) for v in (xyz, wanted)), method="CIE 2000")
    assert white is not None
    assert apart.mean() < 1.1


def test_pictures_are_read(tmp_path):
    """A chart in perspective, a card, and what is too small."""
    frame = np.zeros((200, 300, 3))
    values = np.linspace(0.1, 0.9, 24)
    for at, value in enumerate(values):
        row, column = divmod(at, 6)
        frame[20 + row * 40 : 60 + row * 40, 30 + column * 40 : 70 + column * 40] = value
    corners = ((0.1, 0.1), (0.9, 0.1), (0.9, 0.9), (0.1, 0.9))
    read = picture_of(frame, "a", "24", corners)
    np.testing.assert_allclose(read.codes[:, 0], values)
    assert read.spreads.max() < 1e-9
    assert (read.pixels > 100).all()
    assert picture_of(frame, "a", "grey", None, (0.1, 0.1, 0.2, 0.2)).codes[0, 0] == pytest.approx(values[0])
    assert len(read_grid(frame, corners, 14, 10).means) == 140
    for target, region, words in (("24", None, "corners"), ("grey", (0.1, 0.1, 0.101, 0.101), "too small")):
        with pytest.raises(BadValue, match=words):
            picture_of(frame, "a", target, None, region or (0, 0, 1, 1))


def test_dark_patches_and_clipped_ones_say_nothing_of_colour():
    camera = SimulatedCamera(seed=12, clip=0.7)
    pictures = camera.series(range(-7, 3))
    kept = patches_of(pictures, fit_curve(pictures))
    assert 12 <= len(kept.rgb) < 24
    assert 18 not in kept.patch
