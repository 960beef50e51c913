"""Intake in the browser: a folder registered, cameras accepted, keys, a chart dragged, a reel split, raw and frames on
the Bench.
"""

import re

import numpy as np

from tests.browser.conftest import pictured, quiet
from upwelling.core.media import Movie
from upwelling.core.media.movie_write import write_movie


def test_states_after_registering(registered, sign_in):
    page = sign_in()
    page.goto(f"{registered}/intake/")
    labels = page.locator(".registering > label")
    assert labels.first.bounding_box()["width"] == page.locator(".registering").bounding_box()["width"], "one a row"
    for name, state in (
        ("P099", "Known"),
        ("S0199", "Known"),
        ("G099", "Contradictory"),
        ("P004", "Unknown"),
        ("A090", "Known"),
        ("A033", "Contradictory"),
        ("A099", "Settled by hand"),  # its camera’s encoding was set by hand
    ):
        assert state in page.locator(f"tbody tr:has-text('{name}')").inner_text(), name
    page.click(".filters a:has-text('Contradictory')")
    assert page.locator("tbody tr").count() == 2
    page.click("tr:has-text('A033') >> button:has-text('Already display-referred')")
    page.wait_for_function("() => document.querySelectorAll('tbody tr').length === 1")
    page.goto(f"{registered}/intake/")
    assert "BT.1886/BT.709" in page.locator("tbody tr:has-text('A033')").inner_text()


def test_a_poll_that_is_quicker_than_the_answer_to_an_upload(server, sign_in, footage):
    """The answer to an upload is held back until the list of arrivals has shown the file: one row remains,
    and it ends.
    """
    page = sign_in()
    page.goto(f"{server}/p/intake/intake/")
    held = []

    def hold(route):
        answer = route.fetch()
        page.wait_for_timeout(1500)
        held.append(answer.status)
        route.fulfill(response=answer)

    page.route("**/intake/upload/", hold)
    page.evaluate(
        "() => { const list = Alpine.$data(document.querySelector('[x-data=upload]')); setTimeout(() => "
        "list.ask(), 50);"
        "list.items.push({ key: 'x', name: 'x', file: null, busy: true, message: '' }); }"
    )
    page.set_input_files("input[type=file]", footage / "cut.dpx")
    page.wait_for_function("() => document.body.innerText.includes('Copy it again')")
    page.wait_for_timeout(3000)
    names = page.evaluate(
        "() => Alpine.$data(document.querySelector('[x-data=upload]')).items.filter((i) => i.key !== 'x').map((i) => "
        "[i.name, i.busy])"
    )
    assert held == [202]
    assert names == [["cut.dpx", False]]


def test_a_file_chosen_before_the_page_is_ready(server, sign_in, footage):
    """Scripts are held back, the file is chosen meanwhile: it goes up all the same."""
    page, held = sign_in(), []
    page.route("**/alpine-csp.min.js", lambda route: route.continue_() if held else held.append(route))
    page.goto(f"{server}/p/intake/intake/", wait_until="commit")
    page.set_input_files("input[type=file]", footage / "cut.dpx")
    while not held:
        page.wait_for_timeout(50)
    assert page.evaluate("() => typeof Alpine") == "undefined"
    held[0].continue_()
    page.wait_for_selector("text=cut.dpx: the file is cut short")
    page.click("button:has-text('Clear this list')")


def test_keys_in_the_table(registered, sign_in):
    page = sign_in()
    page.goto(f"{registered}/intake/?state=known")
    rows = page.locator("tbody tr")
    rows.nth(0).focus()
    page.keyboard.press("Space")
    assert page.inner_text(".bulk .mono") == "1 selected"
    page.keyboard.press("Shift+ArrowDown")
    assert page.inner_text(".bulk .mono") == "2 selected"
    page.keyboard.press("ArrowUp")
    page.keyboard.press("Space")
    assert page.inner_text(".bulk .mono") == "1 selected"
    page.keyboard.press("e")
    page.wait_for_function("() => document.activeElement.dataset.verb === 'encoding'")
    rows.nth(0).focus()
    page.keyboard.press("Enter")
    page.wait_for_url(re.compile("/bench/"))
    pictured(page)


