"""Bakes: set-up, the work in the background, certificates, receivers, tolerances, packages, and what a crash leaves."""

import json
import re

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext

from tests.web.pages import PROGRAM, WISH, read
from upwelling.cli.main import main
from upwelling.core.bake import RECEIVERS
from upwelling.core.lut.formats.cdl import parse_cdl
from upwelling.core.lut.formats.edl import parse_edl
from upwelling.core.steps import Exposure, Saturation, SlopeOffsetPower
from upwelling.web.bakes import services, setup_views
from upwelling.web.bakes.cdl_views import row_of
from upwelling.web.bakes.models import Bake
from upwelling.web.bakes.orders import order_for
from upwelling.web.bakes.services import define_receiver
from upwelling.web.footage.history import apply_settings
from upwelling.web.footage.look_services import create_look, give_to_all
from upwelling.web.footage.models import Shot
from upwelling.web.footage.shot_settings import ShotSettings
from upwelling.web.jobs.models import Job
from upwelling.web.productions.models import Production

NO_CAMERA = "No camera, S-Log3/S-Gamut3.Cine"


def cdl_page(client):
    """The page when its numbers are worked out, as its script has them; the first time it is there without."""
    address = "/p/kilnlight/bakes/cdl/"
    for shot in re.findall(r'data-pending="(\d+)"', client.get(address).content.decode()):
        assert client.post(f"{address}measure/", {"shot": int(shot)}, "application/json").status_code == 200
    page = client.get(address).content.decode()
    assert "being worked out …" not in page
    return page


def files_of(bake, client, folder):
    """The files a person downloads, in one folder."""
    for address, name in (("lut/", bake.file_name), ("frames/", bake.file_name + ".frames.png")):
        (folder / name).write_bytes(b"".join(client.get(f"/p/kilnlight/bakes/{bake.pk}/{address}").streaming_content))
    (folder / f"{bake.file_name}.certificate.json").write_bytes(
        client.get(f"/p/kilnlight/bakes/{bake.pk}/certificate.json").content
    )
    return folder / bake.file_name


@pytest.mark.slow
def test_a_bake_from_button_to_proof_from_the_files_alone(baked, as_, tmp_path, capsys):
    bake = baked()
    assert bake.job.state == Job.State.DONE
    assert bake.file_name == "ramp_BT.709-BT.1886_17.cube"
    table = files_of(bake, as_("vera"), tmp_path)
    report = json.loads((tmp_path / f"{bake.file_name}.certificate.json").read_text())
    assert main(["verify", str(table), "--json"]) in (0, 1)
    again = json.loads(capsys.readouterr().out)
    assert {**again, "made": ""} == {**report, "made": ""}
    assert again["frames"][0]["name"] == "ramp"
    table.write_bytes(table.read_bytes().replace(b"0.5", b"0.6", 1))
    assert main(["verify", str(table)]) == 1
    assert "not the one its certificate was made for" in capsys.readouterr().err
    (tmp_path / "r.json").write_bytes(as_("vera").get(f"/p/kilnlight/bakes/{bake.pk}/recipe.json").content)
    assert main(["bake", str(tmp_path / "again.cube"), "--recipe", str(tmp_path / "r.json"), "--size", "17"]) == 0
    rows = [
        [line for line in place.read_text().splitlines() if line[:1].isdigit()]
        for place in (bake.disk_path, tmp_path / "again.cube")
    ]
    assert rows[0] == rows[1]


@pytest.mark.slow
def test_certificate_page(baked, as_):
    bake = baked()
    page = as_("vera").get(f"/p/kilnlight/bakes/{bake.pk}/").content.decode()
    for words in (
        "stratified",
        "neutral axis",
        "frame: ramp",
        "worst place, hunted",
        bake.fingerprint,
        bake.certificate.lut_sha256,
        "Banding",
        "upwelling verify",
        PROGRAM,
    ):
        assert words in page, words
    assert page.count("<figure>") == 8


@pytest.mark.slow
@pytest.mark.parametrize(
    "wish",
    [
        {"start": "camera", "end": "input", "format": "clf"},
        {"start": "trim"},
        {"start": "look", "end": "look", "dimensions": "1", "size": "1024"},
        {"receiver": RECEIVERS[0].name, "size": "33"},
        {"receiver": "Player", "format": "hald", "size": "64"},
        {"output": "BT.709 BT.1886", "carrier": "S-Log3/S-Gamut3", "end": "trim"},
        {"format": "clf", "shaper": "adapted"},
        {"entries": "fitted"},
    ],
)
def test_every_kind_of_table_is_baked_and_drawn(baked, as_, wish):
    bake = baked(yes="on", **wish)
    assert bake.certificate is not None, bake.job.message
    assert bake.bake_order.section.start == wish.get("start", "camera")
    assert as_("vera").get(f"/p/kilnlight/bakes/{bake.pk}/").status_code == 200


