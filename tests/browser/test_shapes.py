"""Shapes by hand: drawn, dragged and turned on the picture, keyed and followed along a movie, seen as a matte, undone;
pixels inside and outside.
"""

import json

import pytest

from tests.browser.conftest import add_step, pictured, quiet
from tests.browser.test_bench import bench as bench
from tests.browser.test_bench import colour_at
from tests.browser.test_whole_line import step, type_in

PICTURE = "canvas.picture"


def where(page, kind, title="Exposure"):
    """Gives the step in hand a selection of a kind."""
    step(page, title)
    page.click("button:has-text('Where')")
    page.select_option("select[aria-label='Add a selection']", kind)
    quiet(page)


def middle(page, selector):
    box = page.locator(selector).bounding_box()
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def drag(page, selector, dx, dy):
    x, y = middle(page, selector)
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + dx / 2, y + dy / 2)
    page.mouse.move(x + dx, y + dy)
    page.mouse.up()
    quiet(page)


def value(page, label):
    return float(page.input_value(f"input[aria-label='{label}']").replace("−", "-"))


def test_an_ellipse_is_drawn_dragged_and_seen(bench):
    page = bench
    step(page, "Exposure")
    page.click("button:text-is('Controls')")
    type_in(page, "Exposure, stops", "2")
    quiet(page)
    where(page, "ellipse")
    for label in ("Feather inside, %", "Feather outside, %"):
        type_in(page, label, "1")
    quiet(page)
    lit, dark = colour_at(page, PICTURE, 0.5, 0.5), colour_at(page, PICTURE, 0.05, 0.5)
    page.click(".where .mini")
    quiet(page)
    everywhere = colour_at(page, PICTURE, 0.05, 0.5)
    assert sum(everywhere) > sum(dark) + 10, "switched off, the step acts everywhere"
    page.click(".where .mini")
    quiet(page)
    assert (colour_at(page, PICTURE, 0.5, 0.5), colour_at(page, PICTURE, 0.05, 0.5)) == (lit, dark)
    before = value(page, "Width, %")
    drag(page, "[data-handle=width]", 60, 0)
    assert value(page, "Width, %") > before + 20
    height = value(page, "Height, %")
    drag(page, "[data-handle=height]", 0, -40)
    assert value(page, "Height, %") < height
    drag(page, "[data-handle=angle]", 60, 20)
    assert 5 < value(page, "Angle, °") < 90
    x = value(page, "Centre across, %")
    box = page.locator(".shape .body").bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2 + 30, box["y"] + box["height"] / 2 + 10)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2 - 60, box["y"] + box["height"] / 2 + 10, steps=3)
    page.wait_for_function("() => document.querySelector('.bench').dataset.busy === 'yes'")
    page.mouse.up()
    quiet(page)
    assert value(page, "Centre across, %") < x - 10
    page.click("button[data-view=matte]")
    quiet(page)
    shades = page.evaluate(
        "() => { const c = document.querySelector('canvas.picture'); const d = c.getContext('2d').getImageData(0, 0, "
        "c.width, c.height).data; let white = 0, black = 0; for (let i = 0; i < d.length; i += 4) { "
        "white += d[i] > 250; black += d[i] < 5; } return [white, black].map((n) => (4 * n) / d.length); }"
    )
    selected = float(page.inner_text(".says").split()[1]) / 100
    assert abs(shades[0] - selected) < 0.03
    assert shades[0] + shades[1] > 0.9
    page.click("button[data-view=matte]")
    quiet(page)
    page.evaluate("() => document.activeElement.blur()")
    page.keyboard.press("Control+z")
    quiet(page)
    assert value(page, "Centre across, %") == pytest.approx(x, abs=0.01)


def test_keys_move_size_and_turn_a_shape_and_remove_it(bench):
    page = bench
    where(page, "rectangle")
    page.focus(".shape.chosen")
    x = value(page, "Centre across, %")
    asked = []
    page.on(
        "request", lambda one: one.url.endswith("/preview/") and asked.append(json.loads(one.post_data)["lossless"])
    )
    page.keyboard.press("ArrowUp")
    quiet(page)
    assert asked.count(False) == 1, "both values of one move are in one picture"
    for key in ("ArrowRight", "ArrowRight", "Shift+ArrowRight", "+", "]", "]", "["):
        page.keyboard.press(key)
    quiet(page)
    assert value(page, "Centre across, %") == pytest.approx(x + 2.1, abs=0.06)
    assert value(page, "Scale, ×") == pytest.approx(1.02)
    assert value(page, "Angle, °") == 1
    page.focus(".shape.chosen")
    page.keyboard.press("o")
    assert page.locator(".shapes").get_attribute("hidden") is not None
    page.keyboard.press("o")
    page.focus(".shape.chosen")
    page.keyboard.press("Delete")
    quiet(page)
    assert page.locator(".where li[data-selection='rectangle']").count() == 0


