"""The wall in Chromium: two shots of one room side by side, moved, matched, opened on the Bench, and a cut's joins."""

import pytest

from tests.browser.conftest import pictured, quiet
from tests.browser.test_whole_line import open_bench, type_in

MADE = "() => [...document.querySelectorAll('.tilepicture')].every((one) => one.complete && one.naturalWidth > 0)"
CUT = """TITLE: ROOM
FCM: NON-DROP FRAME

001  A012     V     C        00:00:00:00 00:00:00:01 01:00:00:00 01:00:00:01
* FROM CLIP NAME: A012.dpx
002  B007     V     C        00:00:00:00 00:00:00:01 01:00:00:01 01:00:00:02
* FROM CLIP NAME: B007.png
"""


@pytest.fixture
def wall(brought_in, sign_in):
    """The wall of both shots, all made and compared."""
    return open_wall(sign_in(first=False), brought_in)


def open_wall(page, server, query=""):
    page.goto(f"{server}/p/kilnlight/wall/{query}")
    page.wait_for_selector(".walltile >> nth=1")
    page.wait_for_function(MADE)
    page.wait_for_selector(".walltile >> nth=1 >> text=ΔE")
    return page


def tile(page, name):
    return page.locator(f".walltile:has(b:text-is('{name}'))")


def source(page, name):
    return tile(page, name).locator(".tilepicture").get_attribute("src")


def said(page, words):
    page.wait_for_selector(f".wallsaid:has-text('{words}')")


def saved_picture(page, name, old):
    """The tile's own picture, which is none that was tried."""
    page.wait_for_function(
        """([name, old]) => {
          const tiles = [...document.querySelectorAll(".walltile")],
            tile = tiles.find((one) => one.querySelector("b").textContent === name),
            now = tile.querySelector(".tilepicture").getAttribute("src");
          return now !== old && now.startsWith("/p/");
        }""",
        arg=[name, old],
    )
    return source(page, name)


def test_keys_move_the_tiles_that_are_chosen_and_one_undo_takes_it_back(wall):
    old = {name: source(wall, name) for name in ("A012", "B007")}
    tile(wall, "A012").locator("a").focus()
    wall.keyboard.press(" ")
    wall.keyboard.press("ArrowRight")
    wall.keyboard.press(" ")
    wall.wait_for_selector("text=Only the 2 chosen")
    wall.keyboard.press("1")
    wall.keyboard.press("+")
    wall.keyboard.press("+")
    wall.keyboard.press(",")
    assert wall.locator(".pending:visible").all_inner_texts() == ["Exposure +0.19"] * 2
    said(wall, "Exposure +0.19 stops on 2 shots.")
    new = {name: saved_picture(wall, name, old[name]) for name in old}
    wall.keyboard.press("Control+z")
    said(wall, "Taken back: Exposure +0.19")
    for name in old:
        assert saved_picture(wall, name, new[name]) == old[name], "kept by its arithmetic"
    wall.keyboard.press("Escape")
    wall.keyboard.press("4")
    wall.keyboard.press("-")
    wall.keyboard.press("Escape")
    assert wall.locator(".pending:visible").count() == 0
    wall.wait_for_timeout(800)
    assert source(wall, "B007") == old["B007"]


def test_dragging_across_a_tile_moves_it_and_opens_nothing(wall):
    old = source(wall, "B007")
    wall.click("button:text-is('Warmth')")
    box = tile(wall, "B007").locator("a").bounding_box()
    wall.mouse.move(box["x"] + 40, box["y"] + 40)
    wall.mouse.down()
    wall.mouse.move(box["x"] + 120, box["y"] + 44, steps=6)
    wall.wait_for_function("() => document.querySelectorAll('.tilepicture')[1].src.startsWith('data:')")
    assert tile(wall, "B007").locator(".pending").inner_text() == "Warmth +500"
    wall.mouse.up()
    said(wall, "Warmth +500 K on 1 shot.")
    assert "/wall/" in wall.url
    new = saved_picture(wall, "B007", old)
    wall.click("button:text-is('Undo')")
    assert saved_picture(wall, "B007", new) == old


