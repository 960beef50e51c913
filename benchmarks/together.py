"""A joint look with five who look along: what a drag of its leader costs beside one alone, and how far behind they are.

The five ask over HTTP as their page does, as they would from machines of their own; how far behind they are is read
off a sixth, a page in Chromium that draws what it is shown.
"""

from __future__ import annotations

import http.client
import json
import statistics
import tempfile
import threading
from pathlib import Path as FilePath

from benchmarks.drag import MOVES, on_the_bench, start
from playwright.sync_api import Page

MOST_BEHIND, MOST_TIMES = 1.0, 1.1
SHOW = """
import datetime
from django.utils import timezone
from upwelling.web.footage.models import Shot
from upwelling.web.showings.services import Asked, Terms, make_showing
shot = Shot.objects.get()
ends = timezone.now() + datetime.timedelta(days=2)
showing = make_showing(production, user, Terms('Room', '', 'BT.709 BT.1886', ends, movie=False), [Asked(shot, 0)])
Path(r'%s').write_text(showing.address)
"""
SEEN = """() => {
  window.seen = [];
  const picture = document.querySelector(".well.along img");
  const note = () => window.seen.push(Date.now());
  new MutationObserver(note).observe(picture, { attributes: true, attributeFilter: ["src"] });
}"""
EVERY = 0.33


def looks_along(address: str, link: str, cookies: str, over: threading.Event) -> None:
    """Asks as the page of somebody who looks along does."""

    kept = http.client.HTTPConnection(address.removeprefix("http://"))

    def get(place: str) -> bytes:
        kept.request("GET", place, headers={"Cookie": cookies, "Accept": "application/json"})
        return kept.getresponse().read()

    number = 0
    while not over.wait(EVERY):
        told = json.loads(get(f"{link}along/?number={number}&looks=1"))
        if told.get("number", number) != number and "here" in told:
            get(told["here"]["address"])
        number = told.get("number", number)


def come_in(page: Page, address: str, link: str, name: str) -> Page:
    """A page of its own, of somebody who has only the link."""
    browser = page.context.browser
    assert browser is not None
    guest = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
    guest.goto(address + link)
    guest.fill("#name", name)
    guest.click("button:text-is('Look')")
    guest.wait_for_selector(".chips button")
    return guest


def drag(page: Page) -> float:
    return statistics.median(page.evaluate(MOVES, [0.5 + number / 30 for number in range(60)]))


def main() -> None:
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        place = FilePath(folder) / "link"
        process, address = start(FilePath(folder), SHOW % place)
        link = place.read_text()
        with on_the_bench(address) as page:
            drag(page)
            times = []
            for _ in range(5):
                alone = drag(page)
                with_five = _with_five(page, address, link)
                times.append(with_five / alone)
                print(f"A drag alone {alone:.1f} ms, with five along {with_five:.1f} ms: {times[-1]:.2f} ×")
            print(f"Median {statistics.median(times):.2f} × (goal {MOST_TIMES})")
        process.terminate()
        process.wait()


def _with_five(page: Page, address: str, link: str) -> float:
    """Milliseconds of a drag that five follow; says how far behind they are."""
    bench = page.url.split("?")[0]
    page.goto(f"{bench}?together=1")
    page.wait_for_selector(".tag.joint:visible")
    over = threading.Event()
    threads = []
    for name in ("Al", "Bo", "Cy", "Di", "Ed"):
        guest = come_in(page, address, link, name)
        cookies = "; ".join(f"{one['name']}={one['value']}" for one in guest.context.cookies(address + link))
        guest.context.close()
        threads.append(threading.Thread(target=looks_along, args=(address, link, cookies, over)))
    for thread in threads:
        thread.start()
    page.wait_for_function("() => document.querySelector('.tag.joint').textContent.includes('5:')", timeout=60_000)
    took = drag(page)
    ada = come_in(page, address, link, "Ada")
    ada.wait_for_selector(".well.along img[src*=along]")
    ada.evaluate(SEEN)
    behind = []
    for number in range(12):
        page.wait_for_timeout(700)
        page.evaluate(MOVES, [0.3 + number / 20])
        painted = page.evaluate("() => Date.now()")
        ada.wait_for_function("(at) => window.seen.some((seen) => seen >= at - 5)", arg=painted, polling=20)
        behind.append(next(at - painted for at in ada.evaluate("() => window.seen") if at >= painted - 5) / 1000)
    print(f"Behind: median {statistics.median(behind):.2f} s, most {max(behind):.2f} s (goal {MOST_BEHIND})")
    over.set()
    for thread in threads:
        thread.join()
    page.click("text=End it")
    ada.context.close()
    page.goto(bench)
    page.wait_for_selector("canvas[data-fingerprint]")
    page.evaluate(MOVES, [0.2 + number / 50 for number in range(4)])
    return took


if __name__ == "__main__":
    main()
