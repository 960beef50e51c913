"""States of a shot by the Bench's answers: Marks, history, steps given to many, motion, who else is there."""

import struct

import imagecodecs
import pytest
from django.utils import timezone

from tests.web.test_bench import copy_of, post
from tests.web.test_shots import body
from upwelling.core.errors import BadValue
from upwelling.core.steps import Contrast, Exposure, Saturation
from upwelling.web.common.requests import Refused
from upwelling.web.footage.history import apply_settings, return_to, set_mark, share_steps, unshare
from upwelling.web.footage.models import Presence, Shot
from upwelling.web.footage.presence import FORGOTTEN
from upwelling.web.footage.shot_settings import MOST_STEPS, ShotSettings


@pytest.mark.parametrize(
    ("way", "wanted"),
    [
        ("replace", [("exposure", 0.5)]),
        ("on top", [("exposure", 1.5)]),
        ("own", [("exposure", 1.0), ("exposure2", 0.5)]),
    ],
)
def test_steps_are_given_in_three_ways(shot, people, production, as_, way, wanted):
    """An exposure of half a stop to a shot that has one: in its place, on top of it, or as a step of its own."""
    other = copy_of(shot, "other")
    apply_settings(other, people["tess"], ShotSettings().with_steps([Exposure(stops=1)]), version=0, label="mine")
    apply_settings(shot, people["tess"], ShotSettings().with_steps([Exposure(stops=0.5)]), version=0, label="given")
    tess = as_("tess")
    page = tess.get(f"/p/kilnlight/bench/{shot.pk}/share/", {"way": way, "step": "exposure", "asked": "yes"})
    assert f'value="{way}" checked' in page.content.decode()
    tess.post(f"/p/kilnlight/bench/{shot.pk}/share/give/", {"step": "exposure", "shot": other.pk, "way": way})
    steps = Shot.objects.get(pk=other.pk).settings.steps
    assert [(step.id, step.stops) for step in steps if step.kind == "exposure"] == wanted


@pytest.mark.parametrize(
    ("there", "given", "count", "stops"),
    [
        (Exposure(id="exposure", stops=7), Exposure(stops=3), 2, 7),  # beyond what one step holds
        (Exposure(id="exposure", stops=1, strength=0.5), Exposure(stops=1), 2, 1),
        (Exposure(id="exposure", stops=1, on=False), Exposure(stops=2), 2, 1),
        (Exposure(id="exposure"), Exposure(stops=2), 1, 2),
        (Exposure(id="exposure", stops=-2), Exposure(stops=2), 1, 0),
    ],
)
def test_on_top_is_one_step_only_where_one_can_say_both(there, given, count, stops):
    both = ShotSettings(steps=(there,)).with_steps([given], "on top").steps
    assert (len(both), both[0].stops) == (count, stops)


# --- Marks and history
def test_marks_are_kept_compared_and_removed(shot, as_, people):
    tess = as_("tess")
    brighter = body(exposure={"stops": 1.0})
    rows = post(tess, shot, "marks/change", {"settings": brighter, "mark": "  Brighter   one "}).json()["marks"]
    assert [(r["name"], r["differences"]) for r in rows] == [("Brighter one", ["As it is now"])]
    rows = post(tess, shot, "marks", {"settings": body()}).json()["marks"]
    assert rows[0]["differences"] == ["Exposure: 0 → 1"]
    assert imagecodecs.jpeg8_decode(b"".join(tess.get(rows[0]["thumbnail"]).streaming_content)).shape == (54, 96, 3)
    assert "already" in post(tess, shot, "marks/change", {"settings": body(), "mark": "Brighter one"}).json()["error"]
    assert post(as_("vera"), shot, "marks", {"settings": body()}).json()["marks"][0]["name"] == "Brighter one"
    assert post(as_("vera"), shot, "marks/change", {"settings": body(), "mark": "x"}).status_code == 403
    assert set_mark(shot, people["tess"], "", ShotSettings()).name == "Mark 2"
    with pytest.raises(Refused, match="60 characters"):
        set_mark(shot, people["tess"], "x" * 61, ShotSettings())
    assert len(post(tess, shot, "marks/change", {"settings": body(), "remove": rows[0]["pk"]}).json()["marks"]) == 1


def test_history_says_what_changed_and_goes_anywhere(shot, as_, people):
    for number, stops in enumerate((0.5, 1.0, 1.5)):
        shot = apply_settings(
            shot,
            people["tess"],
            ShotSettings().with_steps([Exposure(stops=stops)]),
            version=number,
            label=f"to {stops}",
        )
    states = post(as_("tess"), shot, "marks", {"settings": body()}).json()["states"]
    assert [(s["label"], s["changed"]) for s in states][:2] == [
        ("to 1.5", ["Exposure: 1 → 1.5"]),
        ("to 1.0", ["Exposure: 0.5 → 1"]),
    ]
    assert post(as_("tess"), shot, "history", {"position": 1}).json()["settings"]["steps"][0]["stops"] == 0.5
    assert Shot.objects.get().states.count() == 4
    assert return_to(shot, 3).settings.steps[0].stops == 1.5
    with pytest.raises(Refused, match="no longer in the history"):
        return_to(shot, 9)


