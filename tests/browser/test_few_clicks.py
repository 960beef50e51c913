"""How many clicks and keys four jobs cost, from the first page to the end: typed words count as one each."""

import pytest

from tests.browser.conftest import pictured, quiet
from tests.browser.test_bench import bench as bench


class Hand:
    """A page, counting what its person does."""

    def __init__(self, page):
        self.page, self.clicks, self.keys = page, 0, 0

    def click(self, what):
        self.clicks += 1
        self.page.click(what)

    def press(self, key):
        self.keys += 1
        self.page.keyboard.press(key)

    def type(self, text):
        self.keys += 1
        self.page.keyboard.type(text)

    def at(self, across, down):
        """A click in the picture, by shares of it."""
        self.clicks += 1
        box = self.page.locator("canvas.picture").bounding_box()
        self.page.mouse.click(box["x"] + across * box["width"], box["y"] + down * box["height"])
        quiet(self.page)


@pytest.fixture(scope="module")
def counts():
    """What each job cost; printed at the end, for docs/seeing.md."""
    found = {}
    yield found
    print(found)


def test_from_nothing_to_a_certified_table(sign_in, server, footage, counts):
    """Twenty-seven before; fifteen were aimed at."""
    page = sign_in()
    page.goto(server)
    hand = Hand(page)
    hand.click("input[name=name]")
    hand.type("Counted")
    hand.press("Enter")
    page.wait_for_url("**/p/counted**")
    hand.click("nav.tabs a:text-is('Footage')")
    hand.clicks += 2  # the chooser is opened, and a file chosen in it
    page.set_input_files("input[type=file]", footage / "A012.dpx")
    page.wait_for_selector("table.files tbody tr")
    hand.click("tbody tr .tick")
    hand.clicks += 2  # a menu opened, an entry chosen
    page.select_option("select[data-verb=encoding]", "S-Log3/S-Gamut3.Cine")
    page.wait_for_selector("tbody tr:has-text('Settled by hand')")
    hand.click("a.strong:text-is('A012')")
    pictured(page)
    hand.press("r")
    hand.press("ArrowRight")
    quiet(page)
    hand.click("nav a:text-is('Bakes')")
    hand.click("a:text-is('A012')")
    hand.click("button:text-is('Bake and verify')")
    page.wait_for_selector("text=holds", timeout=120000)
    hand.click("a:text-is('Certificate'), button:text-is('Certificate')")
    page.wait_for_selector("text=exact path")
    counts["zero to a certified table"] = (hand.clicks, hand.keys)
    assert hand.clicks + hand.keys <= 16
    assert hand.clicks <= 12


def test_a_shot_is_balanced(bench, counts):
    hand = Hand(bench)
    hand.press("d")
    quiet(bench)
    hand.click("button:text-is('Neutral from the picture'):visible")
    assert bench.input_value("input[aria-label='Scene light, K']") == "6500", "it waits for the click"
    hand.at(0.3, 0.4)
    quiet(bench)
    if bench.locator("button:text-is('Take it as neutral'):visible").count():
        hand.click("button:text-is('Take it as neutral'):visible")
        quiet(bench)
    assert bench.locator(".tones:visible").first.inner_text()
    assert bench.input_value("input[aria-label='Scene light, K']") != "6500"
    quiet(bench)
    counts["balance a shot"] = (hand.clicks, hand.keys)
    assert hand.clicks + hand.keys <= 4


def test_an_over_exposed_shot_is_recovered(bench, counts):
    """A Highlights step finds its clips as it is added; or says that nothing clips."""
    hand = Hand(bench)
    hand.press("a")
    hand.type("highl")
    hand.press("Enter")
    bench.wait_for_selector(".stephead b:has-text('Highlights')")
    quiet(bench)
    counts["recover an over-exposed shot"] = (hand.clicks, hand.keys)
    assert hand.clicks + hand.keys <= 3


def test_steps_are_given_to_a_group(bench, server, counts):
    page = bench
    page.keyboard.press("r")
    page.keyboard.press("ArrowRight")
    quiet(page)
    hand = Hand(page)
    page.select_option("select[aria-label='Give the step']", "others")
    hand.clicks += 2
    page.wait_for_selector("h1:has-text('Steps of')")
    hand.click("button:has-text('Choose all of')")
    hand.click("button:text-is('Give to the chosen shots')")
    page.wait_for_selector("text=One undo takes it back")
    counts["give to a camera or group"] = (hand.clicks, hand.keys)
    assert hand.clicks + hand.keys <= 5
    page.click("button:text-is('Take back from all')")
    page.wait_for_selector("text=Taken back from all")
    page.go_back()
    page.goto(f"{server}/p/kilnlight/bench/")
    pictured(page)
