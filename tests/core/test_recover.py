"""Tables recovered from a picture before and after a conversion that is known."""

import json

import cv2
import numpy as np
import pytest

from upwelling.cli.main import main
from upwelling.core.colour.primaries import primaries, rgb_to_rgb
from upwelling.core.lut import Lut3D, lattice
from upwelling.core.match import CannotMatch, space_of
from upwelling.core.match.table import recover
from upwelling.core.media import write_still
from upwelling.core.operations import run_reference
from upwelling.core.operations.exact import exact
from upwelling.core.outputs import BUILT_IN
from upwelling.core.path import Display, Input, Layer, Path
from upwelling.core.recovery import recover_named
from upwelling.core.simulate.camera import A_CAM
from upwelling.core.simulate.shipped import shipped
from upwelling.core.steps import Contrast, Exposure, Saturation
from upwelling.core.tables.evidence import Nearest, converted, nearest
from upwelling.core.tables.files import read_lut

SIZE = 25
LOG = "S-Log3/S-Gamut3.Cine"
CODE = A_CAM.shoot(cv2.resize(shipped("Colour store"), (480, 270), interpolation=cv2.INTER_AREA), seed=1)
FLAT = CODE.reshape(-1, 3)
TELEVISION = next(output for output in BUILT_IN if output.name == "BT.709 BT.1886")


def after(gives, to_display):
    return np.clip(converted(Nearest(LOG, gives, to_display, False, 0, 0), FLAT), 0, 1)


@pytest.mark.slow
@pytest.mark.parametrize(("gives", "to_display"), [("ACEScct/AP1", False), ("BT.709 BT.1886 by Rise", True)])
def test_a_known_conversion_is_recovered_and_named(gives, to_display):
    wanted = after(gives, to_display)
    noisy = wanted.copy()
    noisy[::50] = 0.9  # dead pixels
    first = recover(CODE, noisy.reshape(CODE.shape), size=SIZE)
    near, *others = nearest(first.lut, known=first.knows)
    alike = [one for one in (near, *others) if one.mean_codes < near.mean_codes + 0.1]
    assert (LOG, gives) in [(one.expects, one.gives) for one in alike], "above its toe ACEScc is the same curve"
    found = recover(CODE, noisy.reshape(CODE.shape), lambda codes: converted(near, codes), SIZE)
    seen = found.knows(FLAT)
    assert seen.mean() > 0.95
    got = found.lut.apply(FLAT[seen]).astype(np.float64)
    # A table of so few nodes is off by itself: what one made from the conversion at its nodes is off, is the measure.
    nodes = np.clip(converted(near, lattice(SIZE).reshape(-1, 3).astype(np.float64)), 0, 1)
    exact = Lut3D(nodes.reshape(SIZE, SIZE, SIZE, 3).astype(np.float32)).apply(FLAT[seen])
    own = np.median(np.abs(exact - wanted[seen]))
    assert np.median(np.abs(got - wanted[seen])) < 1.2 * own + 0.5 / 1023
    if to_display:
        space = space_of(primaries("AP1"))
        to_ap1 = rgb_to_rgb(TELEVISION.primaries, primaries("AP1"), "CAT02").T
        light = [run_reference(TELEVISION.decode_operations(), v[::7]) @ to_ap1 / 100 for v in (got, wanted[seen])]
        assert np.median(space.delta_e(*light)) < 0.5
    # Another picture: where the first had its colours it is right, elsewhere it follows what it is nearest to.
    other = A_CAM.shoot(cv2.resize(shipped("Cold bench"), (160, 90)), seed=2).reshape(-1, 3)
    its = np.clip(converted(Nearest(LOG, gives, to_display, False, 0, 0), other), 0, 1)
    assert np.median(np.abs(found.lut.apply(other) - its)) < 4 / 1023


@pytest.mark.slow
@pytest.mark.parametrize("levels", [0, 255])
@pytest.mark.parametrize("steps", [(), (Exposure(stops=0.3),), (Saturation(amount=1.2),), (Contrast(contrast=1.1),)])
def test_a_conversion_is_named_only_where_it_was_used(steps, levels):
    """Through a trim no built-in conversion is what was done, however near one comes; none is named or followed."""
    path = Path(input=Input(encoding=LOG), trim=Layer(steps=steps), display=Display(output="BT.709 BT.1886"))
    made = np.clip(exact(path.operations(), FLAT.astype(np.float64)), 0, 1).reshape(CODE.shape)
    found = recover_named(CODE, np.rint(made * levels) / levels if levels else made, 17)
    assert found.followed is not bool(steps)
    first = f"Built-in conversion: {LOG} to BT.709 BT.1886 by Rise"
    assert found.said[0].startswith("No built-in conversion was used" if steps else first)
    assert ("a polynomial and is worth nothing" in found.said[1]) is bool(steps)


@pytest.mark.slow
def test_what_is_no_one_conversion_is_refused():
    wanted = after("ACEScct/AP1", False).reshape(CODE.shape)
    with pytest.raises(CannotMatch, match=r"Equal colours before became different ones|No smooth table"):
        recover(CODE, np.roll(wanted, 9, axis=1), size=17)
    mixed = wanted.copy()
    mixed[:, ::2] = np.clip(mixed[:, ::2] * 0.8, 0, 1)
    with pytest.raises(CannotMatch, match=r"Equal colours before became different ones|No smooth table"):
        recover(CODE, mixed, size=17)
    with pytest.raises(CannotMatch, match="too few colours"):
        recover(np.full((50, 50, 3), 0.4), np.full((50, 50, 3), 0.5), size=17)
    with pytest.raises(CannotMatch, match="differ in size"):
        recover(CODE, wanted[:-1], size=17)


@pytest.mark.slow
def test_the_command_writes_a_table_with_its_evidence(tmp_path, capsys):
    wanted = after("ACEScct/AP1", False).reshape(CODE.shape)
    for name, code in (("a.tif", CODE), ("b.tif", wanted), ("small.tif", wanted[:90])):
        write_still(tmp_path / name, code, "16")
    a, b, out = (str(tmp_path / name) for name in ("a.tif", "b.tif", "o.cube"))
    assert main(["recover", a, b, out, "--size", "17", "--json"]) == 0
    said = json.loads(capsys.readouterr().out)
    assert f"{LOG} to ACEScct/AP1" in said["nearest"].split(" or "), "above its toe ACEScc is the same curve"
    assert said["follows_nearest"]
    assert 0.02 < said["support"] < 0.6
    table = read_lut(out)
    assert "Built-in conversion:" in table.comments[0]
    np.testing.assert_allclose(np.median(np.abs(table.apply(FLAT) - wanted.reshape(-1, 3))), 0, atol=2e-3)
    assert main(["recover", a, str(tmp_path / "small.tif"), out]) == 2
    assert "do not belong together" in capsys.readouterr().err
    assert main(["recover", a, b, out, "--size", "3"]) == 2
