"""The Bench beyond a plain preview: steps as a list, scopes, regions, views, Marks, history, sharing, motion,
caches.
"""

import imagecodecs
import numpy as np
import pytest

from tests.core.test_raw import PROFILE, mosaic_of
from tests.web.test_shots import ask, body
from upwelling.core.colour.primaries import primaries, rgb_to_rgb
from upwelling.core.colour.temperature import kelvin_duv_to_xy
from upwelling.core.errors import BadValue
from upwelling.core.media import dng, read_still, write_still
from upwelling.core.path import trace as path_trace
from upwelling.core.scopes import SCOPES
from upwelling.core.simulate.camera import A_CAM
from upwelling.core.steps import (
    CalmNoise,
    ColourRange,
    Contrast,
    Exposure,
    Highlights,
    Ladder,
    Saturation,
    WhiteBalance,
)
from upwelling.web.bench import frame_values
from upwelling.web.bench.frame_values import FrameValues
from upwelling.web.bench.scope import BOUNDARIES, ScopeChoice, level_ticks
from upwelling.web.bench.tickets import Overtaken, Ticket
from upwelling.web.common.kept import Kept
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.footage.setting_differences import differences
from upwelling.web.footage.shot_settings import MOST_STEPS, ShotSettings


def post(client, shot, page, sent):
    return client.post(
        f"/p/kilnlight/bench/{shot.pk}/{page}/",
        sent,
        content_type="application/json",
        headers={"Accept": "application/json"},
    )


def copy_of(shot, name):
    return Shot.objects.create(
        **{
            f.attname: getattr(shot, f.attname)
            for f in Shot._meta.fields
            if f.attname not in ("id", "name", "version", "position")
        },
        name=name,
    )


# --- steps as a list
def test_steps_are_pasted_in_place_of_their_kind():
    mine = ShotSettings().with_steps([Exposure(stops=1, name="Lift"), Saturation(amount=1.2), Saturation(amount=0.8)])
    assert [s.kind for s in mine.steps] == [
        "exposure",
        "white_balance",
        "contrast",
        "ladder",
        "slope_offset_power",
        "saturation",
        "saturation",
    ]
    assert (mine.steps[0].stops, mine.steps[0].id, mine.steps[0].name) == (1, "exposure", "Lift")
    assert len({s.id for s in mine.steps}) == 7
    with pytest.raises(BadValue, match=f"at most {MOST_STEPS} steps"):
        ShotSettings().with_steps([Contrast()] * MOST_STEPS)


@pytest.mark.parametrize(
    ("change", "lines"),
    [
        ([], []),
        ([Exposure(stops=0.5)], ["Exposure: 0 → 0.5"]),
        ([Exposure(stops=0.5, name="Lift")], ["Lift, exposure: 0 → 0.5", "Lift, name: – → Lift"]),
        ([Saturation(amount=1.3)], ["With Saturation: Saturation 1.30"]),
        (
            [WhiteBalance(kelvin=5000, on=False)],
            ["White balance, scene light: 6500 → 5000", "White balance, on: on → off"],
        ),
        (
            [Exposure(stops=-1, strength=0.5, limit=ColourRange(hue=40, hue_width=60))],
            ["Exposure: 0 → −1", "Exposure, strength: 1 → 0.5", "Exposure, on hue 40° ± 30°"],
        ),
    ],
)
def test_differences_in_words(change, lines):
    assert differences(ShotSettings(), ShotSettings().with_steps(change)) == lines


def test_order_of_steps_is_told_and_counts():
    first, second, *rest = ShotSettings().with_steps([Exposure(stops=1), WhiteBalance(kelvin=4000)]).steps
    turned = ShotSettings(steps=(second, first, *rest))
    assert differences(ShotSettings(steps=(first, second, *rest)), turned)[0].startswith(
        "Order of steps: White balance, Exposure"
    )


