"""A showing in two browsers: a technician who makes it and answers, guests without an account, with a telephone and a
desk.
"""

import base64
import io

import numpy as np
import pytest
from PIL import Image

from tests.browser.conftest import HANG
from tests.browser.test_accessibility import AXE
from tests.browser.test_deliveries import LIST, movie

__all__ = ["movie"]
CHIP, OWN = ".chips button", ".well:not(.along) .shown"
PIXELS = """async (what) => {
  const seen = document.querySelector(what), canvas = document.createElement("canvas");
  if (seen.decode) await seen.decode();
  canvas.width = seen.naturalWidth || seen.videoWidth;
  canvas.height = seen.naturalHeight || seen.videoHeight;
  const pen = canvas.getContext("2d", { colorSpace: "srgb" });
  pen.drawImage(seen, 0, 0);
  return canvas.toDataURL("image/png").split(",")[1];
}"""


SEEK = """(at) => new Promise((done) => {
  const video = document.querySelector("video");
  video.onseeked = done;
  video.currentTime = at;
})"""


def seen(page, what):
    """(H, W, 3) codes as Chromium shows a picture or the movie on an sRGB canvas."""
    return np.asarray(Image.open(io.BytesIO(base64.b64decode(page.evaluate(PIXELS, what)))).convert("RGB")).astype(int)


@pytest.fixture
def cut(request, sign_in, server, tmp_path):
    """The technician's page of a cut of two events, in a production that is made when first wanted."""
    page = sign_in()
    if page.goto(f"{server}/p/handed-out/cuts/").status == 404:
        page = request.getfixturevalue("movie")
        page.goto(f"{server}/p/handed-out/cuts/")
    if page.locator("a:has-text('SHORT CUT')").count():
        page.click("a:has-text('SHORT CUT')")
    else:
        (tmp_path / "short.edl").write_text(LIST)
        page.set_input_files("input[type=file]", tmp_path / "short.edl")
        page.click("button:has-text('Bring it in')")
    page.wait_for_selector("h1:has-text('SHORT CUT')")
    return page


@pytest.fixture
def guest(browser):
    """Opens a link as somebody who has nothing but it; any script error fails the test."""
    contexts = []

    def opened(link, name, width, height, phrase=""):
        context = browser.new_context(viewport={"width": width, "height": height}, bypass_csp=False)
        contexts.append(context)
        page = context.new_page()
        page.set_default_timeout(HANG)
        page.goto(link)
        if phrase:
            page.fill("#phrase", phrase)
        page.fill("#name", name)
        page.click("button:text-is('Look')")
        page.wait_for_selector(CHIP)
        return page

    yield opened
    for context in contexts:
        context.close()


def draw(page, *shares):
    """Draws an outline over the picture with the pointer, through points in shares of it."""
    page.click("button:text-is('Draw an outline')")
    page.locator(OWN).scroll_into_view_if_needed()
    box = page.locator(OWN).bounding_box()
    places = [(box["x"] + x * box["width"], box["y"] + y * box["height"]) for x, y in shares]
    page.mouse.move(*places[0])
    page.mouse.down()
    for place in (*places[1:], places[0]):
        page.mouse.move(*place, steps=4)
    page.mouse.up()


def say(page, words):
    page.fill(".saying textarea", words)
    page.click("button:text-is('Say it')")
    page.wait_for_selector(f".said article:has-text('{words}')")


