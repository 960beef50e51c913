"""Two people at once: each saves what they changed, the same is told, and lists lose nothing."""

import html
import re
import threading

import pytest
from django.contrib.auth.models import User
from django.db import connection
from hypothesis import given
from hypothesis import strategies as st

from upwelling.core.outputs import BUILT_IN
from upwelling.web.common.requests import Refused
from upwelling.web.productions.conflicts import as_seen, only_changed
from upwelling.web.productions.deliveries import deliver, no_longer_deliver
from upwelling.web.productions.models import Production
from upwelling.web.productions.services import create_production, define_output


def fields_of(page):
    """What a browser would send of the page's first form with a hidden ``seen``."""
    form = page[page.index('name="seen"') :]
    form = form[: form.index("</form>")]
    sent = {"seen": html.unescape(re.search(r'name="seen"\s+value="([^"]*)"', page)[1])}
    for tag in re.findall(r"<input[^>]*>", form):
        name, value = re.search(r'name="([^"]+)"', tag), re.search(r'value="([^"]*)"', tag)
        if name and 'type="hidden"' not in tag:
            sent[name[1]] = html.unescape(value[1]) if value else ""
    for name, body in re.findall(r'<select[^>]*name="([^"]+)"[^>]*>(.*?)</select>', form, re.DOTALL):
        chosen = re.search(r'<option value="([^"]*)"[^>]*selected', body)
        sent[name] = html.unescape(chosen[1]) if chosen else ""
    return sent


@pytest.mark.parametrize(
    ("address", "post", "mine", "theirs", "read"),
    [
        ("", "rules/", ("hlg_peak_nits", "900"), ("hlg_black_nits", "0.01"),
         lambda r: (r.hlg_peak_nits, r.hlg_black_nits) == (900, 0.01)),
        ("", "rules/", ("rendering_mid_grey_nits", "11"), ("depth", "12"), lambda r: r.depth == 12),
        ("bakes/", "bakes/tolerances/", ("tolerances.picture_p99", "0.4"), ("hdr_tolerances.picture_p99", "0.7"),
         lambda r: (r.tolerances.picture_p99, r.hdr_tolerances.picture_p99) == (0.4, 0.7)),
    ],
)  # fmt: skip
def test_each_saves_what_they_changed_and_the_same_is_told(production, shot, as_, address, post, mine, theirs, read):
    tess, at = as_("tess"), "/p/kilnlight/"
    first = fields_of(tess.get(at + address).content.decode())
    assert mine[0] in first or mine[0].startswith("rendering")
    if mine[0] not in first:
        numbers = [n for n in first if n.startswith("rendering_") and first[n].replace(".", "").isdigit()]
        mine = (numbers[0], "12")
    tess.post(at + post, {**first, theirs[0]: theirs[1]})
    said = tess.post(at + post, {**first, mine[0]: mine[1]}, follow=True).content.decode()
    assert "are saved" in said or "Saved: " in said
    assert read(Production.objects.get(pk=production.pk).rule_set)
    late = tess.post(at + post, {**first, theirs[0]: str(float(theirs[1]) * 2)}, follow=True).content.decode()
    assert "changed the same meanwhile" in late or "valid choice" in late
    assert read(Production.objects.get(pk=production.pk).rule_set)


@given(st.dictionaries(st.sampled_from("abcd"), st.integers(0, 3), min_size=4), st.data())
def test_only_changes_are_saved(shown, data):
    mine = {k: data.draw(st.integers(0, 3)) for k in shown}
    theirs = {k: data.draw(st.integers(0, 3)) for k in shown}
    clash = {k for k in shown if mine[k] != shown[k] and theirs[k] not in (shown[k], mine[k])}
    if clash:
        with pytest.raises(Refused, match="changed the same"):
            only_changed(as_seen(shown), mine, theirs)
    else:
        saved = {**theirs, **only_changed(as_seen(shown), mine, theirs)}
        assert saved == {k: mine[k] if mine[k] != shown[k] else theirs[k] for k in shown}


@pytest.mark.parametrize("seen", ["", "[", "5", "[]"])
def test_a_page_that_does_not_say_what_it_showed_saves_all(seen):
    assert only_changed(seen, {"a": 1}, {"a": 2}) == {"a": 1}


def test_an_output_that_somebody_changed_meanwhile_is_not_overwritten(production, people):
    body = {"name": "Lobby wall", "peak_nits": 300}
    row = define_output(production, people["tess"], body)
    define_output(production, people["tess"], {**body, "peak_nits": 350}, replaces="Lobby wall", seen=row.mark)
    with pytest.raises(Refused, match="by somebody else"):
        define_output(production, people["tess"], {**body, "peak_nits": 400}, replaces="Lobby wall", seen=row.mark)
    row.refresh_from_db()
    assert row.custom.peak_nits == 350


@pytest.mark.slow
@pytest.mark.django_db(transaction=True)
def test_two_people_adding_outputs_lose_none():
    production = create_production(User.objects.create_user("ida"), "Kilnlight")

    def add(name, start):
        mine = Production.objects.get(pk=production.pk)
        assert mine.rule_set is not None
        start.wait()
        try:
            deliver(mine, name)
        finally:
            connection.close()

    names = [output.name for output in BUILT_IN if output.name != production.rule_set.output][:4]
    for _ in range(15):
        start = threading.Barrier(len(names))
        threads = [threading.Thread(target=add, args=(name, start)) for name in names]
        [thread.start() for thread in threads]
        [thread.join() for thread in threads]
        fresh = Production.objects.get(pk=production.pk)
        assert {d.output for d in fresh.rule_set.deliveries} == set(names)
        for name in names:
            no_longer_deliver(fresh, name)
