"""The Bench beyond one picture: Marks and history, two people, the strip, frames, giving to shots, a raw shot."""

import time

from tests.browser.conftest import add_step, pictured, quiet
from tests.browser.test_bench import bench as bench
from tests.browser.test_whole_line import fingerprint, open_bench, step, type_in


def test_marks_and_history(bench):
    page = bench
    step(page, "Exposure")
    type_in(page, "Exposure, stops", "1")
    quiet(page)
    marked = fingerprint(page)
    page.locator("canvas.picture").focus()
    page.keyboard.press("m")
    page.fill("input[aria-label='Name of a new Mark']", "Bright")
    page.click("text=Mark this state")
    page.wait_for_selector(".card:has-text('Bright'):has-text('As it is now')")
    page.click("[data-tab=steps]")
    type_in(page, "Exposure, stops", "-1")
    quiet(page)
    page.click("[data-tab=marks]")
    page.wait_for_selector(".card:has-text('Exposure: −1 → 1')")
    page.click(".card button:text-is('Compare')")
    page.wait_for_selector("canvas.otherpicture[data-fingerprint]")
    quiet(page)
    assert page.get_attribute("canvas.otherpicture", "data-fingerprint") == marked
    page.click("[data-compare=now]")
    page.click(".card button:text-is('Return to it')")
    page.wait_for_function("(f) => document.querySelector('canvas.picture').dataset.fingerprint === f", arg=marked)
    quiet(page)
    page.click("[data-tab=history]")
    page.wait_for_selector(".states li[aria-current=true]:has-text('return to Bright')")
    page.click(".states li:has-text('Exposure: 1 → −1') button")
    page.wait_for_function("(f) => document.querySelector('canvas.picture').dataset.fingerprint !== f", arg=marked)
    quiet(page)
    page.click("[data-tab=marks]")
    page.click(".card:has-text('Bright') button:text-is('Remove')")
    page.wait_for_selector("text=No Marks yet")


def test_a_late_answer_brings_no_removed_mark_back(bench):
    page, held = bench, []
    page.click("[data-tab=marks]")
    page.fill("input[aria-label='Name of a new Mark']", "Passing")
    page.click("text=Mark this state")
    page.wait_for_selector(".card:has-text('Passing')")
    page.route("**/marks/**", lambda route: held.append((route, route.fetch())), times=1)
    page.click("[data-tab=marks]")
    page.wait_for_timeout(500)
    page.click(".card:has-text('Passing') button:text-is('Remove')")
    page.wait_for_timeout(1500)
    for route, response in held:
        route.fulfill(response=response)
    quiet(page)
    assert held
    page.wait_for_selector("text=No Marks yet")


def test_two_people_on_one_shot(bench, sign_in, brought_in):
    page, other = bench, open_bench(sign_in(first=False), brought_in)
    step(page, "Exposure")
    type_in(page, "Exposure, stops", "0.6")
    quiet(page)
    # Another step: both are in force, and the page says what the other changed.
    step(other, "Contrast")
    type_in(other, "Contrast, stops/stop", "1.5")
    other.wait_for_selector(".trouble:has-text('Both changes are in force')")
    assert "Exposure: 0 → 0.6" in other.inner_text(".trouble")
    other.wait_for_selector(".stratum p:has-text('Exposure +0.60 · Contrast 1.50')")
    other.click(".trouble button")
    # The same step: the late one is kept as a Mark.
    step(page, "Contrast")
    type_in(page, "Contrast, stops/stop", "1.2")
    page.wait_for_selector(".trouble:has-text('changed meanwhile')")
    assert "Contrast: 1.2 → 1.5" in page.inner_text(".trouble")
    page.click(".trouble button")
    page, other = other, page
    other.wait_for_selector(".stratum p:has-text('Contrast 1.50')")
    other.click("[data-tab=marks]")
    other.click(".card:has-text('not saved') button:text-is('Return to it')")
    other.wait_for_selector(".stratum p:has-text('Contrast 1.20')")
    quiet(other)
    other.click(".card:has-text('not saved') button:text-is('Remove')")
    quiet(other)
    page.reload()
    page.wait_for_selector(".stratum p:has-text('Contrast 1.20')")