def test_a_chart_is_dragged_into_place(registered, sign_in):
    page = sign_in()
    page.goto(f"{registered}/intake/")
    page.click("tr:has-text('A099') >> a:has-text('A-cam')")
    page.click("tr:has-text('A099') >> a:has-text('mark')")
    page.wait_for_selector("circle.corner")
    corner = page.locator("circle.corner").nth(2)
    box = corner.bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] - 120, box["y"] - 60, steps=4)
    page.mouse.up()
    page.click("text=Read the chart here")
    page.wait_for_selector("text=This is no chart shot")
    off = float(page.inner_text("[data-figure=median]"))
    page.wait_for_selector("polygon.outline[points]")  # the page was loaded anew
    box = corner.bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    frame = page.locator("svg.chartframe").bounding_box()
    page.mouse.move(frame["x"] + 0.80 * frame["width"], frame["y"] + 0.90 * frame["height"], steps=4)
    page.mouse.up()
    corner.focus()
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("ArrowRight")
    page.click("text=Read the chart here")
    page.wait_for_function("(old) => Number(document.querySelector('[data-figure=median]').textContent) < old", arg=off)
    assert float(page.inner_text("[data-figure=median]")) < 1
    before = page.locator("circle.corner").nth(2).get_attribute("cx")
    page.locator("circle.corner").nth(2).focus()
    page.keyboard.press("Shift+ArrowLeft")
    page.click("text=Find it in the picture")
    page.wait_for_selector("text=/Found, its colours within 0/")
    assert abs(float(page.locator("circle.corner").nth(2).get_attribute("cx")) - float(before)) < 4


def test_a_reel_is_split(registered, sign_in):
    page = sign_in()
    page.goto(f"{registered}/intake/")
    page.click("tr:has-text('A090') >> a:has-text('split')")
    page.click("text=Look for scene changes")
    page.wait_for_selector("text=3 shots would be made", timeout=150000)
    page.fill("input[type=number]", "12")
    page.click("button:has-text('Add')")
    page.wait_for_selector("text=4 shots would be made")
    page.click("button[aria-label='Take away the cut at frame 12']")
    page.wait_for_selector("text=3 shots would be made")
    page.locator("input[type=range]").fill("0.95")
    page.wait_for_selector("text=No cut: lower the threshold")
    page.locator("input[type=range]").fill("0.3")
    page.click("button:has-text('Make the shots')")
    page.wait_for_selector("text=is now 3 shots")
    assert page.locator("tbody tr:has-text('part')").count() == 3


def test_raw_is_developed_and_frames_are_scrubbed(registered, sign_in):
    page = sign_in()
    page.goto(f"{registered}/intake/")
    page.click("tr:has-text('S0199') >> a.strong")
    pictured(page)
    page.click(".pick[data-stage=camera]")
    before = page.locator("canvas.picture").get_attribute("data-fingerprint")
    page.select_option("select.choice[data-path='development.balance']", "tungsten")
    page.wait_for_function("(old) => document.querySelector('canvas.picture').dataset.fingerprint !== old", arg=before)
    page.wait_for_selector('legend:has-text("this shot\'s own")')
    assert "tungsten, 2850 K" in page.inner_text(".stratum[data-stage=camera] p")
    page.click('button:has-text("Return to the camera\'s")')
    page.wait_for_function("(old) => document.querySelector('canvas.picture').dataset.fingerprint === old", arg=before)
    quiet(page)
    page.goto(f"{registered}/intake/")
    page.click("tr:has-text('P099') >> a.strong")
    pictured(page)
    page.locator("input[aria-label=Frame]").fill("6")
    page.wait_for_selector("text=6 of 0…7")
    page.click("text=Let it stand for the shot")
    page.wait_for_function("() => document.querySelector('.frames ~ .tool').disabled")
    page.click(".pick[data-stage=input]")
    page.click("button:has-text('Display light of an HLG screen')")
    pictured(page)
    assert "HLG display/BT.2020" in page.inner_text(".stratum[data-stage=input] p")


