"""Every tone map and gamut fit over the torture chart, each published one against its own report or numbers worked by
hand.
"""

import colour
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from upwelling.core import engine
from upwelling.core.charts.torture import rows, stops_across, sweeps, torture_chart
from upwelling.core.colour.difference import delta_e_itp, ictcp
from upwelling.core.colour.primaries import primaries, rgb_to_rgb, rgb_to_xyz
from upwelling.core.curves.hlg import LUMINANCE, Ootf
from upwelling.core.engine.layout import TILE
from upwelling.core.errors import BadValue
from upwelling.core.measure.comparison import colourfulness, figures, hdr_reference, hue_turn, render, scene_hue
from upwelling.core.operations import LuminancePower, run_reference
from upwelling.core.outputs import OUTPUTS, output
from upwelling.core.rendering import FITS, TONE_MAPS, Rise, to_scene
from upwelling.core.rendering.bt2390 import Bt2390, Eetf
from upwelling.core.rendering.bt2446_a import Bt2446A, MethodA
from upwelling.core.rendering.bt2446_c import BREAK, Bt2446C, MethodC, crosstalk
from upwelling.core.rendering.clip import Clip
from upwelling.core.rendering.film import Film
from upwelling.core.rendering.fits import SmoothFit
from upwelling.core.rendering.fits.distance import LIMITS, THRESHOLDS, DistanceOperation
from upwelling.core.rendering.hlg_to_sdr import HlgOotf, WhiteToWhite
from upwelling.core.rendering.reinhard import Reinhard
from upwelling.core.rendering.source_display import source_operations

AP1, TV, HDR = primaries("AP1"), output("BT.709 BT.1886"), output("BT.2100 PQ 1000")
ROWS, STOPS, LIGHT = sweeps(AP1)
SATURATED = np.array([row.saturated for row in ROWS])
SDR_ONLY = ("bt2446a", "bt2446c")
EVERY = [
    (m, f, o)
    for m in TONE_MAPS
    for f in FITS
    for o in ("BT.709 BT.1886", "sRGB", "P3-D65 gamma 2.6", "BT.2100 PQ 1000, P3", "BT.2100 PQ 4000")
    if not (output(o).is_hdr and m.model_fields["kind"].default in SDR_ONLY)
]
# By how much of the peak luminance may fall along a rising saturated sweep: where channels are held in ratio, the fit
# darkens what is left
# outside near white. Ours never falls.
MOST_FALL = {
    "rise": 1e-9,
    "film": 1e-9,
    "reinhard": 0.009,
    "bt2390": 0.011,
    "bt2446a": 0.0095,
    "bt2446c": 0.0115,
    "hlg_ootf": 0.0125,
    "bt2408": 0.0135,
    "clip": 0.02,
}


def shown(method, target, light=LIGHT):
    return run_reference(method.operations(AP1, target, "CAT02"), np.asarray(light, dtype=np.float64))


@pytest.mark.parametrize(("method", "fit", "name"), EVERY, ids=lambda v: v if isinstance(v, str) else v.__name__)
def test_over_the_torture_chart(method, fit, name):
    target, made = output(name), method(fit=fit())
    out = shown(made, target)
    assert np.isfinite(out).all()
    assert out.min() >= 0
    assert out.max() <= 1
    assert np.ptp(out[0], axis=-1).max() < 1e-6  # neutral stays neutral
    assert np.diff(out[0, :, 1]).min() > -1e-9
    bright = shown(made, target, np.full((1, 3), 0.18 * 2.0**12))
    np.testing.assert_allclose(bright, 1.0, atol=1e-6)  # the declared peak is reached
    if fit is FITS[0]:
        luminance = out @ rgb_to_xyz(target.gamut)[1]
        assert np.diff(luminance, axis=1).min() > -MOST_FALL[made.kind]
    coded = (*made.operations(AP1, target, "CAT02"), *target.encode_operations())
    fast = engine.run(engine.compile_operations(coded), LIGHT.astype(np.float32))
    # BT.2446 A and C have small steps in their published pieces, which a table smooths over one cell.
    tolerance = 6e-4 if made.kind in SDR_ONLY else 2e-5 if made.kind == "rise" and fit is FITS[0] else 1e-4
    exact = run_reference(coded, LIGHT.astype(np.float32).astype(np.float64))
    # Where light that is cut off at 0 begins, a pure power's slope has no end: a rounding of light, 2^−22, is more.
    light = engine.run(engine.compile_operations(made.operations(AP1, target, "CAT02")), LIGHT.astype(np.float32))
    rounded = np.abs(light - out)
    off = np.where(rounded < 2.0**-22, 0, np.abs(fast - exact))
    assert off.max() < tolerance


