"""What a page does when its session ends, when another proposes, and when a file is stopped on its way."""

import pytest

from tests.browser.conftest import pictured, quiet

pytestmark = pytest.mark.browser


def test_a_session_that_ends_on_the_bench_is_said_and_work_goes_on_after_signing_in_beside(sign_in, brought_in):
    page = sign_in()
    page.goto(f"{brought_in}/p/kilnlight/")
    page.click("a.shot:has-text('B007')")
    pictured(page)

    assert not page.is_visible("#session-ended")
    kept = [cookie for cookie in page.context.cookies() if cookie["name"] != "sessionid"]
    page.context.clear_cookies()
    page.context.add_cookies(kept)
    field = page.locator("input[aria-label='Exposure, stops'] >> visible=true")
    field.fill("0.35")
    field.press("Enter")
    page.wait_for_selector("#session-ended:visible")
    assert field.input_value() == "0.35"
    with page.context.expect_page() as opened:
        page.click("#session-ended a")
    beside = opened.value
    beside.fill("#id_username", "tess")
    beside.fill("#id_password", "gather-and-blow")
    beside.press("#id_password", "Enter")
    beside.wait_for_selector("h1:has-text('Productions')")
    beside.close()
    field.fill("0.45")
    field.press("Enter")
    quiet(page)
    assert not page.is_visible("#session-ended")
    assert "Exposure +0.45" in page.inner_text(".stratum[data-stage=trim] p")
    page.reload()
    pictured(page)
    assert "Exposure +0.45" in page.inner_text(".stratum[data-stage=trim] p")
    page.click("button:has-text('Undo')")
    quiet(page)


def test_refusals_are_pages_of_ours(sign_in, brought_in):
    page = sign_in()
    page.goto(f"{brought_in}/p/kilnlight/rules/")
    assert "not asked in that way" in page.inner_text("main")
    page.goto(f"{brought_in}/p/kilnlight/bench/99999/")
    assert "nothing at this address" in page.inner_text("main")
