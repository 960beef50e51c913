"""Shapes, textures, keys and following through the Bench and the bakes: what is shown is what the exact path says."""

import itertools
import json
import struct

import numpy as np
import pytest

from tests.web.pages import WISH, read
from tests.web.test_bench import post
from tests.web.test_place_and_time import given, preview
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.errors import BadValue
from upwelling.core.media.movie_write import write_movie
from upwelling.core.operations import Place
from upwelling.core.path import trace
from upwelling.core.simulate.shipped import shipped
from upwelling.core.steps import CalmNoise, Exposure, Glow, Grain, Halation, Matte, Sharpen, SlopeOffsetPower, Streaks
from upwelling.core.steps.group import StepGroup
from upwelling.core.steps.selections import Ellipse, LinearGradient
from upwelling.core.steps.track import Track
from upwelling.web.bakes.cdl_views import row_of
from upwelling.web.bench import trace as bench_trace
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.history import apply_settings
from upwelling.web.footage.look_services import create_look, give_to_all
from upwelling.web.footage.models import Shot, ShotState
from upwelling.web.footage.paths import path_at
from upwelling.web.footage.pictures import thumbnail_file
from upwelling.web.footage.setting_differences import differences
from upwelling.web.footage.shot_settings import ShotSettings, read_settings

SPOT = Ellipse(id="spot", width=0.5, height=0.5, feather_in=0.02, feather_out=0.02)
LIT = Exposure(id="lit", stops=3, limit=Matte(selections=(SPOT,)))


@pytest.fixture
def movie(upload, production, tmp_path):
    """Twelve frames over which the camera pans, of a managed encoding."""
    scene = ACESCCT.from_linear(shipped("Cold bench").astype(np.float64)).astype(np.float32)
    frames = [scene[300:480, 500 + 4 * t : 820 + 4 * t] for t in range(12)]
    write_movie(tmp_path / "pan.mkv", [np.clip(f, 0, 1) for f in frames], "ffv1-10", options={"g": "1"})
    upload("pan.mkv", (tmp_path / "pan.mkv").read_bytes())
    shot = Shot.objects.get(kind="movie")
    shot.encoding, shot.managed = "ACEScct/AP1", True
    shot.save()
    return shot


