"""From shot to shot on the Bench without loading a page: the real pages in Chromium."""

import pytest

from tests.browser.conftest import pictured, quiet
from tests.browser.test_whole_line import open_bench, step, type_in

EXPOSURE = "input[aria-label='Exposure, stops']"
GONE = "name => document.title.startsWith(name) && document.querySelector('.bench').dataset.busy === 'no'"
LAST = "JSON.parse(document.getElementById('bench-data').textContent).pk"


@pytest.fixture
def bench(brought_in, sign_in):
    """The Bench at A012, its document marked, every page it asks for noted, what lies beside it fetched ahead."""
    page = sign_in(first=False)
    page.asked = []
    page.on("request", lambda request: page.asked.append(request))
    open_bench(page, brought_in)
    page.evaluate("window.same = true")
    looked_ahead(page)
    return page


def looked_ahead(page):
    page.wait_for_timeout(300)
    page.wait_for_load_state("networkidle")


def press_to(page, key, name):
    page.keyboard.press(key)
    page.wait_for_function(GONE, arg=name)
    pictured(page)


def pages(page):
    return [one for one in page.asked if one.method == "GET" and "/bench/" in one.url and not one.url.endswith(".js")]


def test_the_next_shot_is_there_without_loading_a_page(bench):
    """Its page was fetched ahead and is not asked for again; settings, history and undo are each shot's own."""
    step(bench, "Exposure")
    type_in(bench, "Exposure, stops", "0.7")
    quiet(bench)
    looked_ahead(bench)
    assert any(one.headers.get("purpose") == "prefetch" for one in pages(bench))
    bench.asked.clear()
    first = bench.url
    press_to(bench, "n", "B007")
    assert bench.evaluate("window.same")
    assert bench.url != first
    assert "B007" in bench.inner_text(".crumb")
    assert bench.locator(".strip [aria-current]").inner_text() == "B007"
    assert not [one for one in pages(bench) if one.url == bench.url], "it was there already"
    step(bench, "Exposure")
    assert float(bench.input_value(EXPOSURE)) == 0
    type_in(bench, "Exposure, stops", "-0.4")
    quiet(bench)
    bench.go_back()
    bench.wait_for_function(GONE, arg="A012")
    assert (bench.url, bench.evaluate("window.same")) == (first, True)
    step(bench, "Exposure")
    assert float(bench.input_value(EXPOSURE)) == 0.7
    bench.keyboard.press("Escape")
    bench.keyboard.press("Control+z")
    bench.wait_for_function("() => document.querySelector(\"input[aria-label='Exposure, stops']\").value === '0.00'")
    bench.go_forward()
    bench.wait_for_function(GONE, arg="B007")
    step(bench, "Exposure")
    assert bench.input_value(EXPOSURE) == "−0.40", "undo on one shot is none on the other"
    bench.keyboard.press("Escape")
    bench.keyboard.press("Control+z")
    quiet(bench)
    assert bench.evaluate("performance.getEntriesByType('navigation').length") == 1


def test_what_is_fetched_ahead_is_not_the_shot_worked_on_last(bench, brought_in):
    here = bench.evaluate(LAST)
    bench.goto(f"{brought_in}/p/kilnlight/bench/")
    pictured(bench)
    assert bench.evaluate(LAST) == here
    looked_ahead(bench)
    press_to(bench, "n", "B007")
    bench.wait_for_load_state("networkidle")
    bench.goto(f"{brought_in}/p/kilnlight/bench/")
    pictured(bench)
    assert bench.title().startswith("B007")


def test_what_was_changed_by_someone_else_meanwhile_is_what_one_comes_to(bench, brought_in, sign_in):
    other = sign_in(first=False)
    open_bench(other, brought_in)
    press_to(other, "n", "B007")
    step(other, "Exposure")
    type_in(other, "Exposure, stops", "1.1")
    quiet(other)
    press_to(bench, "n", "B007")
    bench.wait_for_selector(".stratum p:has-text('Exposure +1.10')")
    step(bench, "Exposure")
    assert float(bench.input_value(EXPOSURE)) == 1.1
    bench.keyboard.press("Escape")
    bench.keyboard.press("Control+z")
    quiet(bench)


def test_a_link_of_the_strip_goes_in_the_page_and_stays_in_the_strip(bench):
    bench.focus(".strip [aria-current]")
    bench.keyboard.press("ArrowRight")
    press_to(bench, "Enter", "B007")
    assert bench.evaluate("window.same")
    assert bench.evaluate("document.activeElement.title") == "B007"
    assert bench.locator("select.form-select ~ .narrowing").count() == 1, "long menus of the page have their field"


def test_the_stage_in_hand_rides_along(bench):
    bench.click(".pick[data-stage=rendering]")
    press_to(bench, "n", "B007")
    assert bench.get_attribute(".pick[data-stage=rendering]", "aria-pressed") == "true"


def test_changes_that_are_not_saved_are_not_left_by_going_back(bench):
    press_to(bench, "n", "B007")
    bench.evaluate("Alpine.$data(document.querySelector('.bench')).saver.unsaved = 'exposure'")
    there = bench.url
    bench.evaluate("history.back()")
    bench.wait_for_selector(".trouble:has-text('not saved yet')")
    assert bench.url == there
    assert bench.title().startswith("B007")
    bench.evaluate("Alpine.$data(document.querySelector('.bench')).saver.unsaved = ''")
