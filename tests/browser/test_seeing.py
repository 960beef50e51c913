"""Seeing on the Bench: the viewing layer, curves by and changing what, highlights; keys and the mouse."""

import itertools
import json

import pytest

from tests.browser.conftest import add_step, quiet
from tests.browser.test_bench import bench, colour_at
from tests.browser.test_whole_line import fingerprint

__all__ = ["bench"]


def test_the_viewing_layer_is_seen_marked_and_dropped(bench):
    page = bench
    before, there = fingerprint(page), colour_at(page, "canvas.picture", 0.3, 0.5)
    page.locator("canvas.picture").focus()
    page.keyboard.press("y")
    page.check("text=Black and white")
    quiet(page)
    assert len(set(colour_at(page, "canvas.picture", 0.3, 0.5))) == 1
    page.locator("canvas.picture").focus()
    for _ in range(2):
        page.keyboard.press(".")
    page.wait_for_selector(".viewband:has-text('+1 stop · black and white')")
    page.check("text=Up to the step in hand")
    page.wait_for_selector(".viewband:has-text('up to Exposure')")
    assert fingerprint(page) == before
    page.locator(".viewband button").click()
    quiet(page)
    assert page.locator(".viewband").is_hidden()
    assert colour_at(page, "canvas.picture", 0.3, 0.5) == there
    page.keyboard.press("y")
    page.reload()
    page.wait_for_selector("canvas.picture[data-fingerprint]")
    assert page.locator(".viewband").is_hidden()


def test_nine_curves_and_points_from_the_picture(bench):
    page = bench
    add_step(page, "colour_curves")
    quiet(page)
    by, changes = page.locator("[data-curve=by]"), page.locator("[data-curve=changes]")
    names = [[option.strip(" ●") for option in one.locator("option").all_inner_texts()] for one in (by, changes)]
    assert [sorted(row) for row in names] == [["brightness", "hue", "saturation"]] * 2
    by.select_option("brightness")
    changes.select_option("hue")
    quiet(page)
    points = page.locator(".bend circle")
    assert points.first.get_attribute("aria-label").startswith("Hue by brightness")
    page.click("[data-do=around]")
    box = page.locator("canvas.picture").bounding_box()
    page.mouse.click(box["x"] + box["width"] * 0.4, box["y"] + box["height"] * 0.5)
    page.wait_for_function("() => document.querySelectorAll('.bend .tracedplace').length === 1")
    quiet(page)
    assert page.locator("[data-do=around]").get_attribute("aria-pressed") == "false"
    middle = page.locator(".bend circle.inhand")
    line = float(page.locator(".bend .tracedplace").get_attribute("x1"))
    assert abs(float(middle.get_attribute("cx")) - line) < 0.6
    before = fingerprint(page)
    middle.focus()
    for _ in range(8):
        page.keyboard.press("ArrowUp")
    page.wait_for_function("(old) => document.querySelector('canvas.picture').dataset.fingerprint !== old", arg=before)
    page.wait_for_selector(".stratum p:has-text('hue by brightness')")
    assert changes.locator("option:has-text('hue ●')").count() == 1


@pytest.mark.parametrize(("width", "height"), [(1024, 768), (1280, 800), (1920, 1080)])
def test_a_curve_its_fields_and_what_it_says_are_seen_whole(bench, width, height):
    page = bench
    page.set_viewport_size({"width": width, "height": height})
    add_step(page, "colour_curves")
    quiet(page)
    room = page.locator(".editing .fields:visible").bounding_box()
    steps = page.locator(".steplist ol").bounding_box()
    for by, changes in itertools.product(("hue", "saturation", "brightness"), repeat=2):
        page.select_option("[data-curve=by]", by)
        page.select_option("[data-curve=changes]", changes)
        for part in (".bend", ".curvehelp", ".curveside p"):
            box = page.locator(f".editing {part}").bounding_box()
            assert box["y"] + box["height"] <= room["y"] + room["height"] + 1, (part, by, changes)
            assert box["x"] + box["width"] <= room["x"] + room["width"] + 1, (part, by, changes)
    if width >= 1280:
        assert steps["height"] >= 6 * page.locator(".steplist li").first.bounding_box()["height"]
    plot, paper = (page.locator(f".editing {one}").bounding_box() for one in (".bend", ".bend .paper"))
    assert paper["width"] == pytest.approx(plot["width"], abs=1), "drawn as large as it is shown"


# Pairs of words in the panel whose lines lie on each other, and curves narrower than a hand can aim in.
CROWDED = """() => {
  const panel = document.querySelector(".panel.trim"), words = [], walk = document.createTreeWalker(panel, 4);
  while (walk.nextNode()) {
    const text = walk.currentNode, holder = text.parentElement, range = document.createRange();
    if (!text.data.trim() || holder.closest("option, svg, template, .visually-hidden") || !holder.checkVisibility())
      continue;
    range.selectNodeContents(text);
    // What scrolls shows a part of itself.
    const seen = (holder.closest(".editor, ol") || panel).getBoundingClientRect();
    for (const box of range.getClientRects())
      if (box.top >= seen.top - 1 && box.bottom <= seen.bottom + 1) words.push([box, text.data.trim(), holder]);
  }
  const over = ([a], [b]) => Math.min(a.right, b.right) - Math.max(a.left, b.left) > 2
    && Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top) > 5;
  const pairs = words.flatMap((one, n) => words.slice(n + 1)
    .filter((other) => one[2] !== other[2] && over(one, other)).map((other) => one[1] + " on " + other[1]));
  const plots = [...panel.querySelectorAll(".bend")].filter((plot) => plot.checkVisibility());
  return [...pairs, ...plots.map((plot) => plot.clientWidth).filter((wide) => wide < 180)];
}"""


