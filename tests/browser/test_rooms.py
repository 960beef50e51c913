"""The room a browser is in, and its zone: the dark room's greys measured in what is on the screen."""

import io

import numpy as np
import pytest
from PIL import Image

from tests.browser.conftest import enter
from tests.browser.test_accessibility import open_address

MOST_AROUND = 0.05
"""Of a white screen: a reference room's surround is 5 cd/m² by a white of 100 (ITU-R BT.2100-2, table 3)."""


@pytest.fixture
def elsewhere(browser, server, registered):
    """A browser of somebody far away."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, timezone_id="America/St_Johns")
    page = context.new_page()
    enter(page, server)
    yield page
    context.close()


def screen(page):
    """What is on the screen as relative linear light (H, W, 3), by the sRGB curve (IEC 61966-2-1)."""
    code = np.asarray(Image.open(io.BytesIO(page.screenshot())).convert("RGB"), dtype=np.float64) / 255
    return np.where(code <= 0.04045, code / 12.92, ((code + 0.055) / 1.055) ** 2.4)


def around(page):
    """The light of the interface below the bar, as (n, 16, 16, 3): without the picture, scopes and the strip's."""
    light = screen(page)
    for box in page.evaluate(
        "() => [...document.querySelectorAll('canvas, img, video')].map((one) => one.getBoundingClientRect())"
        ".map((b) => [b.left, b.top, b.right, b.bottom].map(Math.round))"
    ):
        left, top, right, bottom = np.clip(box, 0, None)
        light[top:bottom, left:right] = np.nan
    below = light[48:]
    blocks = below.reshape(len(below) // 16, 16, -1, 16, 3).swapaxes(1, 2).reshape(-1, 16, 16, 3)
    return blocks[~np.isnan(blocks).any(axis=(1, 2, 3))]


def test_the_dark_room_is_dark_kept_and_left_again(elsewhere, server):
    page = elsewhere
    open_address(page, server, "bench")
    lit = around(page)
    page.click("#room-switch")
    dark = around(page)
    assert lit.mean() > 0.3
    assert dark.mean() < MOST_AROUND
    surfaces = dark[np.ptp(dark, axis=(1, 2)).max(axis=1) == 0][:, 0, 0]  # what is larger than a letter or a knob
    assert len(np.unique(surfaces)) > 3
    assert surfaces.max() <= MOST_AROUND
    assert np.ptp(surfaces, axis=1).max() == 0  # and neutral
    page.goto(f"{server}/p/intake/shots/")
    assert page.get_attribute("html", "data-room") == "dark"
    page.click("#room-switch")
    page.reload()
    assert page.get_attribute("html", "data-room") == "light"


def test_more_contrast_is_chosen_for_this_browser(elsewhere, server):
    page = elsewhere
    page.goto(f"{server}/sessions/")
    page.check("input[name=room][value=contrast]")
    open_address(page, server, "bench")
    assert page.get_attribute("html", "data-room") == "contrast"
    ratios = page.evaluate(
        """() => [...document.querySelectorAll(".column .stratum b, .tabs a, .panel label")].filter((one) =>
          one.getClientRects().length).map((one) => getComputedStyle(one).color)"""
    )
    assert ratios
    assert set(ratios) <= {"rgb(0, 0, 0)", "rgb(255, 255, 255)"}


def test_times_are_those_of_the_browsers_zone(elsewhere, server):
    page = elsewhere
    page.goto(f"{server}/sessions/")
    assert "Times are those of America/St_Johns" in page.text_content("main")
    there = page.evaluate(
        "() => new Intl.DateTimeFormat('en-GB', {timeZone: 'America/St_Johns', hour: '2-digit', minute: '2-digit'})"
        ".formatToParts(new Date()).filter((p) => p.type === 'hour')[0].value"
    )
    until = page.text_content("tr:has-text('here') td:first-child")
    assert until.split()[-1].split(":")[0] in (there, f"{(int(there) - 1) % 24:02d}")
