"""A showing: made, opened by its link and by nothing else, looked at, answered, withdrawn."""

import datetime
import html
import io
import json
import re

import av
import cv2
import numpy as np
import pytest
from django.test import Client
from django.urls import get_resolver, reverse
from django.utils import timezone
from PIL import Image

from upwelling.core.delivery.shown import screen_path
from upwelling.core.media.movie_write import write_movie
from upwelling.core.operations import Place
from upwelling.core.operations.exact import exact
from upwelling.core.steps import Exposure
from upwelling.web.common.requests import Refused
from upwelling.web.cuts.services import bring_in_cut
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.history import apply_settings, set_mark
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_at
from upwelling.web.footage.shots import bring_in
from upwelling.web.jobs.models import Task
from upwelling.web.jobs.work import run
from upwelling.web.productions.models import Production
from upwelling.web.productions.remarks import Remark, allowed
from upwelling.web.showings.models import Showing, ShownState, Visitor
from upwelling.web.showings.services import Asked, Terms, chain, give_until, make_showing, of_cut, withdraw

HERE = "/p/kilnlight/showings/"
SOON = timezone.now() + datetime.timedelta(days=5)


def terms(**other):
    return Terms(**{"name": "Rough cut", "note": "", "output": "BT.709 BT.1886", "ends": SOON, "movie": False, **other})


def work():
    for task in Task.objects.all():
        run(task.pk)
        task.delete()


@pytest.fixture
def shown(shot, people):
    """A showing of the shot, its stills made."""

    def make(**other):
        made = make_showing(shot.production, people["tess"], terms(**other), [Asked(shot, shot.frame)])
        work()
        return made

    return make


def guest(showing, name="Ada", **more):
    client = Client()
    answer = client.post(f"{showing.address}enter/", {"name": name, **more})
    assert answer.status_code == 302, answer.content
    return client


def data_of(client, showing):
    page = client.get(showing.address).content.decode()
    return json.loads(html.unescape(re.search(r'data-showing="([^"]*)"', page)[1]))


def say(client, showing, **body):
    answer = client.post(
        f"{showing.address}remarks/", json.dumps(body), content_type="application/json",
        headers={"Accept": "application/json"},
    )  # fmt: skip
    return answer.status_code, answer.json()


def write(client, showing, **more):
    item = showing.items.get()
    body = {"what": "write", "item": item.pk, "state": item.states.first().pk, "text": "Warmer?"}
    return say(client, showing, **body | more)


def test_it_is_made_on_its_page_and_looked_at_without_an_account(shot, as_, people):
    tess = as_("tess")
    mark = set_mark(shot, people["tess"], "Cold", shot.settings)
    brighter(shot, people, 0.5)
    shot = Shot.objects.get()
    assert b"no Marks" not in tess.get(f"{HERE}new/?shot={shot.pk}").content
    sent = {
        "shot": shot.pk, f"frames-{shot.pk}": "0", f"mark-{shot.pk}": mark.pk, "name": "To the client", "before": "on",
        "ends": f"{SOON:%Y-%m-%d}", "output": "BT.709 BT.1886", "remarks": "on", "after": "",
    }  # fmt: skip
    answer = tess.post(f"{HERE}new/", sent)
    showing = Showing.objects.get()
    assert answer["Location"] == f"{HERE}{showing.pk}/"
    work()
    assert tess.get(f"{HERE}{showing.pk}/state/").json() == {
        "said": "3 of 3 stills made, each pixel within 0.50 codes of the exact path",
        "problems": [], "over": True, "movies": 0, "waiting": 0,
    }  # fmt: skip
    client = guest(showing)
    (item,) = data_of(client, showing)["items"]
    assert [one["name"] for one in item["states"]] == ["Now", "Cold", "As it came"]
    seen = client.get(item["states"][0]["picture"])
    codes = cv2.imdecode(np.frombuffer(seen.getvalue(), np.uint8), cv2.IMREAD_UNCHANGED)[..., ::-1]
    path = screen_path(path_at(shot))
    exactly = exact(path.operations(), frame_of(shot).still.code.astype(float), Place.whole(shot.width, shot.height))
    assert np.abs(codes - 255 * np.clip(exactly, 0, 1)).max() <= 0.502
    assert Image.open(io.BytesIO(client.get(item["states"][0]["small"]).getvalue())).width <= shot.width
    listed = as_("vera").get(HERE).content.decode()
    assert "To the client" in listed
    assert "Show something" not in listed
    assert "Ada" in as_("vera").get(f"{HERE}{showing.pk}/").content.decode()


