"""axe-core 4.14.1 (npm, MPL-2.0, kept in tests/browser/axe) over the pages: nothing serious or critical."""

from pathlib import Path as FilePath

import pytest

from tests.browser.conftest import add_step, enter, pictured

AXE = (FilePath(__file__).parent / "axe" / "axe.min.js").read_text()
PAGES = [
    "/",
    "/encodings/",
    "{p}/",
    "{p}/shots/",
    "map",
    "{p}/intake/",
    "{p}/intake/?state=settled",
    "{p}/encodings/",
    "{p}/bakes/",
    "bench",
    "bench camera",
    "bench input",
    "bench rendering",
    "bench display",
    "bench trim",
    "bench steps",
    "bench marks",
    "bench history",
    "bench share",
    "bench help",
    "{p}/outputs/?name=BT.2100 PQ 1000",
    "bench renderings",
    "bench monitor",
    "{p}/looks/",
    "{p}/wall/",
    "{p}/wall/?by=looks",
    "{p}/bakes/list/",
    "{p}/tables/",
    "{p}/deliveries/new/",
    "{p}/deliveries/came-back/",
    "{p}/bakes/receivers/",
    "{p}/bakes/cdl/",
    "bench look",
    "bench setup",
    "{p}/match/",
    "{p}/deliveries/",
    "{p}/people/",
    "/queue/",
    "/sessions/",
    "/password/",
    "/help/",
    "/help/?words=gamut",
    "{p}/about/",
    "{p}/handover/",
    "{p}/record/",
    "{p}/remarks/",
    "{p}/cuts/",
    "{p}/showings/",
    "{p}/showings/new/",
    "{p}/references/",
    "{p}/first-pass/",
    "{p}/measure/",
]


def _steps(page):
    add_step(page, "colour_curves")
    page.select_option("select[aria-label='View']", "stops")
    page.select_option("select[aria-label='Region']", "ellipse")
    page.click("[data-compare=wipe]")
    page.wait_for_selector("canvas.otherpicture[data-fingerprint]")


IN_TRIM = {
    "steps": _steps,
    "marks": lambda page: (
        page.click("[data-tab=marks]"),
        page.click("text=Mark this state"),
        page.wait_for_selector(".card"),
    ),
    "history": lambda page: page.click("[data-tab=history]"),
    "share": lambda page: (
        page.select_option("select[aria-label='Give the step']", "others"),
        page.wait_for_selector("h1:has-text('Steps of')"),
    ),
    "setup": lambda page: (
        page.goto(page.url.replace("/bench/", "/bakes/of/")),
        page.wait_for_selector("[data-busy=no]"),
    ),
    "help": lambda page: page.click("button:has-text('Keys')"),
    "renderings": lambda page: (page.goto(page.url + "renderings/"), page.wait_for_selector("text=8 rendered in")),
    "monitor": lambda page: (page.goto(page.url + "monitor/"), page.wait_for_selector("td:has-text('grey 50 %')")),
}


