"""What a shot could be: the page, its pictures, and the choice it leads to."""

import io

import colour
import numpy as np
import pytest
from django.urls import reverse
from PIL import Image

from upwelling.core.recognise.likeness import OTHERS
from upwelling.web.footage.models import Shot

pytestmark = pytest.mark.django_db


def at(shot, name, **query):
    return reverse(name, args=[shot.production.slug, shot.pk]) + "".join(f"?{k}={v}" for k, v in query.items())


def test_what_its_levels_allow_is_shown_with_pictures_that_differ(as_, shot):
    html = as_("tess").get(at(shot, "alike")).content.decode()
    assert "It is a suspicion and\n          no answer" in html
    assert html.count("<h3>LogC3") <= 2  # of eleven exposure indices, at two ranges
    seen = {
        name: as_("vera").get(at(shot, "alike-picture", encoding=name)) for name in ("V-Log/V-Gamut", "D-Log/D-Gamut")
    }
    pictures = {Image.open(io.BytesIO(b"".join(answer.streaming_content))).tobytes() for answer in seen.values()}
    assert len(pictures) == 2


@pytest.mark.parametrize("name", ["", "none", "linear/AP1"])
def test_pictures_are_of_what_is_tried_alone(as_, shot, name):
    assert as_("tess").get(at(shot, "alike-picture", encoding=name)).status_code == 404


def test_looking_changes_nothing_and_a_viewer_is_offered_no_choice(as_, shot):
    before = Shot.objects.values().get(pk=shot.pk)
    assert "Take it for" not in as_("vera").get(at(shot, "alike")).content.decode()
    as_("vera").get(at(shot, "alike-picture", encoding="V-Log/V-Gamut"))
    assert Shot.objects.values().get(pk=shot.pk) == before


@pytest.mark.parametrize(
    ("name", "code_range"), [("D-Log/D-Gamut", "full"), ("HLG/BT.2020", "legal"), ("PQ/BT.2020", "full")]
)
def test_one_is_taken(as_, shot, name, code_range):
    answer = as_("tess").post(at(shot, "take-alike"), {"encoding": name, "range": code_range})
    assert answer["Location"] == reverse("bench", args=[shot.production.slug, shot.pk])
    taken = Shot.objects.get(pk=shot.pk)
    assert (taken.settled_encoding, taken.settled.range, taken.state) == (name, code_range, "settled")
    assert f"{name}, {code_range} <small>in force</small>" in as_("tess").get(at(shot, "alike")).content.decode()


def test_clips_like_it_are_taken_too_and_no_others(as_, shot):
    like, other, settled = (Shot.objects.get(pk=shot.pk) for _ in range(3))
    for number, one in enumerate((like, other, settled)):
        one.pk, one._state.adding, one.name, one.state, one.encoding = None, True, f"c{number}", "unknown", ""
        one.sha256 = f"{number}" * 64
    other.width, settled.state = 17, "settled"
    for one in (like, other, settled):
        one.save()
    page = as_("tess").get(at(shot, "alike")).content.decode()
    assert "and the 1 like it" in page
    as_("tess").post(at(shot, "take-alike"), {"encoding": "PQ/BT.2020", "range": "full", "others": "on"})
    got = {one.name: one.encoding for one in Shot.objects.all()}
    assert got == {shot.name: "PQ/BT.2020", "c0": "PQ/BT.2020", "c1": "", "c2": ""}


def test_clips_whose_levels_forbid_it_are_left_and_named(as_, shot):
    like = Shot.objects.get(pk=shot.pk)
    like.pk, like._state.adding, like.name, like.state, like.sha256 = None, True, "Dark one", "unknown", "d" * 64
    like.encoding, like.signal_json = "", {**like.signal_json, "histogram": [100_000, *[0] * 1023]}
    like.save()
    sent = {"encoding": "D-Log/D-Gamut", "range": "full", "others": "on"}
    page = as_("tess").post(at(shot, "take-alike"), sent, follow=True).content.decode()
    assert "as their levels forbid it: Dark one" in page
    assert Shot.objects.get(name="Dark one").encoding == ""


def test_hdr_without_tags_meets_no_dead_end(as_, shot):
    """HLG in both its meanings, PQ, BT.709, sRGB and 2.4, at both ranges, with a parade each."""
    html = as_("tess").get(at(shot, "alike")).content.decode()
    for name in OTHERS:
        for code_range in ("full", "legal"):
            assert f"<h3>{name}, {code_range}" in html
    grey = float(np.round(1023 * colour.models.eotf_inverse_ST2084(203 * 0.18)))
    assert f'grey 18 % at <span class="mono">{grey:.0f}</span>' in html, "where PQ puts it, by colour-science"
    ask = {"encoding": "PQ/BT.2020"}
    pictures = {
        b"".join(
            as_("vera")
            .get(reverse("alike-picture", args=[shot.production.slug, shot.pk]), {**ask, "range": one})
            .streaming_content
        )
        for one in ("full", "legal")
    }
    assert len(pictures) == 2
    seen = Image.open(io.BytesIO(b"".join(as_("vera").get(at(shot, "alike-parade", range="full")).streaming_content)))
    assert np.asarray(seen).max() > 100


def test_levels_that_no_log_has_are_said(as_, shot):
    shot.signal_json["histogram"] = [100_000, *[0] * 1023]
    shot.save()
    assert "allow none of the log curves" in as_("tess").get(at(shot, "alike")).content.decode()
