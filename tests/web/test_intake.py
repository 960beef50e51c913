"""Intake: arrivals, registered folders, recognition applied, cameras and inheritance, bulk changes, splitting,
charts.
"""

import json

import numpy as np
import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext

from tests.core.test_raw import PROFILE, mosaic_of, scene
from tests.web.pages import shots_of
from upwelling.core.media import ColourTags, dng, write_still
from upwelling.core.media.movie_write import write_movie
from upwelling.core.simulate.camera import A_CAM, GIMBAL, PHONE
from upwelling.core.simulate.chart import CORNERS, chart_frame
from upwelling.web.common.requests import Refused
from upwelling.web.footage import arrivals
from upwelling.web.footage.cameras import (
    accept_proposal,
    assign,
    change_camera,
    create_camera,
    proposals,
    remove_camera,
    set_development,
)
from upwelling.web.footage.folders import folder_list
from upwelling.web.footage.models import Arrival, Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.footage.shots import AlreadyHere, accept, bring_in, reconsider, settle_encoding
from upwelling.web.jobs.work import queue_again
from upwelling.web.productions.services import set_rules

X = np.linspace(-6, 4, 96)[None, :, None]
LIGHT = 0.18 * np.exp2(X) * np.array([1.2, 1.0, 0.7]) * np.ones((54, 1, 1))
HLG_TAGS = ColourTags("BT.2020", "HLG", "BT.2020", "legal")


@pytest.fixture
def media(settings):
    """A folder of footage under the media folder: two A-cam stills, a tagged and an untagged phone clip, a raw, and a
    broken file.
    """
    folder = settings.MEDIA_FOLDER / "day one"
    folder.mkdir()
    for number, stops in ((12, 0.0), (14, -1.0)):
        write_still(
            folder / f"A{number:03d}.dpx", A_CAM.shoot(LIGHT, stops=stops, seed=number), "10", {"model": "A-cam"}
        )
    frames = [PHONE.shoot(LIGHT, seed=i) for i in range(3)]
    write_movie(
        folder / "P003.mp4",
        frames,
        "h265-10",
        tags=HLG_TAGS,
        matrix="BT.2020",
        metadata={"make": "Invented", "model": "Phone"},
    )
    write_movie(folder / "P004.mp4", frames[::-1], "h265-10", matrix="BT.2020")
    dng.write(
        folder / "S0101.dng",
        mosaic_of(scene(54, 96)),
        PROFILE,
        black=512,
        white=15871,
        metadata={"make": "Invented", "model": "Stills"},
    )
    (folder / "B.dpx").write_bytes(b"SDPX" + b"\0" * 900)
    (settings.MEDIA_FOLDER.parent / "outside").mkdir()
    write_still(settings.MEDIA_FOLDER.parent / "outside" / "secret.png", np.zeros((4, 4, 3)), "8")
    (folder / "link.png").symlink_to(settings.MEDIA_FOLDER.parent / "outside" / "secret.png")
    return folder


@pytest.fixture
def registered(media, production, people, django_capture_on_commit_callbacks):
    with django_capture_on_commit_callbacks(execute=True):
        arrivals.register_folders(production, people["tess"], ["day one"])
    return {shot.original_name: shot for shot in shots_of(production)}


def test_a_folder_is_registered_where_it_lies(registered, production, media):
    assert sorted(registered) == ["A012.dpx", "A014.dpx", "P003.mp4", "P004.mp4", "S0101.dng"]
    assert all(shot.disk_path == media / name for name, shot in registered.items())
    states = dict(production.arrivals.values_list("name", "state"))
    assert states.pop("B.dpx") == "failed"
    assert set(states.values()) == {"done"}
    assert "ends inside its header" in production.arrivals.get(name="B.dpx").message
    assert {name: shot.state for name, shot in registered.items()} == {
        "A012.dpx": "unknown",
        "A014.dpx": "unknown",
        "P003.mp4": "known",
        "P004.mp4": "unknown",
        "S0101.dng": "known",
    }
    assert registered["P003.mp4"].settled.encoding == "HLG/BT.2020"
    assert registered["P003.mp4"].settled.encoding_from == "shot"
    assert arrivals.dismiss(production) == 6


