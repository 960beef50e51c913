"""References, how far pictures are apart, a camera's correction and many matches at once, by hand in the pages."""

from tests.browser.conftest import quiet
from tests.browser.test_bench import bench as bench
from tests.browser.test_whole_line import fingerprint, open_bench


def other(page):
    return page.locator("canvas.otherpicture").get_attribute("data-fingerprint")


def test_a_reference_is_put_on_the_shelf_compared_with_and_taken_away(bench, brought_in):
    page = bench
    page.click("[data-tab=marks]")
    page.fill("[aria-label='Name of a new Mark']", "Room, as it was")
    page.click("text=Put this frame on the shelf")
    page.wait_for_selector("[role=status]:has-text('Room, as it was is on the shelf.')")
    now = fingerprint(page)
    page = open_bench(page, brought_in, "B007")
    page.select_option("select[aria-label='Compare with']", label="Shelf: Room, as it was")
    page.click("[data-compare=beside]")
    page.wait_for_selector("canvas.otherpicture[data-fingerprint]")
    quiet(page)
    assert other(page) == now
    # Zoomed together, or each for itself.
    page.select_option("select[aria-label=Zoom]", "100")
    quiet(page)
    width = page.evaluate("() => document.querySelector('canvas.otherpicture').width")
    assert width == page.evaluate("() => document.querySelector('canvas.picture').width")
    page.uncheck("[aria-label='Zoom the other picture too']")
    quiet(page)
    assert page.evaluate("() => document.querySelector('canvas.otherpicture').width") > width
    page.select_option("select[aria-label=Zoom]", "fit")
    quiet(page)
    page.click("[data-tab=match]")
    page.click("text=Show how far they are apart")
    page.wait_for_selector(".apart tr:has-text('Hardly coloured')")
    before = float(page.locator(".apart tbody td.mono").first.inner_text())
    page.click(".matchsetup button:text-is('Match')")
    page.wait_for_selector(".matchsays b:has-text('after')")
    quiet(page)
    page.click("text=Show how far they are apart")
    page.wait_for_function(
        "(old) => Number(document.querySelector('.apart tbody td.mono').textContent) < old / 2", arg=before
    )
    page.click(".apart button:has-text('Close')")
    page.wait_for_selector(".apart", state="hidden")
    page.click("text=Take the match out")
    quiet(page)
    page.goto(f"{brought_in}/p/kilnlight/references/")
    page.click("figure:has-text('Room, as it was') button:has-text('Take it away')")
    page.wait_for_selector("text=Nothing is on the shelf")
    open_bench(page, brought_in)


def test_a_match_is_given_to_the_camera_and_switched(brought_in, sign_in):
    page = sign_in()
    page.goto(f"{brought_in}/p/kilnlight/intake/")
    page.check("input[aria-label='Select B007']")
    page.select_option("select[data-verb=camera]", "new")
    page.fill(".naming input", "B-cam")
    page.press(".naming input", "Enter")
    page.wait_for_selector("tr:has-text('B007'):has-text('B-cam')")
    page = open_bench(page, brought_in, "B007")
    quiet(page)
    plain = fingerprint(page)
    page.select_option("select[aria-label='Compare with']", label="A012")
    page.click("[data-tab=match]")
    page.click(".matchsetup button:text-is('Match')")
    page.wait_for_selector(".matchsays b:has-text('after')")
    quiet(page)
    page.once("dialog", lambda dialog: dialog.accept())
    page.click("text=Give it to B-cam")
    page.wait_for_selector(".matchsays b:has-text('correction now')")
    page.wait_for_selector(".stratum[data-stage=input] p:has-text('B-cam’s correction: Match to A012')")
    quiet(page)
    given = fingerprint(page)
    assert given != plain
    assert page.is_disabled("text=Take the match out"), "it has left the trim"
    page.click(".pick[data-stage=input]")
    page.click('[aria-label="This shot follows the camera\'s correction"]')
    quiet(page)
    assert fingerprint(page) == plain
    page.click(".pick[data-stage=trim]")
    page.keyboard.press("Control+z")
    quiet(page)
    assert fingerprint(page) == given
    page.click(".pick[data-stage=input]")
    page.click("text=How near it comes")
    page.wait_for_selector(".correction:has-text('Match to A012')")
    page.click("text=Switch it off for all")
    page.wait_for_selector("text=switched off")
    page.click("text=Take it away")
    page.wait_for_selector("text=None: its shots enter the trim")
    page.click("button:has-text('Remove this camera')")
    page = open_bench(page, brought_in, "B007")
    quiet(page)
    assert fingerprint(page) == plain


def test_many_are_matched_accepted_and_taken_back(brought_in, sign_in):
    page = sign_in()
    page.goto(f"{brought_in}/p/kilnlight/shots/")
    page.click("nav.parts a:text-is('Match many')")
    page.check(".tiles label:has-text('B007') input")
    page.select_option("select[name=reference]", label="A012")
    page.click("button:has-text('Match the chosen shots')")
    page.wait_for_selector("tr:has-text('B007') button:has-text('Accept')", timeout=150000)
    assert "ΔE 2000 median" in page.locator("tr:has-text('B007')").inner_text()
    page.click("tr:has-text('B007') button:has-text('Accept')")
    page.wait_for_selector("text=Put into 1 shot.")
    page.click("tr:has-text('B007') a")
    page.wait_for_selector("canvas.picture[data-fingerprint]")
    quiet(page)
    assert page.locator(".steplist li:has(.groupname) input.own").first.input_value() == "Match to A012"
    page.go_back()
    page.click("button:has-text('Take back from all')")
    page.wait_for_selector("text=Taken back from all of its shots.")
    assert "was taken back" in page.locator("tr:has-text('B007')").inner_text()
