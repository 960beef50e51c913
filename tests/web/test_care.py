"""People, their accounts and sessions; the record; a production's life; the hand-over report."""

import html
import re
from datetime import timedelta

import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.utils import timezone

from upwelling.core.errors import BadValue
from upwelling.core.steps import Exposure, Saturation
from upwelling.web.bakes.models import Bake
from upwelling.web.bakes.orders import order_for
from upwelling.web.bakes.services import perform_bake, start_bake
from upwelling.web.care.handover import report_of
from upwelling.web.care.lifecycle import GRACE, remove_due
from upwelling.web.footage.history import apply_settings
from upwelling.web.footage.look_services import create_look
from upwelling.web.footage.models import Camera, Shot
from upwelling.web.footage.shot_settings import ShotSettings
from upwelling.web.productions import accounts
from upwelling.web.productions.models import Entry, Member, Production, Remark, Rights

P, PASSWORD = "/p/kilnlight/", "x" * 12


@pytest.fixture
def administrator(people, as_):
    Rights.objects.update_or_create(user=User.objects.get(username="tess"), defaults={"may_administer": True})
    return as_("tess")


def said(answer):
    return [str(message) for message in answer.context["messages"]]


def signs_in(name, password=PASSWORD, program="A browser"):
    """Someone at the sign-in page; None where it does not let them in."""
    client = Client(headers={"user-agent": program})
    let_in = client.post("/sign-in/", {"username": name, "password": password}).status_code == 302
    return client if let_in else None


# --- people
def test_members_are_added_changed_and_taken_out(production, as_, people):
    tess = as_("tess")
    User.objects.create_user("mara", password="gather-and-blow")
    page = tess.post(f"{P}people/", {"name": "mara", "role": "viewer"}, follow=True)
    assert said(page) == ["mara is viewer of Kilnlight."]
    tess.post(f"{P}people/", {"name": "mara", "role": "technician"})
    assert production.role_of(User.objects.get(username="mara")) == "technician"
    assert "no account" in said(tess.post(f"{P}people/", {"name": "nobody", "role": "viewer"}, follow=True))[-1]
    assert "no role" in said(tess.post(f"{P}people/", {"name": "mara", "role": "king"}, follow=True))[-1]
    tess.post(f"{P}people/", {"name": "mara", "what": "remove"})
    assert production.role_of(User.objects.get(username="mara")) is None
    alone = tess.post(f"{P}people/", {"name": "tess", "what": "remove"}, follow=True)
    assert "only technician" in said(alone)[-1]
    assert as_("vera").post(f"{P}people/", {"name": "vera", "role": "technician"}).status_code == 403


def test_an_invited_person_sets_a_password_once(administrator):
    administrator.post("/accounts/change/", {"what": "invite", "name": "mara", "creates": "on"})
    page = administrator.get("/accounts/").content.decode()
    path = re.search(r"http://testserver(/invitation/[^<\s]+)", page).group(1)
    assert "/invitation/" not in administrator.get("/accounts/").content.decode()
    fresh = Client()
    form = fresh.get(path, follow=True)
    sent = {"new_password1": "slow-annealing-7", "new_password2": "slow-annealing-7"}
    assert "Sign in with it" in fresh.post(form.redirect_chain[-1][0], sent, follow=True).content.decode()
    assert signs_in("mara", "slow-annealing-7")
    assert "used already" in Client().get(path, follow=True).content.decode()
    assert Rights.objects.get(user__username="mara").may_create


@pytest.mark.parametrize(
    ("sent", "words"),
    [
        ({"what": "invite", "name": "vera"}, "already"),
        ({"what": "invite", "name": "no spaces!"}, "cannot be an account"),
        ({"what": "end", "user": "tess"}, "your own account"),
        ({"what": "rights", "user": "tess"}, "only administrator"),
        ({"what": "nothing", "user": "vera"}, "Choose what to do"),
    ],
)
def test_what_cannot_be_done_with_accounts_is_said(administrator, sent, words):
    if "user" in sent:
        sent = {**sent, "user": User.objects.get(username=sent["user"]).pk}
    assert words in said(administrator.post("/accounts/change/", sent, follow=True))[-1]


def test_an_ended_account_is_signed_out_and_can_be_opened_again(administrator, as_):
    vera, account = signs_in("vera"), User.objects.get(username="vera")
    administrator.post("/accounts/change/", {"what": "end", "user": account.pk})
    assert vera.get("/").status_code == 302
    assert signs_in("vera") is None
    administrator.post("/accounts/change/", {"what": "open", "user": account.pk})
    assert signs_in("vera")
    administrator.post("/accounts/change/", {"what": "reset", "user": account.pk})
    assert signs_in("vera") is None


def test_only_administrators_come_to_accounts(as_, production):
    assert as_("vera").get("/accounts/").status_code == 403
    assert as_("vera").post("/accounts/change/", {"what": "invite", "name": "x"}).status_code == 403