@pytest.mark.parametrize("relative", ["../outside", "/etc", "day one/../../outside", "nowhere", "\0"])
def test_no_path_outside_can_be_named(media, production, people, relative):
    with pytest.raises(Refused, match=r"media folder|footage folders|no folder"):
        arrivals.register_folders(production, people["tess"], [relative])
    assert not production.arrivals.exists()


def test_links_that_lead_out_are_passed_over(registered, production):
    assert not production.arrivals.filter(name="link.png").exists()
    assert folder_list(production).folders == ("day one",)


def test_the_same_content_twice(registered, production, people, media, django_capture_on_commit_callbacks):
    (media / "copy.dpx").write_bytes((media / "A012.dpx").read_bytes())
    with pytest.raises(AlreadyHere, match="already here as “A012”"):
        bring_in(production, people["tess"], "copy.dpx", media / "copy.dpx", registered=True)
    before = production.shots.count()
    with django_capture_on_commit_callbacks(execute=True):
        arrivals.register_folders(production, people["tess"], ["day one"])
    assert production.shots.count() == before
    assert production.arrivals.filter(state="here").count() == 6


@pytest.mark.parametrize("asked", [["day two/A-cam", "day two/Phone"], ["day two"]])
def test_folders_become_cameras_by_their_names(
    media, production, people, as_, asked, django_capture_on_commit_callbacks
):
    """Each chosen folder with all in it, or each folder of one that has none itself; a camera records what its first
    sure shot says, so that one without tags beside it asks no more.
    """
    day = media.parent / "day two"
    for name, files in {
        "A-cam/clips/one": ["A012.dpx"],
        "A-cam": ["A014.dpx"],
        "Phone/x": ["P003.mp4", "P004.mp4"],
    }.items():
        (day / name).mkdir(parents=True, exist_ok=True)
        for file in files:
            (media / file).rename(day / name / file)
    (day / "Phone" / "out.mp4").symlink_to(media.parent.parent / "outside" / "secret.png")
    tess = as_("tess")
    with django_capture_on_commit_callbacks(execute=True):
        said = tess.post(
            "/p/kilnlight/intake/register/", {"folder": asked, "below": "on", "by_camera": "on"}, follow=True
        ).content.decode()
    assert "4 files are being looked at, for 2 cameras." in said
    assert "Passed over: 1 link out of this production’s footage folders" in said
    found = {shot.original_name: (shot.camera.name, shot.settled.encoding) for shot in shots_of(production)}
    assert found == {
        "A012.dpx": ("A-cam", ""),
        "A014.dpx": ("A-cam", ""),
        "P003.mp4": ("Phone", "HLG/BT.2020"),
        "P004.mp4": ("Phone", "HLG/BT.2020"),
    }
    assert "No folder is chosen" in tess.post("/p/kilnlight/intake/register/", {}, follow=True).content.decode()
    (day / "Links").mkdir()
    (day / "Links" / "out.png").symlink_to(media.parent.parent / "outside" / "secret.png")
    said = tess.post("/p/kilnlight/intake/register/", {"typed": "day two/Links"}, follow=True).content.decode()
    assert "Passed over: 1 link out" in said


def test_interrupted_arrivals_are_looked_at_again(media, production, people, django_capture_on_commit_callbacks):
    row = Arrival.objects.create(
        production=production,
        created_by=people["tess"],
        name="A012.dpx",
        place=str(media / "A012.dpx"),
        registered=True,
        state="probing",
    )
    with django_capture_on_commit_callbacks(execute=True):
        assert queue_again() == 1
    row.refresh_from_db()
    assert (row.state, row.shot.name) == ("done", "A012")


