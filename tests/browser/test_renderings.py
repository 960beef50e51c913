"""Rendering and outputs by hand: the panel with its handles, comparing methods and outputs, defining one,
the monitor.
"""

import re

import pytest

from tests.browser.conftest import pictured, quiet
from tests.browser.test_whole_line import fingerprint, open_bench, pixel, type_in


def settled(page):
    """Waits until no cell or picture of a comparison is under way."""
    page.wait_for_timeout(150)
    page.wait_for_function("() => document.querySelector('.compare').dataset.busy === 'no'")


@pytest.fixture
def panel(brought_in, sign_in):
    """The rendering panel of a shot; what a test did is taken back."""
    page = open_bench(sign_in(first=False), brought_in, "B007")
    quiet(page)
    page.click(".pick[data-stage=rendering]")
    quiet(page)
    yield page
    button = page.locator('button:has-text("Return to the production\'s")')
    if button.is_visible():
        button.click()
        quiet(page)


@pytest.fixture
def delivered(brought_in, sign_in):
    """The production delivers HDR beside television."""
    page = sign_in()
    page.goto(f"{brought_in}/p/kilnlight/outputs/?name=BT.2100 PQ 1000, P3")
    page.click("button:has-text('Deliver it too')")
    page.wait_for_selector("button:has-text('Do not deliver it')")
    yield page
    page.goto(f"{brought_in}/p/kilnlight/outputs/?name=BT.2100 PQ 1000, P3")
    page.click("button:has-text('Do not deliver it')")
    page.wait_for_selector("button:has-text('Deliver it too')")


def test_a_method_is_chosen_and_its_controls_appear(panel):
    page, before = panel, fingerprint(panel)
    assert page.locator("input[aria-label='Contrast, stops/stop']").is_visible()
    page.select_option("select[aria-label='Tone map']", "bt2390")
    page.wait_for_selector(".stratum[data-stage=rendering] p:has-text('BT.2390 EETF, 1000 → 100')")
    quiet(page)
    assert fingerprint(page) != before
    assert not page.locator("input[aria-label='Contrast, stops/stop']").is_visible()
    assert page.locator("input[aria-label='Source white, cd/m²'] >> visible=true").count() == 1
    bright = sum(pixel(page)[:3])
    page.select_option("select[aria-label='Gamut fit']", "hard")
    quiet(page)
    page.select_option("select[aria-label='Tone map']", "bt2446a")
    quiet(page)
    assert sum(pixel(page)[:3]) < bright  # method A is the darker one
    page.reload()
    pictured(page)
    page.click(".pick[data-stage=rendering]")
    assert page.input_value("select[aria-label='Tone map']") == "bt2446a"
    assert page.input_value("select[aria-label='Gamut fit']") == "hard"
    page.keyboard.press("Control+z")
    page.wait_for_function("() => document.querySelector(\"select[aria-label='Tone map']\").value === 'bt2390'")


def test_handles_bend_the_curve(panel):
    page = panel
    line = page.locator("polyline.curve").get_attribute("points")
    handle = page.locator("circle[aria-label='Shoulder, handle']").bounding_box()
    with page.expect_response(re.compile("/save/")):
        page.mouse.move(handle["x"] + 5, handle["y"] + 5)
        page.mouse.down()
        page.mouse.move(handle["x"] + 25, handle["y"] + 5, steps=5)
        page.mouse.up()
    quiet(page)
    assert 0.8 < float(page.input_value("input[aria-label='Shoulder start, stops']")) < 2.0
    assert page.locator("polyline.curve").get_attribute("points") != line
    page.locator("circle[aria-label='Toe, handle']").focus()
    page.keyboard.press("ArrowDown")
    quiet(page)
    assert float(page.input_value("input[aria-label='Toe, ×']").replace("−", "-")) > 0.1
    page.locator("circle[aria-label='Peak, handle']").focus()
    page.keyboard.press("ArrowLeft")
    quiet(page)
    assert float(page.input_value("input[aria-label='Scene peak, × white']")) < 64
    assert page.locator("path.tones").get_attribute("d").startswith("M")  # the frame's histogram lies behind


def test_the_bench_shows_another_output_and_a_step_for_it_alone(delivered, brought_in):
    page = open_bench(delivered, brought_in, "B007")
    quiet(page)
    page.click("button:text-is('More')")
    page.select_option("select[aria-label='Output the step is for']", "BT.2100 PQ 1000, P3")
    quiet(page)
    tv = fingerprint(page)
    page.click("button:text-is('Controls')")
    type_in(page, "Exposure, stops", "0.4")
    quiet(page)
    assert "0.40" not in page.inner_text(".stratum[data-stage=trim] p")
    assert fingerprint(page) == tv
    page.click(".pick[data-stage=rendering]")
    page.select_option("select[aria-label='Output shown']", "BT.2100 PQ 1000, P3")
    page.wait_for_selector("text=brighter is white here")
    assert "Exposure +0.40" in page.inner_text(".stratum[data-stage=trim] p")
    assert "1000" in page.locator(".tone text").all_inner_texts() or "1000" in page.locator(".tone").text_content()
    page.click("button:has-text('Undo')")
    quiet(page)
    page.click("button:has-text('Undo')")
    quiet(page)


