"""The wall: what stands on it and what is said of it, mending from it, joins of a cut, and its sheet."""

import datetime
import io
import os

import cv2
import numpy as np
import pytest
from django.utils import timezone
from PIL import Image

from tests.web.test_cuts import send
from upwelling.core.media import write_still
from upwelling.core.scopes.spans import Region
from upwelling.core.simulate.camera import A_CAM
from upwelling.core.simulate.shipped import shipped
from upwelling.core.steps import Exposure, WhiteBalance
from upwelling.core.steps.track import Track
from upwelling.web.cuts.models import Cut, CutEvent
from upwelling.web.footage import frames
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.history import apply_settings, set_mark
from upwelling.web.footage.look_services import create_look
from upwelling.web.footage.models import SharedChange, Shot
from upwelling.web.footage.pictures import rendered
from upwelling.web.footage.shot_settings import ShotSettings
from upwelling.web.jobs.models import Task
from upwelling.web.jobs.sweeping import sweep
from upwelling.web.jobs.work import WORK
from upwelling.web.matches.models import MatchRun
from upwelling.web.productions.remarks import write_remark
from upwelling.web.wall import cards, leftovers, making
from upwelling.web.wall.models import Relation, Wanted
from upwelling.web.wall.moves import CONTROLS, moved
from upwelling.web.wall.regions import region_at
from upwelling.web.wall.showing import Column, show_of

PAGE = "/p/kilnlight/wall/"
CROPS = {"a": (0, 0, 1.0), "b": (10, 12, 0.92), "c": (20, 0, 0.9), "d": (0, 30, 0.94)}


@pytest.fixture
def room(upload, production, tmp_path):
    """Four set-ups of the gathering room, of which the third is 0.7 stop under, and one of another scene."""
    shots = []
    for name, scene in (*((name, "Gathering room") for name in CROPS), ("e", "Yard at dusk")):
        light = cv2.resize(shipped(scene), (640, 360), interpolation=cv2.INTER_AREA)
        y, x, share = CROPS.get(name, (0, 0, 1.0))
        part = light[y : y + int(360 * share), x : x + int(640 * share)]
        seen = cv2.resize(part, (640, 360), interpolation=cv2.INTER_AREA)
        stops = -0.7 if name == "c" else 0.0
        write_still(tmp_path / f"{name}.dpx", A_CAM.shoot(seen, seed=ord(name), stops=stops), "10")
        upload(f"{name}.dpx", (tmp_path / f"{name}.dpx").read_bytes())
        shot = Shot.objects.get(original_name=f"{name}.dpx")
        shot.encoding, shot.managed = A_CAM.encoding_name, True
        shot.save()
        shots.append(shot)
    return shots


@pytest.fixture
def ask(as_, django_capture_on_commit_callbacks):
    """What the page is told of frames, once all that it waits for is made."""

    def asked(shots, who="tess", **more):
        body = {"places": [[shot.pk, shot.frame] for shot in shots], "by": "shots", "column": [""], **more}
        with django_capture_on_commit_callbacks(execute=True):
            first = as_(who).post(f"{PAGE}tiles/", body, content_type="application/json").json()
        return first, as_(who).post(f"{PAGE}tiles/", body, content_type="application/json").json()

    return asked


def post(client, name, **body):
    return client.post(f"{PAGE}{name}/", body, content_type="application/json")


def test_tiles_are_made_aside_and_what_does_not_belong_is_named(room, ask, as_):
    first, told = ask(room)
    assert (first["missing"], told["missing"], told["apart"]) == (5, 0, 0)
    rows = told["rows"]
    assert [row["reasons"] for row in rows if row["name"][0] != "c"] == [[]] * 4
    assert rows[2]["reasons"] == [{"said": "0.70 stop under its neighbours", "sure": True}]
    assert rows[0]["neighbour"] is None
    assert rows[1]["neighbour"]["delta_e"] < 1.5
    assert rows[2]["neighbour"]["delta_e"] > 4
    assert "same scene" in rows[4]["neighbour"]["why"], "unlike pictures are never held to each other"
    waiting = [[row["shot"], row["frame"], row["cells"][0]["key"]] for row in rows]
    made = post(as_("vera"), "ready", tiles=[*waiting, [room[0].pk, 0, "0" * 24], [9999, 0, "x"], ["x"]]).json()["made"]
    assert made == [True] * 5 + [False] * 2
    # A picture is what the exact path shows of that frame, and its address is for ever.
    cell = rows[0]["cells"][0]
    answer = as_("vera").get(cell["picture"])
    assert "immutable" in answer["Cache-Control"]
    shown = np.asarray(Image.open(io.BytesIO(b"".join(answer.streaming_content))), float)
    frame = frame_of(room[0])
    path = making.wall_of(room[0].production, {"places": [[room[0].pk, 0]]}).firsts[0].path
    exact = np.asarray(Image.open(io.BytesIO(rendered(path, *frame.reduced(2)))), float)
    assert shown.shape == exact.shape == (180, 320, 3)
    assert np.abs(shown - exact).mean() < 1.5
    assert as_("vera").get(cell["picture"].replace(cell["key"], "0" * 24)).status_code == 404
    assert Image.open(io.BytesIO(b"".join(as_("vera").get(cell["parade"]).streaming_content))).size == (216, 96)