def test_it_stays_as_it_was_when_the_shot_moves_on(shot, shown, people):
    showing = shown()
    client = guest(showing)
    address = data_of(client, showing)["items"][0]["states"][0]["picture"]
    before = client.get(address).getvalue()
    brighter(shot, people, 2.0)
    assert client.get(address).getvalue() == before
    assert write(client, showing, name="Ada")[0] == 200
    remark = Remark.objects.get()
    assert remark.seen == showing.items.get().states.first().seen[:12]
    assert not path_at(Shot.objects.get()).fingerprint.startswith(remark.seen)


def brighter(shot, people, stops):
    fresh = Shot.objects.get(pk=shot.pk)
    settings = fresh.settings.model_copy(update={"steps": (Exposure(stops=stops, id="a"),)})
    apply_settings(fresh, people["tess"], settings, version=fresh.version, label="Exposure")


@pytest.mark.parametrize(
    ("other", "words"),
    [
        ({"name": ""}, "needs a name"),
        ({"output": "Nowhere"}, "no output of this production"),
        ({"ends": timezone.now() - datetime.timedelta(days=1)}, "a day to come"),
        ({"ends": timezone.now() + datetime.timedelta(days=900)}, "within a year"),
        ({"phrase": "abc"}, "at least 6"),
    ],
)
def test_what_no_showing_can_be_is_refused_in_words(shot, people, other, words):
    with pytest.raises(Refused, match=words):
        make_showing(shot.production, people["tess"], terms(**other), [Asked(shot, 0)])
    assert not Showing.objects.exists()


def test_of_an_unsettled_shot_its_numbers_are_shown_and_said_to_be_no_more(shot, people):
    Shot.objects.filter(pk=shot.pk).update(encoding="")
    fresh = Shot.objects.get(pk=shot.pk)
    showing = make_showing(fresh.production, people["tess"], terms(before=True), [Asked(fresh, 0)])
    work()
    client = guest(showing)
    (item,) = data_of(client, showing)["items"]
    assert ("shown as they are" in item["note"], len(item["states"])) == (True, 1)
    seen = cv2.imdecode(np.frombuffer(client.get(item["states"][0]["picture"]).getvalue(), np.uint8), 1)[..., ::-1]
    assert np.abs(seen - 255 * frame_of(fresh).still.code).max() <= 0.502


@pytest.mark.parametrize(("sent", "words"), [("900", "has frames"), ("x", "has frames")])
def test_a_frame_that_is_not_there_is_refused_and_what_was_typed_stays(shot, as_, sent, words):
    typed = {"shot": shot.pk, f"frames-{shot.pk}": sent, "name": "Kept words", "ends": f"{SOON:%Y-%m-%d}"}
    page = as_("tess").post(f"{HERE}new/", typed).content.decode()
    assert words in page
    assert 'value="Kept words"' in page
    assert not Showing.objects.exists()


def test_a_pass_phrase_is_asked_and_not_guessed(shown):
    showing = shown(phrase="copper kiln")
    assert "copper" not in Showing.objects.get().phrase
    client = Client()
    assert "Pass phrase" in client.get(showing.address).content.decode()
    for _ in range(8):
        answer = client.post(f"{showing.address}enter/", {"phrase": "wrong one", "name": "Eve"})
        assert (answer.status_code, b"not the pass phrase" in answer.content) == (403, True)
    shut = client.post(f"{showing.address}enter/", {"phrase": "copper kiln", "name": "Eve"})
    assert b"wrong too often" in shut.content
    assert not Visitor.objects.exists()
    Showing.objects.update(closed_until=timezone.now())
    assert data_of(guest(showing, phrase="copper kiln"), showing)["items"]


