"""A first pass: its order, whom it is for, what cannot be worked at, and where it stands."""

import json

import pytest

from tests.web.test_matches import many as many
from tests.web.test_matches import two as two
from upwelling.core.errors import BadValue
from upwelling.web.bench.first_pass import CONTROLS, begin, pass_rows, pass_targets, standing_of, summary_of
from upwelling.web.bench.models import FirstPass
from upwelling.web.common.controls import controls

PAGE = "/p/kilnlight/first-pass/"


def bench(shot):
    return f"/p/kilnlight/bench/{shot.pk}/"


def say(client, shot, said):
    return client.post(f"{bench(shot)}first-pass/", json.dumps({"said": said}), "application/json").json()


@pytest.mark.parametrize("name", CONTROLS)
def test_each_control_is_one_number_of_a_step(name):
    title, step, path = CONTROLS[name]
    (row,) = pass_rows([name])
    (cell,) = row["cells"]
    kept = next(one for one in controls(step, "") if one.get("name") == path.split(".")[0])["cells"]
    assert (row["title"], cell["label"], cell["path"]) == (title, title, f"pass.{name}")
    assert {key: cell[key] for key in ("low", "high", "fine", "default")} in [
        {key: one[key] for key in ("low", "high", "fine", "default")} for one in kept
    ]
    assert pass_targets()[name] == {"kind": step().kind, "path": path}


def test_it_goes_in_the_order_given_and_round_to_what_was_left(many, production, people):
    a, b, c, d = many
    c.encoding = ""
    c.save()
    walk = begin(production, people["tess"], [d.pk, a.pk, c.pk, b.pk, a.pk], ["saturation", "exposure", "no such"])
    assert (walk.numbers, walk.controls) == ([d.pk, a.pk, c.pk, b.pk], ["exposure", "saturation"])
    assert [walk.next_after(pk) for pk in (0, d.pk, a.pk, b.pk)] == [d.pk, a.pk, b.pk, d.pk], "C cannot be worked at"
    walk.said |= {str(d.pk): "good", str(a.pk): "later"}
    assert walk.next_after(b.pk) is None or walk.next_after(b.pk) == b.pk
    stands = standing_of(walk, b.pk)
    assert (stands["at"], stands["of"], stands["good"], stands["later"], stands["next"]) == (3, 3, 1, 1, None)
    said = summary_of(walk)
    assert [row["name"] for row in said["later"]] == [a.name]
    assert [row["name"] for row in said["left"]] == [b.name]
    assert [row["reason"] for row in said["cannot"]] == ["what this file is was not settled"]
    c.encoding = a.encoding
    c.save()
    assert [row["name"] for row in summary_of(walk)["left"]] == [c.name, b.name], "settled meanwhile"


@pytest.mark.parametrize(
    ("numbers", "names", "why"),
    [([], ["exposure"], "at least one shot"), ([1], [], "at least one control"), (None, ["exposure"], "settle what")],
)
def test_what_cannot_begin_is_said(many, production, people, numbers, names, why):
    if numbers is None:
        production.shots.update(encoding="", camera=None)
        numbers = [shot.pk for shot in many]
    with pytest.raises(BadValue, match=why):
        begin(production, people["tess"], numbers, names)


def test_the_page_begins_it_and_the_bench_holds_it_for_that_person_alone(many, production, as_, people):
    a, b, *_ = many
    tess, olaf = as_("tess"), as_("olaf")
    assert b"Begin the first pass" in tess.get(PAGE).content
    answer = tess.post(PAGE, {"shot": [b.pk, a.pk], "control": ["exposure", "tint"]})
    assert answer.url == bench(b), "in the order chosen"
    page = tess.get(bench(b)).content.decode()
    assert "pass.tint" in page
    assert "pass.contrast" not in page
    assert "pass.tint" not in tess.get(bench(many[2])).content.decode(), "not of the pass"
    assert say(tess, b, "good")["next"] == bench(a)
    assert say(tess, a, "later")["next"] is None
    assert FirstPass.objects.get(user=people["tess"]).said == {str(b.pk): "good", str(a.pk): "later"}
    summary = tess.get(f"{PAGE}summary/").json()
    assert (summary["good"], [row["name"] for row in summary["later"]]) == (1, [a.name])
    tess.post(f"{PAGE}leave/")
    assert "pass.tint" not in tess.get(bench(b)).content.decode()
    assert tess.post(PAGE, {"on": "yes"}).url == PAGE, "gone through"
    assert olaf.get(PAGE).status_code == 404
    assert as_("vera").post(PAGE, {"shot": [a.pk]}).status_code == 403


def test_a_bench_fetched_ahead_neither_becomes_the_last_shot_nor_says_what_waits_to_be_said(many, as_):
    """Its messages stay for the page that is seen; the shot worked on last is the one that says it is there."""
    a, b, *_ = many
    tess = as_("tess")
    tess.get(bench(a))
    tess.post(PAGE, {"control": ["no such"]})
    ahead = tess.get(bench(b), headers={"Purpose": "prefetch"}).content.decode()
    assert "at least one control" not in ahead
    assert "at least one control" in tess.get(PAGE).content.decode()
    assert tess.get("/p/kilnlight/bench/").url == bench(a)
    assert tess.post(f"{bench(b)}here/").json()["fingerprint"]
    assert tess.get("/p/kilnlight/bench/").url == bench(b)