def test_a_change_is_told_and_only_what_it_touches_is_made_anew(room, ask, people, monkeypatch):
    ask(room)
    before = {one.key for one in Relation.objects.all()}
    made = []
    make = making.Tile.make
    monkeypatch.setattr(making.Tile, "make", lambda tile, marks: (made.append(tile.shot.pk), make(tile, marks)))
    shot = room[2]
    apply_settings(shot, people["tess"], ShotSettings(steps=(Exposure(id="e", stops=0.7),)), version=0, label="up")
    first, told = ask(room)
    assert first["missing"] == 1
    assert made == [shot.pk]
    assert [row["reasons"] for row in told["rows"]] == [[]] * 5
    assert told["rows"][2]["version"] == 1
    new = Relation.objects.exclude(key__in=before)
    assert 0 < new.count() <= 4, "pairs without it stand"


def test_two_alone_are_not_judged_but_told(room, ask):
    rows = ask(room[1:3])[1]["rows"]
    assert rows[1]["reasons"] == [{"said": f"0.70 stop under {room[1].name}", "sure": False}]


def test_a_marked_region_is_measured_on_every_tile(room, ask):
    kind = "skin"
    region = Region(left=0.45, top=0.1, right=0.55, bottom=0.25).model_dump()
    for shot in room[:4]:
        Shot.objects.filter(pk=shot.pk).update(known_regions={kind: {"region": region, "frame": 0}})
    rows = ask(room, region=kind)[1]["rows"]
    assert rows[0]["figures"].startswith(f"{kind} ")
    assert "stops" not in rows[0]["figures"]
    assert "mired" in rows[0]["figures"]
    assert rows[4]["figures"] == f"no {kind} marked"
    assert rows[2]["reasons"][0]["said"].endswith(f"under its neighbours on {kind}")


def test_a_file_that_cannot_be_read_says_so_on_its_tile_alone(room, ask):
    room[1].disk_path.write_bytes(b"no picture")
    frames._kept.clear()
    told = ask(room[:3])[1]
    assert told["missing"] == 0
    assert "b.dpx" in told["rows"][1]["cells"][0]["problem"]
    assert [row["cells"][0]["made"] for row in told["rows"]] == [True, False, True]


def test_states_outputs_and_looks_stand_side_by_side(room, ask, as_, production, people):
    set_mark(room[0], people["tess"], "Before lunch", ShotSettings(steps=(Exposure(id="e", stops=2),)))
    rows = ask(room[:2], by="states", column=["", "today"])[1]["rows"]
    assert [cell["title"] for cell in rows[0]["cells"]] == ["now", "Before lunch"]
    assert rows[0]["cells"][0]["key"] != rows[0]["cells"][1]["key"]
    assert rows[1]["cells"][1]["none"] == "no Mark of today"
    look = create_look(production, people["tess"], "Ember", [Exposure(stops=1)])
    rows = ask(room[:1], by="looks", column=["", str(look.pk)], strength="50")[1]["rows"]
    assert [cell["title"] for cell in rows[0]["cells"]] == ["now: no Look", "Ember"]
    client = as_("tess")
    given = {"what": "look", "look": look.pk, "strength": "80", "shot": [room[0].pk], "back": f"{PAGE}?by=looks"}
    seen = client.post("/p/kilnlight/looks/sheet/give/", given, follow=True)
    assert seen.redirect_chain[-1][0] == f"{PAGE}?by=looks"
    assert "Given before" in seen.content.decode()
    rows = ask(room[:1], by="looks", column=["", str(look.pk)])[1]["rows"]
    assert [cell["title"] for cell in rows[0]["cells"]] == ["now: Ember, 80 %", "Ember ● in force"]
    assert client.get(f"/p/kilnlight/looks/sheet/?look={look.pk}").url == f"{PAGE}?column=&column={look.pk}&by=looks"
    rules = production.rule_set
    assert show_of({"by": "outputs", "column": ["no such"]}, production).columns == (
        Column(rules.output, rules.output),
    )