def test_one_sees_and_ends_the_places_where_one_is_signed_in(people):
    here, there = signs_in("tess"), signs_in("tess", program="Another program")
    page = here.get("/sessions/").content.decode()
    assert "Another program" in page
    assert "<b>here</b>" in page
    assert accounts.sessions_of(User.objects.get(username="vera")) == []
    assert accounts.session_counts()[str(User.objects.get(username="tess").pk)] == 2
    here.post("/sessions/")
    assert there.get("/").status_code == 302
    assert here.get("/").status_code == 200


def test_the_command_makes_an_administrator(people):
    accounts.administer("vera")
    assert Rights.objects.get(user__username="vera").may_administer
    with pytest.raises(BadValue, match="no account"):
        accounts.administer("nobody")


# --- the record
def test_changes_are_recorded_with_their_thing_counted_and_found(shot, as_):
    tess = as_("tess")
    for stops in (0.5, 1.0):
        body = ShotSettings().with_steps([Exposure(stops=stops)]).model_dump(mode="json")
        version = Shot.objects.get(pk=shot.pk).version
        sent = {"settings": body, "base": None, "version": version, "label": "exposure"}
        answer = tess.post(f"{P}bench/{shot.pk}/save/", sent, content_type="application/json")
        assert answer.status_code == 200, answer.content
    tess.post(f"{P}people/", {"name": "vera", "role": "viewer"})
    row = Entry.objects.get(what="settings changed")
    assert (row.user.username, row.about, row.count) == ("tess", shot.name, 2)
    found = as_("vera").get(f"{P}record/?what=members+changed").content.decode()
    assert "members changed" in found.split("<tbody>")[1]
    assert "settings changed" not in found.split("<tbody>")[1]
    assert "Nothing like that" in as_("vera").get(f"{P}record/?find=zzz").content.decode()


def test_what_is_refused_is_not_recorded(shot, as_):
    as_("vera").post(f"{P}people/", {"name": "vera", "role": "technician"})
    as_("tess").post(f"{P}bench/{shot.pk}/save/", {}, content_type="application/json")
    assert list(Entry.objects.values_list("what", flat=True)) == ["file handed in"]


# --- a production's life
def test_a_production_is_renamed_archived_and_taken_back(shot, as_):
    tess, kin = as_("tess"), shot.production
    tess.post(f"{P}about/", {"what": "describe", "name": "Kilnlight two", "description": "Glass"})
    kin.refresh_from_db()
    assert (kin.name, kin.slug, kin.description) == ("Kilnlight two", "kilnlight", "Glass")
    assert "needs a name" in said(tess.post(f"{P}about/", {"what": "describe", "name": " "}, follow=True))[-1]
    tess.post(f"{P}about/", {"what": "archive"})
    assert tess.get(P).status_code == tess.get(f"{P}bench/{shot.pk}/").status_code == 200
    refused = tess.post(f"{P}rules/", {})
    assert (refused.status_code, "archived" in refused.content.decode()) == (403, True)
    assert "Archived" in tess.get("/").content.decode()
    assert as_("vera").post(f"{P}about/", {"what": "unarchive"}).status_code == 403
    tess.post(f"{P}about/", {"what": "unarchive"})
    assert tess.post(f"{P}rules/", {}).status_code == 302


def test_a_removed_production_goes_after_its_time_and_not_before(shot, as_):
    tess, kin = as_("tess"), shot.production
    assert "Nothing was removed" in said(tess.post(f"{P}about/", {"what": "remove", "typed": "Kiln"}, follow=True))[-1]
    tess.post(f"{P}about/", {"what": "remove", "typed": "Kilnlight"})
    kin.refresh_from_db()
    assert GRACE - timedelta(minutes=1) < kin.removing - timezone.now() <= GRACE
    assert remove_due() == []
    tess.post(f"{P}about/", {"what": "keep"})
    assert Production.objects.get(pk=kin.pk).removing is None
    Production.objects.filter(pk=kin.pk).update(removing=timezone.now() - timedelta(seconds=1))
    assert remove_due() == ["Kilnlight"]
    assert not Shot.objects.exists()


def test_a_copy_has_what_a_production_is_set_up_with_and_no_footage(shot, as_, people):
    kin, tess = shot.production, as_("tess")
    Camera.objects.create(production=kin, name="A-cam", encoding="S-Log3/S-Gamut3.Cine")
    look = create_look(kin, None, "Warm", [Saturation(amount=1.2)])
    kin.looks_given.create(look=look, strength=0.5)
    Rights.objects.update_or_create(user=User.objects.get(username="tess"), defaults={"may_create": True})
    tess.post(f"{P}copy/", {"name": "Second furnace"})
    made = Production.objects.get(name="Second furnace")
    assert made.rules == kin.rules
    assert list(made.cameras.values_list("name", "encoding")) == [("A-cam", "S-Log3/S-Gamut3.Cine")]
    assert made.looks.get().newest.steps == look.newest.steps
    assert made.looks_given.get().strength == 0.5
    assert not made.shots.exists()
    assert [member.user.username for member in made.members.all()] == ["tess"]
    assert kin.cameras.count() == 1
    assert tess.post(f"{P}copy/", {"name": " "}).status_code == 422
    Member.objects.filter(user__username="vera").update(role="technician")
    assert as_("vera").post(f"{P}copy/", {"name": "Mine"}).status_code == 403


