"""The Bench by hand: steps, curves, range, comparing, Marks, scopes, region, frames, sharing, two people; pixels and
numbers.
"""

import re

import pytest

from tests.browser.conftest import add_step, pictured, quiet
from tests.browser.test_whole_line import fingerprint, open_bench, pixel, step, type_in


def colour_at(page, canvas, x, y):
    return page.evaluate(
        "([q, x, y]) => { const c = document.querySelector(q); return [...c.getContext('2d').getImageData(c.width * x, "
        "c.height * y, 1, 1).data].slice(0, 3); }",
        [canvas, x, y],
    )


@pytest.fixture
def bench(brought_in, sign_in):
    """A shot with its trim as it was brought in; what a test did is taken back by going to the first state."""
    page = open_bench(sign_in(first=False), brought_in)
    quiet(page)
    yield page
    page.click(".pick[data-stage=trim]")
    page.click("[data-tab=history]")
    quiet(page)
    if page.locator(".states li").count():
        page.click(".states li:last-child button")
        quiet(page)


def test_steps_are_added_moved_switched_copied_and_removed(bench):
    page = bench
    add_step(page, "contrast")
    page.wait_for_selector(".stephead b:has-text('Contrast')")
    assert page.locator(".steplist li").count() == 6
    type_in(page, "Contrast, stops/stop", "1.4")
    page.wait_for_selector(".stratum p:has-text('Contrast 1.40')")
    quiet(page)
    before = fingerprint(page)
    page.click("button:text-is('Duplicate')")
    page.wait_for_selector(".stratum p:has-text('Contrast 1.40 · Contrast 1.40')")
    assert fingerprint(page) != before
    page.click(".steplist li.chosen .mini")
    page.wait_for_function(
        "(old) => document.querySelector('canvas.picture').dataset.fingerprint !== old", arg=fingerprint(page)
    )
    page.click("button:text-is('Remove')")
    quiet(page)
    page.click("button:text-is('Reset')")
    page.wait_for_selector(".stratum p:has-text('Nothing corrected yet')")
    page.locator(".steplist li.chosen .stepname").focus()
    page.keyboard.press("Alt+ArrowUp")
    page.wait_for_function(
        "() => [...document.querySelectorAll('.steplist li')].findIndex((li) => li.classList.contains('chosen')) === 4"
    )
    page.click("button:text-is('More')")
    page.fill("input[aria-label='Name of the step']", "Depth")
    page.press("input[aria-label='Name of the step']", "Enter")
    page.wait_for_selector(".steplist :text('Depth')")
    page.click("button:text-is('Copy')")
    page.click("button:text-is('Paste')")
    page.wait_for_function("() => document.querySelectorAll('.steplist li').length === 7")
    quiet(page)
    page.reload()
    pictured(page)
    assert page.locator(".steplist :text('Depth')").count() == 2


def order(page):
    return page.locator(".steplist li .stepname").all_inner_texts()


