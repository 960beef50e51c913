"""What is under the hand, and what rides along from shot to shot: on the real Bench."""

import pytest

from tests.browser.conftest import add_step, quiet
from tests.browser.test_whole_line import fingerprint, open_bench, step

OFFSETS = [f"input[aria-label='Offset, {channel}, code']" for channel in ("red", "green", "blue")]


def focused(page):
    return page.evaluate("() => document.activeElement.tagName")


def test_keys_are_the_benchs_again_when_a_number_is_typed(brought_in, sign_in):
    """Enter keeps it, Escape puts the old one back; then a letter is a key of the Bench and no text."""
    page = open_bench(sign_in(first=False), brought_in)
    step(page, "Exposure")
    field = "input[aria-label='Exposure, stops']"
    page.fill(field, "0.5")
    page.press(field, "Enter")
    quiet(page)
    assert (page.input_value(field), focused(page)) == ("0.50", "BODY")
    page.fill(field, "3")
    page.press(field, "Escape")
    quiet(page)
    assert (page.input_value(field), focused(page)) == ("0.50", "BODY")
    page.keyboard.press("w")
    page.wait_for_selector("[data-compare=wipe][aria-pressed=true]")
    page.keyboard.press("w")
    page.keyboard.press("Control+z")
    quiet(page)
    assert page.input_value(field) == "0.00"


def test_a_row_of_channels_has_one_control_for_all(brought_in, sign_in):
    page = open_bench(sign_in(first=False), brought_in)
    step(page, "Slope · offset · power")
    assert page.locator(".control.triple:has-text('Offset') b").all_inner_texts() == ["All", "R", "G", "B"]
    page.fill(OFFSETS[0], "0.05")
    page.press(OFFSETS[0], "Enter")
    quiet(page)
    page.focus("input[aria-label='Offset, all three channels']")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Shift+ArrowRight")
    quiet(page)
    values = [float(page.input_value(one).replace("−", "-")) for one in OFFSETS]
    assert [round(value - values[1], 4) for value in values] == [0.05, 0, 0]
    assert round(values[1], 4) == 0.0055
    seen = page.locator("input[aria-label='Saturation, ×']")
    box, body = seen.bounding_box(), page.locator(".facebody").bounding_box()
    assert box["y"] + box["height"] <= body["y"] + body["height"], "saturation is seen without scrolling"
    page.click("button[aria-label='Reset all steps']")
    quiet(page)
    page.wait_for_selector(".stratum[data-stage=trim] p:has-text('Nothing corrected yet')")
    page.click("button:text-is('Undo')")
    quiet(page)
    assert [float(page.input_value(one).replace("−", "-")) for one in OFFSETS] == values
    page.click("button:text-is('Undo')")
    page.click("button:text-is('Undo')")
    quiet(page)


def test_a_matte_is_inverted_by_a_key_and_a_switch(brought_in, sign_in):
    page = open_bench(sign_in(first=False), brought_in)
    add_step(page, "exposure")
    page.fill("input[aria-label='Exposure, stops']", "2")
    page.press("input[aria-label='Exposure, stops']", "Enter")
    page.click(".stepfaces button:text-is('Where')")
    page.select_option("select[aria-label='Add a selection']", "ellipse")
    quiet(page)
    inside = fingerprint(page)
    page.keyboard.press("i")
    quiet(page)
    outside = fingerprint(page)
    assert outside != inside
    assert page.is_checked("input[aria-label='Invert the whole matte']")
    assert "all but" in page.inner_text(".stratum[data-stage=trim] p")
    page.uncheck("input[aria-label='Invert the whole matte']")
    quiet(page)
    assert fingerprint(page) == inside
    page.click("button:text-is('Remove') >> nth=0")
    quiet(page)


def ridden(page):
    return page.evaluate(
        "() => { const b = Alpine.$data(document.querySelector('.bench')); return [b.compare, b.against.split(':')[0],"
        " Math.round(100 * b.wipe), b.wipeAngle, b.zoom, b.region && Math.round(100 * b.region.left), b.layer.grey] }"
    )