# --- mending ----------------------------------------------------------------------------------------------------------
@pytest.mark.parametrize(("what", "by"), [("exposure", 0.3), ("warmth", 300), ("tint", -0.002), ("saturation", 0.1)])
def test_a_move_goes_into_the_trims_and_one_undo_takes_it_back(room, as_, what, by):
    tess, chosen = as_("tess"), [room[0].pk, room[1].pk]
    control = CONTROLS[what]
    before = tess.post(f"{PAGE}try/", {"by": "shots"}, content_type="application/json")
    assert before.status_code == 422
    body = {"place": [room[0].pk, 0], "what": what, "amount": by}
    tried = [post(tess, "try", **{**body, "amount": value}).json()["picture"] for value in (0.0, by)]
    assert tried[0] != tried[1]
    assert Shot.objects.get(pk=room[0].pk).version == 0, "trying keeps nothing"
    answer = post(tess, "move", shots=chosen, what=what, amount=by, places=[[room[0].pk, 0]]).json()
    assert answer["left"] == []
    assert answer["said"].endswith("on 2 shots.")
    rest = getattr(control.step(), control.field)
    for pk in chosen:
        step = next(one for one in Shot.objects.get(pk=pk).settings.steps if isinstance(one, control.step))
        assert getattr(step, control.field) == pytest.approx(rest + by)
    assert post(as_("vera"), "move", shots=chosen, what=what, amount=by).status_code == 403
    assert "Taken back" in post(tess, "back", change=answer["change"]).json()["said"]
    assert all(Shot.objects.get(pk=pk).settings.active == [] for pk in chosen)


def test_what_cannot_be_moved_says_why_and_the_others_are(room, as_, people):
    track = Track(parameter="stops", keys=((0, 0.0), (10, 1.0)))
    keyed = ShotSettings(steps=(Exposure(id="e", tracks=(track,)),))
    apply_settings(room[0], people["tess"], keyed, version=0, label="keys")
    apply_settings(room[1], people["tess"], ShotSettings(trim_on=False), version=0, label="off")
    answer = post(as_("tess"), "move", shots=[one.pk for one in room[:3]], what="exposure", amount=0.1).json()
    assert answer["said"] == "Exposure +0.10 stops on 1 shot."
    said = " ".join(sorted(answer["left"]))
    assert "changes along the shot: move it on the Bench" in said
    assert said.endswith("Its trim is off.")
    one, other = room[0].pk, room[2].pk
    for shots, what, by in (([one], "exposure", 1), ([], "exposure", 1), ([other], "hue", 1), ([other], "tint", "x")):
        assert post(as_("tess"), "move", shots=shots, what=what, amount=by).status_code == 422
    assert SharedChange.objects.count() == 1, "a move that nothing took leaves nothing"


def test_a_move_stays_within_what_a_step_may_hold_and_spares_a_matchs_own():
    far = moved(ShotSettings(), CONTROLS["tint"], 9.0)
    assert next(one.duv for one in far.steps if isinstance(one, WhiteBalance)) == 0.05
    assert moved(far, CONTROLS["tint"], -0.01).steps != far.steps


