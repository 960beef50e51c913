"""Matching by hand on the Bench: by the scene, and by pairs marked on both pictures; taken back at once."""

from tests.browser.conftest import quiet
from tests.browser.test_bench import bench as bench
from tests.browser.test_bench import colour_at
from tests.browser.test_shapes import drag
from tests.browser.test_whole_line import fingerprint


def test_a_shot_is_matched_and_pairs_are_marked_dragged_and_removed(bench):
    page = bench
    page.click("[data-tab=match]")
    page.click(".matchsetup button:text-is('Match')")
    page.wait_for_selector("[role=alert] p:has-text('Choose a shot, a Mark')")
    before = fingerprint(page)
    page.select_option("select[aria-label='Compare with']", label="B007")
    page.click("[data-compare=beside]")
    page.wait_for_selector("canvas.otherpicture[data-fingerprint]")
    quiet(page)
    page.click(".matchsetup button:text-is('Match')")
    page.wait_for_selector(".matchsays b:has-text('after')")
    quiet(page)
    assert fingerprint(page) != before
    for x, y in ((0.25, 0.25), (0.75, 0.9)):
        mine, its = (colour_at(page, canvas, x, y) for canvas in ("canvas.picture", "canvas.otherpicture"))
        assert max(abs(a - b) for a, b in zip(mine, its, strict=True)) < 14
    page.click("[data-tab=steps]")
    assert page.locator(".steplist li:has(.groupname) input.own").first.input_value() == "Match to B007"
    page.keyboard.press("Control+z")
    quiet(page)
    assert fingerprint(page) == before, "one undo takes it back"
    # Pairs.
    page.click("[data-tab=match]")
    page.select_option("select[aria-label='How to match']", "pairs")
    picture = page.locator("canvas.picture").bounding_box()
    for number, x in enumerate((0.2, 0.45, 0.85)):
        page.mouse.click(picture["x"] + x * picture["width"], picture["y"] + picture["height"] / 2 - 40)
        quiet(page)
        page.click("text=Add a pair at the trace")
        page.locator(".pairtable tbody tr").nth(number).wait_for()
        quiet(page)
    assert page.locator(".pair").count() == 6
    drag(page, ".pair[data-side=there] >> nth=2", -90, -30)
    page.wait_for_selector(".pairtable tr.outlier:has-text('does not belong')")
    quiet(page)
    page.keyboard.press("Delete")
    quiet(page)
    assert page.locator(".pair").count() == 4
    page.locator(".pair").first.focus()
    old = page.locator(".pair").first.get_attribute("style")
    page.keyboard.press("ArrowRight")
    page.wait_for_timeout(500)
    quiet(page)
    assert page.locator(".pair").first.get_attribute("style") != old
    page.click("text=Take the match out")
    quiet(page)
    assert fingerprint(page) == before
    page.select_option("select[aria-label='Compare with']", "untrimmed")
    page.click("[data-compare=now]")
    quiet(page)
