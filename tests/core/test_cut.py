"""Cuts: lists written by hand in several spellings, timelines written by OpenTimelineIO, and files with decoys."""

import json

import numpy as np
import opentimelineio as otio
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_timecode import movie
from upwelling.cli.main import main
from upwelling.core.cut import BadCut, Media, match_cut, read_cut, scan
from upwelling.core.cut.write import Link, write_cut
from upwelling.core.media import write_still
from upwelling.core.media.timecode import Timecode

HEAD = "TITLE: KILNLIGHT CUT 3\nFCM: NON-DROP FRAME\n\n"
ONE = "001  A012     V     C        01:00:10:00 01:00:12:00 01:00:00:00 01:00:02:00\n"


def cut_of(tmp_path, text, **how):
    place = tmp_path / "cut.edl"
    place.write_text(text)
    return read_cut(place, **how)


@pytest.mark.parametrize(
    ("lines", "wanted"),
    [
        (ONE, [("A012", "", 86640, 48, 86400)]),
        (ONE + "* FROM CLIP NAME: A012 GATHERING ROOM\n", [("A012", "A012 GATHERING ROOM", 86640, 48, 86400)]),
        (ONE.replace("V     C  ", "B     C  "), [("A012", "", 86640, 48, 86400)]),
        (ONE.replace("V     C  ", "A     C  ") + ONE.replace("001", "002"), [("A012", "", 86640, 48, 86400)]),
        ("\ufeff" + HEAD + ONE.replace("\n", "\r\n"), [("A012", "", 86640, 48, 86400)]),
        (
            ONE + "002  B007     V     C        02:00:00:00 02:00:01:12 01:00:05:00 01:00:06:12\n",
            [("A012", "", 86640, 48, 86400), ("B007", "", 172800, 36, 86520)],
        ),
        (ONE.replace(":00 ", ":24 ").replace("02:00\n", "02:24\n"), [("A012", "", 90274, 50, 90024)]),
    ],
    ids=["plain", "clip name", "both", "sound beside", "BOM and CRLF", "a hole", "25 by its frames"],
)
def test_lists_of_several_spellings(tmp_path, lines, wanted):
    cut = cut_of(tmp_path, lines if lines.startswith("\ufeff") else HEAD + lines)
    assert cut.title == "KILNLIGHT CUT 3"
    found = [(e.reel, e.name, e.start, e.frames, e.record) for e in cut.events]
    assert found == wanted
    assert cut.rate == (25 if wanted[0][3] == 50 else 24)


@pytest.mark.parametrize("mark", [";", ":"])
def test_drop_frame_is_counted_however_it_is_written(tmp_path, mark):
    """01:01:00;02 is the label after 01:00:59;29 (SMPTE ST 12-1), also where the list writes colons."""
    labels = [f"01:00:59{mark}28", f"01:01:00{mark}04", f"00:00:00{mark}00", f"00:00:00{mark}04"]
    cut = cut_of(tmp_path, f"TITLE: T\nFCM: DROP FRAME\n001  A012 V C {' '.join(labels)}\n")
    (event,) = cut.events
    assert (cut.rate, cut.drop, event.frames) == (30000 / 1001, True, 4)
    assert event.label(event.start + 2) == "01:01:00;02"
    with pytest.raises(BadCut, match="drop frame, which 24"):
        cut_of(tmp_path, f"FCM: DROP FRAME\n001  A012 V C {' '.join(labels)}\n", rate=24)


