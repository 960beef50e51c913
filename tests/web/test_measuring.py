"""A camera measured on its page: pictures guessed at and said, the verdict, what becomes of it, and what is refused."""

import re

import numpy as np
import pytest

from upwelling.core.media import write_still
from upwelling.core.simulate.kilnlight_later import SEES, rented_code, rented_pictures, write_rented
from upwelling.web.footage.models import Camera, Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.footage.shots import bring_in
from upwelling.web.measuring.models import CameraMeasurement
from upwelling.web.productions.models import Production

PAGE = "/p/kilnlight/measure/"


def short(one):
    """Few pictures, one chart."""
    return (one.target == "24" and one.light == "D65") or (one.target == "grey" and abs(one.stops) <= 3)


@pytest.fixture
def rented(production, people, tmp_path, settings):
    """Pictures of the rented camera as shots; those of a wish."""

    def made(wish=lambda one: True):
        folder = settings.MEDIA_FOLDER / "rented"
        folder.mkdir(exist_ok=True)
        shots = []
        for one in filter(wish, rented_pictures()):
            place = write_rented(one, folder)
            shots.append(bring_in(production, people["tess"], one.file, place, name=one.name, registered=True))
        return shots

    return made


def begun(client, shots, name="Rill"):
    return client.post(PAGE, {"name": name, "shot": [shot.pk for shot in shots]}, follow=True)


def said(row, **more):
    """What a technician says of all pictures, and otherwise where a test says it."""
    names = dict(Shot.objects.values_list("pk", "name"))
    rows = {
        f"{field}-{n}": "3200 K" if field == "light" and "3200" in names.get(one["shot"], "") else one[field]
        for n, one in enumerate(row.pictures)
        for field in ("target", "stops", "light")
    }
    return {"light": "D65", "reflectance": "18", **rows, **more}


def test_from_pictures_to_an_encoding_in_three_answers(as_, rented, production):
    """Charts are found without marks, exposures read from names; the truth of the invented camera comes out."""
    tess, shots = as_("tess"), rented()
    begun(tess, shots)
    row = CameraMeasurement.objects.get()
    assert [one["target"] for one in row.pictures].count("24") == 2
    assert {one["stops"] for one in row.pictures if one["target"] == "grey"} == {f"{k:+d}" for k in range(-7, 8)}
    address = f"{PAGE}{row.pk}/"
    page = tess.post(address, said(row), follow=True).content.decode()
    row = CameraMeasurement.objects.get()
    assert row.report.good_for == 1, row.report.sentence
    assert "Good for 1 ΔE" in page
    assert "<polyline" in page
    assert "±" in page
    light = 0.18 * 2.0 ** np.arange(-4, 4.5, 0.5)
    made = tess.post(f"{address}save/", {"light": "D65", "name": "Rill log", "range": "full"}, follow=True)
    assert "Rill log is saved" in made.content.decode()
    custom = Production.objects.get().definitions["Rill log"]
    assert np.abs(np.log2(custom.encoding().neutral_to_linear(rented_code(light)) / light)).max() < 0.03
    true = np.linalg.inv(SEES)
    found = np.array([custom.primaries.red, custom.primaries.green, custom.primaries.blue])
    assert np.abs(found - (true[:2] / true.sum(axis=0)).T).max() < 0.03
    # Usable everywhere: a picture of the camera is read by it, and a grey is grey.
    camera = Camera.objects.create(production=production, name="L", encoding="Rill log")
    card = next(shot for shot in shots if "grey +0" in shot.name)
    Shot.objects.filter(pk=card.pk).update(camera=camera)
    path = path_of(Shot.objects.get(pk=card.pk))
    np.testing.assert_allclose(path.to_working(rented_code(np.full(3, 0.18))), 0.18, rtol=0.02)


