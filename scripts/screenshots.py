"""Takes the pictures in docs/screenshots from a running demo: `scripts/screenshots.py http://127.0.0.1:8000`."""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path as FilePath

from playwright.sync_api import Page, sync_playwright

FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-background-networking",
    "--no-first-run",
    "--disable-sync",
    "--disable-component-update",
    "--disable-quic",
]
OUT = FilePath(__file__).resolve().parents[1] / "docs" / "screenshots"


def _camera(page: Page, shoot: Callable[[str], None]) -> None:
    """B-cam brought to A-cam by the room both saw; taken away again."""
    page.click("section a:has-text('B-cam') >> nth=0")
    page.select_option("select[name=shot]", label="B007 Gathering room")
    page.select_option("select[name=reference]", label="A-cam: A012 Gathering room")
    page.select_option("select[name=method]", "scene")
    page.click("form.matching button")
    page.wait_for_selector("text=correction now")
    page.wait_for_function("() => [...document.images].every((i) => i.complete)")
    shoot("camera")
    page.click("text=Take it away")


def _wall(page: Page, shoot: Callable[[str], None], address: str) -> None:
    """All shots side by side, compared."""
    page.goto(f"{address}/p/kilnlight/wall/")
    page.wait_for_selector(".tilesaid.sure", timeout=180_000)
    page.wait_for_timeout(12_000)
    shoot("wall")


def _showing(page: Page, place: FilePath, address: str) -> None:
    """The showing of the cut, as somebody sees it who has its link."""
    page.goto(f"{address}/p/kilnlight/showings/")
    page.click("table a")
    page.wait_for_selector("p[role=status]:has-text('holds')", timeout=600_000)
    link = page.input_value(".address")
    browser = page.context.browser
    assert browser is not None
    guest = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
    guest.goto(link)
    guest.fill("#name", "Ilse Brandt")
    guest.click("button:text-is('Look')")
    guest.wait_for_selector(".pin")
    guest.wait_for_load_state("networkidle")
    guest.screenshot(path=place)
    guest.context.close()


def _deliveries(page: Page, shoot: Callable[[str], None], address: str) -> None:
    """The cut set up, and the proof of its first event."""
    page.goto(f"{address}/p/kilnlight/cuts/")
    page.click("table a")
    page.click("text=Deliver this cut")
    page.fill("[name=handles]", "4")
    page.wait_for_selector(".planned button:text-is('Deliver'):not([disabled])")
    page.wait_for_timeout(600)
    page.wait_for_selector(".planned button:text-is('Deliver'):not([disabled])")
    shoot("deliver")
    page.click(".planned button:text-is('Deliver')")
    page.goto(f"{address}/p/kilnlight/deliveries/")
    page.click("a:has-text('001_A016.mov')")
    page.wait_for_selector("text=Proof as JSON", timeout=240000)
    shoot("delivery")


def _settled(page: Page) -> None:
    page.wait_for_load_state("networkidle")
    page.wait_for_timeout(400)
    page.wait_for_function(
        "() => !document.querySelector('.bench') || document.querySelector('.bench').dataset.busy === 'no'"
    )