@pytest.mark.parametrize("method", TONE_MAPS, ids=lambda m: m.__name__)
def test_hue_over_saturated_sweeps(method, capsys):
    """ICtCp hue against the same light at the luminance shown, below where a sweep leaves the output's gamut; 0.5 % of
    chroma is no hue.
    """
    made = method()
    light = LIGHT[SATURATED]
    tone = run_reference(made.tone(AP1, TV, "CAT02"), light)
    out = shown(made, TV, light)
    turn = hue_turn(
        scene_hue(light, TV.nits(out @ rgb_to_xyz(TV.gamut)[1]), AP1, "CAT02"),
        ictcp(TV.nits(out) @ rgb_to_rgb(TV.gamut, primaries("BT.2020"), "CAT02").T),
    )
    inside = np.logical_and.accumulate((tone >= 0).all(-1) & (tone <= 1).all(-1), axis=1)
    assert inside.sum() > 300
    worst = float(turn[inside].max())
    with capsys.disabled():
        print(
            f"\n{made.title}: hue turns by at most {worst:.2f}° inside the gamut of {TV.name}; promised "
            f"{made.hue_bound:g}°",
            end="",
        )
    assert worst <= made.hue_bound


@pytest.mark.parametrize(
    ("method", "name"),
    [(m, n) for m in (Rise, Reinhard, Clip) for n in OUTPUTS],
    ids=lambda v: v if isinstance(v, str) else v.__name__,
)
def test_mid_grey_lies_where_the_output_says(method, name):
    target = output(name)
    assert target.nits(shown(method(), target, [[0.18] * 3]))[0, 1] == pytest.approx(target.mid_grey_nits, rel=1e-6)


def test_rise_matches_itself_between_sdr_and_hdr():
    """From −3 to +0.5 stops the two differ by the ratio of mid greys alone, for neutrals and for skin; below, HDR's
    dark end begins.
    """
    stops = np.linspace(-3, 0.5, 36)
    skin = np.array([row.rgb for row in ROWS if row.name in ("light skin", "dark skin", "grey")])
    light = 0.18 * np.exp2(stops)[:, None, None] * skin
    sdr, hdr = (
        t.nits(shown(Rise(), t, light)) @ rgb_to_rgb(t.gamut, primaries("BT.2020"), "CAT02").T for t in (TV, HDR)
    )
    np.testing.assert_allclose(np.log2(hdr / sdr), np.log2(26 / 10), atol=0.05)
    assert np.abs(np.log2(hdr / sdr) - np.log2(26 / 10)).mean() < 0.01


def test_surround_follows_the_report():
    """BT.2390-8, 6.2: gamma times 0.98^log2(L/5); worked by hand for 0.05 cd/m²."""
    cinema = output("P3-D65 gamma 2.6")
    assert Rise().contrast_for(cinema) == pytest.approx(1.3 * 0.98**-6.643856, rel=1e-6)
    assert Rise(surround=0.0).contrast_for(cinema) == 1.3
    assert Rise().contrast_for(TV) == 1.3