def test_set_up_page_says_what_is_left_out(shot, as_, people):
    vera = as_("vera")
    page = read(vera.get(f"/p/kilnlight/bakes/of/{shot.pk}/"))
    assert "begins here: camera code" in page
    assert "Bake and verify" not in page

    def ask(**wish):
        return vera.post(
            f"/p/kilnlight/bakes/of/{shot.pk}/check/",
            {**WISH, **wish},
            content_type="application/json",
            headers={"accept": "application/json"},
        ).json()

    assert ask()["lost"] == []
    assert ask()["takes"] == "S-Log3/S-Gamut3.Cine code, full range"
    lost = ask(dimensions="1", size="1024")["lost"]
    assert lost[0]["name"] == "Mixing between channels"
    assert lost[0]["matters"]
    answer = as_("tess").post(f"/p/kilnlight/bakes/of/{shot.pk}/start/", {**WISH, "dimensions": "1", "size": "1024"})
    assert answer.status_code == 422
    assert "Tick “Leave it out”" in answer.content.decode()
    assert not Bake.objects.exists()


@pytest.mark.slow
def test_steps_left_out_need_a_yes_and_stay_with_the_bake(baked, shot, people, monkeypatch):
    apply_settings(shot, people["tess"], ShotSettings().with_steps([Saturation(amount=0.3)]), version=0, label="x")
    monkeypatch.setattr(Saturation, "fits_in_lut", False)
    step = next(s for s in shot.__class__.objects.get(pk=shot.pk).settings.steps if s.kind == "saturation").id
    bake = baked(yes="on")
    assert bake.bake_order.left_out == (step,)
    assert not bake.is_stale
    with pytest.raises(AssertionError, match="Tick"):
        baked()


@pytest.mark.slow
def test_the_smallest_that_holds(shot, as_, baked):
    """Candidates come line by line; what is chosen at last is baked as it was tried, its shaper's density with it."""
    define_receiver(
        shot.production, None, {"name": "Small", "formats": ["clf"], "grids": [9, 17], "most_entries": 65536}
    )
    for wish, sizes in (({"receiver": RECEIVERS[0].name}, [17, 33]), ({"format": "clf", "receiver": "Small"}, [9, 17])):
        answer = as_("tess").post(
            f"/p/kilnlight/bakes/of/{shot.pk}/smallest/",
            {**WISH, **wish},
            content_type="application/json",
            headers={"accept": "application/json"},
        )
        lines = [json.loads(line) for line in b"".join(answer.streaming_content).splitlines()]
        rows = [line["row"] for line in lines if line.get("row")]
        assert list(dict.fromkeys(row["size"] for row in rows)) == sizes
        assert ("shaper" in {row["mark"] for row in rows}) == ("format" in wish)
        assert [line["done"] for line in lines] == sorted(line["done"] for line in lines)
        end = lines[-1]
        assert f"{end['wish']['size']}³" in end["said"]
        assert rows[end["chosen"]]["size"] == int(end["wish"]["size"])
    assert order_for(shot, {**WISH, "format": "clf", "shaper": "adapted", "density": "1,2.5,1"}).density == (1, 2.5, 1)
    assert "fitted shaper" in baked(format="clf", shaper="adapted", density="1,2.5,1").summary
    for wrong, words in (("1,x", "should be numbers"), ("-1,2", "greater than 0"), ("1", "two parts")):
        answer = as_("tess").post(
            f"/p/kilnlight/bakes/of/{shot.pk}/start/", {**WISH, "format": "clf", "shaper": "adapted", "density": wrong}
        )
        assert (answer.status_code, words in answer.content.decode()) == (422, True)


@pytest.mark.slow
def test_stale_only_when_what_the_table_holds_moves(baked, shot, people):
    whole, working = baked(), baked(end="input")
    assert not whole.is_stale
    apply_settings(shot, people["tess"], ShotSettings().with_steps([Exposure(stops=0.5)]), version=0, label="exposure")
    assert [Bake.objects.get(pk=b.pk).is_stale for b in (whole, working)] == [True, False]
    look = create_look(shot.production, people["tess"], "Warm", [SlopeOffsetPower(saturation=0.8)])
    rendering = baked(start="rendering")
    give_to_all(shot.production, look, 1.0)
    assert not Bake.objects.get(pk=rendering.pk).is_stale


@pytest.mark.slow
def test_the_lists_queries_do_not_grow_with_bakes(baked, shot, as_):
    bake, client, counts = baked(), as_("vera"), []
    client.get("/p/kilnlight/bakes/")
    for number in range(0, 7, 6):
        for one in range(number):
            Bake.objects.create(
                production=bake.production,
                shot=shot,
                shot_name="ramp",
                order=bake.order,
                fingerprint=bake.fingerprint,
                size=17,
                file_name=f"{one}.cube",
                certificate_json=bake.certificate_json,
                verdict=bake.verdict,
            )
        with CaptureQueriesContext(connection) as captured:
            assert client.get("/p/kilnlight/bakes/").content.count(b">Certificate<") == 1 + number
        counts.append(len(captured))
    assert counts[0] == counts[1]