def test_an_outline_gains_and_loses_points_and_joins(bench):
    page = bench
    where(page, "polygon")
    assert page.locator("[data-handle=point]").count() == 5
    drag(page, "[data-handle=point] >> nth=0", -40, -20)
    x, y = middle(page, "[data-handle=point] >> nth=1")
    page.mouse.dblclick(x, y)
    quiet(page)
    assert page.locator("[data-handle=point]").count() == 6
    page.keyboard.down("Alt")
    page.mouse.click(*middle(page, "[data-handle=point] >> nth=3"))
    page.keyboard.up("Alt")
    quiet(page)
    assert page.locator("[data-handle=point]").count() == 5
    where(page, "linear")
    page.select_option("select[aria-label='linear joins by']", "without")
    quiet(page)
    assert page.locator(".where select.joins >> visible=true").input_value() == "without"
    page.select_option("select[aria-label='View']", "over")
    quiet(page)
    page.select_option("select[aria-label='Zoom']", "100")
    quiet(page)
    assert page.locator(".shape").count() == 2, "shapes stay on the picture zoomed in"
    page.select_option("select[aria-label='Zoom']", "fit")
    page.select_option("select[aria-label='View']", "picture")
    quiet(page)


def test_one_shape_serves_two_steps(bench):
    page = bench
    where(page, "ellipse")
    step(page, "Contrast")
    page.select_option("select[aria-label='Add a selection']", "link:exposure/ellipse")
    quiet(page)
    type_in(page, "Width, %", "77")
    quiet(page)
    step(page, "Exposure")
    assert value(page, "Width, %") == 77
    page.click("button:text-is('Unlink')")
    quiet(page)


def test_a_new_texture_acts_and_says_that_no_table_carries_it(bench):
    page = bench
    add_step(page, "glow")
    quiet(page)
    page.wait_for_selector(".about:has-text('A LUT cannot carry it')")
    page.wait_for_selector(".stratum p:has-text('Glow 35 %')")
    page.click("button:text-is('More')")
    page.select_option("select[aria-label='How it is mixed in']", "lighten")
    quiet(page)
    page.wait_for_selector(".stratum p:has-text('only lighter')")


def test_a_shape_is_keyed_and_followed(registered, sign_in):
    page = sign_in()
    page.goto(f"{registered}/intake/")
    page.click("tr:has-text('P099') >> a.strong")
    pictured(page)
    quiet(page)
    page.click(".pick[data-stage=trim]")
    where(page, "ellipse")
    type_in(page, "Width, %", "60")
    quiet(page)
    page.evaluate("() => document.activeElement.blur()")
    page.keyboard.press("k")
    quiet(page)
    assert page.locator(".keymark").count() == 1
    page.locator(PICTURE).focus()
    page.keyboard.press("Shift+F")
    quiet(page)
    page.focus(".shape.chosen")
    page.keyboard.press("ArrowRight")
    quiet(page)
    assert page.locator(".keymark").count() == 2, "moved at another frame it has a key there"
    placed = page.locator(".keymark").nth(1).get_attribute("aria-label")
    drag(page, ".keymark >> nth=1", -110, 0)
    assert page.locator(".keymark").nth(1).get_attribute("aria-label") != placed, "a key is dragged along"
    page.locator(".keymark").nth(1).focus()
    page.keyboard.press("Delete")
    quiet(page)
    assert page.locator(".keymark").count() == 1
    for _ in range(2):
        page.evaluate("() => document.activeElement.blur()")
        page.keyboard.press("Control+z")
        quiet(page)
    assert page.locator(".keymark").nth(1).get_attribute("aria-label") == placed
    page.click("button[aria-label='Next key']")
    quiet(page)
    page.click("button[aria-label='Follow backwards']")
    page.wait_for_function(
        "() => /Followed|Lost/.test(document.querySelector('.where [role=status]').textContent)", timeout=30_000
    )
    quiet(page)
    assert page.locator(".sure").count() >= 2
    assert page.locator(".keymark:not(.followed)").count() == 2, "those set by hand stay"
    while page.locator(".keymark").count():
        page.evaluate("() => document.activeElement.blur()")
        page.keyboard.press("Control+z")
        quiet(page)


def test_steps_are_grouped_folded_and_mixed_in_together(bench):
    page = bench
    step(page, "Exposure")
    page.click("button:text-is('Controls')")
    type_in(page, "Exposure, stops", "2")
    quiet(page)
    full = colour_at(page, PICTURE, 0.5, 0.5)
    page.click("button:has-text('More')")
    page.select_option("select[aria-label='Group of the step']", "new group")
    quiet(page)
    type_in(page, "Name of the group", "Lift")
    quiet(page)
    step(page, "Contrast")
    page.select_option("select[aria-label='Group of the step']", label="Lift")
    quiet(page)
    titles = page.eval_on_selector_all(".steplist li.grouped .stepname", "all => all.map((one) => one.textContent)")
    assert titles == ["Exposure", "Contrast"]
    slider = page.locator("input[aria-label^='Strength of Lift']")
    slider.evaluate("one => { one.value = 50; for (const n of ['input', 'change']) one.dispatchEvent(new Event(n)); }")
    quiet(page)
    half = colour_at(page, PICTURE, 0.5, 0.5)
    assert sum(half) < sum(full)
    page.uncheck("input[aria-label='Lift on']")
    quiet(page)
    assert sum(colour_at(page, PICTURE, 0.5, 0.5)) < sum(half)
    page.click("button[aria-label='Fold Lift']")
    hidden = "() => [...document.querySelectorAll('.steplist li.grouped')].every((one) => !one.checkVisibility())"
    page.wait_for_function(hidden)  # what folds is taken out with the next frame
    page.click("button[aria-label='Unfold Lift']")
    page.select_option("select[aria-label='Group of the step']", "")
    quiet(page)
    assert page.locator(".steplist li.grouped").count() == 1
