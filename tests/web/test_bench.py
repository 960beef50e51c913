"""The Bench beyond a plain preview: steps as a list, scopes, regions, views, Marks, history, sharing, motion,
caches.
"""

import struct

import imagecodecs
import numpy as np
import pytest
from django.utils import timezone

from tests.core.test_raw import PROFILE, mosaic_of
from tests.web.test_shots import ask, body
from upwelling.core.colour.primaries import primaries, rgb_to_rgb
from upwelling.core.colour.temperature import kelvin_duv_to_xy
from upwelling.core.errors import BadValue
from upwelling.core.media import dng, read_still
from upwelling.core.path import trace as path_trace
from upwelling.core.scopes import SCOPES
from upwelling.core.steps import ColourRange, Contrast, Exposure, Highlights, Ladder, Saturation, WhiteBalance
from upwelling.web.bench import frame_values
from upwelling.web.bench.frame_values import FrameValues
from upwelling.web.bench.scope import BOUNDARIES, ScopeChoice, level_ticks
from upwelling.web.bench.tickets import Overtaken, Ticket
from upwelling.web.common.kept import Kept
from upwelling.web.common.requests import Refused
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.history import apply_settings, return_to, set_mark, share_steps, unshare
from upwelling.web.footage.models import Presence, Shot
from upwelling.web.footage.presence import FORGOTTEN
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
    _, _, ticks = level_ticks(ScopeChoice(boundary=boundary, scale=scale), Shot.objects.get().path())
    assert {t["label"]: t["place"] for t in ticks}[label] == pytest.approx(place, abs=1e-4)