def test_groups_are_proposed_and_followed(registered, production, people, media):
    offered = {p.name: p for p in proposals(production)}
    assert set(offered) == {"A-cam", "Phone", "Stills"}
    assert len(offered["A-cam"].shots) == 2
    assert offered["Phone"].encoding == "HLG/BT.2020"
    phone = accept_proposal(production, offered["Phone"].key)
    shot = Shot.objects.get(original_name="P003.mp4")
    assert (shot.camera, shot.encoding, shot.settled.encoding_from) == (phone, "", "camera")
    camera = accept_proposal(production, offered["A-cam"].key)
    change_camera(camera, name="A-cam", encoding="S-Log3/S-Gamut3.Cine", code_range="")
    assert set(camera.shots.values_list("state", flat=True)) == {"settled"}  # they ask no more
    write_still(media / "A020.dpx", A_CAM.shoot(LIGHT, stops=0.5, seed=20), "10", {"model": "A-cam"})
    late = bring_in(production, people["tess"], "A020.dpx", media / "A020.dpx", registered=True)
    assert (late.camera, late.state, late.settled.encoding_from) == (camera, "settled", "camera")
    change_camera(camera, name="A-cam", encoding="", code_range="")
    assert "settled" not in camera.shots.values_list("state", flat=True)
    change_camera(camera, name="A-cam", encoding="S-Log3/S-Gamut3.Cine", code_range="")
    assert set(camera.shots.values_list("state", flat=True)) == {"settled"}
    with pytest.raises(Refused, match="no longer"):
        accept_proposal(production, offered["A-cam"].key)


def test_likeness_without_metadata(production, people, media):
    for name in ("C001.png", "C002.png", "D001.png"):
        write_still(media / name, np.random.default_rng(ord(name[0]) * 9 + ord(name[3])).random((20, 30, 3)), "8")
        bring_in(production, people["tess"], name, media / name, registered=True)
    found = [p for p in proposals(production) if p.key.startswith("likeness")]
    assert [(p.name, len(p.shots)) for p in found] == [("C-camera", 2)]


def test_inheritance_and_the_way_back(registered, production):
    shot = registered["A012.dpx"]
    set_rules(production, {"default_encoding": "V-Log/V-Gamut"})
    fresh = Shot.objects.get(pk=shot.pk)
    assert (fresh.settled.encoding, fresh.settled.encoding_from) == ("V-Log/V-Gamut", "production")
    camera = create_camera(production, "A-cam")
    change_camera(camera, name="A-cam", encoding="S-Log3/S-Gamut3.Cine", code_range="full")
    assign(camera, [fresh])
    assert (fresh.settled.encoding, fresh.settled.encoding_from) == ("S-Log3/S-Gamut3.Cine", "camera")
    settle_encoding(fresh, "C-Log2/Cinema Gamut", "legal")
    assert (fresh.settled.encoding_from, fresh.settled.range, fresh.state) == ("shot", "legal", "settled")
    settle_encoding(fresh, "", "")
    assert (fresh.settled.encoding_from, fresh.settled.range) == ("camera", "full")
    assert reconsider(fresh).state == "likely"
    remove_camera(camera)
    fresh = Shot.objects.get(pk=shot.pk)
    assert (fresh.camera, fresh.settled.encoding_from) == (None, "production")


def test_a_contradictory_file_inherits_nothing(production, people, media):
    write_movie(
        media / "G001.mp4",
        [GIMBAL.shoot(LIGHT, seed=i) for i in range(2)],
        "h264-8",
        tags=ColourTags("BT.709", "BT.709", "BT.709", "legal"),
    )
    set_rules(production, {"default_encoding": "S-Log3/S-Gamut3.Cine"})
    shot = bring_in(production, people["tess"], "G001.mp4", media / "G001.mp4", registered=True)
    assert shot.state == "contradictory"
    assert "probably log" in shot.recognition["contradictions"][0]
    assert not shot.settled.is_settled
    with pytest.raises(Refused, match="Choose one"):
        accept(shot)


def send(client, shots, verb, value=""):
    return client.post(
        "/p/kilnlight/intake/change/",
        json.dumps({"shots": [s.pk for s in shots], "verb": verb, "value": value}),
        content_type="application/json",
        headers={"Accept": "application/json"},
    )


