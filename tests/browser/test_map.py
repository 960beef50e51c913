"""The map and the first page, by hand: areas by key, rules that say what they touch, ways from the Bench."""

from tests.browser.conftest import pictured
from tests.browser.test_whole_line import open_bench


def go(page, typed):
    """By the map's key and the first letters of a name."""
    page.keyboard.press("0")
    page.wait_for_selector("dialog.map[open]")
    page.keyboard.type(typed)
    page.keyboard.press("Enter")


def test_any_page_is_two_clicks_or_a_key_and_a_word_away(brought_in, sign_in):
    page = open_bench(sign_in(), brought_in)
    page.click("nav.tabs a:text-is('Footage')")
    page.click("nav.parts a:text-is('Cuts')")
    page.wait_for_url("**/cuts/")
    go(page, "wa")
    page.wait_for_url("**/wall/")
    go(page, "bench")
    pictured(page)
    page.focus("input.filter")
    page.keyboard.type("0")
    assert page.input_value("input.filter") == "0", "a field keeps its digits"
    page.focus("canvas.picture")
    page.keyboard.press("0")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Escape")
    page.wait_for_selector("dialog.map", state="hidden")
    page.click("#open-map")
    page.click("dialog.map a:has-text('Receivers')")
    page.wait_for_url("**/bakes/receivers/")


def test_help_stands_beside_the_work_and_leads_on(brought_in, sign_in):
    page = open_bench(sign_in(), brought_in)
    page.keyboard.press("?")
    page.wait_for_selector("#beside:has-text('camera file at the bottom')")
    assert "the value of one pixel" in page.inner_text("#beside dl")
    page.keyboard.press("Escape")
    page.wait_for_selector("#beside", state="hidden")
    page.click("nav.tabs a:text-is('Bakes')")
    page.click("#open-help")
    page.click("#beside a:has-text('As a page')")
    page.wait_for_selector(".helppage img")
    assert page.evaluate("() => document.querySelector('.helppage img').naturalWidth") == 1280
    page.click("nav.crumb a:text-is('Help')")
    page.fill("input[name=find]", "tetrahedral")
    page.keyboard.press("Enter")
    page.wait_for_selector(".hits mark:has-text('tetrahedral')")


def test_from_the_bench_a_shot_is_baked_and_delivered_by_a_click(brought_in, sign_in):
    page = open_bench(sign_in(), brought_in)
    shot = page.url.rstrip("/").split("/")[-1]
    page.click(".onward a:text-is('Deliver')")
    page.wait_for_selector("text=What will be made")
    page.wait_for_selector(f"input[name=shot][value='{shot}']", state="attached")
    page.go_back()
    pictured(page)
    page.click(".onward a:text-is('Bake a LUT')")
    page.wait_for_url(f"**/bakes/of/{shot}/")


def test_a_list_shows_what_is_needed_when_it_is_needed(registered, sign_in):
    """Three menus, the rest folded but never in force unseen; acts when something is chosen; the picture large by V."""
    page = sign_in()
    page.goto(f"{registered}/shots/")
    assert page.locator("form.finding > select").count() <= 3
    assert not page.is_visible("select[name=sort]")
    assert not page.is_visible(".bulk")
    page.click("form.finding summary")
    with page.expect_navigation():
        page.select_option("select[name=sort]", "length")
    page.goto(f"{registered}/shots/?remark=any")
    assert page.is_visible("select[name=remark]"), "what leaves something out is seen"
    page.goto(f"{registered}/shots/")
    row = page.locator("tbody tr >> nth=0")
    at = row.bounding_box()
    row.focus()
    page.keyboard.press(" ")
    page.wait_for_selector(".bulk:has-text('1 selected')")
    assert row.bounding_box() == at, "the rows stay where they are"
    page.keyboard.press("v")
    page.wait_for_selector("img.large-picture")
    page.keyboard.press("v")
    page.wait_for_selector("img.large-picture", state="hidden")
    page.select_option("select[data-verb=camera]", "new")
    page.wait_for_selector(".naming input")
    page.press(".naming input", "Escape")
    page.wait_for_selector(".naming", state="hidden")


def test_a_rule_says_what_it_touches_and_is_taken_back(brought_in, sign_in):
    page = sign_in()
    page.goto(f"{brought_in}/p/kilnlight/")
    assert not page.is_visible("text=Save the rules")
    page.click("summary:has-text('Display code')")
    before = page.input_value("select[name=depth]")
    page.select_option("select[name=depth]", "16")
    page.wait_for_selector(f".savebar:has-text('Depth: {before} → 16')")
    page.click("text=As they were")
    page.wait_for_selector(".savebar", state="hidden")
    assert page.input_value("select[name=depth]") == before
    page.select_option("select[name=depth]", "16")
    page.click("button:text-is('Save the rules')")
    page.wait_for_selector(f"text=Saved: Depth: {before} → 16")
    page.click("button:text-is('Take it back')")
    page.wait_for_selector(f"text=Taken back: Depth: {before} → 16")
    assert "10 bit full range" in page.inner_text("details:has-text('Display code')")