def test_steps_are_reached_added_ordered_and_switched_without_a_pointer(bench):
    """From the loaded page: one key to the first control; steps by name, stages, fields and the strip by keys."""
    page = bench
    page.reload()
    quiet(page)
    focus = "() => document.activeElement.getAttribute('aria-label') || document.activeElement.innerText"
    page.keyboard.press("r")
    assert page.evaluate(focus) == "Exposure, slider"
    page.keyboard.press("d")
    assert page.evaluate(focus) == "White balance"
    page.keyboard.press("r")
    assert page.evaluate(focus).startswith("Scene light")
    page.keyboard.press("r")
    second = page.evaluate(focus)
    page.keyboard.press("Shift+R")
    assert page.evaluate(focus) != second
    page.keyboard.press("t")
    page.wait_for_selector(".steplist li.chosen.off")
    page.keyboard.press("t")
    page.wait_for_selector(".steplist li.chosen:not(.off)")
    page.keyboard.press("a")
    page.keyboard.type("satur")
    assert page.locator(".adding li[aria-selected=true]").inner_text().startswith("Saturation")
    page.keyboard.press("Enter")
    page.wait_for_selector(".stephead b:has-text('Saturation')")
    quiet(page)
    assert order(page)[-1] == "Saturation"
    assert "slider" in page.evaluate(focus)
    page.keyboard.press("Alt+ArrowUp")
    page.wait_for_function("() => document.querySelectorAll('.steplist .stepname')[4].innerText === 'Saturation'")
    page.keyboard.press("a")
    page.keyboard.type("no such thing")
    assert page.locator(".adding p:has-text('No step has that')").is_visible()
    page.keyboard.press("Escape")
    page.keyboard.press("PageUp")
    assert page.evaluate(focus) == "Look"
    page.keyboard.press("PageDown")
    page.keyboard.press("PageDown")
    assert page.evaluate(focus) == "Input"
    stops = page.evaluate(
        "() => [...document.querySelectorAll('.strip .groups a')].filter((a) => a.tabIndex === 0).length"
    )
    assert stops == 1
    page.locator(".strip .groups a[tabindex='0']").focus()
    here = page.evaluate("() => document.activeElement.title")
    page.keyboard.press("Home")
    page.keyboard.press("ArrowRight")
    assert page.evaluate("() => document.activeElement.closest('.strip') !== null")
    page.keyboard.press("Home")
    first = page.evaluate("() => document.activeElement.title")
    page.keyboard.press("End")
    assert page.evaluate("() => document.activeElement.title") != first or here == first
    page.click(".pick[data-stage=trim]")


def test_a_step_is_drawn_to_another_place_by_its_name(bench):
    page = bench
    before = order(page)
    box = [page.locator(".steplist li .stepname").nth(n).bounding_box() for n in (0, 3)]
    page.mouse.move(box[0]["x"] + 20, box[0]["y"] + 8)
    page.mouse.down()
    page.mouse.move(box[1]["x"] + 20, box[1]["y"] + 6, steps=4)
    page.wait_for_selector(f".steplist li.after:has-text('{before[3]}')")
    assert page.locator(".steplist li.dragged .stepname").inner_text() == before[0]
    page.keyboard.press("Escape")
    page.mouse.up()
    assert order(page) == before
    page.mouse.move(box[0]["x"] + 20, box[0]["y"] + 8)
    page.mouse.down()
    page.mouse.move(box[1]["x"] + 20, box[1]["y"] + 6, steps=4)
    page.mouse.up()
    quiet(page)
    assert order(page) == [*before[1:4], before[0], *before[4:]]
    page.reload()
    quiet(page)
    assert order(page) == [*before[1:4], before[0], *before[4:]]


def test_strength_and_note(bench):
    page = bench
    step(page, "Exposure")
    type_in(page, "Exposure, stops", "2")
    quiet(page)
    whole = pixel(page)
    page.evaluate(
        "() => { const s = document.querySelector('input[aria-label=\"Strength of the step, %\"]'); s.value = 50; "
        "s.dispatchEvent(new Event('input')); s.dispatchEvent(new Event('change')); }"
    )
    page.wait_for_selector(".stratum p:has-text('Exposure +2.00 at 50 %')")
    quiet(page)
    half = pixel(page)
    type_in(page, "Exposure, stops", "1")
    page.evaluate(
        "() => { const s = document.querySelector('input[aria-label=\"Strength of the step, %\"]'); s.value = 100; "
        "s.dispatchEvent(new Event('input')); s.dispatchEvent(new Event('change')); }"
    )
    quiet(page)
    assert sum(whole[:3]) > sum(half[:3])
    assert max(abs(a - b) for a, b in zip(half, pixel(page), strict=True)) <= 1  # two stops at half strength are one
    page.click("button:has-text('More')")
    page.fill("textarea.note", "Client asked for more light")
    page.locator("textarea.note").blur()
    quiet(page)
    page.reload()
    pictured(page)
    page.click("button:has-text('More ●')")
    assert page.input_value("textarea.note") == "Client asked for more light"


