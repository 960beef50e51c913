"""A walk through layers by hand: a camera's correction, an exception, a group's contrast, two Looks, a finish on SDR
only; baked, delivered, and verified from the recipe alone.
"""

import json

import numpy as np
import pytest
from scipy.ndimage import zoom

from tests.browser.conftest import add_step, pictured, quiet
from tests.browser.test_whole_line import type_in
from upwelling.cli.main import main
from upwelling.core.lut import lattice
from upwelling.core.media import write_still
from upwelling.core.path import LAYERS, Layer, Path
from upwelling.core.path.look_recipe import LookRecipe
from upwelling.core.simulate.camera import B_CAM
from upwelling.core.simulate.shipped import shipped
from upwelling.core.steps import Saturation, SlopeOffsetPower
from upwelling.core.steps.group import StepGroup

LOOKS = {"Kiln": SlopeOffsetPower(id="sop", slope=(1.05, 1, 0.96)), "Cold": Saturation(id="saturation", amount=0.8)}


@pytest.fixture
def clips(server, sign_in, tmp_path):
    """A production of its own with five clips of B-cam, three of them in a group: brought in and settled by hand."""
    page = sign_in()
    if page.locator("a:has-text('Layered')").count():
        return page
    page.fill("input[name=name]", "Layered")
    page.click("main form button")
    scene = np.maximum(zoom(shipped("Gathering room"), (0.2, 0.2, 1), order=1), 0).astype(np.float32)
    files = []
    for n in range(5):
        write_still(tmp_path / f"B00{n}.dpx", B_CAM.shoot(scene, stops=0.2 * n, seed=n), "10")
        files.append(tmp_path / f"B00{n}.dpx")
    page.goto(f"{server}/p/layered/intake/")
    page.set_input_files("input[type=file]", files)
    page.wait_for_selector("tbody tr:nth-child(5)")
    page.reload()
    page.on("dialog", lambda dialog: dialog.accept())
    page.check("input[aria-label='Select all']")
    page.select_option("select[aria-label='Encoding of the selected shots']", "V-Log/V-Gamut")
    page.wait_for_selector("tr:has-text('B004'):has-text('Settled by hand')")
    page.select_option("select[aria-label='Camera of the selected shots']", "new")
    page.fill(".naming input", "B-cam")
    page.click("button:text-is('Give it')")
    page.wait_for_selector("tr:has-text('B004'):has-text('B-cam')")
    page.uncheck("input[aria-label='Select all']")
    for name in ("B000", "B001", "B002"):
        page.check(f"input[aria-label='Select {name}']")
    with page.expect_navigation():
        page.select_option("select[aria-label='Group of the selected shots']", "new")
        page.fill(".naming input", "Cold bench")
        page.press(".naming input", "Enter")
    return page


def bench(page, server, name, layer=""):
    page.goto(f"{server}/p/layered/")
    address = page.locator(f"a.shot:has-text('{name}')").get_attribute("href")
    page.goto(f"{server}{address}" + (f"?layer={layer}" if layer else ""))
    pictured(page)
    quiet(page)


def save_for_all(page, shots):
    page.click("button:has-text('Save for all')")
    page.wait_for_selector(".touches li img >> nth=0")
    page.click(f".touches button:text-is('Save for {shots} shots')")
    quiet(page)


def line(page, stage):
    return page.inner_text(f".stratum[data-stage={stage}] p")


