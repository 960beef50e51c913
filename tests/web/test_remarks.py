"""Remarks: on things, at frames, answered and ticked off by those who may, and what changed in the picture since."""

import json
import os
import subprocess
import sys

import pytest
from django.utils import timezone

from tests.web.test_care import said
from upwelling.core.steps import Exposure
from upwelling.web.care.handover import report_of
from upwelling.web.footage.history import apply_settings
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.footage.shot_settings import ShotSettings
from upwelling.web.productions.models import Entry, Production, Remark
from upwelling.web.productions.remarks import MOST

P = "/p/kilnlight/"
REGION = {"kind": "ellipse", "left": 0.1, "top": 0.2, "right": 0.4, "bottom": 0.9}


def at_frame(client, shot, **body):
    """What the Bench sends; its answer's status and rows, or its sentence."""
    answer = client.post(
        f"{P}bench/{shot.pk}/remarks/", json.dumps(body), "application/json", headers={"Accept": "application/json"}
    )
    told = answer.json()
    return answer.status_code, told.get("remarks", told.get("error"))


def seen_of(shot):
    return path_of(shot).at(shot.frame).fingerprint[:12]


def write(client, shot, text="Door too bright?", **more):
    body = {"what": "write", "text": text, "question": True, "frame": shot.frame, "seen": seen_of(shot), **more}
    return at_frame(client, shot, **body)


def exposed(shot, stops):
    shot.refresh_from_db()
    steps = [Exposure(stops=stops, id="e")] if stops else []
    apply_settings(shot, shot.created_by, ShotSettings(steps=steps), version=shot.version, label="Exposure")
    return Shot.objects.get(pk=shot.pk)


def test_a_viewer_remarks_a_technician_answers_and_who_asked_ticks_off(shot, as_):
    tess, vera = as_("tess"), as_("vera")
    status, [row] = write(vera, shot, place=REGION)
    assert (status, row["state"], row["place"], row["changed"]) == (200, "open", REGION, "")
    assert row["may"] == ["remove", "tick"], "a viewer does not answer"
    assert at_frame(vera, shot, what="answered", remark=row["pk"])[0] == 422
    shot = exposed(shot, -0.5)
    [row] = tess.get(f"{P}bench/{shot.pk}/remarks/").json()["remarks"]
    assert "Exposure" in row["changed"], "the picture is another one since"
    assert row["may"] == ["answered", "remove"], "nobody else ticks it off"
    status, [row] = at_frame(tess, shot, what="reply", remark=row["pk"], text="Half a stop down")
    assert [reply["text"] for reply in row["replies"]] == ["Half a stop down"]
    _, [row] = at_frame(tess, shot, what="answered", remark=row["pk"])
    assert row["state"] == "answered"
    assert "Exposure" in row["answered"]
    assert "tess" in row["answered"]
    assert at_frame(tess, shot, what="tick", remark=row["pk"]) == (422, "Who asked for it ticks it off.")
    _, [row] = at_frame(vera, shot, what="tick", remark=row["pk"])
    assert (row["state"], row["changed"], row["may"]) == ("done", "", ["open", "remove"])
    _, [row] = at_frame(vera, shot, what="open", remark=row["pk"])
    tess.post(f"{P}remarks/say/", {"what": "answered", "remark": row["pk"]})
    assert "Exposure" in Remark.objects.get(thread=None).answer, "answered on the page of all, it says so too"
    _, [row] = at_frame(vera, shot, what="open", remark=row["pk"])
    assert (row["state"], row["answered"]) == ("open", "")
    assert [(e.user.username, e.what) for e in Entry.objects.filter(what="remark written")][-1] == (
        "vera",
        "remark written",
    )
    shot = exposed(shot, 0)
    assert not tess.get(f"{P}bench/{shot.pk}/remarks/").json()["remarks"][0]["changed"], "it is as it was seen again"


def test_what_lies_outside_the_shots_own_settings_changes_its_picture_too(shot, as_, production):
    write(as_("vera"), shot)
    production.rules = {**production.rules, "hlg_peak_nits": 600.0}
    Shot.objects.filter(pk=shot.pk).update(encoding="V-Log/V-Gamut")
    [row] = as_("tess").get(f"{P}bench/{shot.pk}/remarks/").json()["remarks"]
    assert "shares with other shots" in row["changed"]


@pytest.mark.parametrize(
    ("sent", "words"),
    [
        ({"text": " \0 "}, "needs words"),
        ({"text": "x" * (MOST + 1)}, "may have 2000 characters"),
        ({"seen": ""}, "which picture"),
        ({"seen": "zz" * 6}, "which picture"),
        ({"seen": "0" * 12}, "not the one that is saved"),
        ({"place": {**REGION, "right": 1.4}}, "outside the picture"),
        ({"place": [1, 2]}, "outside the picture"),
        ({"frame": "1"}, "whole number"),
        ({"what": "bless", "remark": None}, "whole number"),
    ],
)
def test_what_cannot_be_said_is_refused_in_words(shot, as_, sent, words):
    status, told = write(as_("vera"), shot, **{**{"what": "write"}, **sent})
    assert (status, words in told) == (422, True), told
    assert not Remark.objects.exists()