def test_a_ladder_is_dragged_nudged_and_never_folds(bench):
    page = bench
    step(page, "Ladder")
    page.wait_for_selector(".bend rect.tones")
    before = fingerprint(page)
    knot = page.locator("[data-knot='2']").bounding_box()
    x, y = knot["x"] + knot["width"] / 2, knot["y"] + knot["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y - 12, steps=5)
    page.wait_for_function("(old) => document.querySelector('canvas.picture').dataset.fingerprint !== old", arg=before)
    page.mouse.up()
    page.wait_for_selector(".stratum p:has-text('Ladder +')")
    value = float(page.input_value("input[aria-label='Point, up']").replace("−", "-"))
    assert 0.5 < value < 1.3
    page.locator("[data-knot='2']").focus()
    page.keyboard.press("ArrowUp")
    assert float(page.input_value("input[aria-label='Point, up']")) == pytest.approx(value + 0.08, abs=0.002)
    quiet(page)
    page.fill("input[aria-label='Point, up']", "3.9")
    page.press("input[aria-label='Point, up']", "Enter")
    page.wait_for_selector(".trouble:has-text('beyond it the curve would fold over')")
    quiet(page)
    assert page.input_value("input[aria-label='Point, up']") == "2.85", "held at 3 stops times 0.95"
    count = page.locator(".knot").count()
    page.locator("[data-knot='0']").focus()
    page.keyboard.press("+")
    page.wait_for_function(f"() => document.querySelectorAll('.knot').length === {count + 1}")
    page.keyboard.press("Delete")
    page.wait_for_function(f"() => document.querySelectorAll('.knot').length === {count}")


def test_a_colour_range_is_taken_from_the_picture_and_shown(bench):
    page = bench
    step(page, "Exposure")
    box = page.locator("canvas.picture").bounding_box()
    page.mouse.click(box["x"] + box["width"] * 0.78, box["y"] + box["height"] * 0.45)
    quiet(page)
    page.click("button:has-text('Where')")
    page.click("button:text-is('Only these')")
    page.wait_for_selector(".says:has-text('selects')")
    assert page.locator("input[aria-label='Brightness to, stops']").count() == 1
    page.click("button[data-view=selection]")
    quiet(page)
    greys = page.evaluate(
        "() => { const c = document.querySelector('canvas.picture'); const d = c.getContext('2d').getImageData(0, 0, "
        "c.width, c.height).data; let n = 0; for (let i = 0; i < d.length; i += 4) if (d[i] === 118 && d[i + 1] === "
        "118 && d[i + 2] === 118) n++; return n / (d.length / 4); }"
    )
    selected = float(re.search(r"selects <?([\d.]+)", page.inner_text(".says")).group(1)) / 100
    assert 0.2 < greys < 1
    assert greys <= 1 - selected + 0.1
    # Another place is taken in, by key from the picture, and taken away again: by the range itself or by one joined.
    width = page.input_value("input[aria-label='Brightness from, stops']")
    page.mouse.click(box["x"] + box["width"] * 0.3, box["y"] + box["height"] * 0.9)
    quiet(page)
    page.keyboard.press("+")
    page.wait_for_selector(".tones:has-text('wider now')")
    quiet(page)
    assert page.input_value("input[aria-label='Brightness from, stops']") != width
    page.click("button:text-is('Not these')")
    page.wait_for_selector(".tones:has-text('gives way'), .tones:has-text('without')")
    quiet(page)
    for _ in range(page.locator(".where [data-selection]:not([data-selection=''])").count() - 1):
        page.click(".where button:text-is('Remove')")
        quiet(page)
    page.click(".where button:text-is('Remove')")
    page.wait_for_function(
        "() => !document.querySelector('.limitmark') || document.querySelector('.limitmark').offsetParent === null"
    )
    quiet(page)


def test_a_light_named_by_hand_is_made_neutral(bench):
    page = bench
    step(page, "White balance")
    assert page.input_value("select[aria-label='Becomes']") == "6500 K"
    page.fill("input[aria-label='Scene light, K']", "3200")
    page.keyboard.press("Enter")
    page.wait_for_selector(".stratum p:has-text('3200 K, Duv 0.000, to the working white')")
    page.select_option("select[aria-label='Becomes']", "6500 K")
    page.fill("input[aria-label='Scene light, K']", "3300")
    page.keyboard.press("Enter")
    page.wait_for_selector(".stratum p:has-text('3300 K, Duv 0.000'):not(:has-text('working'))")


def test_neutral_from_the_picture(bench):
    page = bench
    step(page, "White balance")
    page.select_option("select[aria-label='Region']", "rectangle")
    quiet(page)
    assert "of the region" in page.inner_text(".read")
    page.locator(".region:not(.there)").focus()
    for _ in range(30):
        page.keyboard.press("Shift+ArrowRight")
    quiet(page)
    page.click("text=Neutral from the picture")
    # The region lies over much of a ramp: the page shows it and asks before anything is changed.
    page.wait_for_selector(".asked:has-text('Is this patch neutral? It is uneven')")
    page.click("button:text-is('Leave it')")
    quiet(page)
    page.wait_for_selector(".stratum p:has-text('Nothing corrected yet')")
    page.click("text=Neutral from the picture")
    page.click("button:text-is('Take it as neutral')")
    page.wait_for_selector(".tones:has-text('makes it neutral')")
    assert page.locator(".asked").is_hidden()


def test_wipe_and_beside_show_both(bench):
    page = bench
    step(page, "Exposure")
    type_in(page, "Exposure, stops", "2")
    quiet(page)
    now = colour_at(page, "canvas.picture", 0.7, 0.5)
    page.click("[data-compare=wipe]")
    page.wait_for_selector("canvas.otherpicture[data-fingerprint]")
    quiet(page)
    assert colour_at(page, "canvas.picture", 0.7, 0.5) == now
    assert sum(colour_at(page, "canvas.otherpicture", 0.7, 0.5)) < sum(now)
    clip = page.evaluate("() => document.querySelector('canvas.otherpicture').style.clipPath")
    handle = page.locator("[role=slider].wipe").bounding_box()
    page.mouse.move(handle["x"] + 9, handle["y"] + 60)
    page.mouse.down()
    page.mouse.move(handle["x"] - 91, handle["y"] + 60, steps=4)
    page.mouse.up()
    assert page.evaluate("() => document.querySelector('canvas.otherpicture').style.clipPath") != clip
    page.locator("[role=slider].wipe").focus()
    at = int(page.get_attribute("[role=slider].wipe", "aria-valuenow"))
    page.keyboard.press("ArrowRight")
    assert int(page.get_attribute("[role=slider].wipe", "aria-valuenow")) == at + 2
    page.click("[data-compare=beside]")
    quiet(page)
    first, second = (page.locator(q).bounding_box() for q in ("canvas.picture", "canvas.otherpicture"))
    assert first["width"] == pytest.approx(second["width"], abs=1)
    assert second["x"] > first["x"] + first["width"] - 1
    page.select_option("select[aria-label='Compare with']", label="B007")
    page.wait_for_selector(".tag.right:has-text('B007')")
    quiet(page)
    page.keyboard.press("Escape")
    page.click("[data-compare=now]")
    page.wait_for_selector("canvas.otherpicture", state="hidden")


def test_zoom_shows_the_files_own_pixels_at_the_trace(bench):
    page = bench
    page.locator("canvas.picture").focus()
    page.keyboard.press("z")
    quiet(page)
    width = page.evaluate("() => document.querySelector('canvas.picture').width")
    assert width <= page.evaluate("() => document.querySelector('.stage').clientWidth")
    page.keyboard.press("z")
    quiet(page)
    half = page.evaluate(
        "() => [document.querySelector('canvas.picture').width, "
        "Math.round(document.querySelector('.stage').clientWidth / 2)]"
    )
    assert half[0] == min(half[1], 640)
    page.keyboard.press("z")
    quiet(page)
    assert page.input_value("select[aria-label='Zoom']") == "fit"


def test_an_answer_that_comes_while_digits_are_typed_leaves_them_alone(bench):
    page = bench
    step(page, "Exposure")
    quiet(page)
    waiting, holding = [], [True]
    page.route("**/preview/", lambda route: waiting.append(route) if holding else route.continue_())
    step(page, "White balance")
    step(page, "Exposure")
    page.wait_for_timeout(100)
    page.fill("input[aria-label='Exposure, stops']", "0.75")
    holding.clear()
    with page.expect_response("**/preview/"):
        waiting[-1].continue_()
    quiet(page)
    assert page.input_value("input[aria-label='Exposure, stops']") == "0.75"
    page.press("input[aria-label='Exposure, stops']", "Enter")
    page.wait_for_selector(".stratum p:has-text('Exposure +0.75')")


def test_scopes_and_views_by_key_and_hand(bench):
    page = bench
    page.select_option("[data-place='0'] [data-part=kind]", "waveform")
    page.select_option("[data-place='0'] [data-part=scale]", "light")
    page.wait_for_selector("[data-place='0'] [data-unit]:has-text('cd/m²')")
    page.select_option("[data-place='0'] [data-part=boundary]", "look")
    page.wait_for_selector("[data-place='0'] [data-unit]:has-text('stops from mid grey')")
    page.select_option("[data-place='1'] [data-part=kind]", "chromaticity")
    page.wait_for_selector("[data-place='1'] canvas[aria-label^='Chromaticity']")
    page.select_option("[data-place='1'] [data-part=kind]", "vectorscope")
    page.select_option("[data-place='1'] [data-part=gain]", "4")
    page.wait_for_selector("[data-place='1'] [data-unit]:has-text('×4')")
    page.locator("canvas.picture").focus()
    page.keyboard.press("e")
    page.wait_for_selector(".legend:has-text('+6')")
    page.keyboard.press("c")
    page.wait_for_selector(".legend:has-text('clipped in camera')")
    page.keyboard.press("c")
    page.keyboard.press("h")
    page.wait_for_selector("dialog[open]:has-text('Keys of the Bench')")
    page.click("dialog button:has-text('Close')")
    page.reload()
    pictured(page)
    assert page.input_value("[data-place='0'] [data-part=kind]") == "waveform"
    page.evaluate("() => localStorage.clear()")


def test_wide_pictures_stand_above_each_other(bench):
    """Side by side where that is larger, stacked in a tall room."""
    page = bench
    page.click("[data-compare=beside]")
    page.wait_for_selector("canvas.otherpicture[data-fingerprint]")
    page.wait_for_selector(".stage.beside:not(.stacked)")
    page.set_viewport_size({"width": 1000, "height": 1400})
    page.wait_for_selector(".stage.beside.stacked")
    now, other = (page.locator(one).bounding_box() for one in ("canvas.picture", "canvas.otherpicture"))
    assert other["y"] >= now["y"] + now["height"]
    assert now["x"] == other["x"]
    page.set_viewport_size({"width": 1280, "height": 800})
    page.click("[data-compare=now]")
    quiet(page)


def test_two_parts_of_one_name_are_refused(bench):
    """The page's script is one component of several parts; a name given twice is an error, not the later one's luck."""
    said = bench.evaluate(
        "async () => { const { merged } = await import('/static/bench/merged.js');"
        " const whole = merged([{ start() {}, a: 1, get b() { return this.a + 1; } }, { start() {}, c: 3 }]);"
        " try { merged([{ a: 1 }, { a: 2 }]); } catch (error) { return [whole.b, whole.c, error.message]; } }"
    )
    assert said == [2, 3, "Two parts of the page are called “a”."]