def test_what_is_compared_with_rides_along(brought_in, sign_in):
    """By N to the next shot and by P back: reference, wipe, its angle, zoom, region and viewing layer."""
    page = open_bench(sign_in(first=False), brought_in)
    page.select_option(".against", label="B007")
    page.wait_for_selector("[data-compare=wipe][aria-pressed=true]")
    page.focus(".wipe")
    for key in ("ArrowRight", "ArrowRight", "ArrowDown", "ArrowDown", "Shift+ArrowDown"):
        page.keyboard.press(key)
    page.select_option("select[aria-label=Zoom]", "100")
    page.select_option("select[aria-label=Region]", "rectangle")
    page.keyboard.press("y")
    page.check("label:has-text('Black and white') input")
    page.keyboard.press("Escape")
    quiet(page)
    here = ridden(page)
    assert here[:5] == ["wipe", "shot", 54, 11, "100"]
    assert here[6] is True
    for key, name in (("n", "B007"), ("p", "A012")):
        with page.expect_navigation():
            page.keyboard.press(key)
        page.wait_for_selector("canvas.otherpicture[data-fingerprint]")
        assert name in page.inner_text("header, .crumb, nav >> nth=0") or name in page.title()
        assert ridden(page) == here
    page.goto(f"{brought_in}/p/kilnlight/")
    page.click("a.shot:has-text('A012')")
    page.wait_for_selector("canvas.picture[data-fingerprint]")
    assert ridden(page)[0] == "now", "from another page it begins anew"


def test_any_shot_is_found_to_compare_with(brought_in, sign_in):
    page = open_bench(sign_in(first=False), brought_in)
    page.select_option(".against", "find")
    page.fill("dialog[open] input", "b00")
    page.wait_for_selector("dialog[open] li:has-text('B007')")
    page.keyboard.press("Enter")
    page.wait_for_selector("canvas.otherpicture[data-fingerprint]")
    assert page.locator(".against").evaluate("(one) => one.selectedOptions[0].textContent") == "B007"
    page.select_option(".against", "find")
    page.fill("dialog[open] input", "nothing of the kind")
    page.wait_for_selector("dialog[open] p:has-text('No other shot has that in its name')")
    page.click("dialog[open] button:text-is('Close')")
    assert page.locator(".against").evaluate("(one) => one.selectedOptions[0].textContent") == "B007"


def test_a_neutral_waits_for_the_click(brought_in, sign_in):
    page = open_bench(sign_in(first=False), brought_in)
    add_step(page, "white_balance")
    page.click("button:text-is('Neutral from the picture'):visible")
    page.wait_for_selector(".tag:has-text('Click what is neutral')")
    quiet(page)
    assert page.input_value("input[aria-label='Scene light, K']") == "6500"
    page.keyboard.press("Escape")
    page.wait_for_selector(".tag:has-text('Click what is neutral')", state="hidden")
    page.click("button:text-is('Neutral from the picture'):visible")
    box = page.locator("canvas.picture").bounding_box()
    page.mouse.click(box["x"] + box["width"] * 0.3, box["y"] + box["height"] * 0.4)
    quiet(page)
    if page.locator("button:text-is('Take it as neutral'):visible").count():
        page.click("button:text-is('Take it as neutral'):visible")
        quiet(page)
    assert page.input_value("input[aria-label='Scene light, K']") != "6500"
    for _ in range(2):
        page.click("button:text-is('Undo')")
        quiet(page)


def test_a_sentence_over_the_picture_moves_nothing_under_the_hand(brought_in, sign_in):
    page = open_bench(sign_in(first=False), brought_in)
    step(page, "Exposure")
    before = page.locator("canvas.picture").bounding_box()
    page.fill("input[aria-label='Exposure, stops']", "99")
    page.press("input[aria-label='Exposure, stops']", "Enter")
    page.wait_for_selector(".trouble:has-text('type a number from')")
    assert page.locator("canvas.picture").bounding_box() == before
    assert min(row.bounding_box()["height"] for row in page.locator(".steplist li[data-step]").all()) >= 20
    page.click(".trouble button:text-is('Close')")


