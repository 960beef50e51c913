"""Cuts of a production: events found among its shots, settled by hand, corrections taken over, versions compared."""

import datetime
import json

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.utils import timezone

from tests.attack import CUTS
from upwelling.core.cut import Event
from upwelling.core.cut.changes import compare
from upwelling.web.cuts.models import Cut, CutEvent
from upwelling.web.cuts.services import match_again
from upwelling.web.footage.models import Shot
from upwelling.web.footage.removal import remove_shots
from upwelling.web.jobs.sweeping import sweep

PAGE = "/p/kilnlight/cuts/"
LIST = """TITLE: KILNLIGHT CUT 3
FCM: NON-DROP FRAME

001  A012     V     C        01:00:10:00 01:00:10:12 01:00:00:00 01:00:00:12
* FROM CLIP NAME: A012 GATHERING ROOM
* ASC_SOP (1.1 1.0 0.9)(0.01 0 -0.01)(1 1 1)
* ASC_SAT 0.9
002  B007     V     C        00:00:00:00 00:00:01:00 01:00:00:12 01:00:01:12
003  A012     V     C        01:00:20:00 01:00:21:00 01:00:01:12 01:00:02:12
"""


@pytest.fixture
def clip(shot):
    """A movie of two seconds from 01:00:10:00."""
    Shot.objects.filter(pk=shot.pk).update(
        name="A012 Gathering room", original_name="A012.mov", kind="movie", frames=48, rate=24.0,
        metadata={"timecode": "01:00:10:00"},
    )  # fmt: skip
    return Shot.objects.get(pk=shot.pk)


def send(client, text=LIST, name="cut3.edl", **more):
    return client.post(PAGE, {"file": SimpleUploadedFile(name, text.encode()), **more}, follow=True)


def test_a_cut_is_brought_in_and_its_events_are_found(clip, as_, production):
    tess = as_("tess")
    page = send(tess).content.decode()
    cut = Cut.objects.get()
    assert (cut.name, cut.rate, cut.drop) == ("KILNLIGHT CUT 3", 24.0, False)
    one, two, three = cut.events.all()
    assert (one.state, one.shot_id, one.first) == ("found", clip.pk, 0)
    assert (two.state, three.state) == ("missing", "outside")
    assert "no file is called" in page
    assert "01:00:10:00 – 01:00:10:12" in page
    for frame, asked in (("7", 7), ("48", 0), ("x", 0)):
        assert f'"asked": {asked}' in tess.get(f"/p/kilnlight/bench/{clip.pk}/?frame={frame}").content.decode()
    played = tess.get(f"{PAGE}{cut.pk}/play/").content.decode()
    assert "another speed" not in played
    CutEvent.objects.filter(pk=one.pk).update(speed=2.0)
    assert "shown here at their source's own: 1." in " ".join(
        tess.get(f"{PAGE}{cut.pk}/play/").content.decode().split()
    )
    seen = as_("vera").get(f"{PAGE}{cut.pk}/?state=missing").content.decode()
    assert "B007" in seen
    assert "Settle it" not in seen
    assert "▲ 2" in as_("vera").get(PAGE).content.decode()
    assert "is already here" in send(tess).content.decode()
    assert as_("vera").post(PAGE, {}).status_code == 403
    assert as_("olaf").get(f"{PAGE}{cut.pk}/").status_code == 404


def test_events_are_settled_by_hand_and_given_back(clip, as_, production):
    tess = as_("tess")
    send(tess)
    cut = Cut.objects.get()
    two = cut.events.get(number=2)
    where = f"{PAGE}{cut.pk}/events/{two.pk}/"
    assert (
        "needs 24 frames of its source; from 40 on"
        in tess.post(where, {"shot": clip.pk, "first": "40"}, follow=True).content.decode()
    )
    assert tess.post(where, {"shot": clip.pk, "first": "20", "back": f"{PAGE}{cut.pk}/"}).url.endswith(f"#e{two.pk}")
    two.refresh_from_db()
    assert (two.state, two.shot_id, two.first, two.by_hand) == ("found", clip.pk, 20, True)
    said = tess.post(f"{PAGE}{cut.pk}/change/", {"what": "again"}, follow=True).content.decode()
    assert "Looked again: 0 events changed" in said, "what a person said stays"
    tess.post(where, {"shot": ""})
    two.refresh_from_db()
    assert (two.state, two.by_hand, two.shot_id) == ("missing", False, None)
    Shot.objects.filter(pk=clip.pk).update(frames=600)
    assert "1 event changed" in tess.post(f"{PAGE}{cut.pk}/change/", {"what": "again"}, follow=True).content.decode()
    assert cut.events.get(number=3).first == 240
    assert tess.post(where, {"shot": 99999}).status_code == 404
    Shot.objects.get(pk=clip.pk).delete()
    assert "its shot is gone" in tess.get(f"{PAGE}{cut.pk}/").content.decode()


