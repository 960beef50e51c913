"""A card read whole: sub-folders, runs, what is known already, checksums by sha256sum, and one that goes midway."""

import csv
import io
import shutil
import subprocess
from datetime import timedelta

import numpy as np
import pytest
from django.utils import timezone

from upwelling.core.errors import UpwellingError
from upwelling.core.media import write_still
from upwelling.web.footage import arrivals
from upwelling.web.footage.cards import Card, checksums, read_card, state_of, take_up
from upwelling.web.footage.models import Arrival

PAGE = "/p/kilnlight/intake/cards/"


@pytest.fixture
def card_folder(settings):
    """A card: two folders of stills, a numbered run, a broken file, one that is twice, a hidden one."""
    card = settings.MEDIA_FOLDER / "CARD_A"
    for n, name in enumerate(["CLIPS/A1", "CLIPS/A2", "MORE/B1", *(f"RUN/R.{k:04}" for k in range(5))]):
        (card / name).parent.mkdir(parents=True, exist_ok=True)
        write_still(card / f"{name}.dpx", np.full((6, 8, 3), (n + 1) / 9), "10")
    shutil.copy(card / "CLIPS" / "A1.dpx", card / "MORE" / "TWIN.dpx")
    (card / "CLIPS" / "BAD.dpx").write_bytes((card / "CLIPS" / "A1.dpx").read_bytes()[:900])
    (card / ".trash").mkdir()
    write_still(card / ".trash" / "T.dpx", np.zeros((6, 8, 3)), "10")
    return card


@pytest.fixture
def read(as_, production, django_capture_on_commit_callbacks):
    """Reads a folder as a card, with or without the worker."""

    def act(folder="CARD_A", run=True):
        with django_capture_on_commit_callbacks(execute=run):
            return as_("tess").post(PAGE, {"folder": ".", "typed": folder}, follow=True)

    return act


def test_a_card_is_read_whole_and_reported(card_folder, read, as_, production):
    read()
    card = Card.objects.get()
    state = state_of(card)
    assert (state.files, state.over, state.gone) == (6, True, False)
    assert state.counts == {"done": 4, "here": 1, "failed": 1}
    page = as_("vera").get(f"{PAGE}{card.pk}/").content.decode()
    assert "All 6 looked at: 4 brought in, 1 already here, 1 not read." in page
    assert "BAD.dpx" in page
    run = production.shots.get(kind="sequence")
    assert (run.frames, run.metadata["card"]) == (5, "CARD_A")
    rows = list(csv.DictReader(io.StringIO(as_("vera").get(f"{PAGE}{card.pk}/report/").content.decode())))
    assert {row["state"] for row in rows} == {"Brought in", "Already here", "Refused"}
    assert [row["files"] for row in rows if "RUN" in row["file"]] == ["5"]
    answer = as_("vera").get(f"{PAGE}{card.pk}/checksums/")
    assert answer.content.decode() == checksums(card)
    # GNU coreutils' own check of all that was read: ten files.
    said = subprocess.run(["sha256sum", "-c"], input=answer.content, cwd=card_folder, capture_output=True, check=True)
    assert said.stdout.count(b": OK") == 10
    assert as_("vera").post(PAGE, {"typed": "CARD_A"}).status_code == 403
    assert as_("olaf").get(f"{PAGE}{card.pk}/").status_code == 404


def test_read_again_only_what_is_new_is_added(card_folder, read, production):
    read()
    before = {one.pk: one.finished for one in Arrival.objects.filter(state="done")}
    write_still(card_folder / "MORE" / "NEW.dpx", np.full((6, 8, 3), 0.9), "10")
    (card_folder / "CLIPS" / "BAD.dpx").unlink()
    write_still(card_folder / "CLIPS" / "BAD.dpx", np.full((6, 8, 3), 0.7), "10")
    read()
    assert Card.objects.count() == 1
    assert state_of(Card.objects.get()).counts == {"done": 6, "here": 1}
    assert {one.pk: one.finished for one in Arrival.objects.filter(pk__in=before)} == before
    arrivals.dismiss(production)
    assert not production.arrivals.filter(listed=True).exists()
    assert state_of(Card.objects.get()).files == 7, "a report outlives the list of Intake"