# --- the report
def test_the_hand_over_report_says_what_is_otherwise(shot, as_):
    kin, tess = shot.production, as_("tess")
    camera = Camera.objects.create(production=kin, name="A-cam", encoding="S-Log3/S-Gamut3.Cine")
    Shot.objects.filter(pk=shot.pk).update(camera=camera, encoding="V-Log/V-Gamut", range="legal")
    apply_settings(shot, None, ShotSettings(display_on=False), version=shot.version, label="display off")
    Remark.objects.create(production=kin, kind="camera", number=camera.pk, name="A-cam", text="Rented on Monday")
    Remark.objects.create(production=kin, kind="production", text="Which monitor?", question=True)
    report = report_of(kin)
    assert "Warm" not in report.given
    assert report.people == [("tess", "technician"), ("vera", "viewer")]
    assert [one.what for one in report.exceptions] == [["encoding V-Log/V-Gamut", "legal range", "display off"]]
    assert (report.cameras[0].shots, report.cameras[0].remarks[0].text) == (1, "Rented on Monday")
    assert [one.text for one in report.open] == ["Which monitor?"]
    page = tess.get(f"{P}handover/").content.decode()
    file = as_("vera").get(f"{P}handover/file/")
    for words in ("Rented on Monday", "Which monitor?", "display off", "V-Log/V-Gamut", "None were made"):
        assert words in page
        assert words in file.content.decode()
    assert "kilnlight-handover.html" in file.headers["Content-Disposition"]
    assert "http" not in file.content.decode().replace("https://", "")


def test_the_hand_over_report_reads_no_order_of_a_bake(shot, as_, monkeypatch):
    """Five hundred bakes would be five hundred orders and certificates; their lines were written down with them."""
    monkeypatch.setattr("upwelling.web.care.handover.MOST_CHECKED", 0)
    made = start_bake(shot, shot.created_by, order_for(shot, {"size": "17", "end": "display"}))
    perform_bake(made.pk)
    made.refresh_from_db()
    assert made.line == made.summary
    monkeypatch.setattr(Bake, "bake_order", property(lambda one: pytest.fail("an order was read")))
    assert made.line in html.unescape(as_("tess").get(f"{P}handover/").content.decode())
    Bake.objects.update(line="")
    monkeypatch.undo()
    again = html.unescape(as_("tess").get(f"{P}handover/").content.decode())
    assert made.line in again, "the lines of bakes made before are worked out"


def test_the_report_lists_what_acts_on_a_shot_and_bakes_that_are_stale(baked, shot, as_, people):
    bake = baked()
    page = as_("vera").get("/p/kilnlight/handover/").content.decode()
    assert "what it was baked from has changed since" not in page
    apply_settings(
        shot, people["tess"], ShotSettings(steps=(Exposure(id="e", stops=0.5),)), version=shot.version, label="Exposure"
    )
    page = as_("vera").get("/p/kilnlight/handover/").content.decode()
    assert "trim of 1: Exposure +0.5" in page
    assert "Every shot does what" not in page
    assert f"{bake.verdict}; what it was baked from has changed since" in page


def test_the_reports_page_is_of_one_length_and_its_file_names_all(
    baked, shot, people, as_, monkeypatch, django_assert_max_num_queries
):
    baked()
    first, third = baked(), Shot.objects.get(pk=shot.pk)
    for stops in (0.5, 0.7):
        third.pk, third._state.adding, third.version, third.position = None, True, 0, 0
        third.name = f"One more at {stops}"
        third.save()
        wanted = ShotSettings(steps=(Exposure(id="e", stops=stops),))
        apply_settings(third, people["tess"], wanted, version=0, label="Exposure")
    Bake.objects.exclude(pk=first.pk).update(file_name="older.cube")
    monkeypatch.setattr("upwelling.web.care.handover.MOST_CHECKED", 1)
    monkeypatch.setattr("upwelling.web.care.views.MOST_ON_PAGE", 1)
    vera = as_("vera")
    with django_assert_max_num_queries(31):
        page = vera.get(f"{P}handover/").content.decode()
    file = vera.get(f"{P}handover/file/").content.decode()
    assert "1 more changed shot:" in page
    assert "1 more: the file names them all" in page
    for words in ("One more at 0.5", "One more at 0.7", "older.cube", "Exposure +0.7"):
        assert words in file
    assert "the file names them all" not in file
    assert [words in page for words in ("One more at 0.5", "One more at 0.7", "older.cube")] == [True, False, False]