# --- scopes, region, views
@pytest.mark.parametrize("kind", SCOPES)
@pytest.mark.parametrize("boundary", BOUNDARIES)
def test_every_scope_at_every_boundary(shot, as_, kind, boundary):
    head, _, shades = ask(as_("tess"), shot, scopes=[{"kind": kind, "boundary": boundary}])
    (said,) = head["scopes"]
    assert said["unit"]
    assert shades.size == said["planes"] * said["levels"] * said["columns"]
    assert kind == "histogram" or shades.max() > 0


@pytest.mark.parametrize(
    ("boundary", "scale", "place", "label"),
    [
        ("display", "percent", 0.5, "50"),
        ("display", "code", 0.0, "0"),
        ("display", "code", 1.0, "1023"),
        ("display", "light", 1.0, "100"),
        ("display", "light", 10**-0.41666667, "10"),  # BT.1886: 10 cd/m² of 100 is 0.1^(1/2.4) of signal
        ("camera", "code", 1.0, "1023"),
        ("look", "stops", 0.4135884, "0"),
        ("look", "stops", 0.4135884 + 2 / 17.52, "+2"),  # ACEScct: 1/17.52 a stop
        ("rendering", "light", 0.25, "25"),
        ("look", "percent", 0.4135884, "0"),  # a scale that does not fit gives way
    ],
)
def test_ticks_stand_where_their_value_is(shot, boundary, scale, place, label):
    _, _, ticks = level_ticks(ScopeChoice(boundary=boundary, scale=scale), path_of(Shot.objects.get()))
    assert {t["label"]: t["place"] for t in ticks}[label] == pytest.approx(place, abs=1e-4)


def test_region_limits_what_is_measured(shot, as_):
    region = {"kind": "rectangle", "left": 0.25, "top": 0.0, "right": 0.5, "bottom": 1.0}
    head, _, _ = ask(as_("tess"), shot, region=region, scopes=[{"kind": "histogram"}])
    assert sum(head["scopes"][0]["counts"]) == 24 * 54
    assert head["measured"] == "25.0 %"
    rows = {row["name"]: row["value"] for row in head["region"]}
    code = read_still(shot.disk_path).code[:, 24:48]
    path = path_of(Shot.objects.get())
    mean = path.apply(code).reshape(-1, 3).mean(axis=0) * 100
    np.testing.assert_allclose([float(v) for v in rows["Mean R G B"].split()[:3]], mean, atol=0.06)
    light = path.to_working(code).reshape(-1, 3).mean(axis=0) @ [0.2722287, 0.6740818, 0.0536895]
    assert rows["From mid grey"] == f"{np.log2(light / 0.18):+.2f} stops".replace("-", "−")
    assert ask(as_("tess"), shot)[0]["region"] == []
    assert post(as_("tess"), shot, "preview", {"settings": body(), "region": {"left": 2}}).status_code == 422


def test_views_show_bands_clips_and_selection(shot, as_):
    tess = as_("tess")
    pictures = {view: ask(tess, shot, view=view) for view in ("picture", "stops", "clip")}
    assert len(pictures["stops"][0]["legend"]) == 14
    assert [row["label"] for row in pictures["clip"][0]["legend"]] == ["at black", "at peak by us", "clipped in camera"]
    assert len({bytes(p[1]) for p in pictures.values()}) == 3
    limited = (
        ShotSettings()
        .with_steps([Exposure(stops=1, limit=ColourRange(stops_low=0, stops_soft=0.05))])
        .model_dump(mode="json")
    )
    head, picture, _ = ask(tess, shot, settings=limited, view="selection", step="exposure")
    view = imagecodecs.png_decode(picture)
    assert (view[:, 0] == 118).all()  # the dark end of the ramp is not selected: plain grey
    assert not (view[:, 80] == 118).all()
    assert head["says"]["selected"].startswith("selects ")