def addresses_of(showing):
    state = ShownState.objects.filter(item__showing=showing).first()
    return [
        showing.address, *(f"{showing.address}{part}/" for part in ("strip", "remarks", f"picture/{state.pk}/main")),
    ]  # fmt: skip


def test_without_coming_in_nothing_is_handed_out(shown):
    showing = shown()
    for address in addresses_of(showing)[1:]:
        assert Client().get(address).status_code == 403


@pytest.mark.parametrize("end", ["withdrawn", "over", "archived"])
def test_what_is_over_opens_nothing_not_even_to_who_was_in(shown, end, production):
    showing = shown()
    client = guest(showing)
    assert [client.get(address).status_code for address in addresses_of(showing)] == [200] * 4
    if end == "withdrawn":
        withdraw(showing)
    elif end == "over":
        Showing.objects.update(ends=timezone.now())
    else:
        Production.objects.update(archived=timezone.now())
    for address in addresses_of(showing):
        answer = client.get(address)
        assert (answer.status_code, b"is over" in answer.content) == (410, True)
    if end != "archived":
        give_until(showing, SOON)
        assert client.get(showing.address).status_code == 200


def test_a_link_that_nobody_signed_opens_nothing(shown):
    showing = shown()
    key, signature = showing.token.rsplit(":", 1)
    for token in (key, f"{key}:{'A' * len(signature)}", f"{key}x:{signature}", "x", f"{showing.pk}"):
        answer = Client().get(f"/showing/{token}/")
        assert (answer.status_code, b"Copy the whole link" in answer.content) == (404, True)


def test_a_guest_finds_nothing_else_of_the_server(shown, production, shot):
    """Every address of the application, with every cookie that a showing gives, by every method."""
    showing, other = shown(), shown(name="Other", phrase="copper kiln")
    client = guest(showing)
    state = ShownState.objects.filter(item__showing=other).first()
    mine = f"/showing/{showing.token}/"
    asked = 0
    for pattern in (p for r in get_resolver().url_patterns for p in getattr(r, "url_patterns", [r])):
        access = pattern.callback.access
        if access.who == "anybody":
            continue
        given = {"slug": "kilnlight", "token": other.token, "kind": "main", "pk": shot.pk}
        named = {name: given.get(name, 1) for name in pattern.pattern.regex.groupindex}
        address = reverse(pattern.name, kwargs=named)
        for method in ("get", "post", "put", "delete", "head"):
            answer = getattr(client, method)(address)
            asked += 1
            if access.who == "guests":
                door = address == other.address and method == "get"
                assert answer.status_code in ({200} if door else {403, 405}), (address, method, answer.status_code)
            else:
                assert answer.status_code == 302, (address, method)
                assert answer["Location"].startswith("/sign-in/")
    assert asked > 500
    assert client.get(f"{mine}picture/{state.pk}/main/").status_code == 404, "a picture of another showing"
    assert client.get(f"{mine}picture/{showing.items.get().states.first().pk}/../main/").status_code == 404
    cookies = {name: morsel["path"] for name, morsel in client.cookies.items() if name.startswith("showing")}
    assert cookies == {f"showing-{showing.pk}": showing.address}
    assert "sessionid" not in client.cookies


def test_a_cookie_of_one_showing_is_none_of_another(shown):
    one, two = shown(), shown(name="Two")
    stranger = Client()
    stranger.cookies[f"showing-{two.pk}"] = guest(one).cookies[f"showing-{one.pk}"].value
    assert b"You are asked" in stranger.get(two.address).content


