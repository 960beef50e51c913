"""The viewing layer: seen, and in nothing else."""

import numpy as np
import pytest

from tests.core.test_display_look import CODES, HDR, LOG, SDR, dusk, path
from upwelling.core.errors import BadValue
from upwelling.core.lut.carried import CarriedLut
from upwelling.core.operations import run_reference
from upwelling.core.operations.declared_lut import DeclaredLut
from upwelling.core.outputs import output
from upwelling.core.outputs.monitor import MONITORS, Monitor
from upwelling.core.path import Layer
from upwelling.core.rendering import DisplayTable
from upwelling.core.steps import Contrast, Exposure
from upwelling.core.viewing import Viewing, monitor_operations

WORKED = path().with_layers(
    trim=Layer(steps=(Exposure(id="a", stops=1), Contrast(id="b", contrast=1.4), Exposure(id="c", stops=-2)))
)


def light(viewing, of=WORKED):
    return run_reference(viewing.operations(of), CODES)


def rendered(of):
    return run_reference(tuple(op for stage, part in of.segments().items() if stage != "display" for op in part), CODES)


def trimmed(*steps):
    return WORKED.with_layers(trim=Layer(steps=steps))


@pytest.mark.parametrize(
    ("viewing", "same_as"),
    [
        (Viewing(), WORKED),
        (Viewing(stops=1.5), trimmed(*WORKED.layer("trim").steps, Exposure(stops=1.5))),
        (Viewing(until="b"), trimmed(*WORKED.layer("trim").steps[:2])),
        (Viewing(until="gone"), WORKED),
        (Viewing(without={"trim"}), trimmed()),
        (Viewing(without={"rendering"}), WORKED.model_copy(update={"rendering": path(on=False).rendering})),
    ],
)
def test_it_is_the_path_that_it_says(viewing, same_as):
    np.testing.assert_allclose(light(viewing), rendered(same_as), atol=1e-12)
    assert viewing.acts == (viewing != Viewing())


def test_black_and_white_is_the_displays_luminance():
    """Weights of ITU-R BT.709, on light."""
    seen, plain = light(Viewing(grey=True)), rendered(WORKED)
    np.testing.assert_allclose(seen[:, 0], plain @ [0.2126, 0.7152, 0.0722], atol=5e-5)
    assert np.ptp(seen, axis=1).max() == 0


@pytest.mark.parametrize("name", MONITORS)
@pytest.mark.parametrize("target", [SDR, HDR])
def test_the_simulated_monitor_is_the_one_of_its_page(name, target):
    monitor, relative = Monitor(**MONITORS[name]), np.random.default_rng(3).uniform(-0.1, 1.2, (40, 3))
    found = run_reference(monitor_operations(monitor, output(target)), relative)
    np.testing.assert_allclose(found, monitor.shown(output(target), relative), atol=1e-12)


def table(expects, gives, kind=DeclaredLut):
    return kind(table=CarriedLut.of(dusk(), "dusk.cube", "0" * 64), expects=expects, gives=gives)


def test_a_viewing_table_takes_its_place_by_what_it_was_declared_for():
    over = Viewing(table=table(SDR, SDR, DisplayTable))
    shown = run_reference(output(SDR).encode_operations(), light(over, path()))
    np.testing.assert_allclose(shown, dusk().apply(path().apply(CODES)), atol=1e-6)
    quiet = 0.5 + 0.05 * (CODES - 0.5)  # colours that the rendering's gamut fit leaves alone
    instead = run_reference(Viewing(table=table(LOG, SDR)).operations(path()), quiet)
    np.testing.assert_allclose(run_reference(output(SDR).encode_operations(), instead), dusk().apply(quiet), atol=1e-5)
    before = light(Viewing(table=table("ACEScct/AP1", "ACEScct/AP1")), path())
    assert np.abs(before - rendered(path())).max() > 0.01
    with pytest.raises(BadValue, match="an SDR display"):
        light(Viewing(table=table(LOG, SDR)), path(HDR))


def test_it_says_what_it_does():
    viewing = Viewing(stops=-1.5, grey=True, without={"look"}, until="b", monitor=Monitor())
    said = "−1.5 stops · black and white · without Look · up to Contrast · on a simulated monitor"
    assert viewing.summary(WORKED) == said
    assert Viewing(stops=1).summary(WORKED) == "+1 stop"


def test_exposure_of_codes_that_stand_for_no_light_is_said_to_do_nothing():
    unread = WORKED.model_copy(update={"input": WORKED.input.model_copy(update={"on": False})})
    assert "no effect" in Viewing(stops=1).summary(unread)
    np.testing.assert_array_equal(light(Viewing(stops=1), unread), light(Viewing(), unread))