def test_a_part_of_the_frame_is_its_own_pixels(shot, as_):
    tess = as_("tess")
    whole = imagecodecs.png_decode(ask(tess, shot)[1])
    head, picture, _ = ask(tess, shot, part={"x": 30, "y": 10, "width": 40, "height": 20})
    np.testing.assert_array_equal(imagecodecs.png_decode(picture), whole[10:30, 30:70])
    assert (head["width"], head["height"]) == (40, 20)
    assert (
        ask(tess, shot, part={"x": 900, "y": -5, "width": 9999, "height": 1})[0]["width"] == 8
    )  # held inside the frame


def test_the_step_in_hand_says_what_it_does(shot, as_):
    settings = ShotSettings().with_steps([Ladder(rungs=((-1, 0.475), (0, -0.475)))])
    head, _, _ = ask(as_("tess"), shot, settings=settings.model_dump(mode="json"), step="ladder")
    assert head["says"]["tones"][0].startswith("Tones are crushed")
    assert len(head["says"]["ground"]["stops"]["counts"]) == 100
    assert (head["says"]["lut"], head["says"]["neutral"]) == ("A LUT can carry it", "keeps neutral")


@pytest.mark.parametrize(
    ("kind", "curve", "points", "middle"),
    [
        ("ladder", "rungs", [[-4, 1], [0, 0], [4, -1]], 0.0),
        ("tone_curve", "master", [[0, 0], [1, 0.8]], 0.4),
        ("colour_curves", "hue_by_hue", [[90, 10], [270, 10]], 10.0),
    ],
)
def test_curve_lines_come_from_the_step(shot, as_, kind, curve, points, middle):
    said = post(as_("tess"), shot, "curve", {"kind": kind, "curve": curve, "points": points}).json()
    assert said["ys"][80] == pytest.approx(middle)


@pytest.mark.parametrize(
    ("sent", "words"),
    [
        ({"kind": "ladder", "curve": "rungs", "points": [[-1, 1], [0, -1]]}, "fold over"),
        ({"kind": "ladder", "curve": "name", "points": []}, "no such curve"),
        ({"kind": "x", "curve": "rungs", "points": []}, "no such curve"),
        ({"kind": "exposure", "curve": "stops", "points": 1}, "not a curve"),
    ],
)
def test_bad_curves_are_refused(shot, as_, sent, words):
    answer = post(as_("tess"), shot, "curve", sent)
    assert answer.status_code == 422
    assert words in answer.json()["error"]


# --- from the picture
def test_neutral_and_range_from_the_picture(shot, as_):
    """The ramp's light is (1.2, 1, 0.7) of white everywhere: the light found makes it neutral, and off by log2 1.2 and
    0.7.
    """
    tess, place = as_("tess"), {"settings": body(), "step": "balance", "point": {"x": 40, "y": 20}}
    said = post(tess, shot, "neutral", place).json()
    settings = ShotSettings().with_steps([WhiteBalance(**{name: said[name] for name in ("kelvin", "duv", "target")})])
    shown = Shot.objects.get()
    code = read_still(shot.disk_path).code[20, 30:50].mean(axis=0)
    traced = {b.stage: b.rgb for b in path_trace(path_of(shown, settings), code)}["trim"]
    np.testing.assert_allclose(np.array(traced) / traced[1], 1, atol=0.011)
    assert "stops red" in said["sentence"]
    found = post(
        tess, shot, "colour-range", {**place, "region": {"left": 0.3, "top": 0.2, "right": 0.5, "bottom": 0.6}}
    ).json()["range"]
    weight = (
        ColourRange(**found)
        .operation(path_of(shown).working_primaries)
        .weight(path_of(shown).to_working(read_still(shot.disk_path).code[20, 32:46]))
    )
    assert weight.min() > 0.5
    more = post(tess, shot, "colour-range", {**place, "how": "more", "range": found}).json()
    assert more["join"] == ""
    assert "wider now" in more["sentence"]
    less = post(tess, shot, "colour-range", {**place, "how": "less", "range": found}).json()
    assert less["join"] == "without"
    refused = post(tess, shot, "colour-range", {**place, "how": "more", "range": {"hue": 900}})
    assert refused.status_code == 422
    assert post(tess, shot, "neutral", {**place, "step": "exposure"}).status_code == 422
    assert "no longer in the trim" in post(tess, shot, "neutral", {**place, "step": "gone"}).json()["error"]


