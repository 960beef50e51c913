"""What the Bench says of a change goes with it; a neutral as displayed; a hue carried; the own steps set aside."""

import pytest

from tests.browser.conftest import add_step, quiet
from tests.browser.test_whole_line import open_bench, step, type_in


@pytest.fixture
def bench(brought_in, sign_in):
    page = open_bench(sign_in(first=False), brought_in)
    quiet(page)
    return page


def undo(page, times=1):
    for _ in range(times):
        page.click("button:text-is('Undo')")
        quiet(page)


def test_a_hue_is_carried_to_one_that_is_picked_and_the_sentence_goes_with_it(bench):
    box = bench.locator("canvas.picture").bounding_box()
    red, card = ((0.81, 0.42), (0.275, 0.55))
    bench.mouse.click(box["x"] + box["width"] * red[0], box["y"] + box["height"] * red[1])
    quiet(bench)
    bench.select_option("[aria-label='Bring the patch to']", "hue")
    bench.click("button:text-is('Pick')")
    bench.mouse.click(box["x"] + box["width"] * card[0], box["y"] + box["height"] * card[1])
    quiet(bench)
    wanted = float(bench.input_value("[aria-label='Hue wanted, °']"))
    bench.mouse.click(box["x"] + box["width"] * red[0], box["y"] + box["height"] * red[1])
    quiet(bench)
    bench.fill("[aria-label='Hue wanted, °']", "70")
    bench.press("[aria-label='Hue wanted, °']", "Enter")
    bench.click("button:text-is('Solve')")
    bench.wait_for_selector(".aimsaid:has-text('as far apart as before')")
    assert wanted != 40, "the picked colour's own"
    undo(bench)
    assert not bench.locator(".aimsaid").is_visible(), "taken back, and unsaid"


def test_the_neutral_says_where_it_holds_and_goes_when_undone(bench):
    step(bench, "White balance")
    bench.select_option("select[aria-label=Region]", "rectangle")
    quiet(bench)
    bench.click("button:text-is('Neutral from the picture')")
    quiet(bench)
    if bench.locator("button:text-is('Take it')").is_visible():
        bench.click("button:text-is('Take it')")
        quiet(bench)
    said = "p.tones:has-text('in scene light')"
    bench.wait_for_selector(said)
    undo(bench)
    assert not bench.locator(said).is_visible()
    bench.select_option("[aria-label='Bring the patch to']", "neutral")
    bench.click("button:text-is('Solve')")
    bench.wait_for_selector(".aimsaid:has-text('neutral on the display')")
    undo(bench)


def test_a_region_fills_its_scope_and_is_marked_for_what_it_is(bench):
    bench.select_option("select[aria-label=Region]", "rectangle")
    quiet(bench)
    assert "the region across" in bench.inner_text("[data-place='0'] [data-unit]")
    bench.select_option("[aria-label='What the region is']", "skin")
    bench.wait_for_selector(".markof:has-text('skin')")
    bench.select_option("select[aria-label=Region]", "")
    bench.reload()
    quiet(bench)
    bench.click(".markof button:text-is('skin')")
    quiet(bench)
    assert bench.locator(".stage .region >> nth=0").is_visible()
    bench.click("[aria-label='Forget what is skin']")
    bench.wait_for_selector(".markof", state="detached")


def test_a_steps_risks_stand_beside_its_controls_and_figures_name_their_boundary(bench):
    step(bench, "Exposure")
    type_in(bench, "Exposure, stops", "5")
    bench.wait_for_selector("p.tones:has-text('to the display’s peak')")
    assert "At peak display" in " ".join(bench.inner_text(".read").split())
    undo(bench)


def test_own_steps_are_set_aside_from_a_match(bench):
    step(bench, "Exposure")
    type_in(bench, "Exposure, stops", "0.8")
    quiet(bench)
    bench.select_option(".against", label="B007")
    bench.click("[data-tab=match]")
    bench.click(".matchsetup button:text-is('Match')")
    bench.wait_for_selector(".matchshown:has-text('own steps on top')")
    bench.click("button:text-is('Set my steps aside')")
    quiet(bench)
    bench.click("[data-tab=steps]")
    assert not bench.is_checked("li[data-step=exposure] input")
    undo(bench, 2)
    bench.click("[data-tab=match]")
    assert bench.inner_text(".matchsays") == "", "taken back, and unsaid"
    bench.click("[data-tab=steps]")
    undo(bench)
    add_step(bench, "zone_balance")
    undo(bench)
