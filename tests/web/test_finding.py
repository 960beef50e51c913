"""Finding shots: the same words and menus on every page that lists them; “all” is all that was found."""

from pathlib import Path

import pytest
from django.conf import settings
from django.http import QueryDict

from tests.web.pages import WISH
from upwelling.web.bakes.models import Bake, Package
from upwelling.web.bakes.orders import order_for
from upwelling.web.bakes.services import perform_bake, start_bake
from upwelling.web.common.finding import Choice, finder
from upwelling.web.footage.finding import found, shot_finder
from upwelling.web.footage.listing import with_settled
from upwelling.web.footage.models import Camera, Shot, ShotGroup
from upwelling.web.productions.forms import encoding_choices
from upwelling.web.productions.remarks import write_remark

P = "/p/kilnlight/"
PAGES = ["shots/", "intake/", "wall/", "bakes/cdl/", "match/"]


@pytest.fixture
def shots(shot):
    """Three shots: one of a camera at 10:00:00:00 on reel A001, one of a group in another encoding, one bare."""
    kin = shot.production
    camera = Camera.objects.create(production=kin, name="A-cam")
    group = ShotGroup.objects.create(production=kin, name="Furnace")
    facts = {"camera": camera, "metadata": {"timecode": "10:00:00:00", "reel_name": "A001"}, "rate": 24.0, "frames": 48}
    Shot.objects.filter(pk=shot.pk).update(**facts, name="A012 Gathering")
    for name, more in (("B007 Yard", {"group": group, "encoding": "V-Log/V-Gamut"}), ("S01", {"state": "known"})):
        shot.pk, shot.name = None, name
        shot._state.adding = True
        shot.save()
        Shot.objects.filter(name=name).update(**{"metadata": {}, "camera": None, **more})
    return kin


def names(production, query):
    asked = shot_finder(QueryDict(query), production)
    by = dict(Shot.objects.values_list("pk", "name"))
    return [by[pk] for pk in found(asked, with_settled(production))]


@pytest.mark.parametrize(
    ("query", "expected"),
    [
        ("", ["A012 Gathering", "B007 Yard", "S01"]),
        ("find=gather", ["A012 Gathering"]),
        ("find=a001", ["A012 Gathering"]),
        ("find=a-cam", ["A012 Gathering"]),
        ("find=10:00:01:23", ["A012 Gathering"]),
        ("find=10:00:02:00", []),
        ("find=%00", ["A012 Gathering", "B007 Yard", "S01"]),
        ("camera=none", ["B007 Yard", "S01"]),
        ("group=none", ["A012 Gathering", "S01"]),
        ("encoding=V-Log/V-Gamut", ["B007 Yard"]),
        ("state=known", ["S01"]),
        ("state=no-such", ["A012 Gathering", "B007 Yard", "S01"]),
        ("sort=new", ["S01", "B007 Yard", "A012 Gathering"]),
        ("sort=length&find=ramp", ["A012 Gathering", "B007 Yard", "S01"]),
        ("camera=none&state=known&find=s", ["S01"]),
    ],
)
def test_what_is_asked_for_is_found(shots, query, expected):
    got = names(shots, query)
    assert (got if "sort=length" not in query else got[:1]) == (
        expected if "sort=length" not in query else expected[:1]
    )


def test_a_camera_and_a_group_are_found_by_number(shots):
    assert names(shots, f"camera={Camera.objects.get().pk}") == ["A012 Gathering"]
    assert names(shots, f"group={ShotGroup.objects.get().pk}") == ["B007 Yard"]


@pytest.mark.parametrize("page", PAGES)
def test_every_list_of_shots_asks_in_the_same_way(shots, as_, page):
    said = as_("tess").get(f"{P}{page}?find=yard").content.decode()
    assert 'value="yard"' in said
    assert "Show all" in said
    shown = as_("tess").get(f"{P}{page}?find=nothing+has+this").content.decode()
    assert " is like that" in shown


def test_all_means_all_that_were_found(shots, as_):
    tess, own = as_("tess"), Shot.objects.get(name="S01")
    Shot.objects.filter(production=shots).update(encoding="V-Log/V-Gamut")
    tess.post(f"{P}looks/sheet/give/", {"what": "group", "new_group": "Yards", "all": "on", "find": "yard"})
    assert list(ShotGroup.objects.get(name="Yards").shots.values_list("name", flat=True)) == ["B007 Yard"]
    tess.post(f"{P}bench/{own.pk}/share/give/", {"step": "exposure", "all": "on", "find": "gather", "way": "own"})
    given = [shot.name for shot in Shot.objects.all() if shot.states.exists()]
    assert given == ["A012 Gathering"]