def test_methods_are_compared_and_one_is_taken(panel, brought_in):
    page = panel
    page.click("a:has-text('Compare renderings')")
    page.wait_for_selector("text=8 rendered in")
    cells = page.locator(".renderingcell")
    assert cells.count() == 8
    assert len({cells.nth(i).locator(".cellpicture").get_attribute("src") for i in range(8)}) == 8
    assert "10.0 cd/m²" in cells.nth(0).inner_text()
    page.click(".cellhead:has-text('Reinhard')")
    before = page.locator(".inhand .cellpicture").get_attribute("src")
    # By its method: the field of the one before is on the page until it is hidden.
    peak = ".cellside [data-method=reinhard] input[aria-label='Scene peak, × white']"
    page.fill(peak, "40")
    page.press(peak, "Enter")
    settled(page)
    assert page.locator(".inhand .cellpicture").get_attribute("src") != before
    page.fill(peak, "9999")
    page.press(peak, "Enter")
    page.wait_for_selector("text=type a number from 2.0 to 1024.0")
    page.select_option(".comparebar select[aria-label=Scope]", "vectorscope")
    settled(page)
    page.click("button:has-text('Take it off this page')")
    assert cells.count() == 7
    page.click("button:has-text('Add a copy')")
    settled(page)
    page.select_option(".cellside select[aria-label='Tone map']", "clip")
    settled(page)
    assert "Clip at" in page.locator(".inhand .celltext").inner_text()
    page.click('button:has-text("Make it this shot\'s")')
    page.wait_for_selector("text=has this rendering now")
    page.goto(f"{brought_in}/p/kilnlight/")
    page.click("a.shot:has-text('B007')")
    pictured(page)
    page.click(".pick[data-stage=rendering]")
    assert page.input_value("select[aria-label='Tone map']") == "clip"


def test_outputs_of_one_recipe_stand_side_by_side(delivered, brought_in):
    page = open_bench(delivered, brought_in, "B007")
    page.click(".pick[data-stage=rendering]")
    page.click("a:has-text('Compare renderings')")
    page.wait_for_selector("text=8 rendered in")
    page.click("button:has-text('Outputs of this recipe')")
    page.wait_for_selector("text=2 rendered in")
    assert "26.0 cd/m²" in page.locator(".renderingcell").nth(1).inner_text()
    page.click(".cellhead:has-text('PQ 1000')")
    page.select_option(".cellside select[aria-label='Tone map']", "bt2446c")
    page.wait_for_selector(".celltrouble:has-text('maps HDR to SDR') >> visible=true")


def test_an_output_is_defined_and_light_is_measured(delivered, brought_in):
    page = delivered
    page.click("button:has-text('Measure MaxCLL and MaxFALL')")
    page.wait_for_selector("text=/MaxCLL \\d+ cd.m², MaxFALL \\d+ cd.m² over 2 frames/")
    page.fill("input[name=name]", "A very long name of an output that somebody thought was a good idea")
    page.fill("input[name=peak_nits]", "5")
    page.click("button:has-text('Save the output')")
    page.wait_for_selector("text=Not saved")
    assert page.input_value("input[name=peak_nits]") == "5"
    page.fill("input[name=peak_nits]", "180")
    page.click("button:has-text('Save the output')")
    page.wait_for_selector("text=is saved")
    assert page.evaluate("() => document.documentElement.scrollWidth <= document.documentElement.clientWidth")
    page.click("button:has-text('Remove this definition')")
    page.wait_for_selector("text=is removed")


def test_the_monitor_shows_its_faults(brought_in, sign_in):
    page = open_bench(sign_in(first=False), brought_in)
    page.goto(page.url + "monitor/")
    page.wait_for_selector("td:has-text('grey 50 %')")
    settled(page)
    row = page.locator("tr:has-text('grey 0 %')")
    assert "0.00" in row.inner_text()
    page.select_option("select[aria-label=Display]", "laptop in daylight")
    settled(page)
    page.wait_for_function("() => document.querySelector('tbody tr').innerText.includes('1.89')")
    slider = page.locator("input[aria-label='Room light, slider']")
    slider.focus()
    page.keyboard.press("Delete")
    settled(page)
    assert page.input_value("input[aria-label='Room light, lux']") == "0"
    page.wait_for_function("() => document.querySelector('tbody tr').innerText.includes('0.3')")


OVER_OTHERS = """() => {
  const box = (one) => one.getBoundingClientRect();
  const meet = (a, b) => a.left < b.right - 1 && a.right > b.left + 1 && a.top < b.bottom - 1 && a.bottom > b.top + 1;
  const over = (slider) => [...slider.parentElement.children].some((o) => o !== slider && meet(box(slider), box(o)));
  return [...document.querySelectorAll("main input[type=range]")].filter(over).map((s) => s.getAttribute("aria-label"));
}"""


@pytest.mark.parametrize("width", [1024, 1280, 1920])
def test_no_slider_runs_under_what_stands_beside_it(brought_in, sign_in, width):
    """They ran under their number and struck its unit through."""
    page = sign_in(first=False)
    page.set_viewport_size({"width": width, "height": 800})
    open_bench(page, brought_in, "B007")
    bench = page.url.split("?")[0].rstrip("/")
    for part in ("renderings", "monitor"):
        page.goto(f"{bench}/{part}/")
        page.wait_for_selector("main input[type=range]")
        assert page.evaluate(OVER_OTHERS) == []
    page.set_viewport_size({"width": 1280, "height": 800})