# --- published curves
def test_eetf_is_the_reports():
    """BT.2390-8, 5.4.1: below KS nothing moves, the peak lands on the peak, P and its slope meet at KS; values worked
    by hand.
    """
    pq = lambda nits: float(colour.models.eotf_inverse_ST2084(nits))  # noqa: E731
    curve = Eetf(1000, 100, 0)
    most = pq(100) / pq(1000)
    knee = 1.5 * most - 0.5
    e1 = np.array([0.1, knee - 1e-6, knee + 1e-6, 1.0])
    np.testing.assert_allclose(curve.signal(e1), [0.1, knee, knee, most], atol=2e-6)
    t = (0.8 - knee) / (1 - knee)
    by_hand = (2 * t**3 - 3 * t**2 + 1) * knee + (t**3 - 2 * t**2 + t) * (1 - knee) + (-2 * t**3 + 3 * t**2) * most
    assert curve.signal(np.array([0.8]))[0] == pytest.approx(by_hand, rel=1e-12)
    assert curve(np.array([0.01]))[0] * 100 == pytest.approx(10.0, rel=1e-9)  # 10 cd/m² stay 10
    lifted = Eetf(1000, 100, 0.1)
    assert lifted.signal(np.array([0.0]))[0] == pytest.approx(pq(0.1) / pq(1000), rel=1e-9)
    assert lifted(np.array([0.0]))[0] == pytest.approx(0, abs=1e-7)
    slope = np.diff(curve.signal(np.linspace(knee - 1e-4, knee + 1e-4, 3)))
    assert slope[0] == pytest.approx(slope[1], rel=1e-3)


def test_method_a_is_the_reports():
    """BT.2446-1, section 4: ρ of 1000 and 100 cd/m²; the pieces meet to 6e-4 of Y′c as printed; black and peak stay;
    worked by hand at Y′ = 0.5.
    """
    a = MethodA(1000, 100)
    rho, small = 1 + 32 * 0.1 ** (1 / 2.4), 1 + 32 * 0.01 ** (1 / 2.4)
    p = np.log(1 + (rho - 1) * 0.5) / np.log(rho)
    assert 0.7399 < p < 0.9909
    c = -1.1510 * p**2 + 2.7811 * p - 0.6302
    assert a.luma(np.array(0.5)) == pytest.approx((small**c - 1) / (small - 1), rel=1e-12)
    np.testing.assert_allclose(a.luma(np.array([0.0, 1.0])), [0, 1], atol=1e-12)
    assert np.diff(a.luma(np.linspace(0, 1, 5001))).min() > 0
    grey = a.apply(np.full((1, 3), 0.5))
    np.testing.assert_allclose(grey, float(a.luma(np.array(0.5))), rtol=1e-12)
    red = a.apply(np.array([[0.6, 0.2, 0.1]]))  # colour differences divided by 1.1·Y′, reds darkened by a tenth of Cr
    y = float(np.array([0.6, 0.2, 0.1]) @ LUMINANCE)
    ratio = float(a.ratio(np.array(y))) / 1.1
    cr = ratio * (0.6 - y) / 1.4746
    assert red @ LUMINANCE == pytest.approx(1.1 * ratio * y - 0.1 * cr, rel=1e-9)
    assert (red[0, 0] - red @ LUMINANCE) / 1.4746 == pytest.approx(cr, rel=1e-9)


def test_method_c_is_the_reports():
    """BT.2446-1, section 6: 83.8 % below the break, 58.5 % at it, the logarithm above; 1000 cd/m² gives about 118 %."""
    c = MethodC(1000)
    np.testing.assert_allclose(c(np.array([0.01, BREAK / 1000])), [0.083802, 0.585], rtol=1e-3)
    assert c(np.array(1.0)) == pytest.approx((15.09968 * np.log(1000 / BREAK - 0.74204) + 78.99439) / 100)
    assert 1.17 < float(c(np.array(1.0))) < 1.19
    np.testing.assert_allclose(crosstalk(0.04), [[0.92, 0.04, 0.04], [0.04, 0.92, 0.04], [0.04, 0.04, 0.92]])
    full = shown(Bt2446C(above_white="scaled to the peak"), TV, [[50.0] * 3])
    np.testing.assert_allclose(full, 1.0, atol=1e-6)