@pytest.fixture(scope="module")
def signed_in(browser, server, registered):
    """A page whose content policy lets axe in; it is the tests' own script."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, bypass_csp=True)
    page = context.new_page()
    enter(page, server)
    yield page
    context.close()


def open_address(page, server, address):
    """Opens a page of the list, or the Bench in the state that the list names."""
    if address == "map":
        page.goto(f"{server}/p/intake/")
        page.click("#open-map")
    elif address.startswith("bench"):
        page.goto(f"{server}/p/intake/intake/")
        page.click("tbody tr:has-text('A099') >> a.strong")
        pictured(page)
        place = address.split()[-1]
        if place in ("camera", "input", "trim", "look", "rendering", "display"):
            page.click(f".pick[data-stage={place}]")
        elif place in IN_TRIM:
            IN_TRIM[place](page)
    else:
        page.goto(server + address.format(p="/p/intake"))
        page.wait_for_load_state("networkidle")


# Menus that show less than what is chosen in them, and by how many pixels the page is wider than its window.
CUT = """() => {
  const pen = document.createElement("canvas").getContext("2d");
  const cut = [...document.querySelectorAll("select:not([multiple])")].filter((menu) => {
    if (!menu.offsetParent || !menu.selectedOptions.length) return false;
    const style = getComputedStyle(menu);
    pen.font = style.font;
    const room = menu.clientWidth - parseFloat(style.paddingLeft) - parseFloat(style.paddingRight);
    return pen.measureText(menu.selectedOptions[0].text.trim()).width > room + 0.5;
  });
  return [cut.map((menu) => menu.selectedOptions[0].text), document.documentElement.scrollWidth - innerWidth];
}"""


@pytest.mark.parametrize("address", PAGES)
def test_nothing_serious_and_nothing_cut(signed_in, server, address):
    open_address(signed_in, server, address)
    assert _serious(signed_in) == []
    signed_in.add_style_tag(content="* { transition: none !important; }")
    try:
        for room in ("dark", "contrast"):
            signed_in.evaluate("(room) => { document.documentElement.dataset.room = room; }", room)
            assert _serious(signed_in, rules=["color-contrast"]) == [], room
    finally:
        signed_in.evaluate("() => { document.documentElement.dataset.room = 'light'; }")
    try:
        for width, height in ((1280, 800), (1024, 768)):
            signed_in.set_viewport_size({"width": width, "height": height})
            menus, beyond = signed_in.evaluate(CUT)
            assert menus == [], f"cut at {width}"
            assert beyond <= 0, f"wider than {width}"
    finally:
        signed_in.set_viewport_size({"width": 1280, "height": 800})


@pytest.mark.parametrize(("width", "height"), [(1280, 800), (1024, 768)])
def test_what_settles_a_file_is_seen_without_scrolling(signed_in, server, width, height):
    signed_in.set_viewport_size({"width": width, "height": height})
    open_address(signed_in, server, "bench input")
    button = signed_in.locator(".settle button").bounding_box()
    last = signed_in.locator("#managed").bounding_box()
    signed_in.set_viewport_size({"width": 1280, "height": 800})
    assert button["y"] + button["height"] < last["y"] < height - 30


@pytest.mark.parametrize(
    "address", ["{p}/", "{p}/intake/", "{p}/looks/", "{p}/bakes/", "{p}/deliveries/", "bench trim"]
)
def test_nothing_serious_at_twice_the_size(signed_in, server, address):
    """What a browser zoomed to 200 % shows: half as many pixels each way; no page is wider than its window."""
    signed_in.set_viewport_size({"width": 640, "height": 400})
    try:
        open_address(signed_in, server, address)
        assert _serious(signed_in) == []
        if address != "bench trim":
            assert signed_in.evaluate("() => document.documentElement.scrollWidth - innerWidth") <= 0
    finally:
        signed_in.set_viewport_size({"width": 1280, "height": 800})


def _serious(page, rules=()):
    page.evaluate(AXE)
    found = page.evaluate(
        "async (only) => (await axe.run(document, only)).violations.map((v) => [v.impact, v.id, v.nodes.map((n) => "
        "n.html.slice(0, 200))])",
        {"runOnly": list(rules)} if rules else {},
    )
    return [v for v in found if v[0] in ("serious", "critical")]


# Text of the Column against what lies behind it, by WCAG 2.2's contrast ratio of relative luminances; opacity counted.
CONTRASTS = """() => {
  const part = (v) => (v /= 255) <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4;
  const light = ([r, g, b]) => 0.2126 * part(r) + 0.7152 * part(g) + 0.0722 * part(b);
  const colour = (text) => [...text.match(/[\\d.]+/g).map(Number), 1].slice(0, 4);
  const texts = [...document.querySelectorAll(".column .stratum *")].filter((one) =>
    one.getClientRects().length && [...one.childNodes].some((node) => node.nodeType === 3 && node.textContent.trim()));
  return texts.map((one) => {
    let opacity = 1, ground = null;
    for (let at = one; at; at = at.parentElement) {
      const style = getComputedStyle(at), behind = colour(style.backgroundColor);
      opacity *= Number(style.opacity);
      if (!ground && behind[3] === 1) ground = behind;
    }
    const ink = colour(getComputedStyle(one).color).map((v, i) => v * opacity + (ground[i] || 0) * (1 - opacity));
    const [low, high] = [light(ink), light(ground)].sort((a, b) => a - b);
    return [(high + 0.05) / (low + 0.05), one.textContent.trim()];
  });
}"""


def test_captions_of_stages_that_are_off_can_be_read(signed_in, server):
    open_address(signed_in, server, "bench trim")
    switches = signed_in.query_selector_all(".column .switch:not([disabled])")
    assert len(switches) >= 3
    for stage in ("trim", "rendering"):  # the one in hand has a ground of its own
        signed_in.click(f".pick[data-stage={stage}]")
        for switch in switches:
            switch.set_checked(False)
        assert min(signed_in.evaluate(CONTRASTS))[0] >= 4.5
        for switch in switches:
            switch.set_checked(True)
    signed_in.wait_for_selector(".bench[data-busy=no]")
