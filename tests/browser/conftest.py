"""The real thing: server and worker as processes on a fresh folder, driven by headless Chromium."""

import functools
import os
import socket
import subprocess
import sys
import time
import urllib.request
from contextlib import contextmanager
from dataclasses import replace

import numpy as np
import pytest
from playwright.sync_api import Page, TimeoutError, sync_playwright
from scipy.ndimage import zoom

from tests.core.witness import ffmpeg_write
from tests.studio import SmallStudio
from upwelling.core.simulate.camera import A_CAM, B_CAM
from upwelling.core.simulate.kilnlight_set import TAKES
from upwelling.core.simulate.shipped import shipped
from upwelling.core.warm import warm

FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-background-networking",
    "--no-first-run",
    "--disable-sync",
    "--disable-component-update",
    "--disable-quic",
    "--disable-dev-shm-usage",
]
SIGNED_IN = {}
"""What a browser keeps of each person once they have signed in, so that the form is filled in once."""
HANG = 60000
"""Milliseconds after which a page counts as hung; a busy machine takes its time."""
_SEED = """
from django.contrib.auth.models import User
from upwelling.web.productions.services import create_production
from upwelling.web.productions.models import Member, Rights
tess = User.objects.create_user("tess", password="gather-and-blow")
vera = User.objects.create_user("vera", password="gather-and-blow")
made = create_production(tess, "Kilnlight")
Rights.objects.create(user=tess, may_create=True)
for one in (made, create_production(tess, "Intake"), create_production(tess, "Any clip")):
    one.footage_roots.create(folder=".")
Member.objects.create(production=made, user=vera, role="viewer")
"""


def _until_loaded(act):
    """The same act, over when the page it led to has loaded: what is typed or chosen before a page's scripts run has
    nobody to tell.
    """

    @functools.wraps(act)
    def acted(page, *args, **options):
        found = act(page, *args, **options)
        page.wait_for_load_state("load")
        return found

    return acted


for _act in ("click", "press", "wait_for_selector", "wait_for_function"):
    setattr(Page, _act, _until_loaded(getattr(Page, _act)))


@pytest.fixture(scope="session")
def footage(tmp_path_factory):
    """Stills of the gathering room, written by ffmpeg: A-cam as DPX, B-cam as 16-bit PNG, and a broken file."""
    folder = tmp_path_factory.mktemp("footage")
    scene = np.maximum(zoom(shipped("Gathering room"), (0.4, 0.4, 1), order=1), 0).astype(np.float32)
    ffmpeg_write(folder / "A012.dpx", np.rint(A_CAM.shoot(scene, stops=0.6, seed=1) * 1023), "dpx", "gbrp10be")
    ffmpeg_write(folder / "B007.png", np.rint(B_CAM.shoot(scene, seed=2) * 65535), "png", "rgb48be")
    (folder / "cut.dpx").write_bytes((folder / "A012.dpx").read_bytes()[:5000])
    return folder


@pytest.fixture(scope="session")
def data(tmp_path_factory):
    """The data folder of the server."""
    return tmp_path_factory.mktemp("data")


@pytest.fixture(scope="session")
def server(data):
    """The address of a running `serve`, web and worker.

    Kernels are compiled first, once, instead of by both at a time.
    """
    warm()
    environment = {**os.environ, "UPWELLING_DATA": str(data)}
    shelf = data / "media" / "day one"
    shelf.mkdir(parents=True)
    studio = SmallStudio(3)
    for take in TAKES:
        if take.scene == "Chart" or take.fault in ("untagged", "flattened", "burned in"):
            studio.write(replace(take, frames=20 if take.fault == "flattened" else 8), shelf)
    manage = [sys.executable, "-m", "upwelling.web.manage"]
    subprocess.run([*manage, "migrate", "-v0"], env=environment, check=True)
    subprocess.run([*manage, "shell", "-v0", "-c", _SEED], env=environment, check=True)
    with serving(data, "log") as address:
        yield address