def test_what_is_not_said_is_asked_for_and_nothing_is_lost(as_, rented):
    tess = as_("tess")
    shots = rented(short)
    begun(tess, shots)
    row = CameraMeasurement.objects.get()
    address, chart = f"{PAGE}{row.pk}/", len(row.pictures) - 1
    for more, words in (
        ({"light": ""}, "Choose the light"),
        ({"light": "Moon"}, "no light known here"),
        ({"reflectance": "0"}, "between 1 and 100"),
        ({"reflectance": "x"}, "must be a number"),
        ({"stops-0": ""}, "say its exposure"),
        ({"stops-0": "much"}, "must be a number of stops"),
        ({"target-0": "cat"}, "say what the picture shows"),
        ({f"target-{chart}": "140"}, "Not measured"),
        ({"sensitivities": "400 1 x 1"}, "Sensitivities go from"),
    ):
        page = tess.post(address, said(row, **more), follow=True).content.decode()
        assert words in page, (more, re.findall(r"Not measured[^<]*", page))
        assert "Not measured" in page
    tess.post(address, said(row))
    kept = CameraMeasurement.objects.get()
    assert kept.report is not None
    tess.post(address, said(kept, light=""))
    assert CameraMeasurement.objects.get().report == kept.report
    tess.post(address, said(kept, **{"kept-0": "off"}))
    assert len(CameraMeasurement.objects.get().pictures) == len(kept.pictures) - 1
    shots[1].delete()
    assert "no shots any more" in tess.post(address, said_alone(), follow=True).content.decode()


def said_alone():
    return {"light": "D65", "reflectance": "18"}


@pytest.mark.parametrize(
    ("given", "words"),
    [
        ({"range": ""}, "Choose the range"),
        ({"name": "S-Log3/S-Gamut3.Cine"}, "built-in"),
        ({"name": ""}, "Name"),
        ({"light": "FL2"}, "none of the lights"),
    ],
)
def test_saving_refuses_in_words(as_, rented, production, given, words):
    tess = as_("tess")
    begun(tess, rented(short))
    row = CameraMeasurement.objects.get()
    save = f"{PAGE}{row.pk}/save/"
    whole = {"light": "all lights", "name": "Rill", "range": "full"}
    assert "Measure first" in tess.post(save, whole, follow=True).content.decode()
    tess.post(f"{PAGE}{row.pk}/", said(row))
    page = tess.post(save, {**whole, **given}, follow=True).content.decode()
    assert "Not saved" in page
    assert words in page
    assert not production.own_encodings.exists()


def test_choosing_refuses_in_words_and_viewers_only_look(as_, rented, shot, production):
    tess, shots = as_("tess"), rented(lambda one: one.target == "dark" or one.stops == 0)
    assert "Give the camera a name" in begun(tess, shots, " ").content.decode()
    assert "Choose the pictures" in begun(tess, shots[:1]).content.decode()
    Shot.objects.filter(pk=shots[0].pk).update(raw_profile={})
    assert "is raw" in begun(tess, shots).content.decode()
    Shot.objects.filter(pk=shots[0].pk).update(raw_profile=None)
    begun(tess, shots)
    row = CameraMeasurement.objects.get()
    assert as_("vera").get(f"{PAGE}{row.pk}/").status_code == 200
    assert as_("vera").post(f"{PAGE}{row.pk}/", said_alone()).status_code == 403
    assert as_("olaf").get(f"{PAGE}{row.pk}/").status_code == 404
    assert tess.post(f"{PAGE}{row.pk}/remove/", follow=True).status_code == 200
    assert not CameraMeasurement.objects.exists()


def test_a_correction_for_what_a_matrix_cannot_undo(as_, rented, production):
    tess = as_("tess")
    begun(tess, rented(short))
    row = CameraMeasurement.objects.get()
    tess.post(f"{PAGE}{row.pk}/", said(row))
    camera = Camera.objects.create(production=production, name="L")
    given = {"what": "correction", "camera": camera.pk, "light": "all lights"}
    assert "is corrected by it" in tess.post(f"{PAGE}{row.pk}/save/", given, follow=True).content.decode()
    camera.refresh_from_db()
    assert camera.own_correction.steps[0].kind == "root_matrix"


def test_legal_codes_are_put_on_the_full_scale(as_, rented, production, settings):
    """The same picture in legal codes tells the same curve."""
    tess, shots = as_("tess"), rented(short)
    begun(tess, shots)
    row = CameraMeasurement.objects.get()
    tess.post(f"{PAGE}{row.pk}/", said(row))
    full = CameraMeasurement.objects.get().report
    from upwelling.core.media import read_still

    for shot in shots:
        code = read_still(shot.disk_path).code
        write_still(shot.disk_path, (code * 876 + 64) / 1023, "10")
        Shot.objects.filter(pk=shot.pk).update(range="legal", sha256=f"x{shot.pk}")
    tess.post(f"{PAGE}{row.pk}/", said(row))
    legal = CameraMeasurement.objects.get().report
    assert legal.black == pytest.approx(full.black, abs=2e-3)
    assert np.interp(0.4, legal.codes, legal.light) == pytest.approx(np.interp(0.4, full.codes, full.light), rel=0.02)