@pytest.mark.slow
def test_a_cameras_path_and_a_look_alone(baked, shot, people, as_):
    """Without the trim a bake is stale only when the rest moves; a Look is baked whether or not it is given to the
    shot.
    """
    look = create_look(shot.production, people["tess"], "Warm", [SlopeOffsetPower(slope=(1.1, 1, 0.9))])
    bare, alone = baked(trim="without"), baked(start="look", end="look", look=str(look.pk), format="clf", size="33")
    apply_settings(shot, people["tess"], ShotSettings().with_steps([Exposure(stops=0.5)]), version=0, label="exposure")
    assert [Bake.objects.get(pk=b.pk).is_stale for b in (bare, alone)] == [False, False]
    assert alone.bake_order.path.layer("look").name == "Warm"
    assert "Warm_ACEScct_to_ACEScct_" in alone.file_name
    assert alone.certificate.grid is None
    page = as_("tess").get(f"/p/kilnlight/bakes/of/{shot.pk}/?look={look.pk}").content.decode()
    assert '"start": "look"' in page
    answer = as_("tess").post(f"/p/kilnlight/bakes/of/{shot.pk}/start/", {**WISH, "look": "999"})
    assert "no longer in this production" in answer.content.decode()


@pytest.mark.slow
def test_bake_again_and_test_again(baked, shot, as_, people, django_capture_on_commit_callbacks):
    bake = baked()
    apply_settings(shot, people["tess"], ShotSettings().with_steps([Exposure(stops=0.5)]), version=0, label="exposure")
    with django_capture_on_commit_callbacks(execute=True):
        as_("tess").post(f"/p/kilnlight/bakes/{bake.pk}/again/", {"what": "bake"})
    fresh = Bake.objects.latest("pk")
    assert fresh.fingerprint != bake.fingerprint
    assert not fresh.is_stale
    as_("tess").post(
        "/p/kilnlight/bakes/tolerances/", {name: "0,001" for name, _, _ in bake.production.rule_set.tolerances.rows()}
    )
    assert (
        "tested again: it does not hold"
        in as_("tess").post(f"/p/kilnlight/bakes/{fresh.pk}/again/", {"what": "verify"}, follow=True).content.decode()
    )
    assert Bake.objects.get(pk=fresh.pk).verdict == "does not hold"
    fresh.disk_path.write_text(fresh.disk_path.read_text()[:5000])
    answer = as_("tess").post(f"/p/kilnlight/bakes/{fresh.pk}/again/", {"what": "verify"})
    assert answer.status_code == 422
    assert "cut short" in answer.content.decode()


def test_cdl_and_edit_list_of_the_trims(shot, as_, people):
    apply_settings(
        shot,
        people["tess"],
        ShotSettings().with_steps([SlopeOffsetPower(slope=(1.1, 1, 0.9), saturation=0.8), Exposure(stops=1)]),
        version=0,
        label="x",
    )
    vera = as_("vera")
    page = cdl_page(vera)
    assert "Exposure" in page
    assert "ΔE 2000" in page
    file = f"/p/kilnlight/bakes/cdl/file/?shot={shot.pk}&ending="
    answer = vera.get(f"{file}.ccc&say=part").content
    assert parse_cdl(answer)[0].cdl.slope == (1.1, 1, 0.9)
    assert "Leaves out Exposure" in answer.decode()
    assert parse_edl(vera.get(f"{file}.edl&say=part").content)[0].cdl.saturation == 0.8
    # A stop after slope and saturation is an offset more in log, nearly: the nearest CDL costs a fraction.
    nearest = vera.get(f"{file}.ccc").content
    assert "Comes nearest to the whole, which has Exposure" in nearest.decode()
    costs = [row_of(Shot.objects.get(), nearest=one).p99 for one in (True, False)]
    assert costs[0] < 0.2 * costs[1]
    assert parse_cdl(vera.get(f"/p/kilnlight/bakes/cdl/file/?ending=.cc&shot={shot.pk}").content)[0].name == "ramp"
    for query in ("ending=.ccc", f"ending=.xml&shot={shot.pk}"):
        assert vera.get(f"/p/kilnlight/bakes/cdl/file/?{query}").status_code == 422