def test_corrections_become_trims_and_are_taken_back(clip, as_, production):
    tess = as_("tess")
    send(tess)
    cut = Cut.objects.get()
    act = f"{PAGE}{cut.pk}/change/"
    assert "in the trims of 1 shot." in tess.post(act, {"what": "corrections"}, follow=True).content.decode()
    step = next(s for s in Shot.objects.get(pk=clip.pk).settings.steps if s.kind == "slope_offset_power")
    assert (step.slope, step.offset, step.saturation, step.name) == (
        (1.1, 1, 0.9),
        (0.01, 0, -0.01),
        0.9,
        "From the cut",
    )
    change = production.shared_changes.get()
    assert "Taken back" in tess.post(act, {"what": "back", "change": change.pk}, follow=True).content.decode()
    assert Shot.objects.get(pk=clip.pk).settings.active == []
    CutEvent.objects.filter(number=2).update(
        shot=clip, state="found", cdl={**cut.events.get(number=1).cdl, "saturation": 2}
    )
    assert "carry different corrections" in tess.post(act, {"what": "corrections"}, follow=True).content.decode()
    CutEvent.objects.update(cdl=None)
    assert "carries an ASC CDL" in tess.post(act, {"what": "corrections"}, follow=True).content.decode()
    assert production.shared_changes.count() == 1
    assert "Choose what to do" in tess.post(act, {"what": "x"}, follow=True).content.decode()
    assert "is removed" in tess.post(act, {"what": "remove"}, follow=True).content.decode()
    assert Cut.objects.count() == 0


def test_a_range_of_a_file_is_found_by_its_own_frames(clip, as_, production):
    """A shot that is the second half of a movie holds the second half's labels."""
    Shot.objects.filter(pk=clip.pk).update(first_frame=24, frames=24, frame=30)
    send(as_("tess"), LIST.replace("01:00:10:00 01:00:10:12", "01:00:11:06 01:00:11:18"))
    one = Cut.objects.get().events.get(number=1)
    assert (one.state, one.first) == ("found", 30)


@pytest.mark.parametrize(
    ("name", "text", "more", "words"),
    [
        ("a.txt", LIST, {}, "neither"),
        ("a.edl", "words", {}, "cannot be read as an edit list"),
        ("a.otio", "{}", {}, "a.otio: holds no timeline"),
        ("a.otio", "{", {}, "cannot be read as OpenTimelineIO"),
        ("b.edl", LIST.replace("01:00:21:00", "01:00:21:05"), {}, "b.edl: cannot be read as an edit list (event 003"),
        ("a.edl", LIST, {"rate": "x"}, "must be a number"),
        ("a.edl", LIST, {"rate": "0.2"}, "between 1 and 1000"),
    ],
)
def test_what_is_no_cut(production, as_, name, text, more, words):
    page = send(as_("tess"), text, name, **more).content.decode()
    assert words in page
    assert "Traceback" not in page
    assert Cut.objects.count() == 0


def made(number, name, start, frames, record):
    return Event(number, name, "", "", start, frames, record, frames, 24.0)


def test_versions_are_compared(clip, as_, production):
    old = [made(1, "A", 0, 48, 0), made(2, "B", 0, 24, 48), made(3, "C", 10, 24, 72), made(4, "A", 100, 24, 96)]
    new = [made(1, "B", 0, 24, 0), made(2, "A", 6, 40, 24), made(3, "D", 0, 24, 64), made(4, "A", 100, 24, 96)]
    found = compare(old, new)
    assert [(one.kind, one.new and one.new.name) for one in found] == [
        ("moved", "B"), ("trimmed", "A"), ("added", "D"), ("same", "A"), ("removed", None)
    ]  # fmt: skip
    assert found[1].summary == "from 00:00:00:00 to 00:00:01:00, begins 6 frames later, ends 2 frames earlier"
    assert found[-1].old.name == "C"
    tess = as_("tess")
    send(tess)
    send(tess, LIST.replace("01:00:10:12 01:00:00:00 01:00:00:12", "01:00:10:10 01:00:00:00 01:00:00:10"), "cut4.edl")
    newer, older = Cut.objects.all()
    page = tess.get(f"{PAGE}{newer.pk}/?with={older.pk}").content.decode()
    assert "ends 2 frames earlier" in page
    assert "<td>moved</td>" not in page


def test_removed_shots_are_said_missed_and_had_back(clip, as_, production):
    """Their events are found no longer, and are again when they are had back; after a time they go for good."""
    tess = as_("tess")
    send(tess)
    cut = Cut.objects.get()
    event = cut.events.filter(state="found").first()
    shot = event.shot
    answer = tess.post(
        "/p/kilnlight/intake/change/", json.dumps({"shots": [shot.pk], "verb": "remove"}), "application/json"
    )
    assert answer.json()["changed"] == 1
    page = tess.get("/p/kilnlight/intake/").content.decode()
    assert "of cuts" in page or "of a cut" in page
    assert f"Removed: {shot.name}" in page
    assert not production.shots.filter(pk=shot.pk).exists()
    event.refresh_from_db()
    assert (event.state, event.why) == ("missing", "its shot was removed from the production")
    assert tess.get(f"/p/kilnlight/cuts/{cut.pk}/").status_code == 200
    match_again(cut)
    tess.post("/p/kilnlight/intake/undo-removal/")
    event.refresh_from_db()
    assert (event.state, event.shot_id) == ("found", shot.pk)
    remove_shots([shot])
    Shot.every.update(removed=timezone.now() - datetime.timedelta(days=15))
    sweep()
    assert not Shot.every.filter(pk=shot.pk).exists()


@pytest.mark.parametrize("name", ["null-tracks.otio", "rate-6.otio", "speed-7.otio", "address.otio"])
def test_a_hostile_cut_is_refused_on_the_page(as_, production, name):
    answer = as_("tess").post(PAGE, {"file": SimpleUploadedFile(name, CUTS[name])}, follow=True)
    assert answer.status_code == 200
    assert name in answer.content.decode() or production.cuts.exists()