@contextmanager
def serving(data, log_name):
    """A `serve` of a data folder on a port of its own; its log is without tracebacks at the end."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    environment = {**os.environ, "UPWELLING_DATA": str(data)}
    command = [sys.executable, "-m", "upwelling.web.manage", "serve", "--port", str(port)]
    with (data / log_name).open("w") as log:
        process = subprocess.Popen(command, env=environment, stdout=log, stderr=log)
    address = f"http://127.0.0.1:{port}"
    for _ in range(300):
        try:
            urllib.request.urlopen(f"{address}/sign-in/", timeout=2)
            break
        except OSError:
            time.sleep(0.2)
    yield address
    process.terminate()
    process.wait(timeout=20)
    assert "Traceback" not in (data / log_name).read_text()


@pytest.fixture(scope="session")
def browser():
    with sync_playwright() as playwright:
        launched = playwright.chromium.launch(
            executable_path=os.environ.get("CHROMIUM", "/usr/bin/chromium"), args=FLAGS
        )
        yield Watched(launched)
        launched.close()


class Watched:
    """A browser whose every page, however it is opened, keeps what its scripts fall over."""

    def __init__(self, browser):
        self._browser = browser

    def __getattr__(self, name):
        return getattr(self._browser, name)

    def new_context(self, **options):
        context = self._browser.new_context(**options)
        context.on("weberror", lambda error: SCRIPT_ERRORS.append(str(error.error)))
        return context

    def new_page(self, **options):
        return self.new_context(**options).new_page()


SCRIPT_ERRORS = []


@pytest.fixture(autouse=True)
def _no_script_falls_over():
    """Fails any browser test in which a script did, on whichever page."""
    SCRIPT_ERRORS.clear()
    yield
    assert SCRIPT_ERRORS == []


@pytest.fixture
def sign_in(browser, server):
    """Opens a page signed in as someone, on the list of productions; with ``first`` off the test goes elsewhere itself.

    Any script error or refused resource fails the test.
    """
    troubles = []
    contexts = []

    def opened(name="tess", width=1280, height=800, first=True):
        context = browser.new_context(
            viewport={"width": width, "height": height}, accept_downloads=True, storage_state=SIGNED_IN.get(name)
        )
        contexts.append(context)
        page = context.new_page()
        page.set_default_timeout(HANG)
        page.on("pageerror", lambda error: troubles.append(str(error)))
        page.on(
            "console",
            lambda message: (
                troubles.append(message.text) if message.type == "error" and "status of 4" not in message.text else None
            ),
        )
        if not first and name in SIGNED_IN:
            return page
        page.goto(f"{server}/")
        if name not in SIGNED_IN:
            page.fill("#id_username", name)
            page.fill("#id_password", "gather-and-blow")
            page.click("button:has-text('Sign in')")
            page.wait_for_selector("h1:has-text('Productions')")
            SIGNED_IN[name] = context.storage_state()
        page.wait_for_selector("h1:has-text('Productions')")
        return page

    yield opened
    for context in contexts:
        context.close()
    assert troubles == []


def quiet(page):
    """Waits until nothing is asked of the server; a key's change is saved after a rest of 350 ms."""
    page.wait_for_timeout(400)
    page.wait_for_function("() => document.querySelector('.bench').dataset.busy === 'no'")


def add_step(page, kind):
    """Adds a step of a kind to the trim of the Bench on the page, by the pointer."""
    page.click("button:text-is('Add a step …')")
    page.click(f".adding [data-kind={kind}]")


def pictured(page):
    """Waits for the Bench's picture; says what the page says when none comes."""
    try:
        page.wait_for_selector("canvas.picture[data-fingerprint]")
    except TimeoutError as error:
        raise AssertionError(
            f"no picture; busy: {page.locator('.bench').get_attribute('data-busy')}; "
            f"{page.locator('.trouble').all_inner_texts()}"
        ) from error


def enter(page, server):
    """Signs tess in."""
    page.goto(f"{server}/sign-in/")
    page.fill("#id_username", "tess")
    page.fill("#id_password", "gather-and-blow")
    page.press("#id_password", "Enter")
    page.wait_for_selector("h1:has-text('Productions')")


@pytest.fixture(scope="session")
def registered(browser, server):
    """The folder registered and its cameras accepted, by hand in the page."""
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    page = context.new_page()
    page.set_default_timeout(HANG)
    enter(page, server)
    page.goto(f"{server}/p/intake/intake/")
    page.check("input[name=folder][value='day one']")
    page.click("button:has-text('Register')")
    page.wait_for_selector("tbody tr:nth-child(8)", timeout=150000)
    page.click("button:has-text('Clear this list')")
    page.click("form:has-text('A-cam') >> button:has-text('Make it a camera')")
    page.wait_for_selector("text=S-Log3/S-Gamut3.Cine >> nth=0")
    context.close()
    return f"{server}/p/intake"


@pytest.fixture(scope="session")
def brought_in(browser, server, footage):
    """Both stills brought in and settled, once, by hand in the page."""
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    page = context.new_page()
    page.set_default_timeout(HANG)
    enter(page, server)
    page.click("a:has-text('Kilnlight')")
    assert "No footage yet" in page.content()
    page.click("nav.tabs a:has-text('Footage')")
    page.set_input_files("input[type=file]", [footage / "A012.dpx", footage / "B007.png", footage / "cut.dpx"])
    page.wait_for_selector("text=cut.dpx: the file is cut short")
    page.wait_for_selector("tbody tr:nth-child(2)")
    page.reload()
    assert page.locator("tbody tr").count() == 2
    assert page.locator("tbody :text('not settled')").count() == 2
    for name, encoding in (("A012", "S-Log3/S-Gamut3.Cine"), ("B007", "V-Log/V-Gamut")):
        page.check(f"input[aria-label='Select {name}']")
        page.select_option("select[aria-label='Encoding of the selected shots']", encoding)
        page.wait_for_selector(f"tr:has-text('{name}'):has-text('Settled by hand')")
        page.uncheck(f"input[aria-label='Select {name}']")
    context.close()
    return server