def test_a_match_is_proposed_to_the_frame_beside_and_taken(room, as_, django_capture_on_commit_callbacks):
    tess, (a, _, c, _, e) = as_("tess"), room
    with django_capture_on_commit_callbacks(execute=True):
        begun = post(tess, "match", pairs=[[c.pk, 0, a.pk, 0], [e.pk, 0, c.pk, 0]]).json()
    told = {row["shot"]: row for row in post(as_("vera"), "proposed", run=begun["run"]).json()["proposals"]}
    assert (told[c.pk]["state"], told[e.pk]["state"]) == ("found", "refused")
    assert told[c.pk]["to"] == a.name
    assert told[c.pk]["said"].startswith("ΔE 0.")
    assert as_("vera").get(told[c.pk]["picture"]).status_code == 200
    answer = post(tess, "accept", run=begun["run"], proposals=[told[c.pk]["proposal"]]).json()
    stops = sum(one.stops for one in Shot.objects.get(pk=c.pk).settings.active if one.kind == "exposure")
    assert stops == pytest.approx(0.7, abs=0.08)
    assert "taken into 1 shot" in answer["said"]
    post(tess, "back", change=answer["change"])
    assert Shot.objects.get(pk=c.pk).settings.active == []
    assert post(tess, "match", pairs=[[a.pk, 0, a.pk, 0], [1]]).status_code == 422
    assert MatchRun.objects.count() == 1


# --- pages, cuts, sheets ----------------------------------------------------------------------------------------------
def test_the_page_lists_what_is_asked_for_and_leaves_out_what_is_not_settled(room, as_, upload):
    upload()
    page = as_("vera").get(PAGE).content.decode()
    assert "1 not settled, left out" in page
    assert page.count("[[") == 1
    assert "Propose a match" not in page, "a viewer changes nothing"
    assert "No shot is like that" in as_("vera").get(f"{PAGE}?find=nothing").content.decode()
    assert as_("vera").get(f"{PAGE}?cut=99").status_code == 404


def test_an_empty_production_says_what_to_do_first(production, as_):
    assert 'class="empty"' in as_("tess").get(PAGE).content.decode()


def test_a_cuts_events_stand_in_order_and_its_joins_are_told(room, as_, ask, production):
    tess = as_("tess")
    send(tess)
    cut = Cut.objects.get()
    for event, shot in zip(cut.events.all(), (room[0], room[2], room[4]), strict=True):
        CutEvent.objects.filter(pk=event.pk).update(state="found", shot=shot, first=0, frames=1)
    page = tess.get(f"{PAGE}?cut={cut.pk}").content.decode()
    assert page.index(f"[{room[0].pk}, 0, 1") < page.index(f"[{room[2].pk}, 0, 2") < page.index(f"[{room[4].pk}, 0, 3")
    page = tess.get(f"/p/kilnlight/cuts/{cut.pk}/joins/").content.decode()
    assert f"beside={room[0].pk}.0" in page
    rows = ask([room[0], room[2], room[2], room[4]], joins=True)[1]["rows"]
    assert rows[1]["jump"].startswith("−0.70 stops")
    assert rows[1]["neighbour"]["delta_e"] > 4
    assert (rows[3]["jump"], "why" in rows[3]["neighbour"]) == ("", True)
    CutEvent.objects.update(shot=None)
    assert "No two events" in tess.get(f"/p/kilnlight/cuts/{cut.pk}/joins/").content.decode()


@pytest.mark.parametrize("kind", ["png", "pdf"])
def test_a_sheet_holds_every_tile(room, as_, kind):
    answer = as_("vera").get(f"{PAGE}sheet/?as={kind}")
    assert f'filename="kilnlight wall.{kind}"' in answer["Content-Disposition"]
    if kind == "pdf":
        assert answer.content.startswith(b"%PDF-")
        assert answer.content.count(b"/Type /Page\n") == 1
        return
    page = np.asarray(Image.open(io.BytesIO(answer.content)).convert("RGB"), float)
    assert page.shape == (1754, 2480, 3)
    whole = cv2.resize(page, (248, 175), interpolation=cv2.INTER_AREA)
    assert (np.abs(whole - 228).max(axis=-1) > 8).mean() > 0.08, "pictures stand on it"
    assert "no shot to put" in as_("vera").get(f"{PAGE}sheet/?find=nothing").content.decode()


def test_a_sheet_says_what_is_open_of_a_shot(room, people, production):
    for text, question in (("Door too bright?", True), ("Wind", False), ("Rim\nred", True)):
        about = ("shot", room[0].pk, "a")
        write_remark(production, people["vera"], about, text, question=question, frame=3 if "Rim" in text else None)
    wall = making.wall_of(production, {"places": [[one.pk, 0] for one in room[:2]], "by": "shots"})
    with_remarks, without = cards._cards(wall, [], "")
    assert with_remarks.lines[-2:] == ["? vera at 3: Rim red", "? vera: Door too bright?"]
    assert not any("?" in line for line in without.lines)


