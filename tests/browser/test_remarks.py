"""Remarks at a frame in the page: a viewer asks, a technician answers, the viewer ticks off."""

import re
from pathlib import Path

import pytest

from tests.browser.conftest import quiet
from tests.browser.test_whole_line import open_bench, step

P = "/p/kilnlight/"
TEXT = "textarea[aria-label='A remark on this frame']"
ROW = "article.remarked"


def drawn(page):
    """A region over a part of the picture, drawn by choosing its kind, as a person does."""
    page.select_option("select[aria-label=Region]", "ellipse")
    quiet(page)


def test_an_outline_is_drawn_by_hand_and_lies_where_it_was_drawn(brought_in, sign_in):
    page = open_bench(sign_in(first=False), brought_in)
    traced = re.search(r"Trace at \d+, \d+", page.locator("h2:has-text('Trace at')").inner_text())[0]
    page.keyboard.press("q")
    page.select_option("select[aria-label='Where in the picture']", "outline")
    box = page.locator("canvas.picture").bounding_box()
    middle = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(*middle)
    page.mouse.down()
    for right, down in ((80, 0), (80, 60), (0, 60)):
        page.mouse.move(middle[0] + right, middle[1] + down, steps=5)
    page.mouse.up()
    drawn = page.locator(".drawnline path >> nth=0").bounding_box()
    page.fill(TEXT, "This corner")
    page.keyboard.press("Control+Enter")
    page.wait_for_selector(".remarkpin.outline")
    pin = page.locator(".remarkpin.outline polygon >> nth=0").bounding_box()
    assert all(abs(pin[side] - drawn[side]) < 3 for side in pin)
    assert 80 <= pin["width"] < 100, "with the width of its line"
    assert page.input_value("select[aria-label='Where in the picture']") == "outline"
    page.click(f"{ROW} button:text-is('Remove')")
    page.wait_for_selector(".remarkpin.outline", state="detached")
    page.keyboard.press("Escape")
    assert traced in page.locator("h2:has-text('Trace at')").inner_text(), "the trace stays where it was"


@pytest.mark.parametrize("width", [1024, 1280, 1920])
def test_asked_answered_and_ticked_off(brought_in, sign_in, server, width):
    vera = open_bench(sign_in("vera", width=width, first=False), brought_in)
    drawn(vera)
    vera.keyboard.press("q")
    vera.fill(TEXT, "Door too bright?")
    vera.keyboard.press("Control+Enter")
    vera.wait_for_selector(f"{ROW} :text('? open')")
    assert vera.input_value(TEXT) == "", "what was said is no draft any more"
    pin, region = vera.locator(".remarkpin").bounding_box(), vera.locator(".region:not(.there)").bounding_box()
    assert all(abs(pin[side] - region[side]) < 2 for side in pin), "the pin lies where the region lay"
    tess = open_bench(sign_in("tess", width=width, first=False), server)
    tess.click(".remarkpin")
    assert "Door too bright?" in tess.locator(ROW).inner_text()
    step(tess, "Exposure")
    tess.fill("input[aria-label='Exposure, stops']", "-0.5")
    tess.press("input[aria-label='Exposure, stops']", "Enter")
    tess.wait_for_selector(f"{ROW} .changed:has-text('Exposure'):visible")
    tess.click(f"{ROW} button:text-is('Reply')")
    tess.fill(f"{ROW} input", "Half a stop down")
    tess.keyboard.press("Enter")
    tess.wait_for_selector(f"{ROW} .reply:has-text('Half a stop down')")
    tess.click(f"{ROW} button:text-is('Answered')")
    tess.wait_for_selector(f"{ROW} :text('answered by tess')")
    assert not tess.locator(f"{ROW} button:text-is('Tick it off')").count(), "who asked ticks off"
    vera.goto(f"{server}{P}remarks/?state=answered")
    vera.click("button:text-is('Tick it off')")
    vera.wait_for_selector("text=No remark is like that")
    tess.goto(f"{server}{P}handover/")
    with tess.expect_download() as got:
        tess.click("text=Download it")
    report = Path(got.value.path()).read_text(encoding="utf-8")
    assert "ticked off" in report.split("Door too bright?")[1]
    open_bench(tess, server)
    assert not tess.locator(".remarkpin").count(), "what is done lies no longer over the picture"
    tess.keyboard.press("q")
    tess.click(f"{ROW} button:text-is('Remove')")
    tess.wait_for_selector("text=Nothing was said of this shot")
    tess.click("button:text-is('Without trim')")
    quiet(tess)
    tess.fill(TEXT, "Too flat")
    tess.keyboard.press("Control+Enter")
    tess.wait_for_selector("text=not the one that is saved")
    assert tess.input_value(TEXT) == "Too flat", "nothing that was written is lost"
    tess.click("button:text-is('Now')")
    quiet(tess)
    tess.click("button:text-is('Say it')")
    tess.wait_for_selector(f"{ROW}:has-text('Too flat')")
    tess.click(f"{ROW} button:text-is('Remove')")
    tess.wait_for_selector("text=Nothing was said of this shot")
    tess.focus(TEXT)
    tess.keyboard.press("Escape")
    tess.wait_for_selector(".read:visible h2:has-text('Trace')")
    tess.keyboard.press("Control+z")
    quiet(tess)