def test_what_is_gone_meanwhile_is_said_and_never_means_everything(shots, as_):
    """A camera that was removed while its shots were listed: “all” is refused, and the list says what it left out."""
    tess, own = as_("tess"), Shot.objects.get(name="S01")
    Shot.objects.filter(production=shots).update(encoding="V-Log/V-Gamut")
    gone = {"all": "on", "camera": "98765"}
    refused = tess.post(f"{P}bench/{own.pk}/share/give/", {**gone, "step": "exposure", "way": "own"})
    assert (refused.status_code, "Reload the page" in refused.content.decode()) == (422, True)
    tess.post(f"{P}looks/sheet/give/", {**gone, "what": "group", "new_group": "Everything"})
    assert not ShotGroup.objects.filter(name="Everything").exists()
    assert "is gone, and leaves nothing out" in tess.get(f"{P}shots/?camera=98765").content.decode()


def test_what_is_no_option_asks_for_nothing_and_the_rest_of_the_address_is_kept():
    made = finder(QueryDict("kind=x&find=%20a%20&step=1&step=2&page=3"), [Choice("kind", "any", [("y", "Y")])], [])
    assert (made.word, made["kind"], made.kept) == ("a", "", (("step", "1"), ("step", "2")))
    assert made.without == "?step=1&step=2"


@pytest.mark.parametrize("page", ["/p/kilnlight/bakes/", "/p/kilnlight/deliveries/", "/queue/"])
def test_what_was_made_is_found_too(shot, as_, people, page):
    """A bake that was made: found by its name and who made it, not by another's; an empty answer says so."""
    made = start_bake(shot, people["tess"], order_for(shot, WISH))
    tess = as_("tess")
    assert tess.get(page).status_code == 200
    assert tess.get(f"{page}?who=tess&since=1&find=kilnlight").status_code == 200
    nothing = tess.get(f"{page}?find=no+such+thing").content.decode()
    assert made.file_name not in nothing


def test_bakes_are_removed_unless_cited_and_their_names_differ(shot, as_, people, production):

    one, two = (start_bake(shot, people["tess"], order_for(shot, WISH)) for _ in range(2))
    assert two.file_name == one.file_name.replace(".cube", "_2.cube")
    assert "is being baked" in remove(as_, two)
    write_remark(production, people["tess"], ("bake", one.pk, one.file_name), "Which monitor?", question=True)
    shown = {
        asked: list(as_("vera").get(f"/p/{production.slug}/bakes/?remark={asked}").context["bakes"])
        for asked in ("any", "open")
    }
    assert shown == {"any": [one], "open": [one]}
    for made in (one, two):
        perform_bake(made.pk)
    folder = Path(settings.FILES) / "bakes" / str(two.pk)
    assert folder.is_dir()
    Package.objects.create(
        production=production, output="x", file="p.zip", file_name="p.zip", contents=[{"file": f"a/{one.file_name}"}]
    )
    assert "is cited by p.zip" in remove(as_, one)
    assert "are removed" in remove(as_, two)
    assert not folder.exists()
    assert list(Bake.objects.all()) == [one]
    page = as_("vera").get("/p/kilnlight/bakes/?find=zzz").content.decode()
    assert "No bake is like that" in page
    assert as_("vera").post(f"/p/kilnlight/bakes/{one.pk}/remove/").status_code == 403


def remove(as_, bake):
    page = as_("tess").post(f"/p/kilnlight/bakes/{bake.pk}/remove/", follow=True)
    return str(list(page.context["messages"])[-1])


def test_lists_say_reel_and_timecode_and_menus_put_what_is_in_use_first(shots, as_):
    page = as_("vera").get(f"{P}intake/?find=gather").content.decode()
    assert "10:00:00:00 · reel A001" in page
    offered = [name for name, _ in encoding_choices("none", shots)]
    assert offered[1] == "S-Log3/S-Gamut3.Cine" or offered[1:3] == sorted(offered[1:3])
    assert set(offered[1:3]) >= {"V-Log/V-Gamut"}
    assert len(offered) == len(set(offered))


def test_frames_are_said_with_their_timecode_where_the_file_has_one(shot):
    assert shot.frame_said(7) == "frame 7"
    shot.metadata, shot.rate = {"timecode": "10:16:04:12"}, 25.0
    assert shot.frame_said(14) == "frame 14 (10:16:05:01)"
    shot.metadata["reel"] = "A012R1"
    assert shot.frame_said(14) == "frame 14 (10:16:05:01, reel A012R1)"


def test_encodings_in_use_come_first_those_of_the_newest_shots_before_the_rest(production, shot):
    production.cameras.create(name="B-cam", encoding="V-Log/V-Gamut")
    Shot.objects.filter(pk=shot.pk).update(encoding="D-Log/D-Gamut")
    named = [value for value, _ in encoding_choices("none", production)]
    assert named[:3] == ["", "D-Log/D-Gamut", "V-Log/V-Gamut"]
    assert len(named) == len(set(named))


def test_the_bench_says_the_reel_of_a_movie(shot, as_):
    Shot.objects.filter(pk=shot.pk).update(metadata={"reel": "A012R1"})
    still = as_("vera").get(f"/p/kilnlight/bench/{shot.pk}/").content.decode()
    assert "Reel, as the file says it" not in still  # it has one frame, and its list says the reel
    Shot.objects.filter(pk=shot.pk).update(frames=5)
    assert ">A012R1</span>" in as_("vera").get(f"/p/kilnlight/bench/{shot.pk}/").content.decode()
