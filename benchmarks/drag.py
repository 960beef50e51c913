"""The feel of a drag, measured in the running application: input event to painted picture in Chromium, and eight people
at once.

A server is started on a folder of its own with one 1920×1080 shot; Chromium drags the exposure. Read the medians beside
those of `run.py` in the same hour: machines drift.
"""

from __future__ import annotations

import os
import socket
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path as FilePath

import numpy as np
from playwright.sync_api import Page, sync_playwright

from upwelling.core.media import write_still
from upwelling.core.simulate.camera import A_CAM
from upwelling.core.simulate.shipped import shipped_at
from upwelling.core.warm import warm

FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-background-networking",
    "--no-first-run",
    "--disable-sync",
    "--disable-component-update",
]
SEED = """
from pathlib import Path
from django.contrib.auth.models import User
from upwelling.core.steps import SlopeOffsetPower
from upwelling.web.footage.look_services import create_look
from upwelling.web.footage.shots import bring_in
from upwelling.web.productions.services import create_production, set_rules
user = User.objects.create_user('bench', password='gather-and-blow')
production = create_production(user, 'Kilnlight')
set_rules(production, {'default_encoding': 'S-Log3/S-Gamut3.Cine'})
bring_in(production, user, 'a.dpx', Path(r'%s'))
create_look(production, user, 'Ember', [SlopeOffsetPower(slope=(1.1, 1, 0.9), saturation=1.2)])
"""
TURNS = 41
"""Requests of each of eight people; the first counts for nobody."""
# Times changes of the slider, one after the other in the page itself, so that what drives the browser takes no part:
# from the input event to the frame after the picture was painted on the canvas.
MOVES = """async (values) => {
  const one = (value) => new Promise((done) => {
  const slider = document.querySelector("input[aria-label='Exposure, slider']");
  const canvas = document.querySelector("canvas.picture");
  const old = canvas.dataset.fingerprint;
  const watch = new MutationObserver(() => {
    if (canvas.dataset.fingerprint === old) return;
    watch.disconnect();
    requestAnimationFrame(() => done(performance.now() - start));
  });
  watch.observe(canvas, { attributes: true });
  slider.value = value;
  const start = performance.now();
  slider.dispatchEvent(new Event("input"));
  });
  const all = [];
  for (const value of values) all.push(await one(value));
  return all;
}"""
# From letting go to the lossless still: the answer to the save's preview is the next one that is painted.
RELEASE = """() => new Promise((done) => {
  const slider = document.querySelector("input[aria-label='Exposure, slider']");
  performance.clearResourceTimings();
  const start = performance.now();
  slider.dispatchEvent(new Event("change"));
  const look = () => {
    const found = performance.getEntriesByType("resource")
      .find((entry) => entry.name.endsWith("/preview/") && entry.responseEnd > 0);
    if (found) return requestAnimationFrame(() => done(performance.now() - start));
    setTimeout(look, 2);
  };
  look();
})"""


def start(folder: FilePath, more: str = "") -> tuple[subprocess.Popen[bytes], str]:
    """A server on a new folder, warm, and its address; ``more`` is Python that goes on after the seed."""
    warm()
    environment = {**os.environ, "UPWELLING_DATA": str(folder)}
    still = folder / "a.dpx"
    write_still(still, A_CAM.shoot(shipped_at("Gathering room", 1920, 1080), stops=0.6), "10")
    manage = [sys.executable, "-m", "upwelling.web.manage"]
    subprocess.run([*manage, "migrate", "-v0"], env=environment, check=True)
    subprocess.run([*manage, "shell", "-v0", "-c", SEED % still + more], env=environment, check=True)
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    process = subprocess.Popen(
        [*manage, "serve", "--port", str(port)], env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    address = f"http://127.0.0.1:{port}"
    for _ in range(150):
        try:
            urllib.request.urlopen(f"{address}/sign-in/", timeout=2)
            break
        except OSError:
            time.sleep(0.2)
    time.sleep(5)
    return process, address


def say(what: str, times: list[float]) -> float:
    middle = statistics.median(times)
    print(f"{what:66} median {middle:7.1f} ms   95 % {np.percentile(times, 95):7.1f} ms   least {min(times):7.1f} ms")
    return middle


@contextmanager
def on_the_bench(address: str) -> Iterator[Page]:
    """Chromium, signed in, with the shot's picture on the Bench."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path=os.environ.get("CHROMIUM", "/usr/bin/chromium"), args=FLAGS
        )
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"{address}/sign-in/")
        page.fill("#id_username", "bench")
        page.fill("#id_password", "gather-and-blow")
        page.press("#id_password", "Enter")
        page.click("a:has-text('Kilnlight')")
        page.click("a.shot")
        page.wait_for_selector("canvas[data-fingerprint]", timeout=120_000)
        yield page
        browser.close()


def drag(page: Page) -> None:
    # Well away from 0, where the slider rests and nothing would change.
    page.evaluate(MOVES, [0.2 + number / 50 for number in range(4)])
    say(
        "Chromium: input event to painted picture, two scopes",
        page.evaluate(MOVES, [0.5 + number / 30 for number in range(60)]),
    )
    stills = []
    for number in range(12):
        page.evaluate(MOVES, [0.33 + number / 20])
        stills.append(page.evaluate(RELEASE))
        page.wait_for_function("() => document.querySelector('.bench').dataset.busy === 'no'")
    say("Chromium: letting go to the lossless still", stills)


def crowd(address: str, cookies: str, token: str, shot: str) -> None:
    """Preview requests one after the other by one person, then by eight at once."""
    import json

    def person(times: list[float], number: int, count: int) -> None:
        for turn in range(count):
            settings = json.dumps(
                {
                    "lossless": False,
                    "settings": None,
                    "untrimmed": bool(turn % 2),
                    "point": {"x": 900, "y": 500},
                    "scopes": [{"kind": "parade"}, {"kind": "vectorscope"}],
                    "page": f"p{number}",
                    "number": turn,
                }
            ).encode()
            request = urllib.request.Request(
                f"{address}{shot}preview/",
                settings,
                headers={
                    "Cookie": cookies,
                    "X-CSRFToken": token,
                    "Content-Type": "application/json",
                    "Accept": "application/json",
                    "Referer": address,
                },
            )
            begun = time.perf_counter()
            urllib.request.urlopen(request).read()
            times.append((time.perf_counter() - begun) * 1000)

    alone: list[float] = []
    person(alone, 99, 30)
    one = say("One person previewing over HTTP", alone[3:])
    each: list[list[float]] = [[] for _ in range(8)]
    threads = [threading.Thread(target=person, args=(times, number, TURNS)) for number, times in enumerate(each)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    eight = say("Eight people previewing at once, each", [t for times in each for t in times[1:]])
    # Every second request has no trim and is answered sooner: a person's middle would be that of either kind by chance.
    means = [statistics.mean(times[1:]) for times in each]
    print(f"{'':66} {eight / one:.1f} × one person's; slowest of the eight {max(means) / min(means):.2f} × the fastest")


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        process, address = start(FilePath(folder))
        try:
            with on_the_bench(address) as page:
                drag(page)
                cookies = {cookie["name"]: cookie["value"] for cookie in page.context.cookies()}
                shot = page.url.removeprefix(address)
            crowd(address, "; ".join(f"{k}={v}" for k, v in cookies.items()), cookies["csrftoken"], shot)
        finally:
            process.terminate()
            process.wait(timeout=20)


if __name__ == "__main__":
    main()