def test_remarks_of_guests_are_answered_and_ticked_off(shown, shot, as_, people):
    showing = shown()
    ada, bo = guest(showing), guest(showing, "Bo")
    outline = {"kind": "outline", "points": [[0.1, 0.2], [0.4, 0.2], [0.3, 0.6]]}
    status, told = write(ada, showing, name="Ada", place=outline)
    assert status == 200
    assert told["remarks"][0]["place"]["points"] == outline["points"]
    assert (told["remarks"][0]["may"], told["remarks"][0]["state"]) == (["tick", "remove"], "open")
    remark = Remark.objects.get()
    assert (remark.guest, remark.kind, remark.number, remark.frame) == ("Ada", "shot", shot.pk, shot.frame)
    assert say(bo, showing, what="tick", remark=remark.pk, name="Bo") == (
        422,
        {"error": "Who asked for it ticks it off."},
    )
    listed = as_("tess").get(f"/p/kilnlight/bench/{shot.pk}/remarks/").json()["remarks"][0]
    assert (listed["who"].startswith("Ada (guest)"), listed["may"]) == (True, ["answered", "remove"])
    brighter(shot, people, 1.0)
    tess = as_("tess")
    bench = f"/p/kilnlight/bench/{shot.pk}/remarks/"
    tess.post(bench, {"what": "reply", "remark": remark.pk, "text": "Done."}, content_type="application/json")
    tess.post(bench, {"what": "answered", "remark": remark.pk}, content_type="application/json")
    told = say(bo, showing, what="reply", remark=remark.pk, text="Thanks", name="Bo")[1]["remarks"][0]
    assert [row["who"] for row in told["replies"]] == ["tess", "Bo (guest)"]
    assert "Exposure" in told["answered"]
    told = say(ada, showing, what="tick", remark=remark.pk, name="Ada")[1]["remarks"][0]
    assert told["state"] == "done"
    record = as_("vera").get("/p/kilnlight/record/").content.decode()
    assert "showing opened by a guest" in record
    assert "remark written by a guest" in record
    assert "Ada (guest)" in as_("vera").get("/p/kilnlight/remarks/").content.decode()
    report = as_("vera").get("/p/kilnlight/handover/file/").content.decode()
    assert "Ada (guest)" in report
    assert "Rough cut</b> for BT.709 BT.1886" in report


def test_who_asked_ticks_off_until_the_showing_is_over(shown, people):
    showing = shown()
    write(guest(showing), showing, name="Ada")
    assert "tick" not in allowed(Remark.objects.get(), people["tess"], changes=True)
    withdraw(showing)
    assert "tick" in allowed(Remark.objects.get(), people["tess"], changes=True)
    give_until(showing, SOON)
    assert "tick" not in allowed(Remark.objects.get(), people["tess"], changes=True)


@pytest.mark.parametrize(
    ("body", "words"),
    [
        ({"text": "  "}, "needs words"),
        ({"text": "x" * 2001}, "may have 2000"),
        ({"place": {"kind": "outline", "points": [[0, 0], [1, 1]]}}, "3 to 400 points"),
        ({"place": {"kind": "outline", "points": [[0, 0], [2, 1], [1, 1]]}}, "outside the picture"),
        ({"place": {"kind": "outline", "points": [[0, 0], "x", [1, 1]]}}, "3 to 400 points"),
        ({"place": {"kind": "circle"}}, "outside the picture"),
        ({"name": ""}, "Say your name"),
        ({"item": 987654}, "no longer part"),
        ({"item": "x"}, "not a whole number"),
        ({"what": "tick", "remark": 5}, "no longer there"),
    ],
)
def test_what_a_guest_cannot_say_is_refused_in_words(shown, body, words):
    showing = shown()
    client = guest(showing, "")
    status, told = (
        say(client, showing, name="Ada", **body)
        if "what" in body
        else write(client, showing, **{"name": "Ada", **body})
    )
    assert (status, words in told["error"]) == (422, True), told
    assert not Remark.objects.exists()


