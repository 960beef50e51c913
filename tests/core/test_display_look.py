"""A Look of the display: over the rendering, mixed in, carried by bakes; refused where it would be wrong."""

import colour
import numpy as np
import pytest

from upwelling.cli.main import main
from upwelling.core.bake import BakeOrder, bake
from upwelling.core.bake.receivers import plain_receiver
from upwelling.core.errors import BadValue, RecipeError
from upwelling.core.lut import Domain, Lut3D
from upwelling.core.lut.carried import CarriedLut
from upwelling.core.media import write_still
from upwelling.core.operations import run_reference
from upwelling.core.outputs import output
from upwelling.core.path import Display, Input, Path
from upwelling.core.path.stages import RenderingStage
from upwelling.core.rendering import DisplayLook
from upwelling.core.tables.files import write_lut

LOG = "S-Log3/S-Gamut3.Cine"
SDR, P3, HDR, HLG = "BT.709 BT.1886", "P3-D65 gamma 2.6", "BT.2100 PQ 1000", "BT.2100 HLG 1000"
CODES = np.random.default_rng(1).uniform(0.1, 0.9, (400, 3))


def dusk(size=17):
    """A table that warms and bends display code."""
    r, g, b = np.meshgrid(*[np.linspace(0, 1, size)] * 3, indexing="ij")
    return Lut3D(np.stack([r**0.9, 0.1 * r + 0.85 * g, b**1.2 * 0.9], axis=-1).astype(np.float32), Domain())


def look(expects=SDR, gives=None, strength=1.0, on=True, table=None):
    made = CarriedLut.of(table or dusk(), "dusk.cube", "0" * 64)
    return DisplayLook(lut={"table": made, "expects": expects, "gives": gives or expects}, strength=strength, on=on)


def path(target=SDR, over=None, **more):
    return Path(input=Input(encoding=LOG), rendering=RenderingStage(look=over, **more), display=Display(output=target))


def test_the_table_runs_on_what_the_display_is_sent():
    """Against colour-science's tetrahedral interpolation of the same table."""
    plain, table = path().apply(CODES), dusk()
    by_colour = colour.algebra.table_interpolation(plain, table.table, method="Tetrahedral")
    assert np.abs(path(over=look()).apply(CODES) - by_colour).max() < 1e-6
    half = path(over=look(strength=0.5)).apply(CODES)
    assert np.abs(half - (plain + by_colour) / 2).max() < 1e-6


@pytest.mark.parametrize("idle", [look(strength=0.0), look(on=False), None], ids=["no strength", "off", "none"])
def test_what_does_not_act_changes_no_number_and_no_fingerprint(idle):
    assert path(over=idle).fingerprint == path().fingerprint
    assert np.array_equal(path(over=idle).apply(CODES), path().apply(CODES))
    assert path(over=look(), on=False).fingerprint == path(on=False).fingerprint


def test_it_is_in_the_recipe_and_in_the_fingerprint():
    over = path(over=look())
    assert over.fingerprint != path().fingerprint
    assert over.fingerprint != path(over=look(strength=0.7)).fingerprint
    assert Path.from_recipe(over.to_recipe()) == over
    older = path().to_recipe().replace('"upwelling_recipe": 4', '"upwelling_recipe": 3').replace('"look": null,', "")
    assert Path.from_recipe(older) == path()


@pytest.mark.parametrize(("made_for", "target"), [(SDR, P3), (P3, SDR), (HDR, "BT.2100 PQ 4000"), (HDR, HLG)])
def test_a_table_for_another_display_of_its_kind_is_met_in_that_displays_code(made_for, target):
    """A table that changes nothing gives the same light, where the smaller display holds it."""
    r, g, b = np.meshgrid(*[np.linspace(0, 1, 5)] * 3, indexing="ij")
    same = look(made_for, table=Lut3D(np.stack([r, g, b], axis=-1).astype(np.float32), Domain()))
    light = np.full((6, 3), 0.1) + np.eye(6, 3) * 0.02
    found = run_reference(same.operations(output(target)), light)
    assert np.abs(found - light).max() < 2e-6
    said = same.remark(output(target))
    assert ("held there" in said) == (made_for == SDR or target == "BT.2100 PQ 4000"), said


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda: path(HDR, look()), "an SDR display"),
        (lambda: path(SDR, look(HDR)), "an HDR display"),
        (lambda: look(SDR, HDR), "is a rendering"),
        (lambda: look(LOG, SDR), "display code to display code"),
        (lambda: look(strength=1.5), "less than or equal to 1"),
    ],
)
def test_what_would_be_wrong_is_refused(make, words):
    with pytest.raises((BadValue, RecipeError, ValueError), match=words):
        Path.checked(make().model_dump())


@pytest.mark.parametrize("strength", [1.0, 0.4])
def test_a_bake_carries_it(strength):
    made = bake(BakeOrder(path=path(over=look(strength=strength)), receiver=plain_receiver(33), size=33))
    wanted = path(over=look(strength=strength)).apply(CODES)
    assert np.median(np.abs(made.apply(CODES) - wanted)) < 1 / 1023
    assert np.median(np.abs(path().apply(CODES) - wanted)) > 0.005


def test_by_the_command_line(tmp_path, capsys):
    table, source, out = tmp_path / "dusk.cube", tmp_path / "log.tif", tmp_path / "out.tif"
    write_lut(dusk(), table)
    write_still(source, CODES.reshape(20, 20, 3).astype(np.float32), "16", {})
    common = ["render", str(source), str(out), "--from", LOG, "--to", SDR, "--display-look", str(table)]
    assert main([*common, "--display-look-strength", "0.5"]) == 0
    assert main([*common, "--display-look-strength", "2"]) == 2
    assert "less than or equal to 1" in capsys.readouterr().err
    assert main([*common[:-2], "--display-look-strength", "0.5"]) == 2
    assert main([*common, "--display-look-for", HDR]) == 2
    assert "an HDR display" in capsys.readouterr().err
    recipe = tmp_path / "over.json"
    recipe.write_text(path(over=look()).to_recipe())
    assert main(["undo", str(out), str(tmp_path / "back.exr"), "--to", SDR, "--recipe", str(recipe)]) == 2
    assert "no exact inverse" in capsys.readouterr().err