def test_one_change_to_many(registered, production, as_):
    tess, stills = as_("tess"), [registered["A012.dpx"], registered["A014.dpx"]]
    assert send(tess, stills, "camera", "new:A-cam").json() == {"changed": 2, "refused": []}
    assert send(tess, stills, "encoding", "s-log3/s-gamut3.cine").json()["changed"] == 2
    said = send(tess, [*stills, registered["S0101.dng"]], "encoding", "V-Log/V-Gamut").json()
    assert said["changed"] == 2
    assert "raw mosaic" in said["refused"][0]
    send(tess, stills, "range", "legal")
    send(tess, stills, "managed", "off")
    shot = Shot.objects.get(original_name="A012.dpx")
    assert (shot.settled.encoding, shot.settled.range, shot.is_managed, shot.state) == (
        "V-Log/V-Gamut",
        "legal",
        False,
        "settled",
    )
    send(tess, stills, "managed", "")
    send(tess, stills, "display")
    assert Shot.objects.get(original_name="A014.dpx").settled.encoding == "BT.1886/BT.709"
    send(tess, stills, "reconsider")
    assert Shot.objects.get(original_name="A012.dpx").state == "unknown"
    assert send(tess, [registered["P003.mp4"]], "accept").json()["changed"] == 1
    assert "no encoding to accept" in send(tess, [registered["P004.mp4"]], "accept").json()["refused"][0]
    assert send(tess, stills, "remove").json()["changed"] == 2
    assert production.shots.count() == 3


@pytest.mark.parametrize(
    ("body", "words"),
    [
        ({"shots": [], "verb": "accept"}, "Tick at least one"),
        ({"shots": ["x"], "verb": "accept"}, "whole number"),
        ("text", "not a change"),
        ({"shots": [1], "verb": "camera", "value": "99"}, "not there any more"),
        ({"shots": [1], "verb": "camera", "value": "new: "}, "needs a name"),
    ],
)
def test_nonsense_changes_are_refused(production, as_, body, words):
    answer = as_("tess").post(
        "/p/kilnlight/intake/change/",
        json.dumps(body),
        content_type="application/json",
        headers={"Accept": "application/json"},
    )
    assert answer.status_code == 422
    assert words in answer.json()["error"]


def test_unmanaged_shows_the_files_own_numbers(registered, production, as_):
    settle_encoding(registered["A012.dpx"], "S-Log3/S-Gamut3.Cine", "")
    set_rules(production, {"managed": False})
    shot = Shot.objects.get(original_name="A012.dpx")
    np.testing.assert_allclose(path_of(shot).apply([0.2, 0.5, 0.8]), [0.2, 0.5, 0.8], atol=1e-9)
    page = as_("tess").get(f"/p/kilnlight/bench/{shot.pk}/").content.decode()
    assert "Colour management is off" in page
    assert '"editable": false' in page
    as_("tess").post(
        f"/p/kilnlight/shots/{shot.pk}/encoding/", {"managed": "on", "encoding": shot.encoding, "range": ""}
    )
    assert path_of(Shot.objects.get(pk=shot.pk)).input.on


def test_pages_show_what_is_known(registered, production, as_):
    page = as_("tess").get("/p/kilnlight/intake/").content.decode()
    for words in (
        "tagged primaries BT.2020, transfer HLG",
        "raw mosaic",
        "not settled",
        "Make it a camera",
        "3 frames",
    ):
        assert words in page, words
    only = as_("vera").get("/p/kilnlight/intake/?state=known").content.decode()
    assert "P003" in only
    assert "A012" not in only.split("<tbody>")[1]
    assert "Choose files" not in only
    assert "No file is like that" in as_("tess").get("/p/kilnlight/intake/?state=likely").content.decode()
    rows = as_("vera").get("/p/kilnlight/intake/progress/").json()["arrivals"]
    assert {row["name"]: row["state"] for row in rows}["B.dpx"] == "failed"
    assert "HLG, two ways" in as_("tess").get(f"/p/kilnlight/bench/{registered['P003.mp4'].pk}/").content.decode()


@pytest.mark.parametrize("page", ["/p/kilnlight/intake/", "/p/kilnlight/"])
def test_queries_do_not_grow(registered, production, as_, page, django_assert_num_queries):
    shot, tess = registered["A012.dpx"], as_("tess")
    tess.get(page)
    with CaptureQueriesContext(connection) as few:
        tess.get(page)
    for number in range(10):
        Shot.objects.create(
            **{f.attname: getattr(shot, f.attname) for f in Shot._meta.fields if f.attname not in ("id", "name")},
            name=f"copy {number}",
        )
    with django_assert_num_queries(len(few)):
        assert tess.get(page).status_code == 200