def test_a_patch_that_looks_like_no_neutral_is_asked_about(shot, as_):
    """A narrow part of the ramp, warm by 1.2 : 1 : 0.7, is even enough to be taken; most of the ramp is not."""
    tess, place = as_("tess"), {"settings": body(), "step": "balance", "point": {"x": 40, "y": 20}}
    narrow = {"left": 0.41, "top": 0.1, "right": 0.45, "bottom": 0.9}
    said = post(tess, shot, "neutral", {**place, "region": narrow}).json()
    assert said["swatch"].startswith("#")
    assert "uneven" not in said["doubt"]
    ramp = {"left": 0.1, "top": 0.1, "right": 0.9, "bottom": 0.9}
    assert "uneven" in post(tess, shot, "neutral", {**place, "region": ramp}).json()["doubt"]


def test_highlights_from_the_picture(shot, as_):
    """The ramp clips at its right; the light around it is (1.2, 1, 0.7) of white."""
    tess = as_("tess")
    settings = ShotSettings(steps=(Highlights(id="high"), *ShotSettings().steps)).model_dump(mode="json")
    said = post(tess, shot, "clips", {"settings": settings, "step": "high"}).json()
    assert said["fields"]["channels"] == "S-Gamut3.Cine"
    assert "clip in" in said["sentence"]
    light = np.array(said["fields"]["light"])
    there = np.array([1.2, 1, 0.7]) @ rgb_to_rgb(primaries("AP1"), primaries("S-Gamut3.Cine"), "CAT02").T
    np.testing.assert_allclose(light / light.mean(), there / there.mean(), atol=0.05)
    settings["steps"][0] |= said["fields"]
    assert ask(tess, shot, settings=settings)[0]["column"][2]["line"]
    assert post(tess, shot, "clips", {"settings": settings, "step": "exposure"}).status_code == 422
    corner = {"left": 0, "top": 0, "right": 0.1, "bottom": 0.1}
    refused = post(tess, shot, "clips", {"settings": settings, "step": "high", "region": corner}).json()
    assert "nothing to rebuild" in refused["error"]


def test_the_level_of_noise_from_the_picture(shot, as_):
    """The ramp is too small to tell by; a larger picture is told of. Another step has no such level."""
    tess = as_("tess")
    settings = ShotSettings(steps=(CalmNoise(id="calm"), Exposure(id="exposure"))).model_dump(mode="json")
    assert "even enough" in post(tess, shot, "noise", {"settings": settings, "step": "calm"}).json()["error"]
    ramp = 0.18 * np.exp2(np.linspace(-2, 2, 480))[None, :, None] * np.ones((270, 1, 3))
    write_still(shot.disk_path, A_CAM.shoot(ramp * np.exp2(np.random.default_rng(1).normal(0, 0.3, ramp.shape))), "10")
    Shot.objects.filter(pk=shot.pk).update(width=480, height=270, sha256="0" * 64)
    for region in (None, {"left": 0.7, "top": 0, "right": 1, "bottom": 0.3}):
        said = post(tess, shot, "noise", {"settings": settings, "step": "calm", "region": region}).json()
        assert "a sign for it" in said["sentence"], said
        assert said["fields"]["level"] >= 0.2
    assert post(tess, shot, "noise", {"settings": settings, "step": "exposure"}).status_code == 422


