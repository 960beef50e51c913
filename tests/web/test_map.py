"""The map: every page has an area, every part answers, old addresses lead on; the first page and the rules on it."""

import re

import pytest
from django.urls import get_resolver, reverse

from tests.web.test_shots import body
from upwelling.web.bakes.models import Bake
from upwelling.web.common.areas import AREAS, area_of
from upwelling.web.footage.history import apply_settings
from upwelling.web.footage.models import Shot
from upwelling.web.footage.rule_touches import touches
from upwelling.web.footage.shot_settings import read_settings
from upwelling.web.productions.models import Entry, Production
from upwelling.web.productions.record import together
from upwelling.web.productions.remarks import write_remark
from upwelling.web.productions.rule_lines import rule_differences
from upwelling.web.productions.services import set_rules

PARTS = [part for area in AREAS for part in area.parts]
NO_PAGES = {"picture", "thumbnail", "file", "json", "zip", "download", "progress", "state", "strip", "rows", "movie"}


def test_every_page_with_a_bar_has_one_area():
    """Each page of a production that extends the frame stands in exactly one part of the map."""
    names = [part.url for part in PARTS] + [page for part in PARTS for page in part.pages]
    assert len(names) == len(set(names))
    known = {str(name) for name in get_resolver().reverse_dict if isinstance(name, str)}
    assert set(names) - known == set()
    assert [area.title for area in AREAS if area_of(area.parts[0].url) is not area] == []


@pytest.mark.parametrize("part", PARTS, ids=lambda part: part.url)
def test_every_part_answers_and_says_where_one_is(part, as_, shot):
    page = as_("tess").get(reverse(part.url, args=["kilnlight"]), follow=True)
    text = page.content.decode()
    assert page.status_code == 200
    if part.url != "any-bench":  # the Bench needs all of the window; the map is a key away
        marked = re.findall(r'aria-current="page"\s*>([^<]*)</a>', text.split('class="parts"')[1])
        assert marked[0].strip() == part.title
    assert re.search(rf'aria-current="true">\s*{area_of(part.url).title}</a>', text)
    for one in PARTS:
        assert reverse(one.url, args=["kilnlight"]) in text, "the map names every part on every page"


@pytest.mark.parametrize("part", PARTS, ids=lambda part: part.url)
def test_every_part_answers_in_an_empty_production(part, as_, production):
    assert as_("tess").get(reverse(part.url, args=["kilnlight"]), follow=True).status_code == 200
    assert as_("vera").get(reverse(part.url, args=["kilnlight"]), follow=True).status_code in (200, 403)


def test_the_first_page_says_what_waits_and_where_to_go_on(shot, as_, people, production):
    tess = as_("tess")
    page = tess.get("/p/kilnlight/").content.decode()
    assert "1 of 1 known" in page
    assert "0 of 1 worked on" in page
    assert "No remark" not in page
    apply_settings(shot, people["tess"], read_settings(body(exposure={"stops": 1.0})), version=0, label="exposure")
    write_remark(production, people["vera"], ("shot", shot.pk, shot.name), "Brighter?", question=True)
    shot.__class__.objects.filter(pk=shot.pk).update(encoding="", state="unknown")
    page = tess.get("/p/kilnlight/").content.decode()
    for words in ("1 shot without an encoding", "1 open remark", "1 of 1 worked on", "Next: settle"):
        assert words in page, words
    assert "Next: " not in as_("vera").get("/p/kilnlight/").content.decode()


def test_an_old_address_of_the_list_leads_there(shot, as_):
    answer = as_("tess").get("/p/kilnlight/?find=A0&sort=name", follow=True)
    assert answer.redirect_chain == [("shots/?find=A0&sort=name", 302)]
    assert "Shots" in answer.content.decode()


def _form(page):
    found = dict(re.findall(r'<input type="(?:number|text|hidden)" name="(\w+)" value="([^"]*)"', page))
    for name, options in re.findall(r'<select name="(\w+)"[^>]*>(.*?)</select>', page, re.S):
        chosen = re.search(r'<option value="([^"]*)" selected', options)
        found[name] = chosen.group(1) if chosen else ""
    found["seen"] = re.search(r'name="seen" value="([^"]*)"', page).group(1).replace("&quot;", '"')
    return {name: value for name, value in found.items() if name != "csrfmiddlewaretoken"}


def test_rules_say_what_they_touch_and_come_back(shot, as_, production):
    """Depth touches every shot, the default encoding none that is settled; the last change is taken back, once."""
    tess = as_("tess")
    form = _form(tess.get("/p/kilnlight/").content.decode())
    asked = {
        "depth": ("12", "Depth: 10 → 12. 1 of 1 shot change"),
        "default_encoding": ("V-Log/V-Gamut", "Default encoding: none → V-Log/V-Gamut. No shot changes"),
        "hlg_peak_nits": ("700", "HLG display peak: 1000 → 700. No shot changes"),
    }
    for name, (value, words) in asked.items():
        said = tess.post("/p/kilnlight/rules/touches/", {**form, name: value}).json()
        assert said["trouble"] == ""
        assert said["said"].startswith(words), said
    assert tess.post("/p/kilnlight/rules/touches/", form).json() == {"said": "", "trouble": ""}
    wrong = tess.post("/p/kilnlight/rules/touches/", {**form, "hlg_peak_nits": "1"}).json()
    assert "HLG display peak" in wrong["trouble"]
    assert Production.objects.get().rule_set.depth == 10, "asking saves nothing"
    page = tess.post("/p/kilnlight/rules/", {**form, "depth": "12"}, follow=True).content.decode()
    assert "Saved: Depth: 10 → 12." in page
    assert Entry.objects.first().said == "Depth: 10 → 12"
    assert "Your last change: Depth: 10 → 12." in page
    page = tess.post("/p/kilnlight/rules/back/", follow=True).content.decode()
    assert "Taken back: Depth: 10 → 12." in page
    assert Production.objects.get().rule_set.depth == 10
    assert "so nothing is taken back" in tess.post("/p/kilnlight/rules/back/", follow=True).content.decode()


