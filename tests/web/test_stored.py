"""What is stored stays readable: frozen samples of every version, and values that are no longer possible."""

import json
from pathlib import Path as FilePath

import pytest
from pydantic import TypeAdapter

from upwelling.core.bake import BakeOrder, Receiver
from upwelling.core.characterise import CameraReport
from upwelling.core.delivery.form import Form
from upwelling.core.documents import KEY, UPGRADES, opened, sealed
from upwelling.core.encodings.custom import CustomEncoding
from upwelling.core.errors import BadValue
from upwelling.core.outputs import CustomOutput
from upwelling.core.path import Correction
from upwelling.core.path.look_recipe import STEP_LIST
from upwelling.core.raw import Development, RawProfile
from upwelling.web.bakes.models import Bake, OwnReceiver
from upwelling.web.encodings.models import OwnEncoding
from upwelling.web.footage.history import set_mark
from upwelling.web.footage.layer_content import LayerContent
from upwelling.web.footage.models import Shot, ShotState
from upwelling.web.footage.paths import path_of
from upwelling.web.footage.shot_settings import ShotSettings
from upwelling.web.productions.models import OwnOutput, Production
from upwelling.web.productions.rules import Rules
from upwelling.web.productions.services import define_encoding, set_rules

SAMPLES = json.loads((FilePath(__file__).parents[1] / "data" / "stored.json").read_text())
SHAPES = {
    "shot settings": ShotSettings,
    "rules": Rules,
    "own output": CustomOutput,
    "own encoding": CustomEncoding,
    "receiver": Receiver,
    "bake order": BakeOrder,
    "camera correction": Correction,
    "delivery form": Form,
    "development": Development,
    "raw profile": RawProfile,
    "camera measurement": CameraReport,
    "layer": LayerContent,
    "look steps": STEP_LIST,
}
"""The kinds that have a shape of their own; facts of files and signals are taken apart by the shot."""


def read(kind, stored):
    body, shape = opened(kind, stored), SHAPES.get(kind)
    if shape is None:
        shot = Shot(**{{"file facts": "facts_json", "signal facts": "signal_json"}[kind]: stored})
        return shot.facts if kind == "file facts" else shot.signal
    return shape.validate_python(body) if isinstance(shape, TypeAdapter) else shape.model_validate(body)


@pytest.mark.parametrize("row", SAMPLES, ids=lambda row: f"{row['kind']} {row['version']}")
def test_every_version_opens(row):
    """Each sample gives the same value as the newest of its kind: upgrades lose nothing."""
    newest = max((other for other in SAMPLES if other["kind"] == row["kind"]), key=lambda other: other["version"])
    assert read(row["kind"], row["stored"]) == read(row["kind"], newest["stored"])


def test_every_version_has_its_sample():
    assert {(row["kind"], row["version"]) for row in SAMPLES} == {
        (kind, n) for kind, steps in UPGRADES.items() for n in range(len(steps) + 1)
    }


@pytest.mark.parametrize("kind", UPGRADES)
def test_later_versions_are_refused(kind):
    for version in (len(UPGRADES[kind]) + 1, -1, "x"):
        with pytest.raises(BadValue, match="later version"):
            opened(kind, {KEY: version})
    assert opened(kind, sealed(kind, [1])) == [1]


def spoil(shot, **values):
    """A history row as an older version with wider ranges could have left it."""
    body = ShotSettings().model_dump(mode="json")
    body["steps"][0]["stops"] = 400.0
    ShotState.objects.create(shot=shot, position=1, label="far out", settings=body)
    Shot.objects.filter(pk=shot.pk).update(position=1, version=1)


PAGES = [
    "/p/kilnlight/shots/",
    "/p/kilnlight/intake/",
    "/p/kilnlight/",
    "/p/kilnlight/looks/",
    "/p/kilnlight/wall/",
    "/p/kilnlight/bakes/",
    "/p/kilnlight/outputs/",
]