def test_from_a_camera_to_a_proved_file(clips, server, tmp_path, capsys):
    page = clips
    bench(page, server, "B000")
    page.click(".pick[data-stage=camera_trim]")
    page.wait_for_selector(".handband:has-text('Changes 5 shots of B-cam')")
    add_step(page, "white_balance")
    type_in(page, "Scene light, K", "5200", "Tab")
    quiet(page)
    seen = page.get_attribute("canvas.picture", "data-fingerprint")
    save_for_all(page, 5)
    assert page.get_attribute("canvas.picture", "data-fingerprint") == seen, "what was saved is what was seen"
    assert "5200 K" in line(page, "camera_trim")
    page.click(".pick[data-stage=group_trim]")
    page.wait_for_selector(".handband:has-text('Changes 3 shots of Cold bench')")
    add_step(page, "contrast")
    type_in(page, "Contrast, stops/stop", "1.25", "Tab")
    quiet(page)
    save_for_all(page, 3)
    page.click(".pick[data-stage=finish]")
    assert page.input_value(".handband select") == "SDR"
    add_step(page, "slope_offset_power")
    for channel in ("red", "green", "blue"):
        type_in(page, f"Offset, {channel}, code", "0.02", "Tab")
    quiet(page)
    page.keyboard.press("Control+z")
    quiet(page)
    page.keyboard.press("Control+Shift+z")
    quiet(page)
    save_for_all(page, 5)

    bench(page, server, "B001", "camera_trim")
    assert "from B-cam" in line(page, "camera_trim")
    page.fill("input[aria-label='How much of the layer this shot takes, %']", "50")
    page.keyboard.press("Enter")
    page.wait_for_selector(".stratum[data-stage=camera_trim] p:has-text('at 50 % here')")
    quiet(page)
    bench(page, server, "B004")
    assert page.locator(".stratum[data-stage=group_trim]").count() == 0
    assert "slope" in line(page, "finish") or "offset" in line(page, "finish")

    for name, step in LOOKS.items():
        place = tmp_path / f"{name}.json"
        place.write_text(LookRecipe(name=name, steps=(step,)).to_text())
        page.goto(f"{server}/p/layered/looks/")
        page.set_input_files("input[name=file] >> nth=0", place)
        page.click("button:text-is('Bring it in') >> nth=0")
        page.wait_for_selector(f"h1:has-text('{name}')")
    page.goto(f"{server}/p/layered/looks/")
    for row, name in (("The production", "Kiln"), ("Cold bench", "Cold")):
        page.select_option(f"tr:has-text('{row}') select[name=look]", label=name)
        page.fill(f"tr:has-text('{row}') input[name=strength]", "80")
        page.click(f"tr:has-text('{row}') button:text-is('Give')")
        page.wait_for_selector(f"text={name} for")

    bench(page, server, "B001")
    assert "Kiln, version 1 at 80 %" in line(page, "look")
    assert "Cold, version 1 at 80 % · from Cold bench" in line(page, "group_look")
    page.goto(f"{server}/p/layered/layers/")
    assert "B-cam’s trim" in page.inner_text("main")

    bench(page, server, "B001")
    page.click(".pick[data-stage=display]")
    page.click("a:has-text('Bake a LUT of this path')")
    page.select_option("select[name=receiver]", "Grading or editing program")
    page.select_option("select[name=format]", "cube")
    page.select_option("select[name=size]", "33")
    page.wait_for_selector("text=● Nothing is left out")
    page.click("button:has-text('Bake and verify')")
    page.wait_for_selector("a:has-text('Certificate')", timeout=90000)
    page.click("a:has-text('Certificate') >> nth=0")
    taken = []
    for words in ("Download the LUT", "Certificate as JSON", "Tested pixels"):
        with page.expect_download() as got:
            page.click(f"text={words}")
        taken.append(tmp_path / got.value.suggested_filename)
        got.value.save_as(taken[-1])
    main(["verify", str(taken[0]), "--json"])
    report = json.loads(capsys.readouterr().out)
    assert report["fingerprint"] in page.content()
    path = Path.checked(report["order"]["path"])
    assert [layer.kind for layer in path.layers if layer.acting(path.target)] == [k for k in LAYERS if k != "trim"]
    assert path.layer("camera_trim").strength == 0.5
    flat = as_one_trim(path)
    codes = lattice(9).reshape(-1, 3)
    np.testing.assert_allclose(path.apply(codes), flat.apply(codes), rtol=0, atol=1e-9)

    page.goto(f"{server}/p/layered/deliveries/new/?shot={shot_number(page, server, 'B001')}")
    page.select_option("select[name=preset]", "TIFF 16-bit")
    page.wait_for_timeout(400)
    page.wait_for_selector(".planned button:text-is('Deliver'):not([disabled])")
    page.click(".planned button:text-is('Deliver')")
    page.wait_for_selector(".verdict.holds", timeout=120000)
    with page.expect_download() as got:
        page.click("text=Download")
    got.value.save_as(tmp_path / got.value.suggested_filename)
    with page.expect_download() as proof:
        page.click("text=Proof as JSON")
    proof.value.save_as(tmp_path / f"{got.value.suggested_filename}.proof.json")
    assert main(["verify-delivery", str(tmp_path / got.value.suggested_filename)]) == 0


def as_one_trim(path):
    """The same scene steps in one trim, each layer's with its strength, under the same finish."""
    layers = [layer for layer in path.layers if layer.light == "scene"]
    groups = tuple(StepGroup(id=f"g{n}", strength=layer.strength) for n, layer in enumerate(layers))
    steps = tuple(
        step.model_copy(update={"id": f"s{n}x{k}", "group": f"g{n}"})
        for n, layer in enumerate(layers)
        for k, step in enumerate(layer.acting(path.target))
    )
    kept = tuple(group for group in groups if any(step.group == group.id for step in steps))
    bare = path.without_layers(*(layer.kind for layer in layers))
    return bare.with_layers(trim=Layer(steps=steps, groups=kept))


def shot_number(page, server, name):
    page.goto(f"{server}/p/layered/shots/")
    return page.locator(f"tr:has-text('{name}')").get_attribute("data-shot")


def test_a_step_is_tried_after_the_rendering_and_moved(clips, server):
    """Both results stand beside each other; one click takes one; one undo brings the step back into the shot."""
    page = clips
    bench(page, server, "B003")
    page.click(".steplist [data-step=sop] .stepname")
    type_in(page, "Offset, red, code", "0.05", "Tab")
    quiet(page)
    page.click("button:has-text('More')")
    page.click("button:has-text('After the rendering?')")
    page.wait_for_selector(".otherpicture[data-fingerprint]")
    quiet(page)
    here, there = (page.get_attribute(f"canvas.{name}", "data-fingerprint") for name in ("picture", "otherpicture"))
    assert here != there
    page.click("button:has-text('Take it there')")
    page.wait_for_selector(".handband:has-text('of the production')")
    quiet(page)
    assert page.get_attribute("canvas.picture", "data-fingerprint") == there
    assert "changes by up to" in page.inner_text(".trouble")
    page.click("button:text-is('Undo')")
    quiet(page)
    page.click(".pick[data-stage=trim]")
    page.wait_for_selector(".steplist [data-step=sop]")
    quiet(page)
    assert page.get_attribute("canvas.picture", "data-fingerprint") == here
    # The whole against unmanaged, wiped on one scope.
    page.select_option(".against", "unmanaged:")
    quiet(page)
    assert page.get_attribute("canvas.otherpicture", "data-fingerprint") not in (here, there)
