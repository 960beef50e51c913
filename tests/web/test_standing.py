"""What is kept while the database stands: read once, never past a change by anybody, and never shared by hand."""

from __future__ import annotations

import datetime
import shutil
import sqlite3
from pathlib import Path as FilePath

import pytest
from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.core.signals import request_started
from django.db import connection, transaction
from django.test import Client
from django.urls import reverse
from django.utils import timezone

from upwelling.core.documents import sealed
from upwelling.web.common.standing import standing
from upwelling.web.productions.models import Production
from upwelling.web.productions.services import set_rules

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def read():
    """A reader of the users' first names that counts how often it reads."""
    times = []

    def names() -> list[str]:
        times.append(1)
        return list(User.objects.order_by("pk").values_list("first_name", flat=True))

    names.times = times
    return names


def by_another_connection(statement: str) -> None:
    with sqlite3.connect(connection.settings_dict["NAME"], timeout=10) as other:
        other.execute(statement)


def test_it_is_read_once_until_this_connection_or_another_changes_something(read):
    user = User.objects.create_user("nell", first_name="Nell")
    for _ in range(3):
        assert standing(("names",), read) == ["Nell"]
    assert len(read.times) == 1
    user.first_name = "Eleanor"
    user.save()
    assert standing(("names",), read) == ["Eleanor"]
    by_another_connection("UPDATE auth_user SET first_name = 'Nora'")
    assert standing(("names",), read) == ["Nora"]
    assert len(read.times) == 3


def test_each_reader_has_a_copy_and_errors_are_not_kept(read):
    User.objects.create_user("nell", first_name="Nell")
    standing(("names",), read).append("scribbled")
    assert standing(("names",), read) == ["Nell"]
    for _ in range(2):
        with pytest.raises(Production.DoesNotExist):
            standing(("none",), Production.objects.get)


def test_nothing_is_kept_of_what_may_be_taken_back(read):
    User.objects.create_user("nell", first_name="Nell")
    with transaction.atomic():
        User.objects.update(first_name="Never")
        assert standing(("names",), read) == ["Never"]
        transaction.set_rollback(True)
    assert standing(("names",), read) == ["Nell"]


def test_a_database_file_that_was_replaced_is_opened_anew(read, tmp_path):
    """As when a backup is laid over a running server: the old file stays open under its old connection."""
    User.objects.create_user("nell", first_name="Nell")
    request_started.send(sender=None)
    assert standing(("names",), read) == ["Nell"]
    place = FilePath(connection.settings_dict["NAME"])
    other = tmp_path / "other.sqlite3"
    with sqlite3.connect(other) as copied:
        connection.connection.backup(copied)
        copied.execute("PRAGMA journal_mode=DELETE")
        copied.execute("UPDATE auth_user SET first_name = 'Restored'")
    shutil.copyfile(other, place.with_suffix(".new"))
    connection.connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    place.with_suffix(".new").replace(place)
    request_started.send(sender=None)
    assert standing(("names",), read) == ["Restored"]


def signed_in() -> tuple[Client, User]:
    user = User.objects.create_user("nell", password="x" * 12)
    client = Client()
    client.post(reverse("login"), {"username": "nell", "password": "x" * 12})
    assert client.get("/").status_code == 200
    assert client.get("/").status_code == 200  # by now its session and person are kept
    return client, user


@pytest.mark.parametrize(
    "ending",
    [
        lambda user: Session.objects.all().delete(),
        lambda user: Session.objects.update(expire_date=timezone.now() - datetime.timedelta(seconds=1)),
        lambda user: User.objects.filter(pk=user.pk).update(is_active=False),
        lambda user: (user.set_password("y" * 12), user.save()),
        lambda user: user.delete(),
        lambda user: by_another_connection("DELETE FROM django_session"),
    ],
    ids=["session ended", "session over", "account closed", "password changed", "person gone", "ended elsewhere"],
)
def test_whoever_is_out_is_out_at_once(ending):
    client, user = signed_in()
    ending(user)
    assert client.get("/").status_code == 302


def test_a_session_ends_by_the_clock_though_nothing_changes(monkeypatch):
    client, _ = signed_in()
    later = timezone.now() + datetime.timedelta(days=400)
    monkeypatch.setattr("django.utils.timezone.now", lambda: later)
    monkeypatch.setattr("upwelling.web.common.sessions.timezone.now", lambda: later)
    assert client.get("/").status_code == 302


def test_rules_are_read_once_and_never_past_a_change(production):
    first = production.rule_set
    assert production.rule_set is first
    set_rules(production, {"hlg_peak_nits": 900})
    assert production.rule_set.hlg_peak_nits == 900
    Production.objects.update(rules=sealed("rules", first.model_dump(mode="json")))
    assert production.rule_set.hlg_peak_nits == 900  # as this row was read
    production.refresh_from_db()
    assert production.rule_set.hlg_peak_nits == first.hlg_peak_nits == 1000