def test_one_shot_that_cannot_be_read_takes_no_page_down(shot, upload, as_):
    """It says why on the lists, its own page refuses with the sentence, and it can begin anew; the old state stays in
    the history.
    """
    set_mark(shot, None, "fine", ShotSettings())
    spoil(shot)
    tess = as_("tess")
    for address in PAGES:
        assert tess.get(address).status_code == 200, address
    for address in PAGES[:2]:
        assert "What was stored is kept as it is." in tess.get(address).content.decode()
    answer = tess.get(f"/p/kilnlight/bench/{shot.pk}/")
    assert answer.status_code == 422
    assert "What was stored is kept as it is." in answer.content.decode()
    assert tess.get(f"/p/kilnlight/shots/{shot.pk}/recorded/").status_code == 200
    assert tess.post(f"/p/kilnlight/shots/{shot.pk}/begin-anew/", follow=True).status_code == 200
    assert tess.get(f"/p/kilnlight/bench/{shot.pk}/").status_code == 200
    assert ShotState.objects.filter(label="far out").exists()
    kept = tess.post(
        f"/p/kilnlight/bench/{shot.pk}/marks/",
        {"settings": ShotSettings().model_dump(mode="json")},
        content_type="application/json",
    ).json()
    assert "▲" in str(kept["states"])


def test_rules_that_are_no_longer_possible(production, as_):
    """The field stands at rest, every page says so, and saving the rules mends it."""
    Production.objects.update(rules={**production.rules, "hlg_peak_nits": 5})
    tess = as_("tess")
    for address in PAGES:
        page = tess.get(address)
        assert page.status_code == 200
        assert "Hlg peak cd/m²: Input should be" in page.content.decode()
    set_rules(Production.objects.get(), {"managed": True})
    assert Production.objects.get().rules_problem == ""


def test_a_renamed_encoding_takes_its_users_along(shot, production):
    body = {"name": "Own", "form": {"kind": "curve", "name": "S-Log3"}}
    define_encoding(production, None, body)
    Shot.objects.update(encoding="Own", state="settled")
    set_rules(production, {"default_encoding": "Own"})
    define_encoding(production, None, {**body, "name": "Ember"}, replaces="Own")
    fresh = Shot.objects.get()
    assert (fresh.encoding, fresh.production.rule_set.default_encoding, path_of(fresh).input.custom.name) == (
        "Ember",
        "Ember",
        "Ember",
    )


def test_definitions_that_are_no_longer_possible(shot, production, people, as_):
    """One output, encoding, receiver, bake order or certificate that cannot be read is said on its page, and stops
    nothing else.
    """
    OwnOutput.objects.create(production=production, name="Wall", definition={"name": "Wall", "peak_nits": 1e9})
    OwnEncoding.objects.create(
        production=production, name="Wax", definition={"name": "Wax", "form": {"kind": "wax"}}, report=""
    )
    OwnReceiver.objects.create(production=production, name="Box", definition={"name": "Box", "formats": 7})
    Bake.objects.create(
        production=production,
        shot=shot,
        shot_name="x",
        fingerprint="0" * 64,
        size=33,
        file_name="x.cube",
        order={"size": "wide"},
        certificate_json={"upwelling_certificate": 2},
    )
    tess = as_("tess")
    for address in PAGES:
        assert tess.get(address).status_code == 200, address
    for address, words in (
        ("/p/kilnlight/outputs/", "The own output “Wall” is stored"),
        ("/p/kilnlight/encodings/", "The own encoding “Wax” is stored"),
        ("/p/kilnlight/bakes/receivers/", "The receiver “Box” is stored"),
        ("/p/kilnlight/bakes/", "its order cannot be read"),
    ):
        page = tess.get(address)
        assert page.status_code == 200, address
        assert words in page.content.decode(), address
    Shot.objects.update(encoding="Wax", state="settled")
    assert "Wax" in tess.get("/p/kilnlight/shots/").content.decode()
