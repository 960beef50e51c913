"""Looks and bakes by hand: a Look made, given and mixed on the Bench; a table turned; a bake set up on the Column; a
package.
"""

import io
import re
import zipfile

import numpy as np

from tests.browser.conftest import pictured, quiet
from tests.browser.test_whole_line import fingerprint, open_bench, step, type_in
from upwelling.core.lut import Lut3D, lattice
from upwelling.core.tables.files import write_lut


def test_a_look_from_a_trim_to_many_shots(brought_in, sign_in):
    page = open_bench(sign_in(first=False), brought_in, "B007")
    step(page, "Slope · offset · power")
    type_in(page, "Saturation, ×", "0.6")
    quiet(page)
    page.click("nav a:has-text('Looks')")
    page.fill("form:has(h3:has-text('From a shot’s trim')) input[name=name]", "Quiet kiln")
    page.select_option("form:has(h3:has-text('From a shot’s trim')) select[name=shot]", label="B007")
    page.click("form:has(h3:has-text('From a shot’s trim')) button")
    page.wait_for_selector("h1:has-text('Quiet kiln')")
    page.click("main a:text-is('wall')")
    page.locator(".walltile a:has(~ p b:text-is('A012'))").click(modifiers=["Control"])
    page.select_option("select[name=look]", label="Quiet kiln")
    page.fill("form.wallbar input[name=strength]", "50")
    page.click("text=Give to the chosen shots")
    page.wait_for_selector(".walltile:has-text('now: Quiet kiln, 50 %')")

    # On the Bench the strength is the shot's own; switching it off and undo both bring the picture back.
    open_bench(page, brought_in, "A012")
    page.wait_for_selector(".stratum[data-stage=look] p:has-text('Quiet kiln, version 1 at 50 %')")
    page.click(".pick[data-stage=look]")
    half = fingerprint(page)
    type_in(page, "Strength, %", "100")
    page.wait_for_function("(old) => document.querySelector('canvas.picture').dataset.fingerprint !== old", arg=half)
    quiet(page)
    page.click("input[aria-label='Look on']")
    page.wait_for_selector(".stratum[data-stage=look] p:has-text('Off')")
    quiet(page)
    page.click("button:has-text('Undo')")
    page.wait_for_selector(".stratum[data-stage=look] p:has-text('Quiet kiln, version 1')")
    page.click("button:has-text('Undo')")
    page.wait_for_function("(old) => document.querySelector('canvas.picture').dataset.fingerprint === old", arg=half)
    quiet(page)

    # A change shows what it touches first.
    page.click("nav a:has-text('Looks')")
    page.click("a.lookcard:has-text('Quiet kiln')")
    page.fill("input[name$=':saturation']", "0.9")
    page.click("text=Show what this change touches")
    page.wait_for_selector("h1:has-text('This changes 1 shot')")
    page.click("text=Save as the new version")
    page.wait_for_selector("text=Quiet kiln is version 2 now, on 1 shot.")

    # One undo takes it back from the shots it was given to; the trim is left as it was found.
    open_bench(page, brought_in, "B007")
    page.click("button:has-text('Undo')")
    page.wait_for_selector(".stratum p:has-text('Nothing corrected yet')")
    open_bench(page, brought_in, "A012")
    page.click(".pick[data-stage=look]")
    page.select_option("select#look", "inherit")
    page.wait_for_selector(".stratum[data-stage=look] p:has-text('None')")
    quiet(page)


def test_a_table_is_inspected_and_declared(brought_in, sign_in, tmp_path):
    page = sign_in()
    write_lut(Lut3D((lattice(17) ** np.array([1.1, 1.0, 0.9])).astype(np.float32)), tmp_path / "bent.cube")
    page.goto(f"{brought_in}/p/kilnlight/looks/")
    page.set_input_files("input[name=file][multiple]", tmp_path / "bent.cube")
    page.click("text=Bring in and inspect")
    page.wait_for_selector("text=Undeclared: nothing runs through it")

    def ink():
        return page.evaluate("() => document.querySelector('canvas.cube').toDataURL()")

    before = ink()
    page.focus("canvas.cube")
    page.keyboard.press("ArrowRight")
    turned = ink()
    assert turned != before
    box = page.locator("canvas.cube").bounding_box()
    page.mouse.move(box["x"] + 100, box["y"] + 100)
    page.mouse.down()
    page.mouse.move(box["x"] + 160, box["y"] + 130, steps=3)
    page.mouse.up()
    assert ink() != turned
    page.click("text=Turn back")
    assert ink() == before
    page.select_option("select[name=expects]", "ACEScct/AP1")
    page.select_option("select[name=gives]", "ACEScct/AP1")
    page.click("button:has-text('Declare')")
    page.click("text=Make a Look of it")
    page.wait_for_selector("h2:has-text('New Look')")
    page.click("form:has(h3:has-text('From a declared table')) button")
    page.wait_for_selector("h1:has-text('bent')")


