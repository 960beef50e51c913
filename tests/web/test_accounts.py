"""Accounts and members, by command and by page; the demonstration never brings anybody back."""

import io

import pytest
from django.contrib.auth.models import User
from django.core.management import call_command
from django.test import Client

from upwelling.cli.main import main
from upwelling.core.errors import BadValue
from upwelling.web.care.management.commands import seed_kilnlight
from upwelling.web.productions.accounts import accounts, add_user, remove_member, set_member, set_password
from upwelling.web.productions.models import Production
from upwelling.web.productions.services import create_production

GOOD = "gather-and-blow"


def signs_in(client, name, password):
    return client.post("/sign-in/", {"username": name, "password": password}).status_code == 302


def test_an_account_is_made_shown_and_given_another_password(production, people, monkeypatch, capsys):
    monkeypatch.setattr("sys.stdin", io.StringIO(GOOD + "\n"))
    assert main(["user", "add", "ida"]) == 0
    assert signs_in(Client(), "ida", GOOD)
    assert main(["member", "add", production.slug, "ida", "viewer"]) == 0
    assert main(["member", "role", production.slug, "ida", "technician"]) == 0
    assert main(["user", "list"]) == 0
    assert "ida\tkilnlight: technician" in capsys.readouterr().out
    monkeypatch.setattr("sys.stdin", io.StringIO("another-fine-word\n"))
    assert main(["user", "password", "ida"]) == 0
    assert not signs_in(Client(), "ida", GOOD)
    assert main(["member", "remove", production.slug, "ida"]) == 0
    rows = [(row.by, row.what, row.about) for row in production.record.all()]
    assert rows[0] == ("the command line", "member removed by command", "ida")
    assert ("the command line", "member made technician by command", "ida") in rows
    assert dict(accounts())["ida"] == []


@pytest.mark.parametrize(
    ("attempt", "words"),
    [
        (lambda: add_user("tess", GOOD), "already"),
        (lambda: add_user("TESS", GOOD), "already"),
        (lambda: add_user("a b", GOOD), "cannot be an account"),
        (lambda: add_user("ida", "short"), "too short"),
        (lambda: add_user("ida", "password1"), "too common"),
        (lambda: add_user("ida", "849302174"), "numeric"),
        (lambda: add_user("gatherer", "gatherer1"), "too similar"),
        (lambda: set_password("nobody", GOOD), "no account"),
        (lambda: set_member("kilnlight", "nobody", "viewer"), "no account"),
        (lambda: set_member("nowhere", "tess", "viewer"), "no production"),
        (lambda: set_member("kilnlight", "vera", "owner"), "no role"),
        (lambda: set_member("kilnlight", "tess", "viewer"), "only technician"),
        (lambda: remove_member("kilnlight", "tess"), "only technician"),
        (lambda: remove_member("kilnlight", "olaf"), "no member"),
    ],
)
def test_what_cannot_be_is_said(production, people, attempt, words):
    with pytest.raises(BadValue, match=words):
        attempt()
    assert production.members.filter(user=people["tess"], role="technician").exists()


def test_a_refusal_on_the_command_line_is_one_line_and_exit_2(production, people, monkeypatch, capsys):
    monkeypatch.setattr("sys.stdin", io.StringIO("x\n"))
    assert main(["user", "add", "ida"]) == 2
    assert capsys.readouterr().err.startswith("upwelling: This password is too short")
    assert not User.objects.filter(username="ida").exists()


def test_people_change_their_own_password(people, settings):
    User.objects.get(username="tess").set_password(GOOD)
    tess = User.objects.get(username="tess")
    tess.set_password(GOOD)
    tess.save()
    client = Client()
    assert client.get("/password/").status_code == 302
    signs_in(client, "tess", GOOD)
    assert b"Your password" in client.get("/password/").content
    wrong = client.post(
        "/password/", {"old_password": "no", "new_password1": "a-fine-new-one", "new_password2": "a-fine-new-one"}
    )
    assert b"old password was entered incorrectly" in wrong.content
    weak = client.post("/password/", {"old_password": GOOD, "new_password1": "12345678", "new_password2": "12345678"})
    assert b"too common" in weak.content
    fine = {"old_password": GOOD, "new_password1": "a-fine-new-one", "new_password2": "a-fine-new-one"}
    assert client.post("/password/", fine)["Location"] == "/"
    assert client.get("/").status_code == 200
    assert signs_in(Client(), "tess", "a-fine-new-one")


def test_the_demonstration_is_seeded_into_an_empty_database_only(people):
    """Somebody works here already: no demo account appears, and no production."""
    said = io.StringIO()
    call_command("seed_kilnlight", stdout=said)
    assert not User.objects.filter(username="technician").exists()
    assert not Production.objects.exists()


def test_kilnlight_is_added_to_a_server_at_work_and_removed(people, monkeypatch, capsys, settings):
    """It belongs to an account that is there; no demo account comes, and what other people have stays, whatever its
    name.
    """
    for heavy in ("_settle", "_define", "_deliver", "_look", "_bake"):
        monkeypatch.setattr(seed_kilnlight.Command, heavy, lambda *args: None)
    for heavy in ("bring_in_the_last_day", "bring_in_cut", "say_things", "show_the_cut", "warm"):
        monkeypatch.setattr(seed_kilnlight, heavy, lambda *args: None)
    monkeypatch.setattr(seed_kilnlight.Command, "_shoot", lambda self, made, user, folder: _write(folder / "R/1.dng"))
    theirs = create_production(people["vera"], "Kilnlight")
    _write(settings.MEDIA_FOLDER / "kilnlight" / "own.mov")
    assert main(["example", "add", "nobody"]) == 2
    assert "no account “nobody”" in capsys.readouterr().err
    assert main(["example", "remove", "--yes"]) == 0
    assert "somebody’s work and stays" in capsys.readouterr().out
    for _ in range(2):  # the second time it goes on in its own
        assert main(["example", "add", "tess"]) == 0
        _write(settings.MEDIA_FOLDER / "kilnlight-2" / "laid beside.mov")
    made = Production.objects.get(slug="kilnlight-2")
    assert [(member.user.username, member.role) for member in made.members.all()] == [("tess", "technician")]
    assert [root.folder for root in made.footage_roots.all()] == ["kilnlight-2"]
    assert not User.objects.filter(username="technician").exists()
    capsys.readouterr()
    assert main(["example", "remove"]) == 0
    assert "of tess) with 0 shots, 0 tables and 1 file in the media folder’s kilnlight-2" in capsys.readouterr().out
    assert Production.objects.count() == 2
    _write(settings.MEDIA_FOLDER / "kilnlight-2" / "R" / "brought.mov")
    assert main(["example", "remove", "--yes"]) == 0
    assert "stays: R/brought.mov, laid beside.mov" in capsys.readouterr().out
    assert list(Production.objects.all()) == [theirs]
    left = sorted(str(f.relative_to(settings.MEDIA_FOLDER)) for f in settings.MEDIA_FOLDER.rglob("*") if f.is_file())
    assert left == ["kilnlight-2/R/brought.mov", "kilnlight-2/laid beside.mov", "kilnlight/own.mov"]


def _write(place):
    place.parent.mkdir(parents=True, exist_ok=True)
    place.write_bytes(b"1")
