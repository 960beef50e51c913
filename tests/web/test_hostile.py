"""No address falls over, whatever is sent to it and by whom: a sentence, or a page of ours.

UPWELLING_HOSTILE=1 sends all of it; the suite a share.
"""

import os

import numpy as np
import pytest

from tests.web.hostile import Walk, addresses, bodies
from upwelling.core.lut import Lut3D, lattice
from upwelling.core.steps import SlopeOffsetPower
from upwelling.core.tables.files import write_lut
from upwelling.web.footage.look_services import create_look
from upwelling.web.luts.services import bring_in_lut

SHARE = float(os.environ.get("UPWELLING_HOSTILE", "0.05"))


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