def test_shown_to_guests_said_answered_ticked_off_and_withdrawn(cut, guest, server):
    tess = cut
    tess.click("text=Show it to others")
    assert tess.locator(".showingform tbody tr").count() == 2
    tess.fill("[name=name]", "Short cut, first")
    tess.check("[name=before]")
    tess.fill("[name=phrase]", "copper kiln")
    tess.click("button:text-is('Make the showing')")
    tess.wait_for_selector("p[role=status]:has-text('2 of 2 stills made')", timeout=HANG)
    link = tess.input_value(".address")
    ada = guest(link, "Ada", 390, 844, "copper kiln")
    ada.wait_for_function("() => document.querySelector('.shown img').naturalWidth > 0")
    assert ada.evaluate("() => document.documentElement.scrollWidth - innerWidth") <= 0
    draw(ada, (0.2, 0.3), (0.5, 0.3), (0.4, 0.7))
    say(ada, "Warmer here?")
    line = ada.locator(".outlines .line").get_attribute("d")
    assert line.startswith("M0.2")
    bo = guest(link, "Bo", 1280, 800, "copper kiln")
    bo.keyboard.press("ArrowRight")
    bo.wait_for_selector(f"{CHIP}[aria-current=true]:has-text('2 ·')")
    draw(bo, (0.6, 0.2), (0.9, 0.2), (0.9, 0.5), (0.6, 0.5))
    say(bo, "Too dark in the corner")
    bo.keyboard.press("ArrowLeft")
    draw(bo, (0.1, 0.1), (0.3, 0.1), (0.3, 0.3))
    say(bo, "And this edge?")
    assert bo.locator(".said article").count() == 3
    assert not bo.locator(".said article:has-text('Warmer here?') button:text-is('Tick it off')").count()
    # The technician comes from the showing to the step, answers it, and shows it anew.
    tess.reload()
    assert tess.locator("section:has-text('Who opened it') tbody tr").count() == 2
    tess.click(".remarked:has-text('Warmer here?') a")
    tess.wait_for_selector(".remarkpin.outline polygon >> nth=0", state="attached")
    row = "article.remarked:has-text('Warmer here?')"
    assert "Ada (guest)" in tess.locator(row).inner_text()
    tess.click(f"{row} button:text-is('Answered')")
    tess.wait_for_selector(f"{row} :text('answered by tess')")
    ada.reload()
    ada.wait_for_selector(".said article:has-text('answered by tess')")
    ada.click(".said article:has-text('Warmer here?') button:text-is('Tick it off')")
    ada.wait_for_selector(".said article.done:has-text('Warmer here?')")
    tess.goto(f"{server}/p/handed-out/remarks/")
    assert "ticked off" in tess.locator("tr:has-text('Warmer here?')").inner_text()
    # Played at its pace, as the still shows it.
    tess.goto(f"{server}/p/handed-out/showings/")
    tess.click("a:has-text('Short cut, first')")
    tess.wait_for_selector("p[role=status]:has-text('holds')", timeout=4 * HANG)
    bo.reload()
    bo.wait_for_selector("button:text-is('Play it')")
    still = seen(bo, ".shown img")
    bo.keyboard.press(" ")
    bo.wait_for_function("() => document.querySelector('video').currentTime > 0.1")
    bo.evaluate("() => document.querySelector('video').pause()")
    moment = 3.5 / 24  # the middle of the first event, of six frames
    bo.evaluate(SEEK, moment)
    off = np.abs(seen(bo, "video") - still)
    assert np.median(off) <= 2, "the movie shows the still's codes"
    assert off.mean() < 4
    # Whoever was in is out.
    tess.click("button:text-is('Withdraw it now')")
    tess.wait_for_selector("text=its link opens nothing any more")
    bo.reload()
    bo.wait_for_selector("text=This showing is over")


def test_states_are_held_wiped_and_put_side_by_side_on_screens_of_all_kinds(cut, guest, browser, server):
    """Pixel by pixel: Chromium shows an sRGB screen the codes that were sent, for BT.709 and BT.1886."""
    tess = cut
    tess.goto(f"{server}/p/handed-out/")
    tess.click("a:has-text('A901') >> nth=0")
    tess.wait_for_selector("canvas.picture[data-fingerprint]")
    number = tess.url.split("/bench/")[1].split("/")[0]
    tess.goto(f"{server}/p/handed-out/showings/new/")
    tess.check(f"[name=shot][value='{number}']")
    tess.click("text=Go on with these shots")
    tess.fill("[name=name]", "Frames")
    tess.fill(f"[name=frames-{number}]", "2, 9")
    tess.uncheck("[name=movie]")
    tess.check("[name=downloads]")
    tess.click("button:text-is('Make the showing')")
    tess.wait_for_selector("p[role=status]:has-text('2 of 2 stills made')", timeout=HANG)
    tess.click("text=Show it anew")
    tess.fill("[name=name]", "Frames again")
    tess.click("button:text-is('Make the showing')")
    tess.wait_for_selector("p[role=status]:has-text('stills made')", timeout=HANG)
    tess.wait_for_selector("td:has-text('as it was')")
    page = guest(tess.input_value(".address"), "Ada", 1280, 800)
    page.wait_for_function("() => document.querySelector('.shown img').naturalWidth > 0")
    with page.expect_response("**/main/") as sent:
        page.reload()
    wanted = np.asarray(Image.open(io.BytesIO(sent.value.body())))
    np.testing.assert_array_equal(seen(page, ".shown img"), wanted)
    assert page.locator(".acts select >> nth=1").evaluate("(one) => one.selectedOptions[0].text") == "Frames"
    first = page.locator(f"{OWN} img >> nth=0")
    now = first.get_attribute("src")
    page.locator("h1").click()
    page.keyboard.down("v")
    assert first.get_attribute("src") != now, "held, the other one is seen"
    page.keyboard.up("v")
    assert first.get_attribute("src") == now
    page.keyboard.press("w")
    box = page.locator(OWN).bounding_box()
    page.mouse.move(box["x"] + 10, box["y"] + 50)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 4, box["y"] + 60, steps=3)
    page.mouse.up()
    assert page.locator(OWN).evaluate("(one) => one.style.getPropertyValue('--wipe')") == "25%"
    page.keyboard.press("w")
    for width, height in ((1280, 800), (390, 844), (820, 1180), (1920, 1080)):
        page.set_viewport_size({"width": width, "height": height})
        for key in ("w", "s"):
            page.keyboard.press(key)
            pictures = [one.bounding_box() for one in page.locator(f"{OWN} img").all()]
            assert all(one and one["width"] > 100 for one in pictures)
            assert page.evaluate("() => document.documentElement.scrollWidth - innerWidth") <= 0
            page.keyboard.press(key)
    with page.expect_download() as got:
        page.click("text=Save the still")
    assert got.value.suggested_filename.endswith(".png")