def test_region_limits_what_is_measured(shot, as_):
    region = {"kind": "rectangle", "left": 0.25, "top": 0.0, "right": 0.5, "bottom": 1.0}
    head, _, _ = ask(as_("tess"), shot, region=region, scopes=[{"kind": "histogram"}])
    assert sum(head["scopes"][0]["counts"]) == 24 * 54
    assert head["measured"] == "25.0 %"
    rows = {row["name"]: row["value"] for row in head["region"]}
    code = read_still(shot.disk_path).code[:, 24:48]
    path = Shot.objects.get().path()
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
    settings = ShotSettings().with_steps([WhiteBalance(kelvin=said["kelvin"], duv=said["duv"])])
    shown = Shot.objects.get()
    code = read_still(shot.disk_path).code[20, 30:50].mean(axis=0)
    traced = dict(zip(("camera", "input", "trim"), path_trace(shown.path(settings), code)[:3], strict=True))["trim"].rgb
    np.testing.assert_allclose(np.array(traced) / traced[1], 1, atol=0.03)
    assert "stops red" in said["sentence"]
    found = post(
        tess, shot, "colour-range", {**place, "region": {"left": 0.3, "top": 0.2, "right": 0.5, "bottom": 0.6}}
    ).json()["range"]
    weight = (
        ColourRange(**found)
        .operation(shown.path().working_primaries)
        .weight(shown.path().to_working(read_still(shot.disk_path).code[20, 32:46]))
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


@pytest.mark.parametrize(
    ("way", "wanted"),
    [
        ("replace", [("exposure", 0.5)]),
        ("on top", [("exposure", 1.5)]),
        ("own", [("exposure", 1.0), ("exposure2", 0.5)]),
    ],
)
def test_steps_are_given_in_three_ways(shot, people, production, as_, way, wanted):
    """An exposure of half a stop to a shot that has one: in its place, on top of it, or as a step of its own."""
    other = copy_of(shot, "other")
    apply_settings(other, people["tess"], ShotSettings().with_steps([Exposure(stops=1)]), version=0, label="mine")
    apply_settings(shot, people["tess"], ShotSettings().with_steps([Exposure(stops=0.5)]), version=0, label="given")
    tess = as_("tess")
    page = tess.get(f"/p/kilnlight/bench/{shot.pk}/share/", {"way": way, "step": "exposure", "asked": "yes"})
    assert f'value="{way}" checked' in page.content.decode()
    tess.post(f"/p/kilnlight/bench/{shot.pk}/share/give/", {"step": "exposure", "shot": other.pk, "way": way})
    steps = Shot.objects.get(pk=other.pk).settings.steps
    assert [(step.id, step.stops) for step in steps if step.kind == "exposure"] == wanted


@pytest.mark.parametrize(
    ("there", "given", "count", "stops"),
    [
        (Exposure(id="exposure", stops=7), Exposure(stops=3), 2, 7),  # beyond what one step holds
        (Exposure(id="exposure", stops=1, strength=0.5), Exposure(stops=1), 2, 1),
        (Exposure(id="exposure", stops=1, on=False), Exposure(stops=2), 2, 1),
        (Exposure(id="exposure"), Exposure(stops=2), 1, 2),
        (Exposure(id="exposure", stops=-2), Exposure(stops=2), 1, 0),
    ],
)
def test_on_top_is_one_step_only_where_one_can_say_both(there, given, count, stops):
    both = ShotSettings(steps=(there,)).with_steps([given], "on top").steps
    assert (len(both), both[0].stops) == (count, stops)


# --- Marks and history
def test_marks_are_kept_compared_and_removed(shot, as_, people):
    tess = as_("tess")
    brighter = body(exposure={"stops": 1.0})
    rows = post(tess, shot, "marks/change", {"settings": brighter, "mark": "  Brighter   one "}).json()["marks"]
    assert [(r["name"], r["differences"]) for r in rows] == [("Brighter one", ["As it is now"])]
    rows = post(tess, shot, "marks", {"settings": body()}).json()["marks"]
    assert rows[0]["differences"] == ["Exposure: 0 → 1"]
    assert imagecodecs.jpeg8_decode(b"".join(tess.get(rows[0]["thumbnail"]).streaming_content)).shape == (54, 96, 3)
    assert "already" in post(tess, shot, "marks/change", {"settings": body(), "mark": "Brighter one"}).json()["error"]
    assert post(as_("vera"), shot, "marks", {"settings": body()}).json()["marks"][0]["name"] == "Brighter one"
    assert post(as_("vera"), shot, "marks/change", {"settings": body(), "mark": "x"}).status_code == 403
    assert set_mark(shot, people["tess"], "", ShotSettings()).name == "Mark 2"
    with pytest.raises(Refused, match="60 characters"):
        set_mark(shot, people["tess"], "x" * 61, ShotSettings())
    assert len(post(tess, shot, "marks/change", {"settings": body(), "remove": rows[0]["pk"]}).json()["marks"]) == 1


def test_history_says_what_changed_and_goes_anywhere(shot, as_, people):
    for number, stops in enumerate((0.5, 1.0, 1.5)):
        shot = apply_settings(
            shot,
            people["tess"],
            ShotSettings().with_steps([Exposure(stops=stops)]),
            version=number,
            label=f"to {stops}",
        )
    states = post(as_("tess"), shot, "marks", {"settings": body()}).json()["states"]
    assert [(s["label"], s["changed"]) for s in states][:2] == [
        ("to 1.5", ["Exposure: 1 → 1.5"]),
        ("to 1.0", ["Exposure: 0.5 → 1"]),
    ]
    assert post(as_("tess"), shot, "history", {"position": 1}).json()["settings"]["steps"][0]["stops"] == 0.5
    assert Shot.objects.get().states.count() == 4
    assert return_to(shot, 3).settings.steps[0].stops == 1.5
    with pytest.raises(Refused, match="no longer in the history"):
        return_to(shot, 9)


# --- one change to many
def test_steps_are_given_to_many_and_taken_back_at_once(shot, as_, people, production):
    shot = apply_settings(
        shot,
        people["tess"],
        ShotSettings().with_steps([Exposure(stops=0.7), Contrast(contrast=1.2)]),
        version=0,
        label="trim",
    )
    others = [copy_of(shot, f"other {n}") for n in range(3)]
    tess, address = as_("tess"), f"/p/kilnlight/bench/{shot.pk}/share/"
    page = tess.get(address + "?step=exposure").content.decode()
    assert page.count("Exposure: 0 → 0.7") == 3
    assert "Contrast: 1 →" not in page
    answer = tess.post(
        address + "give/", {"step": ["exposure"], "shot": [o.pk for o in others[:2]]}, follow=True
    ).content.decode()
    assert "Exposure given to 2 shots" in answer
    assert [Shot.objects.get(pk=o.pk).settings.steps[0].stops for o in others] == [0.7, 0.7, 0.0]
    assert Shot.objects.get(pk=others[0].pk).settings.steps[2].contrast == 1.0
    fresh = Shot.objects.get(pk=others[1].pk)
    apply_settings(
        fresh, people["tess"], ShotSettings().with_steps([Exposure(stops=2)]), version=fresh.version, label="by hand"
    )
    change = production.shared_changes.get()
    back = tess.post(f"{address}{change.pk}/take-back/", follow=True).content.decode()
    assert "except from shots that were changed since: other 1" in back
    assert [Shot.objects.get(pk=o.pk).settings.steps[0].stops for o in others] == [0.0, 2.0, 0.0]
    with pytest.raises(Refused, match="already"):
        unshare(change.__class__.objects.get())
    with pytest.raises(Refused, match="at least one"):
        share_steps(production, people["tess"], shot, [], others)


def test_sharing_is_all_or_nothing(shot, people, production):
    full = copy_of(shot, "full")
    apply_settings(
        full,
        people["tess"],
        ShotSettings().with_steps([Saturation(amount=1.1)] * (MOST_STEPS - 5)),
        version=0,
        label="many",
    )
    other = copy_of(shot, "other")
    with pytest.raises(BadValue, match="at most"):
        share_steps(
            production,
            people["tess"],
            shot,
            [Contrast(id="a", contrast=1.1), Contrast(id="b", contrast=1.2)],
            [other, full],
        )
    assert not other.states.exists()
    assert not production.shared_changes.exists()


# --- motion, caches
def test_motion_and_filmstrip(shot, as_):
    answer = post(as_("vera"), shot, "motion", {"settings": body(), "first": 0, "count": 8})
    count, size = struct.unpack("<2I", answer.content[:8])
    assert (count, len(answer.content)) == (1, 8 + size)
    picture = imagecodecs.jpeg8_decode(answer.content[8:])
    assert picture.shape == (54, 96, 3)
    strip = imagecodecs.jpeg8_decode(
        b"".join(as_("vera").get(f"/p/kilnlight/bench/{shot.pk}/filmstrip/").streaming_content)
    )
    assert strip.shape == (54, 12 * 96, 3)


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
            shot.path(ShotSettings().with_steps([Exposure(stops=stops), Contrast(contrast=1.1)])),
            ("trim", "exposure"),
        )
        made.render()
        return made

    first, size = at(0.5), frame_values._kept.bytes
    again = at(0.9)
    assert size == frame_values._kept.bytes == frame.working.nbytes  # one result, made once for both
    assert first.before("trim", "exposure") is again.before("trim", "exposure")
    code = frame.working[5, 40].astype(np.float64)
    np.testing.assert_allclose(again.scene()[5, 40], path_trace(again.path, code)[3].rgb, rtol=1e-4)
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