# --- one change to many
def test_steps_are_given_to_many_and_taken_back_at_once(shot, as_, people, production):
    shot = apply_settings(
        shot,
        people["tess"],
        ShotSettings().with_steps([Exposure(stops=0.7), Contrast(contrast=1.2)]),
        version=0,
        label="trim",
    )
    others = [copy_of(shot, f"other {n}") for n in range(3)]
    tess, address = as_("tess"), f"/p/kilnlight/bench/{shot.pk}/share/"
    page = tess.get(address + "?step=exposure").content.decode()
    assert page.count("Exposure: 0 → 0.7") == 3
    assert "Contrast: 1 →" not in page
    answer = tess.post(
        address + "give/", {"step": ["exposure"], "shot": [o.pk for o in others[:2]]}, follow=True
    ).content.decode()
    assert "Exposure given to 2 shots" in answer
    assert [Shot.objects.get(pk=o.pk).settings.steps[0].stops for o in others] == [0.7, 0.7, 0.0]
    assert Shot.objects.get(pk=others[0].pk).settings.steps[2].contrast == 1.0
    fresh = Shot.objects.get(pk=others[1].pk)
    apply_settings(
        fresh, people["tess"], ShotSettings().with_steps([Exposure(stops=2)]), version=fresh.version, label="by hand"
    )
    change = production.shared_changes.get()
    back = tess.post(f"{address}{change.pk}/take-back/", follow=True).content.decode()
    assert "except from shots that were changed since: other 1" in back
    assert [Shot.objects.get(pk=o.pk).settings.steps[0].stops for o in others] == [0.0, 2.0, 0.0]
    with pytest.raises(Refused, match="already"):
        unshare(change.__class__.objects.get())
    with pytest.raises(Refused, match="at least one"):
        share_steps(production, people["tess"], shot, [], others)


def test_sharing_is_all_or_nothing(shot, people, production):
    full = copy_of(shot, "full")
    apply_settings(
        full,
        people["tess"],
        ShotSettings().with_steps([Saturation(amount=1.1)] * (MOST_STEPS - 5)),
        version=0,
        label="many",
    )
    other = copy_of(shot, "other")
    with pytest.raises(BadValue, match="at most"):
        share_steps(
            production,
            people["tess"],
            shot,
            [Contrast(id="a", contrast=1.1), Contrast(id="b", contrast=1.2)],
            [other, full],
        )
    assert not other.states.exists()
    assert not production.shared_changes.exists()


# --- motion, caches
def test_motion_and_filmstrip(shot, as_):
    answer = post(as_("vera"), shot, "motion", {"settings": body(), "first": 0, "count": 8})
    count, size = struct.unpack("<2I", answer.content[:8])
    assert (count, len(answer.content)) == (1, 8 + size)
    picture = imagecodecs.jpeg8_decode(answer.content[8:])
    assert picture.shape == (54, 96, 3)
    strip = imagecodecs.jpeg8_decode(
        b"".join(as_("vera").get(f"/p/kilnlight/bench/{shot.pk}/filmstrip/").streaming_content)
    )
    assert strip.shape == (54, 12 * 96, 3)


def test_who_else_is_on_a_shot_is_said_and_forgotten(shot, as_):
    """Both are told of each other, a change since is told by its version, and who went silent counts as gone."""

    def say(who):
        return post(as_(who), shot, "here", {}).json()

    first = say("tess")
    assert (first["others"], first["version"]) == ([], 0)
    assert say("vera")["others"] == ["tess"]
    apply_settings(shot, None, ShotSettings().with_steps([Exposure(stops=1)]), version=0, label="exposure")
    then = say("tess")
    assert (then["others"], then["version"]) == (["vera"], 1)
    assert then["fingerprint"] != first["fingerprint"], "a change of the arithmetic is told too"
    Presence.objects.filter(user__username="vera").update(seen=timezone.now() - 2 * FORGOTTEN)
    assert say("tess")["others"] == []


def test_the_bench_opens_where_it_was_left(shot, as_, production):
    tess = as_("tess")
    assert tess.get("/p/kilnlight/bench/").url == f"/p/kilnlight/bench/{shot.pk}/"
    second = Shot.objects.get(pk=shot.pk)
    second.pk, second.name = None, "ZZ"
    second.save(force_insert=True)
    tess.get(f"/p/kilnlight/bench/{second.pk}/")
    assert tess.get("/p/kilnlight/bench/").url == f"/p/kilnlight/bench/{second.pk}/"
    Shot.objects.all().delete()
    said = tess.get("/p/kilnlight/bench/", follow=True)
    assert "Bring footage in first" in said.content.decode()