def test_speeds_transitions_and_corrections_are_said(tmp_path):
    text = HEAD + ONE + "* ASC_SOP (1.1 1.0 0.9)(0.01 0 -0.01)(1 1 1)\n* ASC_SAT 0.9\n"
    text += "002  A016     V     C        00:00:01:00 00:00:01:10 01:00:02:00 01:00:02:10\n"
    text += "M2   A016       048.0                00:00:01:00\n"
    text += "003  A016     V     C        00:00:04:00 00:00:04:00 01:00:02:10 01:00:02:10\n"
    text += "003  A021     V     D    010 03:00:00:00 03:00:02:00 01:00:02:10 01:00:04:10\n"
    first, second, third = cut_of(tmp_path, text).events
    assert (first.cdl.slope, first.cdl.saturation) == ((1.1, 1.0, 0.9), 0.9)
    assert (second.speed, first.speed) == (2.0, 1.0)
    assert (third.reel, third.transition) == ("A021", "dissolve, 10 frames")
    assert second.transition == ""


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "empty"),
        (b"\0\1\2", "not a text file"),
        (b"just words\n", "cannot be read as an edit list"),
        (HEAD.encode(), "no event of a picture"),
        (b"001  A012 V C 01:00:10:00 01:00:12:00 01:00:00:00 01:00:03:00\n", "cannot be read as an edit list"),
    ],
)
def test_what_is_no_list_gets_a_sentence(tmp_path, data, words):
    (tmp_path / "bad.edl").write_bytes(data)
    with pytest.raises(BadCut, match=words):
        read_cut(tmp_path / "bad.edl")


@given(st.binary(max_size=300) | st.text(max_size=300).map(str.encode))
@settings(max_examples=150, deadline=None)
def test_garbage_is_refused_or_read(tmp_path_factory, data):
    folder = tmp_path_factory.mktemp("garbage")
    for name, body in (("a.edl", ONE.encode() + data), ("a.otio", data), ("b.edl", data)):
        (folder / name).write_bytes(body)
        try:
            assert read_cut(folder / name).events
        except BadCut:
            continue


def timeline(rate=24.0):
    """Two clips with a hole between them and a slow one, as another program would build it by the library."""
    made = otio.schema.Timeline("Kilnlight, cut 4")
    made.global_start_time = otio.opentime.from_timecode("01:00:00:00", rate)
    track = otio.schema.Track("V1", kind=otio.schema.TrackKind.Video)
    for name, start, frames in (("A012", 86640, 48), (None, 0, 24), ("A016", 12, 12)):
        span = otio.opentime.TimeRange(
            otio.opentime.RationalTime(start, rate), otio.opentime.RationalTime(frames, rate)
        )
        if name is None:
            track.append(otio.schema.Gap(source_range=span))
            continue
        link = otio.schema.ExternalReference(f"file:///rushes/day%20one/{name}.mov")
        clip = otio.schema.Clip(name, link, span)
        if name == "A016":
            clip.effects.append(otio.schema.LinearTimeWarp(time_scalar=0.5))
            clip.effects.append(otio.schema.Effect("Blur"))
        track.append(clip)
    made.tracks.append(track)
    return made


def test_timelines_of_the_library_are_read(tmp_path):
    otio.adapters.write_to_file(timeline(), str(tmp_path / "cut.otio"))
    cut = read_cut(tmp_path / "cut.otio")
    assert cut.title == "Kilnlight, cut 4"
    a, b = cut.events
    assert (a.name, a.file, a.start, a.frames, a.label(a.record)) == ("A012", "A012.mov", 86640, 48, "01:00:00:00")
    assert (b.file, b.start, b.label(b.record), b.speed) == ("A016.mov", 12, "01:00:03:00", 0.5)
    assert "Blur" in b.notes[0]
    two = timeline()
    two.tracks.append(otio.schema.Track("V2", kind=otio.schema.TrackKind.Video, children=[two.tracks[0][0].clone()]))
    otio.adapters.write_to_file(two, str(tmp_path / "two.otio"))
    assert "2 picture tracks" in read_cut(tmp_path / "two.otio").notes[0]
    (tmp_path / "clip.otio").write_text(otio.schema.Clip("A").to_json_string())
    with pytest.raises(BadCut, match="no timeline"):
        read_cut(tmp_path / "clip.otio")


def test_both_ways_of_writing_one_cut_are_one(tmp_path):
    """The library writes the same timeline as an edit list; what is read of both is the same."""
    made = timeline()
    del made.tracks[0][2]
    del made.tracks[0][1]
    for name in ("c.otio", "c.edl"):
        otio.adapters.write_to_file(made, str(tmp_path / name))
    one, other = (read_cut(tmp_path / name).events[0] for name in ("c.otio", "c.edl"))
    assert (one.name, one.start, one.frames) == (other.name, other.start, other.frames)


