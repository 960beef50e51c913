"""Looking after people and productions in the browser, and two servers on one data folder."""

import re

import pytest

from tests.browser.conftest import pictured, quiet, serving
from tests.browser.test_whole_line import type_in

P = "/p/kilnlight/"


@pytest.fixture
def page(sign_in, server, brought_in):
    return sign_in()


def test_people_are_added_and_what_was_done_is_found_in_the_record(page, server):
    page.goto(f"{server}{P}people/")
    row = "tr:has(b:text-is('vera'))"
    page.select_option(f"{row} select", "technician")
    page.click(f"{row} button:text-is('Change')")
    page.wait_for_selector("text=vera is technician of Kilnlight")
    page.select_option(f"{row} select", "viewer")
    page.click(f"{row} button:text-is('Change')")
    page.click("nav a:text-is('Record')")
    page.select_option("select[name=what]", "members changed")
    page.wait_for_selector("tbody tr:has-text('vera'):has-text('2 times')")
    page.goto(f"{server}/sessions/")
    page.wait_for_selector("tr:has-text('HeadlessChrome') >> text=here")


def test_a_production_is_archived_and_nothing_in_it_changes_until_it_is_taken_back(page, server):
    page.goto(server)
    page.fill("input[name=name]", "Put away")
    page.click("button:text-is('Make it')")
    page.click("nav.parts a:text-is('About')")
    page.click("button:text-is('Archive it')")
    page.wait_for_selector("text=It is archived")
    page.goto(f"{server}/p/put-away/")
    page.click("summary:has-text('Camera file')")
    page.fill("input[name=rate]", "25")
    page.wait_for_selector("text=Frames a second: none → 25")
    page.click("button:text-is('Save the rules')")
    page.wait_for_selector("text=This production is archived")
    page.goto(f"{server}/p/put-away/about/")
    page.click("button:text-is('Take it out of the archive')")
    page.wait_for_selector("text=It is out of the archive")
    page.fill("input[name=typed]", "Put")
    page.click("button:text-is('Remove in 14 days')")
    page.wait_for_selector("text=Nothing was removed")
    page.fill("input[name=typed]", "Put away")
    page.click("button:text-is('Remove in 14 days')")
    page.wait_for_selector("text=It goes for good on")
    page.click("button:text-is('Keep it')")
    page.wait_for_selector("text=It stays, in the archive")


@pytest.mark.parametrize("list_of_shots", ["shots/", "intake/"])
def test_a_span_of_rows_is_chosen_by_shift_and_a_click_and_changed(sign_in, registered, list_of_shots):
    page = sign_in()
    page.goto(f"{registered}/{list_of_shots}")
    ticks = page.locator("tbody .tick")
    ticks.nth(0).click()
    ticks.nth(2).click(modifiers=["Shift"])
    page.wait_for_selector("text=3 selected")
    for change in ("managed:off", "managed:"):
        with page.expect_navigation():
            page.select_option("select[aria-label='More changes to the selected shots']", change)
        page.wait_for_selector("text=3 selected")
    ticks.nth(2).click()
    ticks.nth(0).click(modifiers=["Shift"])
    page.wait_for_selector(".bulk.idle", state="hidden")


def test_two_servers_work_on_one_data_folder(page, server, data):
    """What one saves the other shows and may go on with; there is one worker, and no tracebacks in either log."""
    with serving(data, "second-log") as other:
        page.goto(f"{server}{P}bench/")
        pictured(page)
        type_in(page, "Exposure, stops", "0.35")
        quiet(page)
        shot = re.search(r"/bench/(\d+)/", page.url).group(1)
        page.goto(f"{other}{P}bench/{shot}/")
        pictured(page)
        assert page.input_value("input[aria-label='Exposure, stops']") == "0.35"
        type_in(page, "Exposure, stops", "0")
        quiet(page)
        page.goto(f"{server}{P}bench/{shot}/")
        pictured(page)
        assert page.input_value("input[aria-label='Exposure, stops']") == "0.00"


def test_a_long_menu_is_narrowed_by_words_and_enter_takes_the_first(page, server):
    page.goto(f"{server}{P}intake/")
    find = "[aria-label='Find an encoding for the selected shots']"
    menu = "select[aria-label='Encoding of the selected shots']"
    shown = f"{menu} option:not([hidden])"
    every = page.locator(shown).count()
    assert page.locator(find).is_disabled()
    page.check("input[aria-label='Select B007']")
    page.fill(find, "gamut wide 800")
    assert page.locator(shown).all_inner_texts() == ["Encoding …", "As inherited", "LogC3 EI 800/Wide Gamut 3"]
    page.fill(find, "no such curve")
    assert page.locator(f"{find}.nothing").count() == 1
    page.press(find, "Enter")
    assert page.input_value(menu) == "-"
    page.fill(find, "v-log")  # which it is already: the tests after this one share its state
    with page.expect_navigation(), page.expect_request(lambda asked: "/change/" in asked.url) as sent:
        page.press(find, "Enter")
    assert sent.value.post_data_json["value"] == "V-Log/V-Gamut"
    assert page.locator(shown).count() == every