def test_a_card_that_goes_midway_is_told_and_taken_up_again(card_folder, read, as_, django_capture_on_commit_callbacks):
    read(run=False)
    card = Card.objects.get()
    first, *rest = card.arrivals.order_by("pk")
    arrivals.look_at(first.pk)
    away = card_folder.rename(card_folder.with_name("gone"))
    for one in rest:
        arrivals.look_at(one.pk)
    state = state_of(card)
    assert state.gone
    assert state.counts["failed"] == 5
    page = as_("tess").get(f"{PAGE}{card.pk}/").content.decode()
    assert "The card is gone" in page
    assert "Take it up again: 5 not read" in page
    assert as_("tess").get(f"{PAGE}{card.pk}/progress/").json()["gone"] is True
    with pytest.raises(UpwellingError, match="is not there"):
        take_up(card)
    assert "is not there" in as_("tess").post(f"{PAGE}{card.pk}/take-up/", follow=True).content.decode()
    away.rename(card_folder)
    with django_capture_on_commit_callbacks(execute=True):
        page = as_("tess").post(f"{PAGE}{card.pk}/take-up/", follow=True).content.decode()
    assert "5 files taken up again" in page
    assert state_of(card).counts == {"done": 4, "here": 1, "failed": 1}


def test_one_file_that_goes_is_said_by_its_name(card_folder, read):
    read(run=False)
    card = Card.objects.get()
    one = card.arrivals.get(place__endswith="B1.dpx")
    one.disk_path.unlink()
    arrivals.look_at(one.pk)
    one.refresh_from_db()
    assert one.state == "failed"
    assert "B1.dpx cannot be read" in one.message
    assert "gone" not in one.message


@pytest.mark.parametrize(
    ("ends", "left", "words"),
    [((0,), None, "1 of 4, 1.0 of 4.0 GB:"), ((0, 10), 20, "about 20 s left"), ((0, 600), 1200, "about 20 min left")],
)
def test_the_time_left_goes_by_the_bytes_read(production, people, ends, left, words):
    card = Card.objects.create(production=production, name="C", folder=".", created_by=people["tess"])
    now = timezone.now()
    for n in range(4):
        over = n < len(ends)
        production.arrivals.create(
            name=f"{n}",
            card=card,
            state="done" if over else "waiting",
            size_bytes=10**9,
            finished=now - timedelta(seconds=ends[-1] - ends[n]) if over else None,
        )
    state = state_of(card)
    assert state.left == (None if left is None else pytest.approx(left, abs=1.5))
    assert words in state.sentence()


@pytest.mark.parametrize(
    ("folder", "words"), [("EMPTY", "hold no footage"), ("../x", "no folder"), ("NONE", "no folder")]
)
def test_cards_are_refused_in_words(settings, read, folder, words):
    (settings.MEDIA_FOLDER / "EMPTY" / "in").mkdir(parents=True)
    assert words in read(folder).content.decode()
    assert not Card.objects.exists()


def test_many_clips(settings, production, people, monkeypatch):
    """Two hundred clips of a card are queued in a few queries' time; more than are taken at once are refused."""
    folder = settings.MEDIA_FOLDER / "BIG"
    folder.mkdir()
    write_still(folder / "X0.dpx", np.zeros((6, 8, 3)), "10")
    for n in range(1, 200):
        (folder / f"X{n}_.dpx").hardlink_to(folder / "X0.dpx")
    card = read_card(production, people["tess"], "BIG")
    assert state_of(card).files == 200
    assert state_of(card).sentence().startswith("0 of 200")
    monkeypatch.setattr("upwelling.web.footage.cards.MOST_SHOTS", 150)
    with pytest.raises(UpwellingError, match="one by one"):
        read_card(production, people["tess"], "BIG")
