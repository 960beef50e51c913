"""Tables of many shots by hand: found, chosen, planned, made, fetched, and offered again."""

import io
import zipfile


def test_tables_of_a_list(brought_in, sign_in, tmp_path):
    page = sign_in()
    page.goto(f"{brought_in}/p/kilnlight/bakes/")
    page.click("a:has-text('Of many shots')")
    page.wait_for_selector(".found li >> nth=1")
    # Words narrow the list, a span is chosen by Shift, and the chosen keep their order.
    page.fill("[aria-label='Find shots']", "b007")
    page.wait_for_selector(".found li >> nth=0")
    assert page.locator(".found li").count() == 1
    page.check(".found input")
    page.fill("[aria-label='Find shots']", "")
    page.locator(".found li:has-text('A012') input").click(modifiers=["Shift"])
    page.wait_for_selector(".taken li >> nth=1")
    assert page.locator(".taken li").all_inner_texts()[0].startswith("B007")
    page.click(".taken li:has-text('A012') button[title=Earlier]")
    page.wait_for_function("() => document.querySelector('.taken li').textContent.includes('A012')")
    page.click("text=None")
    page.wait_for_selector("text=Choose at least one shot")
    page.click("text=All found")
    page.wait_for_selector(".plan b:text-is('2')")
    page.uncheck("label:has-text('Monitor box') input")
    page.check("label:has-text('Camera') input[name=receiver]")
    page.wait_for_selector("li:has-text('Camera/A012')")
    page.fill("input[name=pattern]", "{file}")
    page.wait_for_selector("li:has-text('Camera/A012.cube')")
    page.click("button:has-text('Bake and verify'):not([disabled])")
    page.wait_for_selector("a:has-text('Download,')", timeout=240000)
    with page.expect_download() as taken:
        page.click("a:has-text('Download,')")
    taken.value.save_as(tmp_path / "t.zip")
    names = zipfile.ZipFile(io.BytesIO((tmp_path / "t.zip").read_bytes())).namelist()
    assert sorted(name.rpartition("/")[2] for name in names if name.endswith(".cube")) == ["A012.cube", "B007.cube"]
    page.goto(f"{brought_in}/p/kilnlight/bakes/list/")
    page.click("a:has-text('As last time: 2 shots')")
    page.wait_for_selector(".taken li >> nth=1")
    assert page.input_value("input[name=pattern]") == "{file}"