@pytest.mark.parametrize(("width", "height"), [(1280, 800), (390, 844)])
def test_nothing_serious_on_the_guests_pages(cut, browser, server, width, height):
    tess = cut
    tess.click("text=Show it to others")
    tess.fill("[name=name]", "A name so long that it has to be cut somewhere, " * 2)
    tess.uncheck("[name=movie]")
    tess.check("[name=before]")
    tess.click("button:text-is('Make the showing')")
    tess.wait_for_selector("p[role=status]:has-text('2 of 2 stills made')", timeout=HANG)
    context = browser.new_context(viewport={"width": width, "height": height}, bypass_csp=True)
    page = context.new_page()
    page.goto(tess.input_value(".address"))
    serious(page)
    page.fill("#name", "Ada")
    page.click("button:text-is('Look')")
    page.wait_for_selector(CHIP)
    draw(page, (0.2, 0.3), (0.5, 0.3), (0.4, 0.7))
    say(page, "Here")
    page.click("summary")
    page.wait_for_function("() => document.querySelector('.strip').naturalWidth === 480")
    serious(page)
    context.close()
    for address in ("", "new/"):
        tess.goto(f"{server}/p/handed-out/showings/{address}")
        assert tess.evaluate("() => document.documentElement.scrollWidth - innerWidth") <= 0


def serious(page):
    page.evaluate(AXE)
    found = page.evaluate("async () => (await axe.run()).violations.map((v) => [v.impact, v.id, v.nodes[0].html])")
    assert [one for one in found if one[0] in ("serious", "critical")] == []
    assert page.evaluate("() => document.documentElement.scrollWidth - innerWidth") <= 0


def test_a_joint_look_is_seen_by_who_has_the_link(cut, guest, server):
    """The leader's frame, comparison, wipe and pointer on the other's screen, shot after shot, until it is ended."""
    tess = cut
    tess.click("text=Show it to others")
    tess.fill("[name=name]", "Together")
    tess.uncheck("[name=movie]")
    tess.click("button:text-is('Make the showing')")
    tess.wait_for_selector("p[role=status]:has-text('2 of 2 stills made')", timeout=HANG)
    ada = guest(tess.input_value(".address"), "Ada", 1280, 800)
    tess.click("text=Look at it together")
    tess.wait_for_selector("canvas.picture[data-fingerprint]")
    ada.wait_for_selector(".jointbar:has-text('tess shows A901, frame 3')")
    tess.wait_for_selector(".tag.joint:has-text('1: Ada')")
    assert not ada.locator(".saying").is_visible()
    tess.click("[data-compare=wipe]")
    ada.wait_for_selector(".well.along.wiping")
    ada.wait_for_selector(".jointbar:has-text('wiped with: Without trim')")
    tess.focus(".stage .wipe")
    for _ in range(10):
        tess.keyboard.press("ArrowLeft")
    ada.wait_for_selector(".well.along .other img[style*='polygon(30% 0%']")
    box = tess.locator("canvas.picture").bounding_box()
    tess.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    ada.wait_for_selector(".pointer:visible")
    place = ada.locator(".pointer").evaluate("(one) => [one.style.left, one.style.top].map(parseFloat)")
    assert all(abs(share - 50) < 2 for share in place)
    tess.click("[data-compare=now]")
    tess.fill("input[aria-label='Frame']", "7")
    tess.keyboard.press("Enter")
    ada.wait_for_selector(".jointbar:has-text('tess shows A901, frame 7')")
    for _ in range(100):  # a moving hand's picture may come before the still
        if np.array_equal(seen(ada, ".well.along img"), seen_canvas(tess)):
            break
        ada.wait_for_timeout(200)
    else:
        raise AssertionError("at rest, the very picture that the Bench shows")
    ada.click("text=Look by myself")
    ada.wait_for_selector(".saying:visible")
    tess.reload()
    tess.wait_for_selector(".tag.joint:visible")
    tess.click("text=End it")
    ada.wait_for_selector(".jointbar", state="hidden")


def seen_canvas(page):
    """(H, W, 3) codes of the Bench's picture."""
    data = page.evaluate("() => document.querySelector('canvas.picture').toDataURL('image/png').split(',')[1]")
    return np.asarray(Image.open(io.BytesIO(base64.b64decode(data))).convert("RGB")).astype(int)
