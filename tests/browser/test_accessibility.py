"""axe-core 4.14.1 (npm, MPL-2.0, kept in tests/browser/axe) over the pages: nothing serious or critical."""

from pathlib import Path

import pytest

AXE = (Path(__file__).parent / "axe" / "axe.min.js").read_text()
PAGES = ["/", "/encodings/", "{p}/", "{p}/intake/", "{p}/intake/?state=settled", "{p}/encodings/", "{p}/bakes/", "bench", "bench camera", "bench input",
         "bench rendering", "bench display"]


@pytest.fixture(scope="module")
def signed_in(browser, server, registered):
    """A page whose content policy lets axe in; it is the tests' own script."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, bypass_csp=True)
    page = context.new_page()
    page.goto(f"{server}/sign-in/")
    page.fill("#id_username", "tess")
    page.fill("#id_password", "gather-and-blow")
    page.press("#id_password", "Enter")
    page.wait_for_selector("h1:has-text('Productions')")
    yield page
    context.close()


@pytest.mark.parametrize("address", PAGES)
def test_nothing_serious(signed_in, server, address):
    page = signed_in
    if address.startswith("bench"):
        page.goto(f"{server}/p/intake/intake/")
        page.click("tbody tr:has-text('P099') >> a.strong")
        page.wait_for_selector("canvas[data-fingerprint]")
        if " " in address:
            page.click(f".pick[data-stage={address.split()[1]}]")
    else:
        page.goto(server + address.format(p="/p/intake"))
        page.wait_for_load_state("networkidle")
    page.evaluate(AXE)
    found = page.evaluate("async () => (await axe.run()).violations.map((v) => [v.impact, v.id, v.nodes.map((n) => n.html.slice(0, 200))])")
    assert [v for v in found if v[0] in ("serious", "critical")] == []
