"""A first pass over shots: one row of controls, Enter is “good, next”, L is “later”; walked and counted."""

import pytest

from tests.browser.conftest import pictured, quiet
from tests.browser.test_going import GONE

NEXT = "old => location.href !== old && document.querySelector('.bench').dataset.busy === 'no'"


ASK = """async ([url, body]) => {
  const bench = document.querySelector("script[src*='bench/bench']").src;
  const { post } = await import(bench.replace("bench/bench.js", "js/http.js"));
  return (await post(url, body)).status;
}"""


def begin(page, registered):
    page.goto(registered)
    page.keyboard.press("0")
    page.keyboard.type("first")
    page.keyboard.press("Enter")
    page.click("button:text-is('Begin the first pass')")
    pictured(page)
    quiet(page)


def settle(page, address, encoding):
    page.goto(address)
    page.click(".pick[data-stage=input]")
    page.select_option("select#encoding", encoding)
    page.click("button:text-is('Settle it')")
    pictured(page)


@pytest.fixture
def five(registered, sign_in):
    """A page, on a production with five shots that can be worked at; one of them is settled for this test alone."""
    page = sign_in(first=False)
    begin(page, registered)
    (address,) = [row["address"] for row in page.request.get(f"{registered}/first-pass/summary/").json()["cannot"]][:1]
    address = registered.split("/p/")[0] + address
    settle(page, address, "S-Log3/S-Gamut3.Cine")
    yield page
    settle(page, address, "")
    again = {"shots": [int(address.rstrip("/").split("/")[-1])], "verb": "reconsider", "value": ""}
    assert page.evaluate(ASK, [f"{registered}/intake/change/", again]) == 200


def test_five_shots_by_the_row_alone(registered, five):
    """Three acts a shot: a number, another number, Enter; every control is in view, nothing is looked for."""
    page = five
    begin(page, registered)
    page.evaluate("window.same = true")
    total = int(page.inner_text(".passhead output").split(" of ")[1])
    assert total >= 5
    panel = page.locator(".panel.passing").bounding_box()
    for control in page.locator(".passrow .control").all():
        box = control.bounding_box()
        assert panel["y"] <= box["y"]
        assert box["y"] + box["height"] <= panel["y"] + panel["height"]
    worked, acts = [], 0
    for n in range(5):
        name = page.title().split(" · ")[0]
        worked.append(name)
        assert f"{n + 1} of {total}" in page.inner_text(".passhead")
        for label, value in (("Exposure, stops", "0.3"), ("Shadows, stops", "0.2")):
            page.fill(f".passrow input[aria-label='{label}']", value)
            page.press(f".passrow input[aria-label='{label}']", "Enter")
            acts += 1
        old = page.url
        page.keyboard.press("Enter" if n != 1 else "l")
        acts += 1
        if n + 1 == total:
            break
        page.wait_for_function(NEXT, arg=old)
        pictured(page)
        assert float(page.input_value(".passrow input[aria-label='Exposure, stops']")) == 0, "each shot has its own"
    assert (acts, page.evaluate("window.same")) == (15, True)
    # At the end stands what was put off, and what could not be worked at.
    page.wait_for_selector(".passend[open]")
    said = page.inner_text(".passend")
    assert "4 good, 1 later" in said
    assert worked[1] in said.split("Could not")[0]
    page.click(".passend button:text-is('Back to the shot')")
    assert "4 good · 1 later · this one good" in page.inner_text(".passhead")
    page.keyboard.press("p")
    page.wait_for_function(GONE, arg=worked[-2])
    assert "Exposure +0.30 · Zone balance: shadows +0.20" in page.inner_text(".stratum[data-stage=trim]")
    page.click("button:text-is('All of the trim')")
    assert page.locator(".steplist li:has-text('Zone balance')").count() == 1
    page.click("button:text-is('Back to the first pass')")
    page.click("button:text-is('Leave it')")
    page.wait_for_selector(".panel.passing", state="hidden")
    page.goto(f"{registered}/first-pass/")
    assert "Put off:" in page.inner_text("main")


def test_a_pass_left_is_gone_on_with(registered, sign_in):
    page = sign_in(first=False)
    begin(page, registered)
    old = page.url
    page.keyboard.press("Enter")
    page.wait_for_function(NEXT, arg=old)
    there = page.title()
    page.click("button:text-is('Leave it')")
    page.wait_for_selector(".panel.passing", state="hidden")
    page.reload()
    pictured(page)
    assert page.locator(".panel.passing").count() == 0
    page.goto(f"{registered}/first-pass/")
    page.click("button:text-is('Go on with it')")
    pictured(page)
    assert page.title() == there
    page.click("button:text-is('Leave it')")
    quiet(page)
