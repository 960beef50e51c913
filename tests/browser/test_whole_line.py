"""One technician, one line: sign-in, upload, encoding, correction, bake, certificate, download, command line."""

import json
import re

import pytest

from tests.browser.conftest import pictured, quiet
from upwelling.cli.main import main


def open_bench(page, server, name="A012"):
    page.goto(f"{server}/p/kilnlight/")
    page.click(f"a.shot:has-text('{name}')")
    pictured(page)
    return page


def step(page, title):
    """Takes a step in hand."""
    page.click(f".steplist li:has-text('{title}') .stepname")
    page.wait_for_selector(f".stephead b:has-text('{title}')")


def type_in(page, label, value, key="Enter"):
    page.fill(f"input[aria-label='{label}']", value)
    page.press(f"input[aria-label='{label}']", key)


def fingerprint(page):
    return page.locator("canvas.picture").get_attribute("data-fingerprint")


def pixel(page):
    return page.evaluate(
        "() => { const c = document.querySelector('canvas.picture'); return "
        "[...c.getContext('2d').getImageData(c.width / 4, c.height / 2, 1, 1).data]; }"
    )


def test_from_bench_to_download(brought_in, sign_in, tmp_path, capsys):
    page = open_bench(sign_in(first=False), brought_in)
    before, colour = fingerprint(page), pixel(page)

    # Drag the exposure: previews come while the hand moves, and the change is saved when it rests.
    slider = page.locator("input[aria-label='Exposure, slider']")
    box = slider.bounding_box()
    with page.expect_response(re.compile("/save/")) as saved:
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        page.mouse.down()
        page.mouse.move(box["x"] + box["width"] * 0.6, box["y"] + box["height"] / 2, steps=6)
        page.wait_for_function(
            "(old) => document.querySelector('canvas.picture').dataset.fingerprint !== old", arg=before
        )
        assert "0.00" not in page.input_value("input[aria-label='Exposure, stops']")
        page.mouse.up()
    assert saved.value.status == 200
    type_in(page, "Exposure, stops", "0.75")
    step(page, "White balance")
    type_in(page, "Scene light, K", "5400", "Tab")
    step(page, "Slope · offset · power")
    type_in(page, "Slope, red, ×", "1.02", "Tab")
    page.wait_for_selector("text=All 3 trim steps fit in a LUT")
    assert "Exposure +0.75 · 5400 K" in page.inner_text(".stratum[data-stage=trim] p")
    quiet(page)
    assert sum(pixel(page)[:3]) > sum(colour[:3])

    # Undo and redo survive a reload.
    page.keyboard.press("Escape")
    page.click("button:has-text('Undo')")
    page.wait_for_selector("text=All 2 trim steps fit in a LUT")
    page.reload()
    page.wait_for_selector("text=All 2 trim steps fit in a LUT")
    page.click("button:has-text('Redo')")
    page.wait_for_selector("text=All 3 trim steps fit in a LUT")
    quiet(page)
    final = fingerprint(page)

    # Bake and verify in the background, then read the certificate and take the files.
    page.click(".pick[data-stage=display]")
    page.click("a:has-text('Bake a LUT of this path')")
    page.select_option("select[name=receiver]", "Grading or editing program")
    page.select_option("select[name=format]", "cube")
    page.select_option("select[name=size]", "33")
    page.wait_for_selector("text=● Nothing is left out")
    page.click("button:has-text('Bake and verify')")
    page.wait_for_selector("a:has-text('Certificate')", timeout=90000)
    page.click("a:has-text('Certificate') >> nth=0")
    assert page.locator(".verdict.big").inner_text() in (
        "● Holds",
        "◐ Holds within the tested pictures",
        "▲ Does not hold",
    )
    assert page.locator(".swatches figure").count() == 8
    assert final in page.content()
    with page.expect_download() as lut:
        page.click("text=Download the LUT")
    with page.expect_download() as certificate:
        page.click("text=Certificate as JSON")
    with page.expect_download() as frames:
        page.click("text=Tested pixels")
    assert lut.value.suggested_filename == "A012_BT.709-BT.1886_33.cube"
    for taken in (lut, certificate, frames):
        taken.value.save_as(tmp_path / taken.value.suggested_filename)
    verdict = main(["verify", str(tmp_path / lut.value.suggested_filename), "--json"])
    report = json.loads(capsys.readouterr().out)
    assert verdict == (1 if report["verdict"] == "does not hold" else 0)
    assert report["fingerprint"] in page.content()
    assert report["lut_sha256"] in page.content()
    page.set_viewport_size({"width": 640, "height": 400})  # what a browser zoomed to 200 % shows
    beyond = page.eval_on_selector_all(
        ".certificate :is(dd, .btn)",
        "(all) => all.filter((one) => one.getBoundingClientRect().right > innerWidth).length",
    )
    assert beyond == 0