def test_enter_proposes_a_match_to_the_shot_beside_and_takes_it(wall):
    old = source(wall, "B007")
    assert "△" in tile(wall, "B007").locator(".tilesaid").inner_text(), "two alone: it is told how far they are apart"
    tile(wall, "B007").locator("a").focus()
    wall.keyboard.press("Enter")
    wall.wait_for_selector(".tilesaid.proposal:has-text('to A012')")
    assert source(wall, "B007") == old
    wall.keyboard.press("Escape")
    wall.wait_for_selector(".tilesaid.proposal", state="detached")
    wall.click("text=Propose a match")
    wall.wait_for_selector(".tilesaid.proposal:has-text('after')")
    tile(wall, "B007").locator("a").focus()
    wall.keyboard.press("Enter")
    said(wall, "taken into 1 shot")
    new = saved_picture(wall, "B007", old)
    wall.wait_for_function(
        "() => !document.querySelectorAll('.walltile')[1].querySelector('.tilesaid').textContent.includes('△')"
    )
    wall.keyboard.press("Control+z")
    assert saved_picture(wall, "B007", new) == old


def test_a_click_opens_the_bench_beside_the_neighbour_and_its_changes_arrive(wall, brought_in, sign_in):
    old = source(wall, "B007")
    with wall.expect_navigation():
        tile(wall, "B007").locator("a").click()
    pictured(wall)
    wall.wait_for_selector("canvas.otherpicture[data-fingerprint]")
    assert "A012" in wall.locator("select[aria-label='Compare with'] option:checked").inner_text()
    open_wall(wall, brought_in)
    other = open_bench(sign_in(first=False), brought_in, "B007")
    type_in(other, "Exposure, stops", "0.5")
    quiet(other)
    assert saved_picture(wall, "B007", old) != old
    type_in(other, "Exposure, stops", "0")
    quiet(other)


def test_a_thousand_shots_are_there_only_where_they_are_in_sight(wall):
    shown = wall.evaluate(
        """async () => {
          const { Grid } = await import("/static/wall/grid.js"),
            room = document.querySelector(".wallroom"),
            list = document.createElement("ol"),
            seen = new Set();
          list.className = "walltiles";
          room.replaceChildren(list);
          const grid = new Grid(room, list, { rows: 1000, cells: 1, size: "", fill: (_, row) => seen.add(row) });
          const counts = [];
          for (const at of [0, 5000, 20000, 1e9]) {
            room.scrollTop = at;
            grid.draw();
            counts.push(list.children.length);
          }
          return { counts, last: seen.has(999), all: seen.size };
        }"""
    )
    assert max(shown["counts"]) < 60
    assert shown["last"]
    assert shown["all"] < 200


def test_a_viewer_sees_the_wall_and_moves_nothing(brought_in, sign_in):
    page = open_wall(sign_in("vera"), brought_in)
    old = source(page, "A012")
    assert page.locator("text=Propose a match").count() == 0
    tile(page, "A012").locator("a").focus()
    page.keyboard.press("+")
    page.wait_for_timeout(800)
    assert source(page, "A012") == old


def test_a_cut_is_stepped_join_by_join_with_both_parades(brought_in, sign_in, tmp_path):
    page = sign_in()
    (tmp_path / "room.edl").write_text(CUT)
    page.goto(f"{brought_in}/p/kilnlight/cuts/")
    page.set_input_files("input[type=file]", tmp_path / "room.edl")
    page.click("button:has-text('Bring')")
    page.click("a:text-is('Play it')")
    page.wait_for_selector("canvas.shown[data-frame]")
    page.keyboard.press("j")
    page.wait_for_selector("output:has-text('event 2')")
    page.wait_for_selector(".joinscope:visible >> nth=1")
    sources = [one.get_attribute("src") for one in page.locator(".joinscope").all()]
    assert len(set(sources)) == 2
    page.keyboard.press("Shift+J")
    page.wait_for_selector("output:has-text('event 1')")
    assert page.locator(".joinscope:visible").count() == 0
    page.click("text=Joins by size")
    page.wait_for_selector(".join .size:has-text('of what both show')")
    page.wait_for_selector(".join .jump:has-text('stops')")
    page.click("text=On the Bench, beside it")
    pictured(page)
    page.wait_for_selector("canvas.otherpicture[data-fingerprint]")
    page.go_back()
    page.goto(f"{brought_in}/p/kilnlight/wall/")
    page.select_option("select[name=cut]", label="cut ROOM")
    page.wait_for_selector(".walltile b:text-is('1 · A012')")
    page.goto(f"{brought_in}/p/kilnlight/cuts/")
    page.click("a:has-text('ROOM')")
    page.once("dialog", lambda dialog: dialog.accept())
    page.click("button:has-text('Remove')")
    page.wait_for_selector("text=ROOM is removed")
