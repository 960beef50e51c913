"""No address falls over, whatever is sent to it and by whom: a sentence, or a page of ours.

UPWELLING_HOSTILE=1 sends all of it; the suite a share.
"""

import os

import numpy as np
import pytest

from tests.web.hostile import Walk, addresses, bodies
from upwelling.core.errors import UpwellingError
from upwelling.core.lut import Lut3D, lattice
from upwelling.core.steps import STEPS, LutStep, SlopeOffsetPower
from upwelling.core.tables.files import write_lut
from upwelling.web.footage.look_services import create_look
from upwelling.web.footage.shot_settings import read_settings
from upwelling.web.luts.services import bring_in_lut

SHARE = float(os.environ.get("UPWELLING_HOSTILE", "0.05"))


KINDS = [
    None, True, 0, -1, 1.5, 10**400, -(10**400), 2**63, float("inf"), float("nan"), "", "x" * 300, "\ud800", "\0", [],
    {}, [[]], [None], {"a": 1}, [{}], [[1, 2]], [{"a": []}],
]  # fmt: skip


def places(value, way=()):
    """Every place in plain data."""
    yield way
    inner = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for name, one in inner:
        yield from places(one, (*way, name))


def replaced(value, way, by):
    if not way:
        return by
    made = dict(value) if isinstance(value, dict) else list(value)
    made[way[0]] = replaced(value[way[0]], way[1:], by)
    return made


def busy_settings(kinds=STEPS[:20]):
    """Settings with every kind of step, a track, a group and joined selections."""
    steps = [step().model_dump(mode="json") | {"id": f"s{n}"} for n, step in enumerate(kinds) if step is not LutStep]
    limit = {"selections": [{"kind": "ellipse", "id": "a"}, {"kind": "colour_range", "id": "b", "join": "and"}]}
    track = {"parameter": "stops", "keys": [[0, 0.5], [9, 1.0]]}
    steps[1] = {"kind": "exposure", "id": "e", "stops": 1.0, "limit": limit, "tracks": [track], "group": "g"}
    return {"steps": steps, "groups": [{"id": "g", "name": "One"}]}


@pytest.mark.parametrize("kinds", [STEPS[:14], STEPS[14:]], ids=["first", "rest"])  # a shot holds 24 steps
def test_each_field_of_settings_refuses_each_wrong_kind_in_words(kinds):
    """The one reader of settings: what is no value of a field is refused with a sentence, never with an error of
    ours.
    """
    whole = busy_settings(kinds)
    assert read_settings(whole).steps
    fell = []
    for way in places(whole):
        for value in KINDS:
            try:
                read_settings(replaced(whole, way, value))
            except UpwellingError:
                continue
            except Exception as error:
                fell.append((way, repr(value)[:40], repr(error)[:80]))
    assert not fell, fell[:10]


@pytest.mark.parametrize(("who", "share"), [("tess", SHARE), ("vera", SHARE / 4), ("olaf", SHARE / 8)])
def test_no_address_falls_over(production, shot, as_, settings, who, share, caplog):
    caplog.set_level("CRITICAL")
    look = create_look(production, None, "Own", [SlopeOffsetPower(saturation=0.9)])
    settings.FILES.mkdir(exist_ok=True)
    write_lut(Lut3D(lattice(3).astype(np.float32)), settings.FILES / "own.cube")
    lut = bring_in_lut(production, None, "own.cube", settings.FILES / "own.cube")
    camera = production.cameras.create(name="A-cam")
    known = {"shot": shot.pk, ("camera", "pk"): camera.pk, ("remove-camera", "pk"): camera.pk}
    known |= {(name, "pk"): lut.pk for name in ("lut", "declare-lut", "use-lut", "remove-lut", "lut-file")}
    known |= {
        (n, "pk"): look.pk
        for n in ("look", "propose-look", "look-touches", "decide-look", "manage-look", "look-recipe")
    }
    sent, forms = bodies(shot, look, lut)
    walk = Walk(as_(who), who, share)
    for name, address in addresses(production.slug, known):
        walk.address(name, address, sent, forms)
    assert walk.sent > 200
    kinds = {(one[0], one[2].rsplit("/", 3)[-2], one[4][:60]): one for one in walk.fell}
    assert not walk.fell, f"{len(walk.fell)} of {walk.sent} fell, one of each kind:\n" + "\n".join(
        map(str, kinds.values())
    )