def test_keyboard_alone(brought_in, sign_in):
    page = open_bench(sign_in(first=False), brought_in, "B007")
    step(page, "Slope · offset · power")
    slider = page.locator("input[aria-label='Saturation, slider']")
    slider.focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Shift+ArrowRight")
    assert page.input_value("input[aria-label='Saturation, ×']") in ("1.022", "1.02")
    page.wait_for_selector(".stratum p:has-text('saturation 1.02')")
    page.keyboard.press("Delete")
    assert page.input_value("input[aria-label='Saturation, ×']") == "1.00"
    page.wait_for_function(
        "() => document.querySelector('.stratum[data-stage=trim] p').textContent === 'Nothing corrected yet'"
    )
    quiet(page)
    page.locator("canvas.picture").focus()
    page.keyboard.press("ArrowRight")
    page.wait_for_selector("text=Trace at 321, 180")
    page.keyboard.press("Shift+ArrowUp")
    page.wait_for_selector("text=Trace at 321, 170")
    page.keyboard.press("p")
    page.wait_for_url(re.compile("/bench/"))
    page.wait_for_selector("b:has-text('A012')")


def test_trace_by_click_and_switches(brought_in, sign_in):
    page = open_bench(sign_in(first=False), brought_in)
    box = page.locator("canvas.picture").bounding_box()
    page.mouse.click(box["x"] + box["width"] * 0.8, box["y"] + box["height"] * 0.5)
    page.wait_for_function("() => /Trace at 5\\d\\d, 1\\d\\d/.test(document.querySelector('.read h2').textContent)")
    shown = page.inner_text(".stratum[data-stage=rendering] .values")
    page.click("[data-switch=rendering_on]")
    page.wait_for_selector("text=Off: primaries only")
    assert page.inner_text(".stratum[data-stage=rendering] .values") != shown
    page.click("[data-switch=rendering_on]")
    page.wait_for_selector("text=Rise, scene peak 64")
    now = pixel(page)
    page.click("button:has-text('Without trim')")
    quiet(page)
    page.wait_for_timeout(300)
    assert pixel(page) != now
    page.click("button:has-text('Now')")
    quiet(page)


def test_rendering_is_inherited_until_touched(brought_in, sign_in):
    page = open_bench(sign_in(first=False), brought_in, "B007")
    page.click(".pick[data-stage=rendering]")
    page.wait_for_selector("text=This shot follows the production's rules")
    page.fill("input[aria-label='Contrast, stops/stop']", "1.5")
    page.press("input[aria-label='Contrast, stops/stop']", "Enter")
    page.wait_for_selector("text=This shot has its own rendering")
    page.fill("input[aria-label='Contrast, stops/stop']", "9")
    page.press("input[aria-label='Contrast, stops/stop']", "Enter")
    page.wait_for_selector("text=type a number from 0.8 to 2")
    page.click("text=Return to the production's")
    page.wait_for_selector("text=This shot follows the production's rules")
    assert page.input_value("input[aria-label='Contrast, stops/stop']") == "1.30"
    quiet(page)


def test_settings_that_cannot_meet_are_said_and_not_saved(brought_in, sign_in):
    page = open_bench(sign_in(first=False), brought_in, "B007")
    page.click(".pick[data-stage=rendering]")
    page.fill("input[aria-label='Scene peak, × white']", "4")
    page.press("input[aria-label='Scene peak, × white']", "Enter")
    page.fill("input[aria-label='Contrast, stops/stop']", "0.8")
    page.press("input[aria-label='Contrast, stops/stop']", "Enter")
    page.wait_for_selector(".trouble:has-text('Raise the contrast to')")
    page.reload()
    pictured(page)
    page.click("button:has-text('Undo')")
    quiet(page)