def test_source_display_has_the_levels_of_bt2408():
    """BT.2408-7, table 1: diffuse white 203 cd/m², an 18 % grey card 26 cd/m², on a 1000 cd/m² display."""
    light = run_reference(
        source_operations(primaries("BT.2020"), "CAT02", 1000.0, 203.0), np.array([[1.0] * 3, [0.18] * 3, [9.0] * 3])
    )
    np.testing.assert_allclose(light[:, 1] * 1000, [203, 26, 1000], atol=0.1)


def test_hlg_ootf_is_colour_sciences():
    out = shown(HlgOotf(), output("BT.2100 HLG 1000"), [[0.18] * 3, [1.0] * 3])
    scene = np.array([[0.18] * 3, [1.0] * 3]) * float(colour.models.oetf_inverse_BT2100_HLG(0.75))
    expected = colour.models.ootf_BT2100_HLG(scene, L_B=0, L_W=1000) / 1000
    np.testing.assert_allclose(out, expected, rtol=1e-5)
    assert Ootf(100.0).gamma == pytest.approx(1.2 * 1.111 ** np.log2(0.1), rel=1e-9)


def test_white_to_white_and_reinhard_by_hand():
    assert TV.nits(shown(WhiteToWhite(), TV, [[1.0] * 3]))[0, 1] == pytest.approx(100.0, rel=1e-6)
    assert TV.nits(shown(WhiteToWhite(), TV, [[0.18] * 3]))[0, 1] == pytest.approx(100 * 0.18**1.2, rel=1e-6)
    curve = Reinhard(scene_peak=16).curve(TV)
    key = (0.1 - (0.18 / 16) ** 2) / (0.18 * 0.9)
    assert curve.key == pytest.approx(key)
    assert curve(np.array(16.0)) == pytest.approx(1.0)  # L_white is burned out
    assert curve(np.array(1.0)) == pytest.approx(key * (1 + 1 / (256 * key)) / (1 + key))


@pytest.mark.parametrize(
    ("method", "words"),
    [(Reinhard(scene_peak=2), None), (Bt2446C(), "maps HDR to SDR"), (Bt2446A(), "maps HDR to SDR")],
)
def test_what_cannot_be_is_said(method, words):
    if words is None:
        assert shown(method, TV, [[0.18] * 3])[0, 1] == pytest.approx(0.1)
        return
    with pytest.raises(BadValue, match=words):
        method.operations(AP1, HDR, "CAT02")


# --- the way back
INVERTIBLE = [
    Rise(),
    Rise(desaturation=0.5),
    Bt2390(),
    Bt2390(preserve="channels"),
    Bt2446A(),
    Bt2446C(above_white="scaled to the peak"),
    HlgOotf(),
    Reinhard(),
    Reinhard(preserve="power norm"),
    Film(),
    Film(layer_gamma=(1.05, 1, 0.95), layer_roll=(1, 1, 1.6), flash=0.01),
    Clip(),
]


@pytest.mark.parametrize("method", INVERTIBLE, ids=lambda m: f"{m.kind} {getattr(m, 'preserve', '')}")
def test_inverse_up_to_the_peak(method):
    """Mild colours from −6 stops to just below the peak come back to 0.1 %; what the fit moved comes back to 1 %."""
    top = method.peak_stops(TV) - 0.4
    stops = np.linspace(-6, top, 60)
    light = (0.18 * np.exp2(stops))[:, None, None] * np.array([[1, 1, 1], [1.15, 1, 0.85], [0.9, 1.02, 1.1]])
    tone = run_reference(method.tone(AP1, TV, "CAT02"), light)
    inside = (tone > 0.0).all(-1) & (tone < 0.97).all(-1)
    assert inside.mean() > 0.65
    back = to_scene(method, shown(method, TV, light), AP1, TV, "CAT02")
    np.testing.assert_allclose(
        back[inside], light[inside], rtol=0.01 if method.kind in ("rise", "bt2446c", "bt2446a") else 0.004
    )