def test_one_to_be_looked_at_takes_no_remarks_and_saves_nothing(shown):
    showing = shown(remarks=False)
    client = guest(showing, "")
    page = client.get(showing.address).content.decode()
    assert "Say something" not in page
    assert "Save the still" not in page
    assert write(client, showing, name="Ada")[0] == 422
    picture = data_of(client, showing)["items"][0]["states"][0]["picture"]
    assert "attachment" not in client.get(f"{picture}?save=1")["Content-Disposition"]
    free = shown(downloads=True)
    client = guest(free)
    picture = data_of(client, free)["items"][0]["states"][0]["picture"]
    assert client.get(f"{picture}?save=1")["Content-Disposition"].startswith("attachment")


def test_a_showing_after_another_says_what_was_changed_and_keeps_what_is_open(shown, shot, people):
    first = shown()
    ada = guest(first)
    write(ada, first, name="Ada")
    write(ada, first, name="Ada")
    say(ada, first, what="tick", remark=Remark.objects.last().pk, name="Ada")
    brighter(shot, people, 1.0)
    shot.refresh_from_db()
    fresh = Shot.objects.get(pk=shot.pk)
    second = make_showing(
        fresh.production, people["tess"], terms(name="Second", after=first), [Asked(fresh, fresh.frame)]
    )
    work()
    bo = guest(second, "Bo")
    (item,) = data_of(bo, second)["items"]
    assert [one["name"] for one in item["states"]] == ["Now", "Rough cut"]
    assert item["changes"] == ["With Exposure: Exposure +1.00"]
    before, now = (bo.get(item["states"][at]["picture"]).getvalue() for at in (1, 0))
    assert before == ada.get(data_of(ada, first)["items"][0]["states"][0]["picture"]).getvalue() != now
    (carried,) = bo.get(f"{second.address}remarks/").json()["remarks"]
    assert (carried["carried"], carried["item"], carried["may"]) == ("Rough cut", item["pk"], [])
    third = make_showing(
        fresh.production, people["tess"], terms(name="Third", after=second), [Asked(fresh, fresh.frame)]
    )
    assert (third.items.get().changes, chain(third)) == ([], [third, second, first])


def test_hdr_comes_with_an_sdr_picture_for_screens_that_have_none(shot, people, as_):
    tess = as_("tess")
    assert tess.post("/p/kilnlight/outputs/", {"what": "deliver", "output": "BT.2100 PQ 1000"}).status_code in (
        200,
        302,
    )
    fresh = Shot.objects.get(pk=shot.pk)
    from upwelling.web.productions.deliveries import deliver

    deliver(fresh.production, "BT.2100 PQ 1000")
    fresh = Shot.objects.get(pk=shot.pk)
    showing = make_showing(fresh.production, people["tess"], terms(output="BT.2100 PQ 1000"), [Asked(fresh, 0)])
    work()
    client = guest(showing)
    (state,) = data_of(client, showing)["items"][0]["states"]
    hdr, sdr = (client.get(state[kind]).getvalue() for kind in ("hdr", "picture"))
    assert b"cICP\x09\x10\x00\x01" in hdr
    assert b"cICP\x01\x0d\x00\x01" in sdr
    page = client.get(showing.address).content.decode()
    assert "shows no HDR, so you see how it is finished for <b>BT.709 BT.1886</b>" in page


def test_removed_it_leaves_what_was_said_and_no_files(shown, as_):
    from upwelling.web.showings.leftovers import shown_pictures

    showing = shown()
    write(guest(showing), showing, name="Ada")
    assert not list(shown_pictures())
    as_("tess").post(f"{HERE}{showing.pk}/change/", {"what": "remove"})
    assert Remark.objects.get().text == "Warmer?"
    assert [place.name for place in shown_pictures()] == [str(showing.pk)]


CUT = """TITLE: SHORT
FCM: NON-DROP FRAME

001  AX       V     C        00:00:00:01 00:00:00:04 01:00:00:00 01:00:00:03
* FROM CLIP NAME: clip.mov
002  AX       V     C        00:00:00:00 00:00:00:02 01:00:00:03 01:00:00:05
* FROM CLIP NAME: missing.mov
003  AX       V     C        00:00:00:00 00:00:00:06 01:00:00:05 01:00:00:08
M2   AX             048.0                00:00:00:00
* FROM CLIP NAME: clip.mov
"""