def test_kilnlights_own_cut():
    from upwelling.core.simulate import kilnlight_set

    cut = read_cut(kilnlight_set.__file__.replace("kilnlight_set.py", "kilnlight_cut.edl"))
    assert len(cut.events) == 12
    ends = [event.record + event.record_frames for event in cut.events]
    assert [event.record for event in cut.events[1:]] == ends[:-1], "no hole, no overlap"


def media(name, reel="", begins=0, frames=200, rate=24.0):
    from pathlib import Path

    return Media(Path("/rushes") / name, name, reel, begins, frames, rate)


def event(tmp_path, reel="A012", clip="", source="01:00:10:00 01:00:12:00"):
    line = f"001  {reel}     V     C        {source} 01:00:00:00 01:00:02:00\n"
    return cut_of(tmp_path, HEAD + line + (f"* FROM CLIP NAME: {clip}\n" if clip else ""))


@pytest.mark.parametrize(
    ("files", "state", "first"),
    [
        ([media("A012.mov", begins=86400, frames=400)], "found", 240),
        ([media("a012.MOV", begins=86400, frames=400), media("B007.mov", begins=86400, frames=400)], "found", 240),
        ([media("x.mov", reel="A012", begins=86400, frames=400)], "found", 240),
        ([media("A012.mov", begins=86400, frames=400), media("A012.mxf", begins=86400, frames=400)], "ambiguous", None),
        ([media("A012.mov", begins=86400, frames=400), media("A012.mxf", begins=0, frames=400)], "found", 240),
        ([media("A012.mov", begins=86400, frames=270)], "outside", None),
        ([media("A012.mov", begins=None, frames=400)], "outside", None),
        ([media("A012.mov", begins=86400, frames=400, rate=25.0)], "rate", None),
        ([media("A012.mov", begins=86400, frames=400, rate=24000 / 1001)], "found", 240),
        ([media("A0123.mov", begins=86400, frames=400)], "missing", None),
        ([], "missing", None),
    ],
)
def test_events_and_decoys(tmp_path, files, state, first):
    (found,) = match_cut(event(tmp_path), files)
    assert (found.state, found.first) == (state, first)
    assert found.summary


def test_a_clip_name_goes_before_a_reel(tmp_path):
    files = [media("A012.mov", begins=86400, frames=400), media("B007.mov", begins=86400, frames=400)]
    (found,) = match_cut(event(tmp_path, reel="A012", clip="B007.mov"), files)
    assert found.media[0].name == "B007.mov"
    (found,) = match_cut(event(tmp_path, reel="AX"), files)
    assert found.state == "missing"
    assert "names none" in found.why or "AX" in found.why


def test_the_command_says_what_events_are_of(tmp_path, capsys):
    """Files by ffmpeg, with a timecode track; a sequence whose numbers have a hole; one that is no file at all."""
    folder = tmp_path / "rushes" / "day one"
    folder.mkdir(parents=True)
    movie(folder / "A012.mov", "24", "01:00:10:00")
    for number in (1, 2, 4):
        write_still(folder / f"B007.{number:04}.png", np.zeros((8, 8, 3)), "8")
    (folder / "broken.mov").write_bytes(b"\0\0\0\x20ftypqt  ")
    lines = HEAD + ONE.replace("01:00:12:00 01:00:00:00 01:00:02:00", "01:00:10:03 01:00:00:00 01:00:00:03")
    lines += (
        "002  AX       V     C        00:00:00:01 00:00:00:04 01:00:00:03 01:00:00:06\n* FROM CLIP NAME: B007.0001\n"
    )
    (tmp_path / "c.edl").write_text(lines)
    said = ["cut", str(tmp_path / "c.edl"), "--media", str(tmp_path / "rushes")]
    assert main([*said, "--json"]) == 0
    out = capsys.readouterr()
    body = json.loads(out.out)
    assert [(row["state"], row["first"]) for row in body["events"]] == [("found", 0), ("found", 1)]
    assert "broken.mov" in out.err
    (tmp_path / "c.edl").write_text(lines.replace("A012", "A013"))
    assert main(said) == 1
    assert "▲ missing: no file is called" in capsys.readouterr().out
    assert main(["cut", str(tmp_path / "no.edl"), "--media", str(tmp_path)]) == 2
    assert main(["cut", str(tmp_path / "c.edl"), "--media", str(tmp_path / "c.edl")]) == 2
    assert main([*said, "--rate", "-3"]) == 2
    assert scan(tmp_path / "rushes")[0][0].frames == 3