def test_strip_filter_and_groups(bench):
    page = bench
    assert page.locator(".strip .group").count() >= 1
    page.fill("input[aria-label='Filter the shots by name']", "b007")
    assert page.locator(".strip a:visible").count() == 1
    page.fill("input[aria-label='Filter the shots by name']", "nothing like it")
    page.wait_for_selector("text=No shot has that in its name")
    # What is saved while the open shot is not in the strip is saved, and no script falls over its thumbnail.
    add_step(page, "contrast")
    quiet(page)
    assert "Cannot set properties" not in page.inner_text("body")
    page.fill("input[aria-label='Filter the shots by name']", "")


def test_frames_step_and_play(registered, sign_in, server):
    page = sign_in()
    page.goto(f"{registered}/intake/")
    page.click("tr:has-text('P099') >> a.strong")
    pictured(page)
    page.locator("canvas.picture").focus()
    start = page.inner_text("output >> nth=0")
    page.keyboard.press("f")
    page.wait_for_function("(old) => document.querySelector('.under output').textContent !== old", arg=start)
    page.keyboard.press("Shift+F")
    page.wait_for_function("(old) => document.querySelector('.under output').textContent === old", arg=start)
    page.click("button:text-is('Play')")
    page.wait_for_selector("text=frames a second, reduced")
    page.click("button:text-is('Stop')")
    quiet(page)
    # A machine that cannot keep up leaves frames out evenly, and says so.
    page.route("**/motion/", lambda route: (time.sleep(1.5), route.continue_()))
    page.click("button:text-is('Play')")
    page.wait_for_selector("text=/reduced, one in [2-8]/")
    page.click("button:text-is('Stop')")
    page.unroute("**/motion/")
    quiet(page)


def test_steps_are_given_to_shots_and_taken_back(bench, server):
    page = bench
    step(page, "Exposure")
    type_in(page, "Exposure, stops", "0.8")
    quiet(page)
    page.select_option("select[aria-label='Give the step']", "others")
    page.wait_for_selector("td:has-text('Exposure: 0 → 0.8')")
    page.check("input[aria-label='Give to B007']")
    page.click("button:has-text('Give to the chosen shots')")
    page.wait_for_selector("text=Exposure given to 1 shot")
    assert page.locator("tr:has-text('B007'):has-text('Has these already')").count() == 1
    page.click("button:has-text('Take back from all')")
    page.wait_for_selector("text=Taken back from all of its shots")
    page.click("nav a:has-text('Bench')")
    pictured(page)


def test_a_raw_shot_shows_the_light_in_force_and_takes_it_as_its_own(registered, sign_in):
    page = sign_in()
    page.goto(f"{registered}/intake/")
    page.click("tr:has-text('S0199') >> a.strong")
    quiet(page)
    page.click(".pick[data-stage=camera]")
    light, tint, index = "Light, K", "Tint, Duv", "Exposure index, EI"
    value = lambda label: page.input_value(f"input[aria-label='{label}']")  # noqa: E731
    assert 5000 < float(value(light)) < 5400
    assert value(index) == "400"
    page.select_option("select[aria-label='White balance']", "tungsten")
    quiet(page)
    assert value(light) == "2850"
    type_in(page, light, "4000")
    quiet(page)
    assert page.input_value("select[aria-label='White balance']") == "own"
    assert value(tint) in ("0.000", "0")
    page.wait_for_selector(".stratum p:has-text('4000 K')")
    box = page.locator("canvas.picture").bounding_box()
    page.click(".development button:text-is('Neutral from the picture')")
    page.keyboard.press("Escape")
    page.click(".development button:text-is('Neutral from the picture')")
    page.mouse.click(box["x"] + box["width"] * 0.92, box["y"] + box["height"] * 0.5)
    page.wait_for_selector(".development .tones:visible:has-text('neutral')")
    if page.locator("button:text-is('Take it as neutral'):visible").count():
        page.click("button:text-is('Take it as neutral'):visible")
    page.wait_for_function(
        "() => Math.abs(document.querySelector(\"input[aria-label='Light, K']\").value - 5200) < 500"
    )
    page.click('button:has-text("Return to the camera\'s")')
    quiet(page)
    assert page.input_value("select[aria-label='White balance']") == "as shot"
