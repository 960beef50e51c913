"""A recording in several files: joined where a card's limit and the timecode say so, else by hand; files by ffmpeg."""

import subprocess

import numpy as np
import pytest

from tests.web.test_gates import JSON
from upwelling.core.errors import UnreadableFile
from upwelling.core.media import Movie, open_footage, spanned
from upwelling.core.media.spanned import joined_spans
from upwelling.web.deliveries.models import Delivery
from upwelling.web.footage import arrivals


def part(place, first, frames, label, size="128x96"):
    """Frames of one picture that moves, from a frame on, with a timecode and sound."""
    source = f"testsrc2=size={size}:rate=24,trim=start_frame={first}:end_frame={first + frames},setpts=PTS-STARTPTS"
    inputs = ["-f", "lavfi", "-i", source, "-f", "lavfi", "-i", f"sine=duration={frames / 24}"]
    coded = ["-c:v", "prores_ks", "-profile:v", "3", "-c:a", "pcm_s16le", "-timecode", label]
    subprocess.run(["ffmpeg", "-v", "error", "-y", *inputs, *coded, str(place)], check=True)
    return place


@pytest.fixture
def parts(settings, monkeypatch):
    """Three parts of one recording and a clip after it, the limit being that of the first; and the whole of them."""
    folder = settings.MEDIA_FOLDER / "spans"
    folder.mkdir()
    rows = (("C001_1", 0, 12, "01:00:00:00"), ("C001_2", 12, 12, "01:00:00:12"), ("C001_3", 24, 5, "01:00:01:00"))
    made = [part(folder / f"{name}.mov", *rest) for name, *rest in rows]
    part(folder / "C002_1.mov", 40, 6, "01:00:09:00")
    monkeypatch.setattr(spanned, "LIMITS", tuple(one.stat().st_size for one in made[:2]))
    monkeypatch.setattr(spanned, "NEAR", 0.1)
    whole = part(settings.MEDIA_FOLDER.parent / "whole.mov", 0, 29, "01:00:00:00")
    return made, whole


def test_frames_are_those_of_the_whole(parts):
    made, whole = parts
    one, other = open_footage(made[0], made), Movie(whole)
    assert (one.facts.kind, one.facts.frames, one.facts.rate) == ("movie", 29, 24)
    assert "in 3 files" in one.facts.notes[-1]
    for mine, theirs in zip(one.several([0, 11, 12, 23, 24, 28]), other.several([0, 11, 12, 23, 24, 28]), strict=True):
        np.testing.assert_array_equal(mine.code, theirs.code)
    assert len(list(one.luma_frames())) == 29
    assert one.times[-1] == pytest.approx(28 / 24)
    with pytest.raises(UnreadableFile, match="0 to 28"):
        one.frame(29)


def test_what_goes_on_is_joined_and_nothing_else(parts, monkeypatch, tmp_path):
    made, _ = parts
    folder = made[0].parent
    singles = [[path] for path in sorted(folder.glob("*.mov"))]
    assert [len(run) for run in joined_spans(singles)] == [3, 1]
    part(made[1], 12, 12, "01:00:00:13")  # a frame is missing between them
    assert [len(run) for run in joined_spans(singles)] == [1, 1, 1, 1]
    part(made[1], 12, 12, "01:00:00:12")
    monkeypatch.setattr(spanned, "LIMITS", (2**32,))  # no part ends at a limit
    assert [len(run) for run in joined_spans(singles)] == [1, 1, 1, 1]
    part(made[1], 0, 12, "01:00:00:12", size="64x48")
    with pytest.raises(UnreadableFile, match="no one recording"):
        _ = open_footage(made[0], made).facts


def test_a_recording_is_one_shot_delivered_and_taken_apart(
    parts, production, people, as_, django_capture_on_commit_callbacks
):
    tess = as_("tess")
    with django_capture_on_commit_callbacks(execute=True):
        arrivals.register_folders(production, people["tess"], ["spans"])
    long, short = production.shots.order_by("-frames")
    assert (long.frames, long.kind, len(long.members), short.frames) == (29, "movie", 3, 6)
    assert (long.timecode(24), long.begins) == ("01:00:01:00", "01:00:00:00")

    def change(verb, shots):
        body = {"shots": [shot.pk for shot in shots], "verb": verb}
        with django_capture_on_commit_callbacks(execute=True):
            return tess.post("/p/kilnlight/intake/change/", body, "application/json", headers=JSON).json()

    with django_capture_on_commit_callbacks(execute=True):
        tess.post("/p/kilnlight/deliveries/new/", {"preset": "ProRes 422 HQ", "shot": long.pk})
    made = Delivery.objects.get()
    assert made.verdict == "holds", made.job.message
    assert Movie(made.place).facts.frames == 29
    assert change("apart", [long])["changed"] == 1
    assert production.shots.count() == 5
    singles = list(production.shots.filter(members=[], frames__in=(12, 5)).order_by("name"))
    production.shots.filter(pk=long.pk).delete()
    change("together", singles)
    assert production.shots.get(frames=29).members == long.members