@pytest.mark.parametrize(
    ("fps", "source", "speed", "shown", "frames", "state"),
    [
        ("048.0", "00:00:02:00 00:00:06:00", 2.0, 96, 200, "found"),
        ("048.0", "00:00:02:00 00:00:06:00", 2.0, 96, 100, "outside"),
        ("012.0", "00:00:02:00 00:00:03:00", 0.5, 24, 72, "found"),
        ("012.0", "00:00:02:00 00:00:03:00", 0.5, 24, 71, "outside"),
        ("000.0", "00:00:02:00 00:00:02:00", 0.0, 1, 49, "found"),
        ("-024.0", "00:00:02:00 00:00:04:00", -1.0, 48, 96, "found"),
    ],
)
def test_a_speed_shows_more_or_less_of_its_source(tmp_path, capsys, fps, source, speed, shown, frames, state):
    """Two seconds of the cut: what is looked for in the file is what they show, and the command's source out is its
    end.

    The frames are those that OpenTimelineIO's own time warp gives: its length times the scalar (its documentation).
    """
    line = f"001  A012     V     C        {source} 01:00:00:00 01:00:02:00\nM2   A012       {fps}    00:00:02:00\n"
    cut = cut_of(tmp_path, HEAD + line)
    (one,) = cut.events
    assert (one.speed, one.frames, one.record_frames) == (speed, shown, 48)
    (found,) = match_cut(cut, [media("A012.mov", frames=frames)])
    assert found.state == state
    assert main(["cut", str(tmp_path / "cut.edl"), "--media", str(tmp_path), "--json"]) == 1
    assert json.loads(capsys.readouterr().out)["events"][0]["frames"] == shown
    main(["cut", str(tmp_path / "cut.edl"), "--media", str(tmp_path)])
    assert f"00:00:02:00–{one.label(48 + shown)}" in capsys.readouterr().out


def test_a_wipe_on_one_line_and_black_are_read(tmp_path):
    text = HEAD + "001  A012     V     W001 025 01:00:10:00 01:00:12:00 01:00:00:00 01:00:02:00\n"
    text += "002  BL       V     C        00:00:00:00 00:00:01:00 01:00:02:00 01:00:03:00\n"
    wiped, black = cut_of(tmp_path, text).events
    assert (wiped.name, wiped.reel, wiped.transition) == ("", "A012", "wipe, 25 frames")
    assert [one.state for one in match_cut(cut_of(tmp_path, text), [media("A012.mov", begins=86400, frames=400)])] == [
        "found",
        "black",
    ]
    assert black.black


def _mixed(rng):
    """A track of clips of several rates, with holes, as an editor's program nests them."""
    made = otio.schema.Timeline("mixed")
    made.global_start_time = otio.opentime.from_timecode("01:00:00:00", 24)
    track = otio.schema.Track("V1", kind=otio.schema.TrackKind.Video)
    for number in range(rng.integers(2, 9)):
        rate = float(rng.choice([24, 25, 30, 48, 50, 60, 24000 / 1001, 30000 / 1001]))
        start, length = (otio.opentime.RationalTime(int(rng.integers(1, n)), rate) for n in (200_000, 300))
        if rng.random() < 0.2:
            track.append(otio.schema.Gap(source_range=otio.opentime.TimeRange(duration=length)))
        track.append(otio.schema.Clip(f"C{number}", source_range=otio.opentime.TimeRange(start, length)))
    made.tracks.append(track)
    return made


