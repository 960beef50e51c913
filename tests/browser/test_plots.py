"""Plots under the hand: large, closer, fine, held at their limits; and the zones of a picture, by pointer and keys."""

import pytest

from tests.browser.conftest import add_step, quiet
from tests.browser.test_whole_line import open_bench, step, type_in


@pytest.fixture
def bench(brought_in, sign_in):
    page = open_bench(sign_in(first=False), brought_in)
    quiet(page)
    yield page
    page.keyboard.press("Escape")
    page.evaluate("localStorage.removeItem('bench-room')")


def undo_all(page, times):
    for _ in range(times):
        page.locator("button:text-is('Undo')").click()
        quiet(page)


def middle(page, selector):
    box = page.locator(selector).bounding_box()
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def drag(page, selector, by, shift=False):
    x, y = middle(page, selector)
    page.mouse.move(x, y)
    page.mouse.down()
    if shift:
        page.keyboard.down("Shift")
    page.mouse.move(x + by[0], y + by[1], steps=5)
    page.mouse.up()
    if shift:
        page.keyboard.up("Shift")
    quiet(page)


def test_a_plot_opens_large_and_its_points_go_finely_and_stop_where_tones_would_fold(bench):
    step(bench, "Ladder")
    bench.keyboard.press("g")
    quiet(bench)
    plot, picture = (bench.locator(one).bounding_box() for one in (".plot.bend", "canvas.picture"))
    assert plot["width"] >= 600
    assert plot["height"] >= 360
    assert picture["height"] > 150
    assert bench.locator(".plot.bend .tones").count() > 10
    rung = ".plot.bend [data-knot='2']"
    before = middle(bench, rung)
    drag(bench, rung, (0, -40), shift=True)
    moved = before[1] - middle(bench, rung)[1]
    assert 2 < moved < 7, "a tenth of what the hand went"
    drag(bench, rung, (0, 300))
    assert not bench.locator(".trouble").is_visible()
    assert float(bench.get_attribute(rung, "aria-valuenow")) == pytest.approx(-2.85, abs=1e-3), "3 stops at 0.95 a stop"
    bench.click("button[data-do=closer]")
    assert bench.locator(".plot.bend .knot:not(.beyond)").count() == 3
    bench.click("button[data-do=wider]")
    assert bench.locator(".plot.bend .knot.beyond").count() == 0
    undo_all(bench, 2)


def test_the_tone_curve_has_the_pictures_tones_behind(bench):
    add_step(bench, "tone_curve")
    quiet(bench)
    assert bench.locator(".plot.bend .tones").count() > 10
    undo_all(bench, 1)


def test_zones_by_pointer_by_keys_and_by_numbers(bench):
    add_step(bench, "zone_balance")
    bench.keyboard.press("g")
    quiet(bench)
    assert bench.locator(".zoneplot .tones").count() > 10
    drag(bench, ".pushplot .puck.shadows", (0, -30))
    push = float(bench.input_value("input[aria-label='Push, shadows, stops of colour']"))
    assert push > 0.05
    bench.focus(".pushplot .puck.shadows")
    bench.keyboard.press("ArrowRight")
    bench.keyboard.press("Shift+ArrowUp")
    quiet(bench)
    assert float(bench.input_value("input[aria-label='Towards, shadows, °']")) == 225
    assert float(bench.input_value("input[aria-label='Push, shadows, stops of colour']")) == pytest.approx(push + 0.002)
    drag(bench, ".zoneplot .grip >> nth=0", (900, 0))
    borders = [
        float(bench.input_value(f"input[aria-label='Borders, {name}, stops']"))
        for name in ("shadows to mids", "mids to highlights")
    ]
    assert borders == [1.4, 1.5], "a border stops short of the other"
    assert not bench.locator(".trouble").is_visible()
    type_in(bench, "Exposure, shadows, stops", "3")
    bench.wait_for_selector(".zonesaid:has-text('so that no tone folds')")
    assert "Zone balance: shadows +3.00" in bench.inner_text(".stratum[data-stage=trim]")
    undo_all(bench, 5)
    assert "Zone balance" not in bench.inner_text(".steplist")