def test_no_words_lie_on_others_and_every_curve_can_be_aimed_in(bench):
    page = bench
    page.click("button:text-is('Add a step …')")
    kinds = page.eval_on_selector_all(".adding [data-kind]", "(all) => all.map((one) => one.dataset.kind)")
    page.keyboard.press("Escape")
    assert len(kinds) >= 19
    for kind in kinds:
        add_step(page, kind)
        for width, height in ((1024, 768), (1280, 800)):
            page.set_viewport_size({"width": width, "height": height})
            page.wait_for_timeout(60)
            assert page.evaluate(CROWDED) == [], f"{kind} at {width}"
        page.click(".stephead button:text-is('Remove')")
    assert page.locator(".editing:has(.states) >> button:text-is('Older states')").count() == 1, "with the states alone"


def test_a_click_brings_the_patch_to_a_level(bench):
    page = bench
    box = page.locator("canvas.picture").bounding_box()
    page.mouse.click(box["x"] + box["width"] * 0.4, box["y"] + box["height"] * 0.5)
    page.select_option("select[aria-label='Bring the patch to']", "grey")
    page.fill("input[aria-label^='Level']", "35")
    page.click("button:text-is('Solve')")
    page.wait_for_selector(".aimsaid:has-text('35.0 % of the display')")
    quiet(page)
    page.wait_for_selector(".stratum p:has-text('Exposure')")
    page.fill("input[aria-label^='Level']", "999")
    page.press("input[aria-label^='Level']", "Tab")
    page.wait_for_selector(".trouble:has-text('0 to 110 %')")
    page.click(".trouble button")


def test_the_picture_gets_the_room_and_folded_scopes_are_not_asked_for(bench):
    page = bench
    asked = []
    page.on("request", lambda one: one.url.endswith("/preview/") and asked.append(json.loads(one.post_data)))
    # What is fetched ahead for the shots beside has no scopes to ask for.
    seen = lambda: [one for one in asked if "scopes" in one][-1]["scopes"]  # noqa: E731

    def room():
        box = page.locator("canvas.picture").bounding_box()
        return box["width"] * box["height"]

    before = room()
    page.locator("canvas.picture").focus()
    page.keyboard.press("1")
    quiet(page)
    assert page.locator(".column").is_hidden()
    page.keyboard.press("2")
    quiet(page)
    assert seen() == []
    folded = room()
    page.keyboard.press("x")
    quiet(page)
    assert page.locator(".strip").is_hidden()
    assert before < folded < room()
    page.keyboard.press("Escape")
    quiet(page)
    page.reload()
    page.wait_for_selector("canvas.picture[data-fingerprint]")
    assert page.locator(".side").is_hidden()
    page.click("button:text-is('Column')")
    page.click("button:text-is('Scopes')")
    quiet(page)
    assert page.locator(".column").is_visible()
    page.set_viewport_size({"width": 1920, "height": 1080})
    quiet(page)
    assert len(seen()) == 4
    assert page.locator(".scope:visible").count() == 4
    page.set_viewport_size({"width": 1280, "height": 800})
    quiet(page)


def test_the_step_just_added_is_in_view(bench):
    page = bench
    for kind in ("saturation", "vignette"):
        add_step(page, kind)
        quiet(page)
    seen = page.evaluate(
        "() => { const row = document.querySelector('.steplist li.chosen').getBoundingClientRect(), list = "
        "document.querySelector('.steplist ol').getBoundingClientRect(); return [list.top - row.top, row.bottom - "
        "list.bottom]; }"
    )
    assert max(seen) <= 1


def test_calm_noise_finds_its_level_and_says_whether_it_helps(bench):
    page = bench
    add_step(page, "calm_noise")
    page.wait_for_selector(".tones:has-text('Noise of')")
    quiet(page)
    level = page.locator("input[aria-label='Noise level, stops']").input_value()
    page.click("button:text-is('From the picture')")
    quiet(page)
    assert page.locator("input[aria-label='Noise level, stops']").input_value() == level


def test_highlights_come_first_and_find_their_clips(bench):
    page = bench
    add_step(page, "highlights")
    page.wait_for_selector(".tones:has-text('clip in')")
    quiet(page)
    assert page.locator(".steplist li .stepname").first.inner_text() == "Highlights"
    page.wait_for_selector(".stratum p:has-text('Highlights rebuilt')")
    assert page.locator(".numbers:has-text('red, green, blue')").count()
