"""Bringing footage in, settling encodings, settings and their history, previews."""

import json
import struct

import imagecodecs
import numpy as np
import pytest

from upwelling.core.errors import BadValue
from upwelling.core.media import read_still
from upwelling.web.common.requests import Refused
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.history import apply_settings, move_in_history
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.footage.shot_settings import ShotSettings, read_settings
from upwelling.web.productions.rules import Rules
from upwelling.web.productions.services import set_rules


def test_upload_keeps_the_file_as_it_is(upload, production, still, settings):
    arrival = upload("Ramp Ünder.dpx")
    shot = production.shots.get()
    assert (arrival.state, arrival.shot) == ("done", shot)
    assert (shot.name, shot.container, shot.depth, shot.width, shot.height) == ("Ramp Ünder", "DPX", "10", 96, 54)
    assert shot.disk_path.read_bytes() == still
    assert shot.disk_path.is_relative_to(settings.FILES)
    assert list((settings.FILES / "incoming").iterdir()) == []


@pytest.mark.parametrize(
    ("name", "content", "words"),
    [
        ("notes.txt", b"hello", "notes.txt: is nothing this program reads"),
        ("evil.html", b"<script>alert(1)</script>", "is nothing this"),
        ("empty.png", b"\0", "is nothing this program"),
        ("cut.dpx", None, "cut.dpx: the file is cut short"),
        ("../../etc/passwd.dpx", None, "passwd.dpx: the file is cut short"),
    ],
)
def test_bad_uploads_say_why_and_leave_nothing(upload, production, still, settings, name, content, words):
    arrival = upload(name, still[: len(still) // 2] if content is None else content)
    assert arrival.state == "failed"
    assert words in arrival.message
    assert not production.shots.exists()
    assert [p for p in settings.FILES.rglob("*") if p.is_file()] == []


def test_too_large(upload, settings):
    settings.UPLOAD_LIMIT = 1000
    assert "larger than" in upload().json()["error"]


def test_without_an_encoding_numbers_are_shown_as_they_are(upload, production, as_):
    upload()
    shot = production.shots.get()
    np.testing.assert_allclose(path_of(shot).apply([0.1, 0.4, 0.7]), [0.1, 0.4, 0.7], atol=1e-9)
    head, _, _ = ask(as_("tess"), shot, point={"x": 5, "y": 5})
    assert head["trace"]["input"] == head["trace"]["rendering"] == ["–", "–", "–"]
    assert head["trace"]["camera"] == head["trace"]["display"]
    assert sum(head["scopes"][1]["counts"]) == 0
    assert "say what this file is" in next(row["line"] for row in head["column"] if row["stage"] == "input")


def test_settling_and_inheriting(shot, production, as_):
    tess, address = as_("tess"), f"/p/kilnlight/shots/{shot.pk}/encoding/"
    tess.post(address, {"encoding": "v-log/v-gamut", "range": "legal"})
    shot.refresh_from_db()
    assert (shot.settled_encoding, shot.settled.range) == ("V-Log/V-Gamut", "legal")
    tess.post(address, {"encoding": "", "range": "full"})
    shot.refresh_from_db()
    assert shot.settled_encoding == ""
    set_rules(production, {"default_encoding": "S-Log3/S-Gamut3.Cine"})
    assert Shot.objects.get().settled_encoding == "S-Log3/S-Gamut3.Cine"
    answer = tess.post(address, {"encoding": "S-Log9", "range": "full"}, headers={"Accept": "application/json"})
    assert answer.status_code == 422
    assert "no encoding named" in answer.json()["error"]


def body(**changes):
    """Settings as a page sends them; a step's kind as a key changes that step of the first ones."""
    whole = ShotSettings().model_dump(mode="json")
    for step in whole["steps"]:
        step.update(changes.pop(step["kind"], {}))
    return {**whole, **changes}


def stops(shot):
    return shot.settings.steps[0].stops


def test_history(shot, people):
    tess = people["tess"]
    shot = apply_settings(shot, tess, read_settings(body(exposure={"stops": 1.0})), version=0, label="exposure")
    shot = apply_settings(shot, tess, read_settings(body(exposure={"stops": 2.0})), version=1, label="exposure")
    assert stops(shot) == 2.0
    shot = move_in_history(shot, -1)
    assert stops(shot) == 1.0
    shot = move_in_history(move_in_history(shot, -1), +1)
    assert stops(shot) == 1.0
    shot = apply_settings(shot, tess, read_settings(body(trim_on=False)), version=shot.version, label="trim off")
    assert not shot.settings.trim_on
    with pytest.raises(Refused, match="nothing to redo"):
        move_in_history(shot, +1)
    for _ in range(2):
        shot = move_in_history(shot, -1)
    assert shot.settings == ShotSettings()
    with pytest.raises(Refused, match="nothing to undo"):
        move_in_history(shot, -1)


def test_two_people_on_one_shot(shot, as_):
    address = f"/p/kilnlight/bench/{shot.pk}/save/"
    first = as_("tess").post(
        address,
        {"settings": body(exposure={"stops": 1.0}), "version": 0, "label": "exposure"},
        content_type="application/json",
    )
    assert first.json()["history"] == {"version": 1, "undo": "exposure", "redo": None}
    late = as_("tess").post(address, {"settings": body(), "version": 0}, content_type="application/json")
    assert late.status_code == 409
    assert "changed meanwhile by tess (exposure)" in late.json()["error"]
    assert late.json()["differences"] == ["Exposure: 0 → 1"]
    assert late.json()["settings"]["steps"][0]["stops"] == 1.0
    kept = Shot.objects.get().marks.get()
    assert kept.kept
    assert kept.name in late.json()["error"]
    assert kept.shot_settings == read_settings(body())
    assert stops(Shot.objects.get()) == 1.0


@pytest.mark.parametrize(
    ("settings_", "words"),
    [
        ({"exposure": {"stops": 99}}, "Exposure stops"),
        ({"steps": [{"kind": "exposure"}]}, "id of its own"),
        ({"steps": [{"kind": "polish", "id": "a"}]}, "polish"),
        ({"slope_offset_power": {"slope": [1, 1]}}, "slope"),
        ({"surprise": 1}, "Surprise"),
        ("nonsense", "keeps its last good settings"),
        ({"rendering": {"contrast": 0.8, "scene_peak": 4}}, "Raise the contrast"),
    ],
)
@pytest.mark.parametrize("page", ["save", "preview"])
def test_bad_settings_change_nothing(shot, as_, settings_, words, page):
    sent = body(**settings_) if isinstance(settings_, dict) else settings_
    answer = as_("tess").post(
        f"/p/kilnlight/bench/{shot.pk}/{page}/",
        json.dumps({"settings": sent, "version": 0}),
        content_type="application/json",
        headers={"Accept": "application/json"},
    )
    assert answer.status_code == 422
    assert words in answer.json()["error"]
    assert not Shot.objects.get().states.exists()


def take_apart(data):
    (length,) = struct.unpack("<I", data[:4])
    head = json.loads(data[4 : 4 + length])
    rest = data[4 + length :]
    return head, rest[: head["picture_bytes"]], np.frombuffer(rest[head["picture_bytes"] :], np.uint8)


def ask(client, shot, **fields):
    answer = client.post(
        f"/p/kilnlight/bench/{shot.pk}/preview/",
        {"settings": body(), "lossless": True, "scopes": [{"kind": "parade"}, {"kind": "histogram"}], **fields},
        content_type="application/json",
    )
    assert answer.status_code == 200
    return take_apart(answer.content)


@pytest.mark.parametrize(
    ("page", "sent"),
    [
        ("preview", {"settings": {}, "point": {"x": "left"}}),
        ("save", {"settings": {}, "version": "old"}),
        ("save", ["no", "object"]),
        ("undo", {}),
        ("redo", {}),
    ],
)
def test_nonsense_from_a_page_is_a_sentence(shot, as_, page, sent):
    answer = as_("tess").post(
        f"/p/kilnlight/bench/{shot.pk}/{page}/",
        sent,
        content_type="application/json",
        headers={"Accept": "application/json"},
    )
    assert answer.status_code == 422
    assert answer.json()["error"].endswith(".")


def test_preview_is_the_exact_path_on_an_srgb_screen(shot, as_, production):
    set_rules(production, {"output": "sRGB"})
    head, picture, scope = ask(as_("tess"), shot, point={"x": 40, "y": 20})
    view = imagecodecs.png_decode(picture)
    code = read_still(shot.disk_path).code
    path = path_of(Shot.objects.get())
    assert np.abs(view.astype(int) - np.rint(path.apply(code) * 255)).max() <= 1
    parade, histogram = head["scopes"]
    assert scope.size == 3 * parade["levels"] * parade["columns"]
    assert sum(histogram["counts"]) == 96 * 54
    trace = head["trace"]
    assert trace["camera"] == [f"{v * 1023:.0f}" for v in code[20, 40]]
    assert trace["display"] == [f"{v * 1023:.0f}" for v in path.apply(code[20, 40])]
    assert [row["stage"] for row in head["column"]] == [
        *("display", "finish", "rendering", "look", "trim", "input", "camera")
    ]


def test_preview_shows_light_not_code(shot, as_):
    """BT.1886 light keeps its ratios on an sRGB screen: mid grey at 10 % light is sRGB code 89 (IEC 61966-2-1)."""
    _, picture, _ = ask(as_("tess"), shot)
    view, code = imagecodecs.png_decode(picture), read_still(shot.disk_path).code
    light = path_of(Shot.objects.get()).target.to_light(path_of(Shot.objects.get()).apply(code))
    srgb = np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)
    assert np.abs(view.astype(int) - np.rint(srgb * 255)).max() <= 1


def test_preview_without_trim_and_with_stages_off(shot, as_):
    tess = as_("tess")
    plain, with_stops = ask(tess, shot)[1], ask(tess, shot, settings=body(exposure={"stops": 1.5}))
    assert with_stops[1] != plain
    assert ask(tess, shot, settings=body(exposure={"stops": 1.5}), untrimmed=True)[1] == plain
    off = ask(tess, shot, settings=body(input_on=False, trim_on=False, rendering_on=False, display_on=False))
    assert "Off" in next(r["line"] for r in off[0]["column"] if r["stage"] == "rendering")
    head, jpeg, _ = ask(tess, shot, lossless=False)
    assert head["mime"] == "image/jpeg"
    assert imagecodecs.jpeg8_decode(jpeg).shape == (54, 96, 3)


def test_counts(shot, as_):
    head, _, _ = ask(as_("tess"), shot)
    code = read_still(shot.disk_path).code
    luminance = path_of(Shot.objects.get()).to_working(code) @ np.array([0.2722287, 0.6740818, 0.0536895])
    numbers = {row["name"]: row for row in head["numbers"]}
    assert numbers["Above white"]["value"] == f"{100 * (luminance > 1).mean():.1f} %"
    assert float(numbers["Clipped in camera"]["value"].split()[0]) > 5  # the ramp runs into the sensor's end
    assert numbers["Clipped in camera"]["title"].endswith(f" {round(code.max() * 1023)}")
    assert set(numbers) == {
        "Below 0",
        "Above white",
        "At black",
        "At peak",
        "– clipped by us",
        "Clipped in camera",
        "– red, green, blue",
        "Outside gamut",
        "Least R G B",
        "Most R G B",
        "Banding risk",
    }


@pytest.mark.parametrize("legal", ["full", "legal"])
def test_scopes_are_full_range_signal_whatever_the_code_range(shot, as_, production, legal):
    set_rules(production, {"range": legal})
    _, _, scope = ask(as_("tess"), shot)
    set_rules(production, {"range": "full"})
    np.testing.assert_array_equal(scope, ask(as_("tess"), shot)[2])


def test_frames_are_decoded_once_and_reduced_by_whole_blocks(shot):
    frame = frame_of(shot)
    assert frame_of(shot) is frame
    assert frame.factor == 1
    from upwelling.web.common.pictures import reduced

    big = np.random.default_rng(0).random((1081, 1925, 3)).astype(np.float32)
    small, factor = reduced(big)
    assert (small.shape, factor) == ((360, 641, 3), 3)
    np.testing.assert_allclose(small[10, 20], big[30:33, 60:63].mean(axis=(0, 1)), rtol=1e-5)


def test_rules_are_checked_together(production, as_):
    tess = as_("tess")
    form = {
        **Rules().model_dump(exclude={"rendering"}),
        **{f"rendering_{k}": v for k, v in Rules().rendering.model_dump(exclude={"kind"}).items()},
    }
    assert (
        "Saved: Main output: BT.709 BT.1886 → sRGB; Depth: 10 → 8."
        in tess.post("/p/kilnlight/rules/", {**form, "output": "sRGB", "depth": 8}, follow=True).content.decode()
    )
    production.refresh_from_db()
    assert (production.rule_set.output, production.rule_set.depth) == ("sRGB", 8)
    for bad, words in (
        ({"rendering_contrast": 0.8, "rendering_scene_peak": 4}, "Raise the contrast"),
        ({"output": "Cinema"}, "not one of"),
        ({"rendering_toe": "much"}, "Enter a number"),
    ):
        page = tess.post("/p/kilnlight/rules/", {**form, **bad}, follow=True).content.decode()
        assert "were not changed" in page
        assert words in page
    production.refresh_from_db()
    assert production.rule_set.output == "sRGB"
    with pytest.raises(BadValue):
        set_rules(production, {"default_encoding": "S-Log9"})


def test_thumbnails_follow_the_settings(shot, as_, people):
    tess, address = as_("tess"), f"/p/kilnlight/shots/{shot.pk}/thumbnail/"
    first = b"".join(tess.get(address).streaming_content)
    assert imagecodecs.jpeg8_decode(first).shape == (54, 96, 3)
    apply_settings(shot, people["tess"], read_settings(body(exposure={"stops": -2.0})), version=0, label="exposure")
    assert b"".join(tess.get(address).streaming_content) != first


@pytest.mark.parametrize(
    ("page", "most"), [("/p/kilnlight/", 37), ("/p/kilnlight/shots/", 33), ("/p/kilnlight/bench/{pk}/", 33)]
)
def test_queries_do_not_grow_with_shots(shot, production, people, as_, page, most, django_assert_max_num_queries):
    apply_settings(shot, people["tess"], read_settings(body(exposure={"stops": 1.0})), version=0, label="exposure")
    for number in range(12):
        Shot.objects.create(
            **{f.attname: getattr(shot, f.attname) for f in Shot._meta.fields if f.attname not in ("id", "name")},
            name=f"copy {number}",
        )
    tess = as_("tess")
    # The Bench asks for the first pass that the person is on and what was said, the first page for each station, every
    # page for the first steps until a table holds.
    with django_assert_max_num_queries(most):
        assert tess.get(page.format(pk=shot.pk)).content.count(b"thumbnail") >= 13


def test_empty_and_long(production, as_, upload):
    tess = as_("tess")
    assert "No footage yet" in tess.get("/p/kilnlight/").content.decode()
    assert "Bring in footage first" in tess.get("/p/kilnlight/bakes/").content.decode()
    assert "not a member of any production" in as_("olaf").get("/").content.decode()
    upload("L" * 200 + ".dpx")
    assert len(production.shots.get().name) == 120
    tess.post("/", {"name": "Kilnlight", "description": ""})
    assert tess.get("/p/kilnlight-2/").status_code == 200


def test_black_bars_are_left_out_of_what_is_measured(shot, as_):
    """Twelve of 54 rows are bars: they are not counted, unless asked for."""
    shot.signal_json = {**shot.signal_json, "bars": [6, 6, 0, 0]}
    shot.save()
    tess = as_("tess")
    assert sum(ask(tess, shot)[0]["scopes"][1]["counts"]) == 96 * (54 - 12)
    assert sum(ask(tess, shot, bars=True)[0]["scopes"][1]["counts"]) == 96 * 54
    assert "measure the black bars as well" in tess.get(f"/p/kilnlight/bench/{shot.pk}/").content.decode()