def test_who_else_is_on_a_shot_is_said_and_forgotten(shot, as_):
    """Both are told of each other, a change since is told by its version, and who went silent counts as gone."""

    def say(who):
        return post(as_(who), shot, "here", {}).json()

    assert say("tess") == {"others": [], "version": 0}
    assert say("vera")["others"] == ["tess"]
    apply_settings(shot, None, ShotSettings().with_steps([Exposure(stops=1)]), version=0, label="exposure")
    assert say("tess") == {"others": ["vera"], "version": 1}
    Presence.objects.filter(user__username="vera").update(seen=timezone.now() - 2 * FORGOTTEN)
    assert say("tess")["others"] == []


def test_the_bench_opens_where_it_was_left(shot, as_, production):
    tess = as_("tess")
    assert tess.get("/p/kilnlight/bench/").url == f"/p/kilnlight/bench/{shot.pk}/"
    second = Shot.objects.get(pk=shot.pk)
    second.pk, second.name = None, "ZZ"
    second.save(force_insert=True)
    tess.get(f"/p/kilnlight/bench/{second.pk}/")
    assert tess.get("/p/kilnlight/bench/").url == f"/p/kilnlight/bench/{second.pk}/"
    Shot.objects.all().delete()
    said = tess.get("/p/kilnlight/bench/", follow=True)
    assert "Bring footage in first" in said.content.decode()