def test_a_link_away_waits_until_all_is_saved(brought_in, sign_in):
    """Two changes wait behind each other while the server is slow; the page is left at once, and both are kept."""
    page = open_bench(sign_in(first=False), brought_in, "B007")

    def hold(route):
        page.wait_for_timeout(900)
        route.continue_()

    page.route("**/save/", hold)
    for title, label, value in (("Exposure", "Exposure, stops", "0.5"), ("White balance", "Scene light, K", "5000")):
        step(page, title)
        type_in(page, label, value, "Tab")
    page.click("nav a:has-text('Looks')")
    page.wait_for_url("**/looks/")
    page.unroute("**/save/")
    open_bench(page, brought_in, "B007")
    for left in ("The trim's one step", "Nothing in the trim"):
        quiet(page)
        page.click("button:has-text('Undo')")
        page.wait_for_selector(f"text={left}")


def test_slow_saves_keep_each_state(brought_in, sign_in):
    """Three quick changes while the server is slow are three states: one undo takes back the last alone."""
    page = open_bench(sign_in(first=False), brought_in, "B007")

    def hold(route):
        page.wait_for_timeout(700)
        route.continue_()

    page.route("**/save/", hold)
    for title, label, value in (
        ("Exposure", "Exposure, stops", "0.5"),
        ("White balance", "Scene light, K", "5000"),
        ("Slope", "Saturation, ×", "1.2"),
    ):
        step(page, title)
        type_in(page, label, value, "Tab")
    page.wait_for_selector("text=All 3 trim steps fit in a LUT")
    for left in ("All 2 trim steps", "The trim's one step", "Nothing in the trim"):
        quiet(page)
        page.click("button:has-text('Undo')")
        page.wait_for_selector(f"text={left}")


def test_dropping_a_file_shows_its_fate(brought_in, sign_in):
    page = sign_in()
    page.goto(f"{brought_in}/p/kilnlight/intake/")
    transfer = page.evaluate_handle(
        "() => { const t = new DataTransfer(); t.items.add(new File(['no picture'], 'notes.png')); return t; }"
    )
    page.dispatch_event(".drop", "dragover", {"dataTransfer": transfer})
    assert "hovering" in page.locator(".drop").get_attribute("class")
    page.dispatch_event(".drop", "drop", {"dataTransfer": transfer})
    page.wait_for_selector("text=notes.png: is nothing this program reads")
    assert page.locator("tbody tr").count() == 2


def test_holding_a_key_shows_before(brought_in, sign_in):
    page = open_bench(sign_in(first=False), brought_in, "B007")
    step(page, "Exposure")
    type_in(page, "Exposure, stops", "1.5")
    page.wait_for_selector(".stratum p:has-text('Exposure +1.50')")
    quiet(page)
    page.locator("canvas.picture").focus()
    trimmed = fingerprint(page)
    page.keyboard.down("b")
    page.wait_for_function("(old) => document.querySelector('canvas.picture').dataset.fingerprint !== old", arg=trimmed)
    assert page.locator("[data-compare=untrimmed]").get_attribute("aria-pressed") == "true"
    page.keyboard.up("b")
    page.wait_for_function("(old) => document.querySelector('canvas.picture').dataset.fingerprint === old", arg=trimmed)
    page.keyboard.press("Control+z")
    page.wait_for_function("() => !document.querySelector('.stratum[data-stage=trim] p').textContent.includes('1.50')")
    quiet(page)


def test_a_viewer_looks(brought_in, sign_in):
    page = open_bench(sign_in("vera", first=False), brought_in)
    assert page.locator("input[aria-label='Exposure, slider']").is_disabled()
    assert page.locator("[data-switch=trim_on]").is_disabled()
    page.goto(f"{brought_in}/p/kilnlight/intake/")
    assert page.locator("input[type=file]").count() == 0
    assert page.locator(".bulk").count() == 0


@pytest.mark.parametrize(("width", "height"), [(1280, 800), (1024, 768), (2560, 1300)])
def test_bench_does_not_scroll_and_nothing_overflows(brought_in, sign_in, width, height):
    page = open_bench(sign_in(width=width, height=height, first=False), brought_in)
    quiet(page)
    size = page.evaluate("() => [document.documentElement.scrollWidth, document.documentElement.scrollHeight]")
    assert size[0] <= width
    assert size[1] <= height
    panel = page.evaluate(
        "() => { const p = document.querySelector('.panel.trim'); return [p.scrollWidth - p.clientWidth, "
        "p.scrollHeight - p.clientHeight]; }"
    )
    assert panel[0] <= 0
    assert height < 800 or panel[1] <= 0
