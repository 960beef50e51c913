"""From the editor's cut to delivered files, by hand in the pages: set up, watched in the queue, proved, fetched."""

import json
import re

import pytest

from tests.core.test_delivery import scene
from upwelling.cli.main import main
from upwelling.core.encodings import encoding
from upwelling.core.media.movie_write import write_movie

LIST = """TITLE: SHORT CUT
FCM: NON-DROP FRAME

001  AX       V     C        00:00:00:00 00:00:00:06 01:00:00:00 01:00:00:06
* FROM CLIP NAME: A901.mov
002  AX       V     C        00:00:00:08 00:00:00:12 01:00:00:06 01:00:00:10
* FROM CLIP NAME: A901.mov
"""


@pytest.fixture
def movie(server, sign_in, tmp_path):
    """A production of its own with one settled movie, brought in by hand."""
    place = tmp_path / "A901.mov"
    log = encoding("S-Log3/S-Gamut3.Cine")
    write_movie(place, (log.from_linear(scene(n, 180, 320)) for n in range(16)), "prores-422")
    page = sign_in()
    page.goto(server)
    page.fill("input[name=name]", "Handed out")
    page.click("main form button")
    page.goto(f"{server}/p/handed-out/intake/")
    page.set_input_files("input[type=file]", place)
    page.wait_for_selector("tr:has-text('A901')")
    page.reload()
    page.check("input[aria-label='Select A901']")
    page.select_option("select[aria-label='Encoding of the selected shots']", "S-Log3/S-Gamut3.Cine")
    page.wait_for_selector("tr:has-text('A901'):has-text('Settled by hand')")
    return page


def ready(page):
    """Until the plan stands for what the form says."""
    page.wait_for_timeout(400)
    page.wait_for_selector(".planned button:text-is('Deliver'):not([disabled])")


def test_from_the_cut_to_a_proved_file(movie, server, tmp_path):
    page, at = movie, f"{server}/p/handed-out"
    listed = tmp_path / "short.edl"
    listed.write_text(LIST)
    page.goto(f"{at}/cuts/")
    page.set_input_files("input[type=file]", listed)
    page.click("button:has-text('Bring it in')")
    page.wait_for_selector("h1:has-text('SHORT CUT')")
    # Played over its join, stepped on the Bench.
    page.click("text=Play it")
    page.wait_for_selector("canvas.shown[data-frame]")
    page.click(".transport button:text-is('Play')")
    page.wait_for_function("() => Number(document.querySelector('canvas.shown').dataset.frame) >= 8", timeout=60000)
    page.keyboard.press("PageUp")
    page.click("text=Open on the Bench")
    page.wait_for_selector("canvas.picture[data-fingerprint]")
    page.click(".cutline >> text=Next event")
    page.wait_for_selector("canvas.picture[data-fingerprint]")
    assert "frame=8" in page.url
    # A master of each event, and a web file of the whole.
    page.goto(f"{at}/cuts/")
    page.click("a:has-text('SHORT CUT')")
    page.click("text=Deliver this cut")
    ready(page)
    assert page.locator(".plan .names li").count() == 2
    page.click(".planned button:text-is('Deliver')")
    page.wait_for_selector("text=2 files queued")
    page.goto(f"{at}/cuts/")
    page.click("a:has-text('SHORT CUT')")
    page.click("text=Deliver this cut")
    page.select_option("select[name=as]", "one")
    page.select_option("select[name=preset]", "H.264")
    page.fill("input[name=pattern]", "web_{cut}")
    ready(page)
    page.click(".planned button:text-is('Deliver')")
    page.wait_for_selector("h1:has-text('web_SHORT CUT.mp4')")
    page.goto(f"{server}/queue/")
    waiting = page.locator("tr[draggable]")
    if waiting.count() > 1:  # the last is taken to the front by the keyboard
        page.locator("tr:has-text('web_SHORT CUT') button:text-is('Earlier')").focus()
        page.keyboard.press("Enter")
    page.wait_for_function(
        "() => [...document.querySelectorAll('tr')].filter((r) => r.textContent.includes('● Done')"
        " && r.textContent.includes('Delivery')).length >= 3",
        timeout=120000,
    )
    page.click("a:has-text('web_SHORT CUT.mp4')")
    page.wait_for_selector(".verdict.holds")
    with page.expect_download() as got:
        page.click("text=Download")
    place = tmp_path / "web.mp4"
    got.value.save_as(place)
    with page.expect_download() as got:
        page.click("text=Proof as JSON")
    got.value.save_as(tmp_path / "web.mp4.proof.json")
    assert main(["verify-delivery", str(place)]) == 0
    assert json.loads((tmp_path / "web.mp4.proof.json").read_text())["verdict"] == "holds"
    assert page.locator("text=has these settings still").count() == 2
    page.goto(f"{at}/deliveries/")
    with page.expect_download() as got:
        page.click("text=edit list")
    got.value.save_as(tmp_path / "back.edl")
    assert re.findall(r"00[12]_\S+\.mov", (tmp_path / "back.edl").read_text())