def test_smooth_fit_comes_back():
    operation = SmoothFit().operation(TV, "CAT02")
    rgb = np.random.default_rng(4).uniform(-0.05, 1.0, (4000, 3))
    fitted = operation.apply(rgb)
    inside = (rgb > 0.003).all(-1) & (fitted < 0.985).all(-1) & (fitted > 0.002).all(-1)
    assert inside.sum() > 2000
    back = operation.undo(fitted)
    np.testing.assert_allclose(
        operation.apply(back)[inside], fitted[inside], atol=1e-6
    )  # every answer is shown as what was asked for
    same = np.abs(back - rgb).max(axis=-1) < 2e-4  # close under the ceiling two lights may be shown alike
    assert same[inside].mean() > 0.995


@pytest.mark.parametrize("target", [TV, HDR], ids=lambda o: o.name)
def test_the_engine_leaves_a_tile_alone_only_where_the_fit_would(target):
    """Each colour fills a tile of its own, so that each alone decides whether the engine takes the short way."""
    operation = SmoothFit().operation(target, "CAT02")
    draw = np.random.default_rng(7)
    light = 2.0 ** draw.uniform(-9, 1, (500, 1)) * np.exp(draw.normal(0, 1, (500, 1)) * draw.normal(0, 0.7, (500, 3)))
    light[:60] *= np.where(draw.uniform(size=(60, 3)) < 0.3, -0.1, 1)
    light[60:80] *= -(10.0 ** draw.uniform(-3, 8, (20, 1)))
    filled = np.repeat(light, TILE, axis=0).astype(np.float32)
    found = engine.run(engine.compile_operations([operation]), filled, np.empty_like(filled))[::TILE]
    exact = operation.apply(filled[::TILE].astype(np.float64))
    np.testing.assert_allclose(found, exact, atol=1e-5)
    unmoved = (found == filled[::TILE]).all(-1)
    assert 0.1 < unmoved.mean() < 0.9


def test_a_pixel_that_is_no_number_leaves_its_neighbours_alone():
    draw = np.random.default_rng(3)
    light = (draw.choice([-1, 1], (TILE, 3)) * 2.0 ** draw.uniform(-30, 20, (TILE, 3))).astype(np.float32)
    spoilt = light.copy()
    spoilt[100] = np.nan
    for method in (made() for made in TONE_MAPS):
        program = engine.compile_operations(method.operations(AP1, TV, "CAT02"))
        right, found = (engine.run(program, np.tile(rgb, (3, 1))) for rgb in (light, spoilt))
        assert np.isfinite(right).all(), method.title
        np.testing.assert_array_equal(np.delete(found[:TILE], 100, axis=0), np.delete(right[:TILE], 100, axis=0))


def test_no_way_back_is_said():
    with pytest.raises(BadValue, match="no way back"):
        to_scene(Reinhard(preserve="channels", saturation=0.5), np.full((1, 3), 0.2), AP1, TV, "CAT02")


# --- fits
def test_distance_fit_is_the_published_one():
    """Limits land on the gamut's edge, thresholds and neutrals stay, and the way back gives the same (the source's own
    round trip).
    """
    operation = DistanceOperation()
    for channel in range(3):
        for distance, expected in ((LIMITS[channel], 1.0), (THRESHOLDS[channel], THRESHOLDS[channel])):
            rgb = np.ones(3)
            rgb[channel] = 1 - distance
            assert 1 - operation.compressed(rgb)[channel] == pytest.approx(expected, abs=1e-9)
    rgb = np.random.default_rng(2).uniform(-0.1, 1, (5000, 3))
    np.testing.assert_allclose(operation.restored(operation.compressed(rgb)), rgb, atol=1e-6)


@given(st.lists(st.floats(-5, 50), min_size=3, max_size=3))
@settings(max_examples=60, deadline=None)
def test_every_fit_ends_on_the_display(rgb):
    for fit in FITS:
        out = fit().operation(TV, "CAT02").apply(np.array([rgb]))
        assert ((out >= 0) & (out <= 1)).all()
        inside = np.array([[0.3, 0.35, 0.32]])
        np.testing.assert_allclose(fit().operation(TV, "CAT02").apply(inside), inside, atol=1e-9)