def test_the_picture_beside_has_a_region_of_its_own(brought_in, sign_in):
    """Handles size each; figures stand beside each other; Delete puts the second where the first is."""
    page = open_bench(sign_in(first=False), brought_in)
    page.select_option(".against", label="B007")
    page.click("[data-compare=beside]")
    page.select_option("select[aria-label=Region]", "rectangle")
    quiet(page)
    first, second = page.locator(".region:not(.there)"), page.locator(".region.there")
    here, there = first.bounding_box(), second.bounding_box()
    assert there["x"] > here["x"] + here["width"], "it lies over the other picture"
    assert there["width"] == pytest.approx(here["width"], abs=2)

    def drag(box, at, by):
        page.mouse.move(box["x"] + at[0] * box["width"], box["y"] + at[1] * box["height"])
        page.mouse.down()
        page.mouse.move(box["x"] + at[0] * box["width"] + by[0], box["y"] + at[1] * box["height"] + by[1], steps=4)
        page.mouse.up()
        quiet(page)

    drag(there, (0.5, 0.3), (20, 12))
    moved = second.bounding_box()
    assert (moved["x"] - there["x"], moved["y"] - there["y"]) == pytest.approx((20, 12), abs=2)
    assert first.bounding_box() == here
    drag(moved, (1, 1), (15, 10))
    sized = second.bounding_box()
    assert (sized["width"] - moved["width"], sized["height"] - moved["height"]) == pytest.approx((15, 10), abs=2)
    drag(here, (0, 0.5), (-12, 0))
    assert first.bounding_box()["width"] - here["width"] == pytest.approx(12, abs=2)
    assert second.bounding_box() == sized
    assert page.locator(".fact .beside:visible").count() > 3
    second.focus()
    page.keyboard.press("Delete")
    quiet(page)
    assert second.bounding_box()["width"] == pytest.approx(first.bounding_box()["width"], abs=2)


# Sliders in view whose thumb cannot be had from end to end: something else lies there, or the page ends before.
OUT_OF_REACH = """() => [...document.querySelectorAll("input[type=range]")]
  .filter((one) => one.checkVisibility() && !one.disabled)
  .filter((one) => {
    one.scrollIntoView({ block: "nearest", inline: "nearest" });
    const { left, top, width, height } = one.getBoundingClientRect();
    return width < 30 || [0, 0.5, 1].some((share) =>
      document.elementFromPoint(left + 4 + share * (width - 8), top + height / 2) !== one);
  }).map((one) => one.getAttribute("aria-label"))"""
SIZES = ((1024, 768), (1280, 800), (1920, 1080))


def test_every_slider_is_reached_from_end_to_end(brought_in, sign_in):
    page = open_bench(sign_in(first=False), brought_in)
    page.click("button:text-is('Add a step …')")
    kinds = page.eval_on_selector_all(".adding [data-kind]", "(all) => all.map((one) => one.dataset.kind)")
    page.keyboard.press("Escape")

    def reached(what):
        for width, height in SIZES:
            page.set_viewport_size({"width": width, "height": height})
            page.wait_for_timeout(60)
            assert page.evaluate(OUT_OF_REACH) == [], f"{what} at {width}"

    for kind in kinds:
        add_step(page, kind)
        reached(kind)
        page.click(".stephead button:text-is('Remove')")
    page.keyboard.press("y")
    reached("viewing layer")
    page.keyboard.press("y")
    page.click(".pick[data-stage=finish]")
    reached("finish in hand")
    page.click(".pick[data-stage=rendering]")
    reached("rendering")
    page.click("a:has-text('Compare renderings')")
    page.wait_for_selector("text=/rendered in/")
    reached("renderings compared")