def test_an_encoding_is_defined_and_the_pages_fit(registered, sign_in):
    page = sign_in()
    page.goto(f"{registered}/encodings/")
    page.fill("input[name=name]", "Emberlog")
    for name, value in (
        ("log_slope", "0.26"),
        ("log_offset", "0.4"),
        ("linear_slope", "5"),
        ("linear_offset", "0.06"),
        ("break_linear", "0.01"),
    ):
        page.fill(f"input[name={name}]", value)
    page.select_option("select[name=default_range]", "full")
    page.select_option("select[name=primaries]", "own")
    page.fill("input[name=red_x]", "0.7")
    page.click("text=Try it and save")
    page.wait_for_selector("text=Not saved. “red y” must be a number")
    assert page.input_value("input[name=log_slope]") == "0.26"
    for name, value in (
        ("red_y", "0.29"),
        ("green_x", "0.17"),
        ("green_y", "0.85"),
        ("blue_x", "0.1"),
        ("blue_y", "0.02"),
    ):
        page.fill(f"input[name={name}]", value)
    page.click("text=Try it and save")
    page.wait_for_selector("text=Emberlog is saved. Round trip")
    for address in ("intake/", "encodings/", ""):
        page.goto(f"{registered}/{address}")
        assert page.evaluate("() => document.documentElement.scrollWidth") <= 1280


def test_scopes_are_chosen_and_kept(registered, sign_in):
    """The canvas changes with the scope, and the choice is there again after a reload."""
    page = sign_in()
    page.goto(f"{registered}/intake/")
    page.click("tr:has-text('A099') >> a.strong")
    pictured(page)
    drawn = (
        "() => { const c = document.querySelector('.scope canvas'); return c.toDataURL().length + "
        "c.toDataURL().slice(2000, 3000); }"
    )
    seen = []
    for name in ("parade", "waveform", "vectorscope"):
        page.select_option("select[aria-label='Scope, first place']", name)
        page.wait_for_function(f"seen => !seen.includes(({drawn})())", arg=seen)
        seen.append(page.evaluate(drawn))
    page.reload()
    pictured(page)
    assert page.input_value("select[aria-label='Scope, first place']") == "vectorscope"
    page.wait_for_selector("canvas[aria-label^='Vectorscope of display code']")


def test_a_damaged_frame_on_the_bench(server, sign_in, tmp_path):
    """Scrubbing to a broken frame gives its sentence, and the picture and the number stay those of the frame before."""
    place = tmp_path / "torn.mkv"
    write_movie(
        place,
        [np.full((90, 160, 3), v) for v in np.linspace(0.2, 0.7, 9)],
        "ffv1-10",
        options={"g": "1", "slicecrc": "1"},
    )
    data, index = bytearray(place.read_bytes()), Movie(place).index
    data[int(index.pos[2] + index.size[2] // 2)] ^= 16
    place.write_bytes(data)
    page = sign_in()
    page.goto(f"{server}/p/intake/intake/")
    page.set_input_files("input[type=file]", place)
    page.wait_for_selector("tr:has-text('torn') >> a.strong")
    page.click("tr:has-text('torn') >> a.strong")
    pictured(page)
    page.locator("input[aria-label=Frame]").fill("2")
    page.wait_for_selector("text=torn.mkv: frame 2 is damaged (its checksum is wrong)")
    assert page.inner_text("body").count("4 of 0…8") == 1
    assert page.input_value("input[aria-label=Frame]") == "4"
    page.locator("input[aria-label=Frame]").fill("3")
    page.wait_for_selector("text=3 of 0…8")