def test_colour_management_off_is_said_in_full_beside_the_rules(production, as_):
    words = "trims and rendering have no effect"
    assert words not in as_("vera").get("/p/kilnlight/").content.decode()
    set_rules(production, {"managed": False})
    assert words in as_("vera").get("/p/kilnlight/").content.decode()


def test_what_rules_touch_is_counted_by_what_the_path_gives(shot, production):
    rules = production.rule_set
    other = rules.model_copy(update={"working": "BT.2020"})
    assert str(touches(production, other)) == "1 of 1 shot changes in picture or code."
    assert str(touches(production, rules)) == "No shot changes in picture or code."
    assert rule_differences(rules, other) == ["Working space: AP1 → BT.2020"]


@pytest.mark.parametrize(
    ("old", "new", "expected"),
    [
        ([], ["Exposure: 0 → 0.3"], ["Exposure: 0 → 0.3"]),
        (["Exposure: 0 → 0.3"], ["Exposure: 0.3 → 0.5"], ["Exposure: 0 → 0.5"]),
        (["Exposure: 0 → 0.3"], ["Exposure: 0.3 → 0"], []),
        (["Exposure: 0 → 0.3"], ["Contrast: 1 → 2"], ["Exposure: 0 → 0.3", "Contrast: 1 → 2"]),
        (["With Glow: 0.2"], ["Without Glow: 0.2"], ["With Glow: 0.2", "Without Glow: 0.2"]),
        (["removed"], ["removed"], ["removed"]),
    ],
)
def test_differences_that_follow_each_other_are_one(old, new, expected):
    assert together(old, new) == expected


def test_the_record_says_values_of_a_shot_and_of_many(shot, as_, people):
    """Two saves within ten minutes are one row from the first value to the last; Intake names what it set, on which."""
    tess = as_("tess")
    for stops in (0.3, 0.5):
        state = tess.get(f"/p/kilnlight/bench/{shot.pk}/").context["data"]
        sent = {
            "settings": body(exposure={"stops": stops}),
            "version": state["history"]["version"],
            "label": "exposure",
        }
        assert tess.post(f"/p/kilnlight/bench/{shot.pk}/save/", sent, "application/json").status_code == 200
    row = Entry.objects.first()
    assert (row.count, row.about, row.said) == (2, shot.name, "Exposure: 0 → 0.5")
    assert tess.post(f"/p/kilnlight/bench/{shot.pk}/undo/", {}, "application/json").status_code == 200
    assert Entry.objects.first().said == "Exposure: 0.5 → 0.3"
    sent = {"shots": [shot.pk], "verb": "encoding", "value": "V-Log/V-Gamut"}
    assert tess.post("/p/kilnlight/intake/change/", sent, "application/json").status_code == 200
    assert (Entry.objects.first().about, Entry.objects.first().said) == (shot.name, "encoding V-Log/V-Gamut")
    assert '<div class="mono">encoding V-Log/V-Gamut</div>' in tess.get("/p/kilnlight/record/").content.decode()


def _steps(page):
    """Each of the first steps with whether it is done, and which is at hand."""
    found = re.search(r'<aside class="firststeps".*?</aside>', page, re.S)
    rows = re.findall(r'<li (aria-current="step")?>(.*?)</li>', found.group(), re.S) if found else []
    return [("done" if "✓" in text else "now" if here else "") for here, text in rows]


def test_the_first_hour_goes_from_an_empty_production_to_a_table_that_holds(production, as_, upload):
    """Steps are done by what is done on the real pages; they can be put away and taken up; a viewer has none."""
    tess = as_("tess")
    page = lambda address="": tess.get(f"/p/kilnlight/{address}", follow=True).content.decode()  # noqa: E731
    assert _steps(page()) == ["now", "", "", "", ""]
    assert _steps(as_("vera").get("/p/kilnlight/").content.decode()) == []
    shot = upload().shot
    assert _steps(page("intake/"))[0] == "done"
    Shot.objects.filter(pk=shot.pk).update(encoding="", state="unknown")
    assert _steps(page()) == ["done", "now", "", "", ""]
    Shot.objects.filter(pk=shot.pk).update(encoding="S-Log3/S-Gamut3.Cine", state="settled")
    assert _steps(page()) == ["done", "done", "now", "", ""]
    assert _steps(page(f"bench/{shot.pk}/")) == [], "the Bench needs all of the window"
    assert _steps(page()) == ["done", "done", "done", "now", ""]
    assert "First steps" in tess.post("/p/kilnlight/first-steps/", {"left": "yes"}, follow=True).content.decode()
    assert _steps(page()) == []
    tess.post("/p/kilnlight/first-steps/", {"left": ""})
    assert _steps(page()) == ["done", "done", "done", "now", ""]
    made = {"production": production, "shot": shot, "shot_name": shot.name, "size": 33, "file_name": "A.cube"}
    who = production.members.first().user
    bake = Bake.objects.create(**made, fingerprint="0" * 64, verdict="does not hold", created_by=who)
    assert _steps(page()) == ["done", "done", "done", "done", "now"]
    Bake.objects.filter(pk=bake.pk).update(verdict="holds")
    assert _steps(page()) == []