# --- what compares them
def test_ictcp_and_its_difference_against_colour_science():
    """BT.2100 ICtCp of absolute light; ΔE ITP as BT.2124 writes it: Ct halved before it is squared, which
    colour-science's 0.25·ΔCt² is too.
    """
    rgb = np.random.default_rng(1).uniform(0, 900, (200, 3))
    found = ictcp(rgb)
    np.testing.assert_allclose(found, colour.RGB_to_ICtCp(rgb, L_p=10000, method="ITU-R BT.2100-2 PQ"), atol=2e-6)
    np.testing.assert_allclose(
        delta_e_itp(found[:100], found[100:]), colour.difference.delta_E_ITP(found[:100], found[100:]), rtol=1e-9
    )
    assert delta_e_itp(np.zeros(3), np.array([0.0, 0.01, 0.0])) == pytest.approx(3.6)


def test_colourfulness_by_hand():
    """Hasler and Süsstrunk 2003: half red, half green has σ_rg 255, μ_rg 0, σ_yb 0, μ_yb 127.5."""
    assert colourfulness(np.full((10, 3), 0.5)) == 0
    halves = np.array([[1.0, 0, 0], [0, 1.0, 0]])
    assert colourfulness(halves) == pytest.approx(255 + 0.3 * 127.5)


def test_torture_chart_is_what_it_says():
    """LED and furnace chromaticities against colour-science's spectra; levels by column; a dozen rows and more."""
    locus = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"]
    for nm, xy in ((450, (0.1566, 0.0177)), (470, (0.1241, 0.0578))):
        np.testing.assert_allclose(colour.XYZ_to_xy(locus[nm]), xy, atol=2e-4)
    furnace = colour.sd_to_XYZ(colour.sd_blackbody(1500, locus.shape), locus)
    np.testing.assert_allclose(colour.XYZ_to_xy(furnace), (0.5857, 0.3931), atol=3e-4)
    chart = torture_chart(AP1, 640, 360)
    stops = stops_across(640)
    assert chart.shape == (360, 640, 3)
    middle = int(np.nanargmin(np.abs(stops)))
    np.testing.assert_allclose(chart[5, middle], 0.18, rtol=0.02)
    assert {"red", "BT.2020 green", "light skin", "LED 450 nm", "furnace 1500 K"} <= {row.name for row in rows(AP1)}
    luminance = chart.reshape(-1, 3) @ rgb_to_xyz(AP1)[1]
    assert luminance.max() == pytest.approx(0.18 * 2**8, rel=0.02)


def test_figures_of_a_frame():
    scene = torture_chart(AP1, 480, 270)
    reference = hdr_reference(scene, AP1, "CAT02", HDR)
    ours, cut = (
        figures(m, render(m, scene, AP1, TV, "CAT02"), scene, AP1, TV, "CAT02", reference) for m in (Rise(), Clip())
    )
    assert ours.mid_grey_nits == pytest.approx(10.0, rel=1e-6)
    assert ours.mid_grey_signal == pytest.approx(0.1 ** (1 / 2.4), rel=1e-6)
    assert ours.from_hdr < 3.5 < cut.from_hdr  # ΔE ITP; most of ours is HDR's dark end, below −4 stops
    assert ours.at_peak < cut.at_peak
    assert ours.hue_mean < cut.hue_mean
    assert ours.highlight_contrast > cut.highlight_contrast
    assert 0 < ours.fit_share < 1
    flat = np.full((64, 64, 3), 0.18, np.float32)
    assert figures(Rise(), render(Rise(), flat, AP1, TV, "CAT02"), flat, AP1, TV, "CAT02").hue_mean is None


def test_luminance_power_is_undone():
    from upwelling.core.rendering.inverse import undo_operations

    operations = (LuminancePower(LUMINANCE, 0.2, 0.5),)
    rgb = np.random.default_rng(3).uniform(0.01, 2, (50, 3))
    np.testing.assert_allclose(undo_operations(operations, run_reference(operations, rgb)), rgb, rtol=1e-9)