def test_a_shape_acts_inside_and_not_outside(shot, as_):
    tess = as_("tess")
    head, lit = preview(tess, shot, given(LIT), stage="trim", step="lit")
    _, plain = preview(tess, shot, given(LIT.model_copy(update={"on": False})))
    rows, columns = lit.shape[:2]
    assert lit[rows // 2, columns // 2].sum() > plain[rows // 2, columns // 2].sum() * 1.2
    np.testing.assert_array_equal(lit[:4, :4], plain[:4, :4])
    assert head["says"]["selected"].startswith("selects 1")
    assert head["now"]["limit.selections.0"]["x"] == 0.0


@pytest.mark.parametrize("view", ["over", "selection", "matte"])
def test_a_matte_is_seen_three_ways(shot, as_, view):
    _, picture = preview(as_("tess"), shot, given(LIT), stage="trim", step="lit", view=view)
    _, plain = preview(as_("tess"), shot, given(LIT), stage="trim", step="lit")
    middle, corner = (picture[picture.shape[0] // 2, picture.shape[1] // 2], picture[0, 0])
    if view == "matte":
        assert (middle.tolist(), corner.tolist()) == ([255] * 3, [0] * 3)
        return
    np.testing.assert_array_equal(middle, plain[picture.shape[0] // 2, picture.shape[1] // 2])
    expected = [118] * 3 if view == "selection" else np.rint(plain[0, 0] * 0.3).tolist()
    np.testing.assert_allclose(corner, expected, atol=1)


TEXTURES = (Sharpen, CalmNoise, Glow, Halation, Grain, Streaks)


@pytest.mark.parametrize("kind", TEXTURES, ids=lambda kind: kind.__name__)
def test_a_zoomed_part_is_the_whole_there_and_the_trace_is_exact(shot, as_, kind):
    """A part of the frame is cut with the margin its steps look into; one pixel's values take a window of it."""
    step = kind(id="t", **({"threshold": -2} if "threshold" in kind.model_fields and kind is not Sharpen else {}))
    tess = as_("tess")
    x, y = shot.width - 11, 17
    head, whole = preview(tess, shot, given(step), point={"x": x, "y": y})
    part = {"x": shot.width - 40, "y": 8, "width": 40, "height": 24}
    _, cut = preview(tess, shot, given(step), part=part)
    assert frame_of(shot).factor == 1
    np.testing.assert_allclose(cut, whole[8:32, -40:], atol=2)
    frame = frame_of(shot)
    path = path_at(shot, frame.number, ShotSettings(steps=(step,)))
    exact = trace(path, frame.still.code, Place(shot.width, shot.height), (y, x))
    np.testing.assert_allclose([float(v) for v in head["trace"]["display"]], exact[-1].rgb, atol=1)
    answer = post(tess, shot, "preview", {"settings": given(step), "point": {"x": x, "y": y}}).content
    dragged = json.loads(answer[4 : 4 + struct.unpack_from("<I", answer)[0]])
    assert (dragged["trace"] is None) == ("neighbours" in path.needs), "while a hand drags, only what is at once"


def test_thumbnails_lists_and_the_film_take_them(movie, as_, people):
    steps = (*(kind(id=f"t{n}") for n, kind in enumerate(TEXTURES)), LIT)
    movie = apply_settings(movie, people["tess"], ShotSettings(steps=steps), version=movie.version, label="all")
    tess, p = as_("tess"), "/p/kilnlight/"
    for page in ("", "bakes/cdl/", f"bakes/of/{movie.pk}/", f"bench/{movie.pk}/", f"bench/{movie.pk}/filmstrip/"):
        assert tess.get(p + page).status_code == 200, page
    assert thumbnail_file(movie).stat().st_size > 500
    played = post(tess, movie, "motion", {"settings": given(*steps), "first": 2, "count": 2})
    assert played.status_code == 200


def test_playing_leaves_frames_out_evenly(movie, as_):
    """One in three of twelve frames from the second: the same pictures as those frames have in a run of all."""

    def played(**wish):
        answer = post(as_("tess"), movie, "motion", {"settings": given(), **wish}).content
        (count,) = struct.unpack_from("<I", answer)
        sizes = struct.unpack_from(f"<{count}I", answer, 4)
        ends = np.cumsum([4 + 4 * count, *sizes])
        return [answer[a:b] for a, b in itertools.pairwise(ends)]

    every = played(first=0, count=12)
    assert len(every) == 12
    assert played(first=1, count=9, every=3) == [every[n] for n in (1, 4, 7, 10)]
    assert played(first=11, count=5, every=8) == every[11:]


def test_linked_shapes_are_one_and_pasted_ones_are_free():
    linked = SPOT.model_copy(update={"link": "shape1"})
    other = Exposure(id="b", stops=-1, limit=Matte(selections=(linked.model_copy(update={"invert": True}),)))
    first = LIT.model_copy(update={"limit": Matte(selections=(linked,))})
    both = ShotSettings(steps=(first, other))
    moved = Matte(selections=(linked.model_copy(update={"x": 0.2}),))
    with pytest.raises(ValueError, match="linked to a shape that differs"):
        ShotSettings(steps=(first, other.model_copy(update={"limit": moved})))
    pasted = ShotSettings().with_steps(both.steps).steps[0]
    assert pasted.limit.selections[0].link == ""


@pytest.mark.parametrize(
    ("new", "lines"),
    [
        (LIT.model_copy(update={"limit": None}), ["Exposure, without ellipse at +0.00, +0.00"]),
        (
            LIT.model_copy(update={"limit": Matte(selections=(SPOT.model_copy(update={"x": 0.3}),), blur=0.02)}),
            ["Exposure, ellipse, centre across: 0 → 0.3", "Exposure, blur: 0 → 0.02"],
        ),
        (
            LIT.model_copy(update={"limit": Matte(selections=(SPOT, LinearGradient(id="sky", join="or")))}),
            ["Exposure, or linear gradient at +0.00, +0.00"],
        ),
        (LIT.model_copy(update={"mix": "darken"}), ["Exposure, mix: replace → darken"]),
        (
            LIT.model_copy(update={"tracks": (Track(parameter="stops", keys=((0, 1.0), (5, 2.0))),)}),
            ["Exposure, tracks: none → stops 2 keys"],
        ),
    ],
)
def test_history_says_what_changed(new, lines):
    assert differences(ShotSettings(steps=(LIT,)), ShotSettings(steps=(new,))) == lines


# --- along the shot
def follow(client, shot, settings, **asked):
    answer = post(client, shot, "follow", {"settings": settings, "step": "lit", "selection": "spot", **asked})
    if answer.status_code != 200:
        return answer
    return [json.loads(line) for line in b"".join(answer.streaming_content).decode().splitlines()]


def test_a_shape_is_followed_over_the_movie(movie, as_):
    lines = follow(as_("tess"), movie, given(LIT), frame=0, model="move")
    assert [line["frame"] for line in lines[:-1]] == list(range(12))
    assert lines[-1] == {"said": "Followed to frame 11."}
    expected = [-4 * t / 180 for t in range(12)]
    np.testing.assert_allclose([line["x"] for line in lines[:-1]], expected, atol=0.002)
    np.testing.assert_allclose([line["y"] for line in lines[:-1]], 0, atol=0.002)
    back = follow(as_("tess"), movie, given(LIT), frame=7, model="turn", backwards=True)
    assert [line["frame"] for line in back[:-1]] == list(range(7, -1, -1))
    assert back[-2]["scale"] == pytest.approx(1, abs=0.01)


def test_following_ends_in_the_next_key_set_by_hand(movie, as_):
    """What it misses there is spread over the frames between; keys beyond are not looked at."""
    keys = Track(parameter="x", keys=((0, 0.0), (3, 0.5), (8, -32 / 180 + 0.04), (10, 0.7)))
    spot = SPOT.model_copy(update={"tracks": (keys,), "by_hand": (0, 6, 8, 10)})
    corrected = given(LIT.model_copy(update={"limit": Matte(selections=(spot,))}))
    lines = follow(as_("tess"), movie, corrected, frame=0, model="move")
    assert [line["frame"] for line in lines[:-1]] == [*range(9), *range(1, 8)], "found, then settled; 6 has no key"
    assert "Followed to frame 8, where a key was set by hand" in lines[-1]["said"]
    assert "x" not in lines[8], "the key that a person set stays"
    settled = [line["x"] for line in lines[9:-1]]
    np.testing.assert_allclose(settled, [-4 * t / 180 + 0.04 * t / 8 for t in range(1, 8)], atol=0.002)
    back = follow(as_("tess"), movie, corrected, frame=10, model="move", backwards=True)
    assert [line["frame"] for line in back[:-1]] == [10, 9, 8, 9]


def test_following_refuses_in_words(shot, movie, as_):
    ranged = LIT.model_copy(update={"limit": Matte.model_validate({"hue_width": 50})})
    for asked, settings, words in (
        ({"frame": 11}, given(LIT), "no frame to follow it to"),
        ({"selection": "other", "frame": 0}, given(LIT), "Only a shape"),
        ({"frame": 0}, given(ranged), "Only a shape"),
    ):
        answer = follow(as_("tess"), movie, settings, **asked)
        assert answer.status_code == 422
        assert words in answer.json()["error"]
    assert "one frame" in follow(as_("tess"), shot, given(LIT), frame=0).json()["error"]
    assert post(as_("vera"), movie, "follow", {"settings": given(LIT)}).status_code in (302, 403)


def test_a_moving_shape_stands_where_its_keys_say(movie, as_):
    keys = Track(parameter="x", keys=((0, -0.6), (10, 0.6)))
    moving = LIT.model_copy(update={"limit": Matte(selections=(SPOT.model_copy(update={"tracks": (keys,)}),))})
    for frame, middle in ((0, -0.6), (5, 0.0), (10, 0.6)):
        head, matte = preview(as_("tess"), movie, given(moving), stage="trim", step="lit", view="matte", frame=frame)
        columns = np.nonzero(matte[matte.shape[0] // 2, :, 0] > 128)[0]
        assert (columns.mean() + 0.5 - matte.shape[1] / 2) / matte.shape[0] == pytest.approx(middle, abs=0.01)
        assert head["now"]["limit.selections.0"]["x"] == pytest.approx(middle, abs=1e-6)


# --- bakes
def test_a_bake_says_what_it_leaves_out_and_where_it_falls(movie, as_, people):
    keyed = Exposure(id="k", tracks=(Track(parameter="stops", keys=((0, 1.0), (10, -1.0))),))
    settings = ShotSettings(steps=(LIT, Glow(id="g", threshold=-3), Grain(id="n"), keyed))
    movie = apply_settings(movie, people["tess"], settings, version=movie.version, label="all")
    tess, p = as_("tess"), f"/p/kilnlight/bakes/of/{movie.pk}/"
    assert "Stand still at frame" in read(tess.get(p))

    def check(**wish):
        return tess.post(p + "check/", {**WISH, **wish}, "application/json", headers={"Accept": "application/json"})

    assert "the same on every frame" in check().json()["error"]
    lost = {one["step"]: one for one in check(frozen="3").json()["lost"]}
    assert set(lost) == {"lit", "g", "n"}
    assert lost["lit"]["name"] == "Exposure: all of it"
    assert lost["lit"]["map"].startswith("data:image/png;base64,")
    assert "what lies around it" in lost["g"]["why"]
    refused = tess.post(p + "start/", {**WISH, "frozen": "3"}, headers={"Accept": "application/json"})
    assert refused.status_code == 422


def test_a_certificate_names_what_was_left_out(shot, baked, as_, people):
    apply_settings(shot, people["tess"], ShotSettings(steps=(LIT,)), version=shot.version, label="lit")
    bake = baked(yes="on")
    page = read(as_("tess").get(f"/p/kilnlight/bakes/{bake.pk}/"))
    assert "Leaves out, by consent: Exposure" in page


def test_a_shape_beyond_its_range_is_refused_with_its_place():
    body = given(LIT)
    body["steps"][0]["limit"]["selections"][0]["scale"] = 99
    with pytest.raises(BadValue, match="scale"):
        read_settings(body)


# --- groups
def test_a_group_counts_where_single_steps_are_taken(shot, as_, people):
    group = StepGroup(id="g", name="Sky", strength=0.5)
    steps = (LIT.model_copy(update={"group": "g"}), SlopeOffsetPower(id="s", slope=(1.2, 1, 1), group="g"))
    settings = ShotSettings(steps=steps, groups=(group,))
    with pytest.raises(BadValue, match="mixed in at 50 %"):
        settings.alone()
    whole = settings.model_copy(update={"groups": (StepGroup(id="g"),)})
    assert {step.group for step in whole.alone()} == {""}
    assert settings.model_copy(update={"groups": (StepGroup(id="g", on=False),)}).active == []
    shot = apply_settings(shot, people["tess"], settings, version=shot.version, label="grouped")
    assert row_of(shot, measured=False).part.said is None
    assert differences(whole, settings) == ["Group Sky, name: – → Sky", "Group Sky, strength: 1 → 0.5"]
    assert "With the group Sky" in differences(ShotSettings(), settings)


def test_grain_and_shapes_live_in_looks(movie, as_, people, production):
    """A Look of grain and a glow is made, given, shown on every page, and a bake asks before it leaves them out."""
    look = create_look(production, people["tess"], "Film", (Grain(id="g"), Glow(id="w"), LIT))
    give_to_all(production, look, 1.0)
    tess, p = as_("tess"), "/p/kilnlight/"
    movie.production.refresh_from_db()
    for page in (
        "",
        "looks/",
        f"looks/picture/{movie.pk}/?look={look.pk}",
        f"looks/{look.pk}/",
        "wall/?by=looks",
        f"bench/{movie.pk}/",
        "bakes/cdl/",
        f"bakes/of/{movie.pk}/",
    ):
        assert tess.get(p + page).status_code == 200, page
    _, grained = preview(tess, movie, given())
    again = preview(tess, movie, given())[1]
    np.testing.assert_array_equal(grained, again)
    assert (grained != preview(tess, movie, given(), frame=5)[1]).mean() > 0.5
    said = tess.post(f"{p}bakes/of/{movie.pk}/check/", WISH, "application/json").json()
    assert {one["step"] for one in said["lost"]} == {"g", "w", "lit"}


def test_a_colour_range_of_before_comes_to_the_page_as_a_selection(shot, as_, people):
    """Its selection has an id, by which the page knows it from the whole matte."""
    old = {"steps": [{"kind": "exposure", "id": "e", "stops": 1.0, "limit": {"hue": 40, "hue_width": 60}}]}
    shot = apply_settings(shot, people["tess"], ShotSettings(steps=(LIT,)), version=shot.version, label="lit")
    ShotState.objects.filter(shot=shot, position=shot.position).update(settings=old)
    page = as_("tess").get(f"/p/kilnlight/bench/{shot.pk}/").content.decode()
    data = json.loads(page.split('id="bench-data" type="application/json">')[1].split("</script>")[0])
    (one,) = data["settings"]["steps"][0]["limit"]["selections"]
    assert (one["kind"], one["hue_width"], bool(one["id"])) == ("colour_range", 60, True)


def test_one_pixel_of_a_huge_frame_is_not_worked_out(shot, as_, monkeypatch):
    monkeypatch.setattr(bench_trace, "LARGEST", 100)
    head, _ = preview(as_("tess"), shot, given(Glow(id="g")), point={"x": 20, "y": 20})
    assert head["trace"]["stops"] == "too large a frame"
    assert head["trace"]["display"] == ["–"] * 3
    assert preview(as_("tess"), shot, given(), point={"x": 20, "y": 20})[0]["trace"]["display"] != ["–"] * 3


def test_frames_around_are_averaged_on_the_bench_and_in_the_film(upload, shot, as_, tmp_path):
    """A movie of noise on grey: calmer with the frames around, the same zoomed in; a still has none."""
    noise = np.random.default_rng(3)
    frames = [np.clip(0.4 + noise.normal(0, 0.02, (64, 96, 3)), 0, 1) for _ in range(6)]
    write_movie(tmp_path / "grey.mkv", frames, "ffv1-10", options={"g": "1"})
    upload("grey.mkv", (tmp_path / "grey.mkv").read_bytes())
    movie = Shot.objects.get(kind="movie")
    movie.encoding, movie.managed = "ACEScct/AP1", True
    movie.save()
    tess = as_("tess")
    calm = CalmNoise(id="c", brightness=0, colour=0, frames=2, level=1.0)
    _, plain = preview(tess, movie, given(), frame=3)
    _, made = preview(tess, movie, given(calm), frame=3)
    assert made.std() < 0.6 * plain.std()
    _, part = preview(tess, movie, given(calm), frame=3, part={"x": 40, "y": 20, "width": 32, "height": 24})
    np.testing.assert_allclose(part, made[20:44, 40:72], atol=1)
    played = post(tess, movie, "motion", {"settings": given(calm), "first": 0, "count": 3})
    assert played.status_code == 200
    assert preview(tess, shot, given(calm))[0]["numbers"]