def main(address: str, out: FilePath) -> None:
    out.mkdir(parents=True, exist_ok=True)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.on("console", lambda message: print("console:", message.text))
        page.on("pageerror", lambda error: print("error:", error))

        def shoot(name: str) -> None:
            _settled(page)
            page.screenshot(path=out / f"{name}.png")

        page.goto(f"{address}/sign-in/")
        page.fill("#id_username", "technician")
        page.fill("#id_password", "kilnlight-demo")
        page.click("button:has-text('Sign in')")
        page.click("text=Kilnlight")
        shoot("production")
        page.click("a.shot:has-text('A014 Gathering room, under')")
        page.wait_for_selector("canvas[data-fingerprint]")
        box = page.locator("canvas.picture").bounding_box() or {"x": 0, "y": 0, "width": 0, "height": 0}
        page.mouse.click(box["x"] + box["width"] * 0.215, box["y"] + box["height"] * 0.57)  # the grey card
        shoot("bench")
        page.select_option("[data-place='0'] [data-part=kind]", "waveform")
        page.select_option("[data-place='1'] [data-part=kind]", "histogram")
        page.click(".steplist li:has-text('Ladder') .stepname")
        page.click("[data-compare=wipe]")
        page.wait_for_selector("canvas.otherpicture[data-fingerprint]")
        page.click("[data-compare=now]")
        page.goto(f"{address}/p/kilnlight/")
        page.click("a.shot:has-text('A021 Colour store')")
        page.wait_for_selector("canvas[data-fingerprint]")
        _settled(page)
        page.select_option("[data-place='0'] [data-part=kind]", "parade")
        page.select_option("[data-place='1'] [data-part=kind]", "chromaticity")
        page.goto(f"{address}/p/kilnlight/")
        page.click("a.shot:has-text('B007 Gathering room')")
        page.wait_for_selector("canvas[data-fingerprint]")
        page.click(".pick[data-stage=camera_trim]")
        page.wait_for_selector(".handband:has-text('shots of B-cam')")
        _settled(page)
        shoot("layers")
        page.click(".pick[data-stage=trim]")
        page.click("[data-tab=match]")
        page.select_option("select[aria-label='Compare with']", label="A012 Gathering room")
        page.click("[data-compare=beside]")
        _settled(page)
        page.click(".matchsetup button:text-is('Match')")
        page.wait_for_selector(".matchsays b:has-text('after')")
        _settled(page)
        shoot("bench-match")
        page.click("text=Take the match out")
        _settled(page)
        page.evaluate("() => localStorage.clear()")
        page.goto(f"{address}/p/kilnlight/")
        page.click("a.shot:has-text('A014 Gathering room, under')")
        page.wait_for_selector("canvas[data-fingerprint]")
        page.click(".pick[data-stage=rendering]")
        shoot("bench-rendering")
        page.goto(f"{address}/p/kilnlight/outputs/?name=BT.2100%20PQ%201000,%20P3")
        page.click("button:has-text('Measure MaxCLL and MaxFALL')")
        page.wait_for_selector("text=/brightest in/", timeout=180000)
        shoot("outputs")
        page.click("nav.tabs a:has-text('Footage')")
        shoot("intake")
        _camera(page, shoot)
        page.goto(f"{address}/p/kilnlight/intake/?state=known")
        page.click("a.strong:has-text('S0101')")
        page.wait_for_selector("canvas[data-fingerprint]")
        page.click(".pick[data-stage=camera]")
        page.goto(f"{address}/p/kilnlight/measure/")
        page.click("td a:has-text('Rill')")
        shoot("measured")
        page.goto(f"{address}/p/kilnlight/looks/")
        shoot("looks")
        _wall(page, shoot, address)
        page.goto(f"{address}/p/kilnlight/tables/")
        page.wait_for_function("() => [...document.querySelectorAll('.seen img')].every((one) => one.naturalWidth > 0)")
        shoot("tables")
        while True:  # the package is made by the worker after the start
            page.goto(f"{address}/p/kilnlight/bakes/")
            if page.locator("text=tables hold").count():
                break
            page.wait_for_timeout(2000)
        page.click("tr:has-text('_65.cube') a:has-text('Certificate')")
        shoot("certificate")
        page.goto(f"{address}/p/kilnlight/cuts/")
        page.click("a:has-text('KILNLIGHT CUT 3')")
        page.wait_for_function("() => [...document.images].every((i) => i.complete)")
        shoot("cut")
        _showing(page, out / "showing.png", address)
        _deliveries(page, shoot, address)
        page.goto(f"{address}/p/kilnlight/first-pass/")
        page.click("button:text-is('Begin the first pass')")
        page.wait_for_selector("canvas[data-fingerprint]")
        shoot("first-pass")
        page.click("button:text-is('Leave it')")
        _settled(page)
        page.goto(f"{address}/p/kilnlight/bakes/")
        page.click(".shotlinks a:has-text('A021')")
        page.select_option("select[name=receiver]", "Grading or editing program")
        page.select_option("select[name=format]", "clf")
        page.wait_for_selector("text=● Nothing is left out")
        page.click("text=Try every grid")
        page.wait_for_selector("svg.solveplot .try.chosen", timeout=60000)
        shoot("bake-setup")
        browser.close()


if __name__ == "__main__":
    main(
        sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8000",
        FilePath(sys.argv[2]) if len(sys.argv) > 2 else OUT,
    )