def test_a_bake_set_up_on_the_column(brought_in, sign_in):
    page = open_bench(sign_in(first=False), brought_in, "A012")
    page.click(".pick[data-stage=display]")
    page.click("a:has-text('Bake a LUT of this path')")
    page.wait_for_selector("h1:has-text('What the table carries')")
    page.click("text=Camera to working")
    page.wait_for_selector("dd:has-text('camera code to working light')")
    assert page.locator(".cut .stratum.carried").count() == 2
    page.check("input[name=edge-end][value=display]")
    page.select_option("select[name=dimensions]", "1")
    page.wait_for_selector("text=Mixing between channels")
    assert page.is_disabled("button:has-text('Bake and verify')")
    page.check("text=Leave it out")
    assert page.is_enabled("button:has-text('Bake and verify')")
    page.select_option("select[name=dimensions]", "3")
    page.select_option("select[name=receiver]", "Grading or editing program")
    page.select_option("select[name=format]", "clf")
    page.wait_for_selector(".setup[data-busy=no]")  # its answer moves the page under a click
    page.click("text=Try every grid")
    page.wait_for_function(
        "() => document.querySelector('svg.solveplot .try.chosen')"
        " || /^(▲|Stopped)/.test(document.querySelector('.solved').textContent)"
    )
    assert page.locator("svg.solveplot .try.chosen").count() == 1, page.locator(".solved").inner_text()
    assert page.locator("svg.solveplot .try").count() >= 4
    words = page.locator(".solved").inner_text()
    assert re.match(r"(17|33|65)³", words) or "comes nearest" in words
    # A shaper that was found stays while another control that it does not depend on is touched, and is let go of with a
    # word where one does.
    found = {
        "format": "clf",
        "dimensions": "3",
        "size": "33",
        "shaper": "adapted",
        "entries": "sampled",
        "density": [1, 2, 1],
    }
    page.evaluate("(found) => Alpine.$data(document.querySelector('.setup')).set(found)", found)
    page.wait_for_selector("dd:has-text('after a fitted shaper')")
    assert (
        page.locator("select[name=shaper]").evaluate("(one) => one.selectedOptions[0].textContent")
        == "found by the search"
    )
    page.select_option("select[name=entries]", "fitted")
    page.wait_for_selector("dd:has-text('after a fitted shaper, fitted entries')")
    assert page.input_value("input[name=density]") == "1,2,1"
    assert not page.is_visible("text=The shaper that was found")
    assert "BT.709" in page.inner_text(".cut .s6 p")
    page.select_option("select[name=trim]", "without")
    page.wait_for_selector("text=The shaper that was found belongs to the settings before")
    assert page.input_value("input[name=density]") == ""
    page.check("input[name=edge-start][value=rendering]")
    page.wait_for_selector("dd:has-text('after the look to display code')")


def test_a_package_and_its_zip(brought_in, sign_in, tmp_path):
    page = sign_in()
    page.goto(f"{brought_in}/p/kilnlight/bakes/")
    page.uncheck("label:has-text('Monitor box') input")
    page.check("label:has-text('Camera') input[name=receiver] >> nth=0")
    page.click("text=Make the package")
    page.wait_for_selector("a:has-text('Download,')", timeout=120000)
    with page.expect_download() as taken:
        page.click("a:has-text('Download,')")
    taken.value.save_as(tmp_path / "p.zip")
    names = zipfile.ZipFile(io.BytesIO((tmp_path / "p.zip").read_bytes())).namelist()
    assert any(name.endswith("SHA256SUMS") for name in names)
    assert sum(name.endswith("certificate.json") for name in names) >= 1


def test_new_pages_fit(brought_in, sign_in):
    page = sign_in(width=1024)
    page.goto(f"{brought_in}/p/kilnlight/")
    page.click("a.shot >> nth=0")
    pictured(page)
    number = page.url.rstrip("/").split("/")[-1]
    for address in ("looks/", "wall/?by=looks", "bakes/", f"bakes/of/{number}/", "bakes/receivers/", "bakes/cdl/"):
        page.goto(f"{brought_in}/p/kilnlight/{address}")
        page.wait_for_load_state("networkidle")
        assert page.evaluate("() => document.documentElement.scrollWidth <= window.innerWidth"), address