@pytest.mark.parametrize("seed", range(40))
def test_events_stand_where_the_library_has_them(tmp_path, seed):
    """Against OpenTimelineIO's own times: in the cut, in the source, and when written back and read again."""
    made = _mixed(np.random.default_rng(seed))
    otio.adapters.write_to_file(made, str(tmp_path / "c.otio"))
    cut = read_cut(tmp_path / "c.otio")
    track = made.tracks[0]
    for event, clip in zip(cut.events, track.find_clips(), strict=True):
        place = track.trimmed_range_of_child(clip)
        at = place.start_time.to_seconds() + made.global_start_time.to_seconds()
        assert abs(event.record / cut.rate - at) <= 0.5 / cut.rate + 1e-9
        assert event.start == clip.source_range.start_time.value
        assert event.frames == clip.source_range.duration.value
    (tmp_path / "back.otio").write_text(write_cut(cut.title, cut.rate, False, linked(cut.events), "otio"))
    for before, after in zip(cut.events, read_cut(tmp_path / "back.otio").events, strict=True):
        assert after.label(after.start) == before.label(before.start)
        assert abs(after.record - before.record) <= 1


def test_a_clip_of_another_rate_begins_where_it_does(tmp_path):
    """A 25 fps clip after 48 frames of 24, and its label in the list that is written back."""
    made = otio.schema.Timeline("m")
    track = otio.schema.Track("V1", kind=otio.schema.TrackKind.Video)
    for rate, start, frames in ((24, 0, 48), (25, 270_000, 50)):
        span = otio.opentime.TimeRange(*(otio.opentime.RationalTime(n, rate) for n in (start, frames)))
        track.append(otio.schema.Clip(f"C{rate}", source_range=span))
    made.tracks.append(track)
    otio.adapters.write_to_file(made, str(tmp_path / "c.otio"))
    cut = read_cut(tmp_path / "c.otio")
    second = cut.events[1]
    assert str(Timecode(second.record, 24)) == "00:00:02:00"
    assert second.label(second.start) == "03:00:00:00"
    text = write_cut("m", cut.rate, False, linked(cut.events), "edl")
    assert "03:00:00:00 03:00:02:00 00:00:02:00 00:00:04:00" in text


def linked(events, handles=0):
    return [
        Link(
            event, f"{event.number:03}.mov", event.start - handles, event.start, event.frames + 2 * handles, event.reel
        )
        for event in events
    ]


@pytest.mark.parametrize("kind", ["edl", "otio"])
@pytest.mark.parametrize(
    ("text", "rate"),
    [
        (HEAD + ONE + "002  B007     V     C        02:00:00:00 02:00:01:12 01:00:05:00 01:00:06:12\n", 24),
        ("TITLE: X\nFCM: DROP FRAME\n\n" + ONE.replace(":00 ", ";10 ").replace("02:00\n", "02;10\n"), 29.97),
        (HEAD + ONE, 25),
        (HEAD + ONE, 23.976),
    ],
    ids=["a hole", "drop frame", "25", "23.976"],
)
def test_what_is_written_back_is_read_as_it_was_over_the_new_files(tmp_path, kind, text, rate):
    """Round trip through OpenTimelineIO: labels, lengths and order stay, names are the delivered files'."""
    before = cut_of(tmp_path, text, rate=rate)
    place = tmp_path / f"back.{kind}"
    place.write_text(write_cut(before.title, before.rate, before.drop, linked(before.events, 8), kind))
    after = read_cut(place, before.rate if kind == "edl" else 0.0)
    assert [(e.start, e.frames, e.record) for e in after.events] == [
        (e.start, e.frames, e.record) for e in before.events
    ]
    named = [e.file or e.name for e in after.events]
    assert [name.rsplit("/", 1)[-1] for name in named] == [f"{e.number:03}.mov" for e in before.events]
    if kind == "edl":
        assert [e.label(e.record) for e in after.events] == [e.label(e.record) for e in before.events]
        assert ("FCM: DROP FRAME" if before.drop else "FCM: NON-DROP FRAME") in place.read_text()