def test_raw_is_developed_by_the_camera_unless_the_shot_says_otherwise(registered, production, as_, people):
    shot = registered["S0101.dng"]
    camera = create_camera(production, "Stills")
    assign(camera, [shot])
    set_development(camera, {"balance": "tungsten", "exposure": 1.0})
    fresh = Shot.objects.get(pk=shot.pk)
    assert path_of(fresh).camera.raw.development.balance == "tungsten"
    body = fresh.settings.model_dump(mode="json")
    body["development"] = {"balance": "own", "kelvin": 4200.0, "exposure": -0.5}
    answer = as_("tess").post(
        f"/p/kilnlight/bench/{shot.pk}/save/",
        {"settings": body, "version": 0, "label": "light"},
        content_type="application/json",
    )
    assert answer.status_code == 200
    fresh = Shot.objects.get(pk=shot.pk)
    assert path_of(fresh).camera.raw.development.kelvin == 4200
    page = as_("tess").get(f"/p/kilnlight/bench/{shot.pk}/").content.decode()
    assert "Raw development" in page
    assert "own, 4200 K" in page
    bad = as_("tess").post(
        f"/p/kilnlight/cameras/{camera.pk}/",
        {"name": "Stills", "encoding": "", "range": "", "development.exposure": "99"},
        follow=True,
    )
    assert "was not changed" in bad.content.decode()
    assert (
        "no table can carry its development"
        in as_("tess").post(f"/p/kilnlight/bakes/of/{shot.pk}/start/", {"start": "camera"}).content.decode()
    )


def test_the_standing_frame(registered, as_):
    shot, tess = registered["P003.mp4"], as_("tess")
    answer = tess.post(f"/p/kilnlight/bench/{shot.pk}/stand/", {"frame": 2}, content_type="application/json")
    assert answer.json()["frame"] == 2
    bad = tess.post(
        f"/p/kilnlight/bench/{shot.pk}/stand/",
        {"frame": 3},
        content_type="application/json",
        headers={"Accept": "application/json"},
    )
    assert "frames 0 to 2" in bad.json()["error"]


def test_a_reel_is_split(production, people, media, as_, django_capture_on_commit_callbacks):
    looks = [np.roll(LIGHT, shift, axis=1) * gain for shift, gain in ((0, 1), (40, 4), (70, 0.2))]
    write_movie(media / "reel.mov", [A_CAM.shoot(look, seed=i) for look in looks for i in range(8)], "prores-422")
    shot = bring_in(production, people["tess"], "reel.mov", media / "reel.mov", registered=True)
    tess, address = as_("tess"), f"/p/kilnlight/shots/{shot.pk}/split/"
    with django_capture_on_commit_callbacks(execute=True):
        tess.post(f"{address}look/")
    page = tess.get(address).content.decode()
    strengths = json.loads(page.split('id="split-data" type="application/json">')[1].split("</script>")[0])["strengths"]
    assert [i for i, v in enumerate(strengths) if v > 0.35] == [8, 16]
    assert "no cut to split at" in tess.post(f"{address}make/", {"cuts": "[]"}, follow=True).content.decode()
    assert "could not be read" in tess.post(f"{address}make/", {"cuts": "{"}, follow=True).content.decode()
    tess.post(f"{address}make/", {"cuts": "[8, 16]"})
    parts = list(production.shots.order_by("first_frame").values_list("name", "first_frame", "frames", "frame"))
    assert parts == [("reel, part 1", 0, 8, 4), ("reel, part 2", 8, 8, 12), ("reel, part 3", 16, 8, 20)]
    still = next(s for s in shots_of(production) if s.name == "reel, part 2")
    assert tess.post(f"/p/kilnlight/shots/{still.pk}/split/look/", follow=True).status_code == 200


def test_what_cannot_be_split(registered, as_):
    page = as_("tess").post(f"/p/kilnlight/shots/{registered['A012.dpx'].pk}/split/look/", follow=True).content.decode()
    assert "is not a movie" in page