@pytest.fixture
def cut(production, people, tmp_path):
    """A cut of a movie of eight frames whose brightness says which it is: an event, one that is missing, one twice as
    fast.
    """
    frames = (np.full((64, 96, 3), 0.2 + 0.07 * n, np.float32) for n in range(8))
    write_movie(tmp_path / "clip.mov", frames, "prores-422")
    shot = bring_in(production, people["tess"], "clip.mov", tmp_path / "clip.mov")
    shot.encoding = "S-Log3/S-Gamut3.Cine"
    shot.save()
    (tmp_path / "short.edl").write_text(CUT)
    return bring_in_cut(production, people["tess"], "short.edl", tmp_path / "short.edl")


def show_cut(cut, people, **other):
    cut = type(cut).objects.get(pk=cut.pk)
    asked, left = of_cut(cut)
    made = make_showing(cut.production, people["tess"], terms(movie=True, **other), asked, cut)
    return made, left


def test_a_cut_is_played_at_its_pace_and_what_is_said_of_a_moment_is_of_its_frame(cut, people, settings):
    settings.RENDER_PROCESSES = 1
    showing, left = show_cut(cut, people)
    assert left == ["Event 2 is left out: it is not settled which shot it is of."]
    assert any("2 frames of black" in said for said in showing.left_out)
    client = guest(showing)
    assert not data_of(client, showing)["items"][0]["movie"], "none before its proof"
    work()
    one, three = data_of(client, showing)["items"]
    assert [(row["begin"], row["frames"], row["rate"]) for row in (one, three)] == [(0, 3, 24.0), (5, 3, 24.0)]
    movie = showing.items.first().movie
    assert (movie.verdict, movie.frames, movie.order.pieces[0].path.target.curve_name) == ("holds", 8, "sRGB")
    whole = b"".join(client.get(one["movie"]).streaming_content)
    assert whole == movie.place.read_bytes()
    part = client.get(one["movie"], headers={"Range": "bytes=100-199"})
    assert (part.status_code, part["Content-Range"]) == (206, f"bytes 100-199/{len(whole)}")
    assert b"".join(part.streaming_content) == whole[100:200]
    with av.open(io.BytesIO(whole)) as file:
        shown = [frame.to_ndarray(format="rgb24").mean() for frame in file.decode(video=0)]
        tags = file.streams.video[0].codec_context
        assert (tags.color_primaries, tags.color_trc) == (1, 13), "BT.709 primaries, sRGB curve (ITU-T H.273)"
    assert shown[3] == shown[4] == min(shown), "black stands for what is missing"
    assert shown[5] < shown[6] < shown[7]
    for moment, frame in ((1, 2), (6, 2), (7, 4)):
        item = one if moment < 3 else three
        body = {"item": item["pk"], "state": item["states"][0]["pk"], "name": "Ada", "moment": moment}
        assert say(client, showing, what="write", text="Here", **body)[0] == 200
        assert Remark.objects.latest("pk").frame == frame
    movie.place.write_bytes(whole + b"x")
    assert client.get(one["movie"]).status_code == 404, "a file that was changed is not played"


def test_a_movie_of_a_size_that_no_codec_has_is_fitted(production, people, tmp_path):
    write_movie(tmp_path / "odd.mov", (np.full((64, 96, 3), 0.3, np.float32) for _ in range(3)), "prores-422")
    shot = bring_in(production, people["tess"], "odd.mov", tmp_path / "odd.mov")
    shot.encoding, shot.width, shot.height = "S-Log3/S-Gamut3.Cine", 4000, 2001
    shot.save()
    showing = make_showing(production, people["tess"], terms(movie=True), [Asked(Shot.objects.get(pk=shot.pk), 0)])
    form = showing.items.get().movie.order.form
    assert (form.sizing, form.width, form.height) == ("exact", 1920, 960)
