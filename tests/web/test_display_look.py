"""A Look of the display in a production: declared, laid over, left out and weakened by a shot, taken off."""

import json
import struct

import pytest

from tests.core.test_display_look import dusk
from tests.web.test_luts import bring
from upwelling.core.lut.formats.cube import format_cube
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.luts.models import ImportedLut
from upwelling.web.productions.deliveries import deliver

pytestmark = pytest.mark.django_db
SDR = "BT.709 BT.1886"


@pytest.fixture
def tess(as_):
    return as_("tess")


@pytest.fixture
def row(tess, shot):
    bring(tess, "dusk.cube", format_cube(dusk()).encode())
    made = ImportedLut.objects.get()
    assert say(tess, made, "declare", expects=SDR, gives=SDR).status_code == 302
    made.refresh_from_db()
    return made


def say(client, row, what, **values):
    return client.post(f"/p/kilnlight/luts/{row.pk}/{what}/", values)


def fresh(shot):
    return Shot.objects.select_related("production").get(pk=shot.pk)


def rendering_line(client, shot, **settings):
    answer = client.post(
        f"/p/kilnlight/bench/{shot.pk}/preview/", {"settings": settings}, content_type="application/json"
    )
    length = struct.unpack_from("<I", answer.content)[0]
    head = json.loads(answer.content[4 : 4 + length])
    return next(line["line"] for line in head["column"] if line["stage"] == "rendering")


def test_it_lies_over_every_shot_and_a_shot_can_leave_it_out(tess, row, shot):
    page = tess.get(f"/p/kilnlight/luts/{row.pk}/").content.decode()
    assert "can lie over what the rendering gives" in page
    assert "Make a Look of it" not in page
    assert say(tess, row, "use", **{"as": "over", "percent": "60"}).status_code == 302
    plain, shot = path_of(shot), fresh(shot)
    assert path_of(shot).rendering.look.strength == 0.6
    assert path_of(shot).fingerprint != plain.fingerprint
    assert rendering_line(tess, shot).endswith(f"\n+ dusk.cube, {SDR} at 60 %")
    assert rendering_line(tess, shot, display_look_strength=0.25).endswith("at 25 %")
    assert rendering_line(tess, shot, display_look_on=False).endswith("\n+ without dusk.cube")
    bench = tess.get(f"/p/kilnlight/bench/{shot.pk}/").content.decode()
    assert "Look of the display: <b" in bench
    assert "file_sha256" not in bench  # the table itself stays with the server
    assert say(tess, row, "use", **{"as": "off"}).status_code == 302
    assert path_of(fresh(shot)).rendering.look is None


def test_outputs_of_the_other_kind_are_rendered_without_it(tess, row, shot, production):
    say(tess, row, "use", **{"as": "over", "percent": "100"})
    production.refresh_from_db()
    deliver(production, "BT.2100 PQ 1000")
    shot = fresh(shot)
    assert path_of(shot).rendering.look is not None
    assert path_of(shot, output="BT.2100 PQ 1000").rendering.look is None


@pytest.mark.parametrize(
    ("what", "values", "words"),
    [
        ("declare", {"expects": SDR, "gives": "ACEScct/AP1"}, "already rendered"),
        ("declare", {"expects": SDR, "gives": "BT.2100 PQ 1000"}, "a rendering’s work"),
        ("use", {"as": "over", "percent": "120"}, "from 0 to 100"),
        ("use", {"as": "over", "percent": "much"}, "Strength"),
        ("use", {"as": "rendering"}, "a display’s code"),
        ("use", {"as": "input"}, "a display’s code"),
    ],
)
def test_what_cannot_be_is_refused(tess, row, what, values, words):
    answer = say(tess, row, what, **values)
    assert answer.status_code == 422
    assert words in answer.content.decode()


def test_another_takes_its_place_and_the_page_says_so(tess, row, shot):
    say(tess, row, "use", **{"as": "over", "percent": "100"})
    bring(tess, "night.cube", format_cube(dusk(9)).encode())
    night = ImportedLut.objects.get(name="night.cube")
    assert say(tess, night, "use", **{"as": "over", "percent": "100"}).status_code == 422
    say(tess, night, "declare", expects=SDR, gives=SDR)
    answer = tess.post(f"/p/kilnlight/luts/{night.pk}/use/", {"as": "over", "percent": "100"}, follow=True)
    assert "in place of dusk.cube" in answer.content.decode()
    assert path_of(fresh(shot)).rendering.look.lut.table.name == "night.cube"