@pytest.mark.slow
def test_numbers_of_an_earlier_version_are_said(baked, as_):
    """A production, a bake and a certificate from before the rendering's numbers changed say so; the settings stay."""
    bake = baked()
    production, settings = bake.production, bake.shot.settings
    assert not production.changed_numbers
    assert not bake.is_stale
    Production.objects.filter(pk=production.pk).update(arithmetic=2)
    Bake.objects.filter(pk=bake.pk).update(fingerprint="0" * 64)
    tess = as_("tess")
    assert (
        "An update changed this production’s numbers: the default rendering"
        in tess.get(f"/p/{production.slug}/").content.decode()
    )
    assert "the rendering’s numbers changed, bake it again" in tess.get(f"/p/{production.slug}/bakes/").content.decode()
    assert (
        "an update changed the numbers of the rendering"
        in tess.get(f"/p/{production.slug}/bakes/{bake.pk}/").content.decode()
    )
    assert as_("vera").post(f"/p/{production.slug}/numbers-seen/").status_code == 403
    assert tess.post(f"/p/{production.slug}/numbers-seen/").status_code == 302
    assert "An update changed" not in tess.get(f"/p/{production.slug}/").content.decode()
    assert Bake.objects.get(pk=bake.pk).shot.settings == settings


def test_trying_every_grid_has_a_lane_of_its_own(shot, as_, people, monkeypatch):
    """One for each person, two in all, technicians only; a page that goes away gives its place back."""
    address = f"/p/kilnlight/bakes/of/{shot.pk}/smallest/"
    json_of = {"content_type": "application/json", "headers": {"Accept": "application/json"}}
    monkeypatch.setattr(setup_views, "_tried_lines", lambda *_: iter(["1\n", "2\n", "3\n"]))
    for name in ("olaf", "vera"):
        shot.production.members.update_or_create(user=people[name], defaults={"role": "technician"})
    first = as_("tess").post(address, WISH, **json_of)
    lines = iter(first.streaming_content)
    assert next(lines) == b"1\n"
    again = as_("tess").post(address, WISH, **json_of)  # who asks again gives up what they had under way
    assert list(lines) == []
    assert b"".join(again.streaming_content) == b"1\n2\n3\n"
    lines = iter(as_("tess").post(address, WISH, **json_of).streaming_content)
    assert next(lines) == b"1\n"
    second = as_("vera").post(address, WISH, **json_of)
    full = as_("olaf").post(address, WISH, **json_of)
    assert (full.status_code, "Try again in a moment" in full.json()["error"]) == (429, True)
    [close() for close in second._resource_closers]  # the page went away
    third = as_("olaf").post(address, WISH, **json_of)
    assert b"".join(third.streaming_content) == b"1\n2\n3\n"
    assert list(lines) == [b"2\n", b"3\n"]
    assert not setup_views.LANE._held
    shot.production.members.filter(user=people["vera"]).update(role="viewer")
    assert as_("vera").post(address, WISH, **json_of).status_code == 403


@pytest.mark.slow
def test_a_missing_footage_file_costs_its_own_line(shot, as_, people, production):
    apply_settings(shot, people["tess"], ShotSettings().with_steps([Exposure(stops=1)]), version=0, label="x")
    other = Shot.objects.get(pk=shot.pk)
    other.pk, other._state.adding, other.name, other.file, other.sha256 = (
        None,
        True,
        "gone",
        "footage/gone.dpx",
        "0" * 64,
    )
    other.version = other.position = 0
    other.save()
    apply_settings(other, people["tess"], ShotSettings().with_steps([Exposure(stops=2)]), version=0, label="x")
    tess = as_("tess")
    page = cdl_page(tess)
    assert "▲ not known: gone" in page or "▲ not known" in page
    text = tess.get(f"/p/kilnlight/bakes/cdl/file/?ending=.ccc&shot={shot.pk}&shot={other.pk}").content.decode()
    assert text.count("<ColorCorrection ") == 2
    assert "at a cost that is not known" in text
    for address in ("", "intake/", "looks/", "wall/", "bakes/", f"bakes/of/{shot.pk}/", "outputs/"):
        assert tess.get(f"/p/kilnlight/{address}").status_code == 200, address
    made = services.start_bake(shot, people["tess"], order_for(shot, WISH))
    services.perform_bake(made.pk)
    made.job.refresh_from_db()
    assert made.job.state == Job.State.DONE, made.job.message


def test_tolerances_are_set_by_use_and_shown(shot, as_):
    tess = as_("tess")
    page = tess.get("/p/kilnlight/bakes/").content.decode()
    assert "● dailies" in page
    assert page.count("<rect") == 24
    tess.post("/p/kilnlight/bakes/tolerances/", {"use": "mastering"})
    rules = Shot.objects.get().production.rule_set
    assert (rules.tolerances.picture_p99, rules.hdr_tolerances.picture_p99) == (0.5, 1.0)
    assert "● mastering" in tess.get("/p/kilnlight/bakes/").content.decode()
    assert as_("vera").post("/p/kilnlight/bakes/tolerances/", {"use": "dailies"}).status_code == 403
