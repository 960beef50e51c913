"""What a shot could be: the page, its pictures, and the choice it leads to."""

import io

import pytest
from django.urls import reverse
from PIL import Image

from upwelling.web.footage.models import Shot

pytestmark = pytest.mark.django_db


def at(shot, name, **query):
    return reverse(name, args=[shot.production.slug, shot.pk]) + "".join(f"?{k}={v}" for k, v in query.items())


def test_what_its_levels_allow_is_shown_with_pictures_that_differ(as_, shot):
    html = as_("tess").get(at(shot, "alike")).content.decode()
    assert "It is a suspicion and\n          no answer" in html
    assert html.count("<h2>LogC3") == 1  # of eleven exposure indices
    seen = {
        name: as_("vera").get(at(shot, "alike-picture", encoding=name)) for name in ("V-Log/V-Gamut", "D-Log/D-Gamut")
    }
    pictures = {Image.open(io.BytesIO(b"".join(answer.streaming_content))).tobytes() for answer in seen.values()}
    assert len(pictures) == 2


@pytest.mark.parametrize("name", ["", "HLG/BT.2020", "none", "linear/AP1"])
def test_pictures_are_of_logs_alone(as_, shot, name):
    assert as_("tess").get(at(shot, "alike-picture", encoding=name)).status_code == 404


def test_looking_changes_nothing_and_a_viewer_is_offered_no_choice(as_, shot):
    before = Shot.objects.values().get(pk=shot.pk)
    assert "Take it for" not in as_("vera").get(at(shot, "alike")).content.decode()
    as_("vera").get(at(shot, "alike-picture", encoding="V-Log/V-Gamut"))
    assert Shot.objects.values().get(pk=shot.pk) == before


def test_one_is_taken(as_, shot):
    as_("tess").post(at(shot, "settle"), {"encoding": "D-Log/D-Gamut"})
    html = as_("tess").get(at(shot, "alike")).content.decode()
    assert Shot.objects.get(pk=shot.pk).settled_encoding == "D-Log/D-Gamut"
    assert "D-Log/D-Gamut <small>in force</small>" in html or "D-Log/D-Gamut" in html


def test_levels_that_no_log_has_are_said(as_, shot):
    shot.signal_json["histogram"] = [100_000, *[0] * 1023]
    shot.save()
    assert "allow none of the log curves" in as_("tess").get(at(shot, "alike")).content.decode()