def test_a_chart_is_marked_and_reported(production, people, media, as_):
    write_still(media / "A099.dpx", A_CAM.shoot(chart_frame(480, 270), stops=0.5, seed=1), "10")
    shot = bring_in(production, people["tess"], "A099.dpx", media / "A099.dpx", registered=True)
    camera = create_camera(production, "A-cam")
    change_camera(camera, name="A-cam", encoding="S-Log3/S-Gamut3.Cine", code_range="")
    assign(camera, [shot])
    tess, address = as_("tess"), f"/p/kilnlight/shots/{shot.pk}/chart/mark/"

    def mark(corners):
        return tess.post(
            address,
            json.dumps({"corners": corners}),
            content_type="application/json",
            headers={"Accept": "application/json"},
        )

    said = mark([list(c) for c in CORNERS]).json()
    assert float(said["median"]) < 1
    assert float(said["stops"]) == pytest.approx(0.5, abs=0.002)
    page = tess.get(f"/p/kilnlight/cameras/{camera.pk}/").content.decode()
    assert "Chart report: A099" in page
    assert "Median ΔE 2000" in page
    assert "too small" in mark([[0.5, 0.5]] * 4).json()["error"]
    assert mark("nonsense").status_code == 422
    assert Shot.objects.get(pk=shot.pk).chart_corners is not None
    mark(None)
    assert Shot.objects.get(pk=shot.pk).chart_corners is None
    found = tess.post(address.replace("mark", "find"), headers={"Accept": "application/json"})
    np.testing.assert_allclose(found.json()["corners"], CORNERS, atol=0.006)
    assert Shot.objects.get(pk=shot.pk).chart_corners is None, "looking for it saves nothing"
    write_still(media / "B001.dpx", A_CAM.shoot(np.full((90, 160, 3), 0.2)), "10")
    plain = bring_in(production, people["tess"], "B001.dpx", media / "B001.dpx", registered=True)
    for encoding, words in (("", "no encoding yet"), ("S-Log3/S-Gamut3.Cine", "No grid of patches")):
        Shot.objects.filter(pk=plain.pk).update(encoding=encoding)
        said = tess.post(f"/p/kilnlight/shots/{plain.pk}/chart/find/", headers={"Accept": "application/json"})
        assert said.status_code == 422
        assert words in said.json()["error"]


def test_a_file_that_went_away_is_said_on_its_pages(registered, production, as_, media):
    """The page opens, the preview says what is wrong, and the shot keeps its settings."""
    shot, tess = registered["P003.mp4"], as_("tess")
    (media / "P003.mp4").unlink()
    assert tess.get(f"/p/kilnlight/bench/{shot.pk}/").status_code == 200
    answer = tess.post(
        f"/p/kilnlight/bench/{shot.pk}/preview/",
        {"settings": shot.settings.model_dump(mode="json"), "frame": 2},
        content_type="application/json",
        headers={"Accept": "application/json"},
    )
    assert answer.status_code == 422
    assert "P003.mp4: cannot be read" in answer.json()["error"]
    assert tess.get("/p/kilnlight/intake/").status_code == 200
    assert tess.get(f"/p/kilnlight/shots/{shot.pk}/chart/").status_code == 200


def test_shots_from_before_intake_still_open(registered, production, as_):
    """A row as the first version stored it: no facts, no signal, no recognition."""
    shot = registered["A012.dpx"]
    Shot.objects.filter(pk=shot.pk).update(
        facts_json={},
        signal_json={},
        recognition={},
        sidecar={},
        codec="",
        range="full",
        state="settled",
        encoding="S-Log3/S-Gamut3.Cine",
    )
    tess = as_("tess")
    for address in ("intake/", "", f"bench/{shot.pk}/", f"shots/{shot.pk}/chart/"):
        assert tess.get(f"/p/kilnlight/{address}").status_code == 200, address
    assign(create_camera(production, "A-cam"), [Shot.objects.get(pk=shot.pk)])
    assert Shot.objects.get(pk=shot.pk).settled.encoding == "S-Log3/S-Gamut3.Cine"
