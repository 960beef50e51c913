"""Any clip: a raw run registered, played and developed by each frame; a camera in no list measured and used."""

import re
from dataclasses import replace

from tests.browser.conftest import pictured, quiet
from upwelling.core.simulate.kilnlight_later import OTHER_PHONE, rented_pictures, write_raw_run, write_rented
from upwelling.core.simulate.kilnlight_set import Studio


def register(page, server, place, count):
    """Registers a folder on Intake by its path, and waits for its shots."""
    page.goto(f"{server}/p/any-clip/intake/")
    page.fill("input[name=typed]", place)
    page.click("button:has-text('Register')")
    page.wait_for_function(
        "count => document.querySelectorAll('tbody tr[data-shot], tbody tr:has(img)').length >= count",
        arg=count,
        timeout=240_000,  # a busy machine takes its time
    )


def test_a_raw_run_is_played_and_follows_its_frames(server, data, sign_in):
    folder = data / "media" / "any clip" / "R001"
    folder.parent.mkdir(parents=True)
    write_raw_run(Studio(), folder)
    page = sign_in()
    register(page, server, "any clip/R001", 1)
    row = page.locator("tbody tr:has-text('R001')").first
    assert "16" in row.inner_text()
    assert "white as shot changes at frame 10" in page.content()
    page.click("tbody tr:has-text('R001') a:has(img), tbody tr:has-text('R001') a >> nth=0")
    pictured(page)
    page.click("button:text-is('Play')")
    page.wait_for_function("() => !document.querySelector('.playing')?.hidden", timeout=60000)
    page.keyboard.press("Escape")
    page.click(".stratum[data-stage=camera]")
    page.select_option("select[data-path='development.values']", "of each frame")
    quiet(page)
    assert page.input_value("select[data-path='development.values']") == "of each frame"


def test_a_camera_is_measured_and_its_pictures_read_by_it(server, data, sign_in):
    """Seven answers from Intake to a settled shot: folder, pictures, name, light of all and of one, save, its range."""
    folder = data / "media" / "any clip" / "rented"
    folder.mkdir(parents=True)
    for one in rented_pictures():
        if one.target != "grey" or abs(one.stops) <= 5:
            write_rented(one, folder)
    page = sign_in()
    register(page, server, "any clip/rented", 14)
    page.goto(f"{server}/p/any-clip/encodings/")
    page.click("a:has-text('Measure a camera')")
    for box in page.locator("input[name=shot]").all():
        if "L_" in box.locator("xpath=..").inner_text():
            box.check()
    page.fill("input[name=name]", "Rill")
    page.click("button:has-text('Measure it')")
    assert page.locator("select[name^=target-] >> nth=12").input_value() == "24"
    for number, row in enumerate(page.locator("tbody tr").all()):
        stops = re.search(r"grey_([+-]\d+)", row.inner_text())
        if stops:
            page.fill(f"input[name=stops-{number}]", stops[1])
        elif "chart" in row.inner_text():
            page.fill(f"input[name=stops-{number}]", "0")
        if "3200K" in row.inner_text():
            page.select_option(f"select[name=light-{number}]", "3200 K")
    page.click("button:text-is('Measure')")
    page.wait_for_selector("text=Choose the light that the pictures were taken under")
    page.select_option("select[name=light]", "D65")
    page.click("button:text-is('Measure')")
    page.wait_for_selector("text=Good for 1 ΔE")
    page.click("nav a:has-text('D65')")
    page.select_option("select[name=range]", "full")
    page.fill(".saveline input[name=name]", "Rill daylight")
    page.click("button:has-text('Save as an encoding')")
    page.wait_for_selector("text=Rill daylight is saved")
    page.goto(f"{server}/p/any-clip/encodings/?name=Rill%20daylight")
    assert "Measured 20" in page.content()


def test_a_clip_without_tags_is_taken_for_what_it_is_with_the_one_like_it(server, data, sign_in):
    """From Intake two presses: what it could be, and the one it is, which takes the clip like it along."""
    folder = data / "media" / "any clip" / "phone"
    folder.mkdir(parents=True)
    studio = Studio()
    for name, scene in (("Q001", "Yard at dusk"), ("Q002", "Cold bench")):
        studio.write(replace(OTHER_PHONE, file=f"{name}.mp4", scene=scene, frames=4), folder)
    page = sign_in()
    register(page, server, "any clip/phone", 2)
    page.click("tbody tr:has-text('Q001') >> text=See what it could be")
    page.wait_for_selector("text=HLG/BT.2020, legal >> nth=0")
    taken = page.locator("form:has(input[value='HLG/BT.2020']):has(input[value='legal'])").first
    taken.locator("input[name=others]").check()
    taken.locator("button").click()
    page.goto(f"{server}/p/any-clip/intake/")
    for name in ("Q001", "Q002"):
        row = page.locator(f"tbody tr:has-text('{name}')").first.inner_text()
        assert "HLG/BT.2020" in row
        assert "not settled" not in row