def test_the_bench_opens_beside_the_frame_that_the_wall_names(room, as_):
    page = as_("vera").get(f"/p/kilnlight/bench/{room[1].pk}/?frame=0&beside={room[0].pk}.0").content.decode()
    assert f'"beside": {{"pk": {room[0].pk}' in page.replace("&quot;", '"')
    for wrong in ("", "x.y", f"{room[1].pk}.0", "999.0", "1"):
        page = as_("vera").get(f"/p/kilnlight/bench/{room[1].pk}/?beside={wrong}").content.decode()
        assert '"beside": null' in page.replace("&quot;", '"')


# --- the worker -------------------------------------------------------------------------------------------------------
def test_the_worker_goes_on_with_what_is_asked_for_meanwhile(room, people, production, monkeypatch):
    asked = [{"places": [[one.pk, 0] for one in shots], "by": "shots"} for shots in (room, room[4:])]
    row, seen, wall_of = making.want(production, people["tess"], asked[0]), [], making.wall_of

    def noted(*given):
        seen.append(given[1])
        return wall_of(*given)

    def meanwhile(tile):
        making.want(production, people["tess"], asked[1])
        return {}

    monkeypatch.setattr(making, "wall_of", noted)
    monkeypatch.setattr(making.Tile, "regions", meanwhile)
    making.perform(row.pk)
    assert seen == asked
    assert making.wall_of(production, asked[1]).firsts[0].figures is not None
    assert Task.objects.filter(kind="wall").count() == 1
    WORK[making.KIND].give_up(row.pk, "It ended its process twice.")
    assert Wanted.objects.get().problems == {"": "It ended its process twice."}
    making.perform(999)


def test_a_region_is_followed_over_a_movie_once_and_kept(production, as_, upload, tmp_path):
    from upwelling.core.media.movie_write import write_movie

    light = cv2.resize(shipped("Gathering room"), (400, 225), interpolation=cv2.INTER_AREA)[:224]
    pan = [A_CAM.shoot(light[:, 4 * n : 4 * n + 320], seed=n) for n in range(8)]
    write_movie(tmp_path / "pan.mov", pan, "prores-4444")
    upload("pan.mov", (tmp_path / "pan.mov").read_bytes())
    shot = production.shots.get()
    region = Region(left=0.5, top=0.3, right=0.7, bottom=0.6)
    shot.known_regions = {"skin": {"region": region.model_dump(), "frame": 0}}
    shot.save()
    there = region_at(shot, "skin", 7)
    assert (there.left + there.right) / 2 == pytest.approx(0.6 - 28 / 320, abs=0.01)
    assert (there.top + there.bottom) / 2 == pytest.approx(0.45, abs=0.01)
    kept = Shot.objects.get(pk=shot.pk).known_regions["skin"]
    assert kept["followed"]["7"] == there.model_dump()
    assert region_at(shot, "skin", 0) == region
    assert region_at(shot, "grey", 0) is None


def test_old_tiles_are_swept_whole_and_made_again(room, ask, monkeypatch, settings):
    ask(room[:2])
    files = sorted((settings.FILES / "thumbnails").glob("*/*-wall-*"))
    assert len(files) == 6
    for place in files[:3]:
        os.utime(place, (0, 0))
    Relation.objects.update(created=timezone.now() - datetime.timedelta(days=31))
    assert set(leftovers.old_tiles()) == set(files[:3])
    assert not Relation.objects.exists()
    sweep()
    assert sorted((settings.FILES / "thumbnails").glob("*/*-wall-*")) == files[3:]
    first, told = ask(room[:2])
    assert (first["missing"], told["missing"]) == (1, 0)


def test_only_the_shots_that_the_address_names_stand_there(room, as_):
    page = as_("vera").get(f"{PAGE}?only={room[0].pk}.{room[3].pk}.x").content.decode()
    assert [f"[{shot.pk}, 0, 0" in page for shot in room] == [True, False, False, True, False]
    assert "All shots again" in page


def test_a_state_that_is_not_there_cannot_be_moved(room, as_):
    body = {"by": "states", "column": ["today"], "place": [room[0].pk, 0], "what": "exposure"}
    answer = as_("tess").post(f"{PAGE}try/", {**body, "amount": 1}, content_type="application/json")
    assert answer.status_code == 422