def test_a_remark_of_another_shot_or_production_is_not_reached(shot, as_, people):
    elsewhere = Production.objects.create(name="Elsewhere", slug="elsewhere")
    other = Remark.objects.create(production=elsewhere, kind="shot", number=shot.pk + 1, text="x", question=True)
    assert at_frame(as_("tess"), shot, what="remove", remark=other.pk)[0] == 404
    as_("tess").post(f"{P}remarks/say/", {"what": "remove", "remark": other.pk})
    assert at_frame(as_("olaf"), shot, what="write", text="x")[0] == 404
    assert Remark.objects.count() == 1


def test_an_archived_production_keeps_what_was_said_and_takes_no_more(shot, as_, production):
    write(as_("vera"), shot)
    Production.objects.filter(pk=production.pk).update(archived=timezone.now())
    status, told = write(as_("vera"), shot)
    assert (status, "archived" in told) == (403, True)
    assert as_("vera").get(f"{P}bench/{shot.pk}/remarks/").json()["remarks"][0]["text"] == "Door too bright?"


def test_remarks_stand_in_lists_the_strip_the_cut_and_the_report(shot, as_, production):
    vera = as_("vera")
    write(vera, shot, place=REGION)
    strip = vera.get(f"{P}bench/{shot.pk}/").content.decode()
    assert "? 1</span>" in strip.split('class="strip"')[1].split("</nav>")[0]
    for asked, found in (("open", True), ("answered", False), ("any", True)):
        rows = vera.get(f"{P}shots/?remark={asked}").content.decode()
        assert ("No shot is like that" not in rows) is found, asked
    page = vera.get(f"{P}remarks/?state=open&on=shot&find=bright&by={Remark.objects.get().created_by_id}")
    assert f"bench/{shot.pk}/?remarks=1&amp;frame={shot.frame}" in page.content.decode()
    assert b"No remark is like that" in vera.get(f"{P}remarks/?state=answered").content
    at_frame(as_("tess"), shot, what="reply", remark=Remark.objects.get().pk, text="Will do")
    assert [one.text for one in report_of(production).open] == ["Door too bright?"], "a reply is no remark of its own"
    report = as_("tess").get(f"{P}handover/").content.decode()
    assert f"frame {shot.frame}" in report
    assert "Will do" in report
    shot.delete()
    assert b"is gone" in vera.get(f"{P}remarks/").content


def test_a_page_of_any_thing_has_replies_and_the_way_back(shot, as_):
    vera = as_("vera")
    sent = {"what": "write", "kind": "production", "number": 0, "text": "Which monitor?", "question": "on"}
    assert vera.post(f"{P}remarks/say/", {**sent, "back": f"{P}about/"}).url == f"{P}about/"
    one = Remark.objects.get()
    as_("tess").post(f"{P}remarks/say/", {"what": "reply", "remark": one.pk, "text": "The one in the bay"})
    page = vera.get(f"{P}about/").content.decode()
    assert "The one in the bay" in page
    assert "Tick it off" in page
    refused = as_("tess").post(
        f"{P}remarks/say/", {"what": "tick", "remark": one.pk, "back": f"{P}about/"}, follow=True
    )
    assert "Who asked" in said(refused)[-1]


def test_notes_of_before_are_remarks_without_a_frame(tmp_path):
    """A database of the version before is brought up to date: nothing that was said is lost."""
    environment = {**os.environ, "UPWELLING_DATA": str(tmp_path)}

    def manage(*words, text=""):
        run = [sys.executable, "-m", "upwelling.web.manage", *words]
        return subprocess.run(run, env=environment, check=True, capture_output=True, text=True, input=text).stdout

    manage("migrate", "-v0", "productions", "0005")
    manage("shell", "-v0", "-c", OLD)
    manage("migrate", "-v0")
    assert manage("shell", "-v0", "-c", NOW).split() == ["Filter?", "True", "None", "open", "1"]


OLD = """
from django.db import connection
from django.db.migrations.executor import MigrationExecutor
before = MigrationExecutor(connection).loader.project_state([("productions", "0005_care")]).apps
made = before.get_model("productions", "Production").objects.create(name="K", slug="k")
row = {"production": made, "kind": "shot", "number": 3, "text": "Filter?", "question": True}
before.get_model("productions", "Note").objects.create(**row)
"""
NOW = """
from upwelling.web.productions.models import Remark
r = Remark.objects.get(); print(r.text, r.question, r.frame, r.state, r.production.remarks.count())
"""