def test_a_patch_is_brought_to_a_level(shot, as_):
    tess, place = as_("tess"), {"settings": body(), "aim": "grey", "level": 35, "point": {"x": 40, "y": 20}}
    said = post(tess, shot, "solve", place).json()
    assert "35.0 % of the display" in said["sentence"]
    assert said["step"] == "exposure"
    assert [step["id"] for step in said["steps"]] == [step.id for step in ShotSettings().steps]
    skin = post(tess, shot, "solve", {**place, "aim": "skin by hue"})
    assert skin.status_code in (200, 422)
    assert "no such aim" in post(tess, shot, "solve", {**place, "aim": "sky"}).json()["error"]
    off = {**place, "settings": {**body(), "rendering_on": False}}
    assert "switch rendering" in post(tess, shot, "solve", off).json()["error"]


def test_the_newest_request_wins():
    old, other = Ticket("page", 1), Ticket("elsewhere", 1)
    new = Ticket("page", 2)
    for ticket in (other, new, Ticket("", 0)):
        ticket.check()
    with pytest.raises(Overtaken):
        old.check()


def test_an_overtaken_preview_is_given_up(shot, as_):
    Ticket("p", 5)
    assert post(as_("tess"), shot, "preview", {"settings": body(), "page": "p", "number": 4}).status_code == 204


def test_kept_things_stay_within_their_bytes():
    store = Kept(lambda: 100, len)
    for key, size in (("a", 40), ("b", 50)):
        store.put(key, b"x" * size)
    assert store.get("a") is not None  # now b is the one used longest ago
    store.put("c", b"x" * 30)
    assert (store.get("b"), store.bytes) == (None, 70)
    store.put("huge", b"x" * 500)
    assert store.bytes <= 100
    assert store.get("huge") is None


def test_what_lies_before_the_step_in_hand_is_kept(shot):
    frame = frame_of(shot)
    frame_values._kept.clear()

    def at(stops):
        made = FrameValues(
            frame.key,
            frame.working,
            path_of(shot, ShotSettings().with_steps([Exposure(stops=stops), Contrast(contrast=1.1)])),
            ("trim", "exposure"),
        )
        made.render()
        return made

    first, size = at(0.5), frame_values._kept.bytes
    again = at(0.9)
    assert size == frame_values._kept.bytes == frame.working.nbytes  # one result, made once for both
    assert first.before("trim", "exposure") is again.before("trim", "exposure")
    code = frame.working[5, 40].astype(np.float64)
    np.testing.assert_allclose(
        again.scene()[5, 40], {b.stage: b.rgb for b in path_trace(again.path, code)}["look"], rtol=1e-4
    )
    np.testing.assert_allclose(again.signal[5, 40], again.path.apply(code), atol=1e-4)


def test_a_raw_shot_is_balanced_from_a_patch(shot, upload, as_, tmp_path):
    """The light of a grey under a known light is found, and the page knows the light of every named balance."""
    grey = np.tile(PROFILE.neutral_of(kelvin_duv_to_xy(4300, 0.002)) * 0.3, (54, 96, 1))
    grey[:, 48:] = 0.999
    dng.write(tmp_path / "S01.dng", mosaic_of(grey), PROFILE, black=512, white=15871, metadata={"make": "Invented"})
    upload("S01.dng", (tmp_path / "S01.dng").read_bytes())
    raw = Shot.objects.get(name="S01")
    place = {"settings": ShotSettings().model_dump(mode="json"), "point": {"x": 20, "y": 20}}
    said = post(as_("tess"), raw, "raw-neutral", place).json()
    assert said["kelvin"] == pytest.approx(4300, rel=0.01)
    assert said["duv"] == pytest.approx(0.002, abs=5e-4)
    assert said["doubt"] == ""
    refused = post(as_("tess"), raw, "raw-neutral", {**place, "point": {"x": 80, "y": 20}})
    assert (refused.status_code, "clipped" in refused.json()["error"]) == (422, True)
    assert "no raw file" in post(as_("tess"), shot, "raw-neutral", place).json()["error"]
    page = as_("tess").get(f"/p/kilnlight/bench/{raw.pk}/").context["data"]["raw_lights"]
    assert page["index"] == 400
    assert page["lights"]["as shot"] == pytest.approx([*PROFILE.as_shot_light], abs=0.1)
