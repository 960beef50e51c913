"""A folder of tables by hand: brought in at once, a guess taken and declared, one press onto a shot, stacked."""

import numpy as np

from tests.browser.conftest import pictured
from upwelling.core.lut import Lut3D, lattice
from upwelling.core.tables.files import write_lut


def test_from_a_folder_onto_a_shot(brought_in, sign_in, tmp_path):
    folder = tmp_path / "evening prints"
    (folder / "inner").mkdir(parents=True)
    codes = lattice(9).astype(np.float64)
    write_lut(Lut3D((codes**1.15).astype(np.float32)), folder / "deep.cube")
    write_lut(Lut3D((codes**0.9).astype(np.float32)), folder / "inner" / "light.cube")
    (folder / "readme.txt").write_text("no table")
    page = sign_in()
    page.goto(f"{brought_in}/p/kilnlight/looks/")
    page.click("a:has-text('The shelf of tables')")
    page.set_input_files("input[aria-label='Folder of tables']", folder)
    page.wait_for_selector("tr:has-text('light.cube') >> text=inner")
    page.click("a:text-is('evening-prints')")
    page.wait_for_selector("tr:has-text('deep.cube')")
    assert page.locator("tr:has-text('light.cube')").count() == 0
    page.goto(f"{brought_in}/p/kilnlight/tables/")
    # Both declared once, by a span.
    page.locator("input[name=table]").first.click()
    page.locator("input[name=table]").last.click(modifiers=["Shift"])
    page.select_option("select[name=expects]", "ACEScct/AP1")
    page.select_option("select[name=gives]", "ACEScct/AP1")
    page.click("text=Declare the chosen")
    page.wait_for_selector("tr:has-text('deep.cube') img")
    page.wait_for_function("() => [...document.querySelectorAll('.seen img')].every((i) => i.naturalWidth > 0)")
    for name in ("deep", "light"):
        page.click(f"tr:has-text('{name}.cube') button:has-text('at 20 %')")
        page.wait_for_selector(f".stacked li:has-text('{name}, 20 %')")
    assert page.locator(".stacked li").all_inner_texts() == ["deep, 20 %", "light, 20 %"]
    page.click("text=To the Bench")
    pictured(page)
    page.click(".stepname:has-text('light')")
    page.wait_for_selector(".fields.lut >> text=light.cube: ACEScct/AP1 → ACEScct/AP1")
    page.click("[aria-label='Move the step earlier']")
    page.wait_for_function(
        "() => { const names = [...document.querySelectorAll('.stepname')].map((one) => one.textContent);"
        " return names.indexOf('light') >= 0 && names.indexOf('light') < names.indexOf('deep'); }"
    )
    page.click("button:text-is('Undo')")
    page.wait_for_function(
        "() => { const names = [...document.querySelectorAll('.stepname')].map((one) => one.textContent);"
        " return names.indexOf('light') > names.indexOf('deep'); }"
    )
    page.click("text=Add a step …")
    page.click("a:has-text('A table brought in …')")
    page.wait_for_selector(".stacked li >> nth=1")
    # The shot is left as it was found: others work on it.
    page.click("text=To the Bench")
    pictured(page)
    for name in ("light", "deep"):
        page.click("button:text-is('Undo')")
        page.wait_for_function(
            "name => ![...document.querySelectorAll('.stepname')].some((one) => one.textContent === name)", arg=name
        )
