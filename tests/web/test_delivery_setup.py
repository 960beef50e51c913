"""Deliveries set up on the page: in and out, folders, presets, through a bake; and the file that comes back."""

import subprocess

from django.core.files.uploadedfile import SimpleUploadedFile

from tests.web.test_deliveries import PAGE, order, take
from upwelling.core.bake import RECEIVERS
from upwelling.core.steps import Exposure
from upwelling.web.deliveries.models import Delivery
from upwelling.web.footage.history import apply_settings

__all__ = ["order", "take"]


def test_in_and_out_the_order_chosen_and_the_last_set_up_again(take, order, as_, production):
    """Frames by number or timecode, files in the order in which shots were chosen, and the form as it was last sent."""
    second = type(take).objects.get(pk=take.pk)
    second.pk, second._state.adding, second.name = None, True, "AAA"
    second.save()
    given = {
        "shot": [take.pk, second.pk],
        f"first.{take.pk}": "10:00:00:04",
        f"last.{take.pk}": "7",
        "pattern": "{shot}_x",
        "folder": "Tuesday",
        "range": "legal",
        "dither": "none",
    }
    order(run=False, **given)
    rows = list(production.delivered.order_by("pk"))
    assert [(row.what, row.frames) for row in rows] == [("A012", 4), ("AAA", 24)]
    assert (rows[0].order.pieces[0].first, rows[0].order.pieces[0].last) == (4, 7)
    page = as_("tess").get(f"{PAGE}new/?again").content.decode()
    assert "As last time: ProRes 422 HQ, {shot}_x, Tuesday" in page
    assert f'"chosen": [{take.pk}, {second.pk}]' in page
    assert f'"{take.pk}": ["10:00:00:04", "7"]' in page
    assert "&quot;dither&quot;: &quot;none&quot;" in page
    assert "As last time" not in as_("vera").get(f"{PAGE}new/").content.decode()
    for said, words in (
        ("25", "no last frame of it; write a number from 0 to 23, or 10:00:00:00 to"),
        ("1", "is after"),
    ):
        assert words in order(**{"shot": [take.pk], f"first.{take.pk}": "4", f"last.{take.pk}": said})


def test_the_productions_folder_is_a_pattern(take, order, as_, production):
    """Set on the page, used where none is said; a point is none; what cannot be a folder is refused and not kept."""
    given = {"preset": "ProRes 422 HQ", "what": "folder"}
    for folder, words in (
        ("out {preset} {cut}", "Files are delivered into “out {preset} {cut}”"),
        ("a/b", "no slashes"),
        ("{shot}", "no part of a name"),
    ):
        answer = as_("tess").post(f"{PAGE}presets/", {**given, "folder": folder}, follow=True).content.decode()
        assert words in answer.replace("&quot;", '"')
    production.refresh_from_db()
    assert production.rule_set.delivery_folder == "out {preset} {cut}"
    order(run=False, shot=take.pk)
    order(run=False, shot=take.pk, folder=".")
    order(run=False, shot=take.pk, folder="Friday {output}")
    assert list(production.delivered.order_by("pk").values_list("folder", flat=True)) == [
        "out ProRes 422 HQ",
        "",
        "Friday BT.709 BT.1886",
    ]
    page = as_("tess").post(f"{PAGE}plan/", {"preset": "ProRes 422 HQ", "shot": take.pk}).content.decode()
    assert "timecode from 10:00:00:00" in page
    assert "no sound, as the source has none" in page


def test_a_bake_that_stands_for_the_shot_makes_its_delivery(
    take, order, as_, production, people, django_capture_on_commit_callbacks
):
    """Where none is proved the exact path is taken and said; one that is stale is none."""
    given = {"preset": "ProRes 422 HQ", "shot": take.pk, "through": "table"}
    page = as_("tess").post(f"{PAGE}plan/", given).content.decode()
    assert "no table of it as it is now is proved, so it goes by the exact path" in page
    wish = {"receiver": RECEIVERS[2].name, "format": "cube", "size": "33", "start": "camera", "end": "display"}
    with django_capture_on_commit_callbacks(execute=True):
        as_("tess").post(f"/p/kilnlight/bakes/of/{take.pk}/start/", {**wish, "dimensions": "3", "shaper": "none"})
    assert production.bakes.get().certificate.usable
    page = as_("tess").post(f"{PAGE}plan/", given).content.decode()
    assert "A012_BT.709_BT.1886_by_table.mov" in page
    assert "instead of the exact path: its certificate says" in page
    order(shot=take.pk, through="table")
    row = production.delivered.get()
    assert row.verdict == "holds"
    assert row.order.through.table.name == production.bakes.get().file_name
    apply_settings(take, people["tess"], take.settings.with_steps([Exposure(stops=0.3)]), version=0, label="brighter")
    page = as_("tess").post(f"{PAGE}plan/", given).content.decode()
    assert "so it goes by the exact path" in page
    assert "_by_table" not in page


def test_own_presets(take, as_, production, order):
    tess = as_("tess")
    sent = {"preset": "H.264", "name": "Web small", "sizing": "fit", "width": "32", "height": "32", "held": "quality"}
    assert (
        "is kept as a preset" in tess.post(f"{PAGE}presets/", {**sent, "quality": "30"}, follow=True).content.decode()
    )
    assert (
        "no built-in one has" in tess.post(f"{PAGE}presets/", {**sent, "name": "H.264"}, follow=True).content.decode()
    )
    order(shot=take.pk, preset="Web small", pattern="w")
    row = Delivery.objects.get()
    assert (row.order.form.quality, row.order.form.width, row.form_title) == (30, 32, "Web small")
    assert row.verdict == "holds", row.proof["sentence"]
    own = production.own_forms.get()
    assert "is removed" in tess.post(f"{PAGE}presets/", {"remove": own.pk}, follow=True).content.decode()


def test_what_is_said_of_many_is_one_line_and_the_button_stands_beside(take, as_, production, upload):
    """The same remark of three files or more: a count and a list to open; names without what programs stumble over."""
    for number in range(3):
        copy = type(take).objects.get(pk=take.pk)
        copy.pk, copy._state.adding, copy.name = None, True, f"A0{number}, second (take)"
        copy.encoding, copy.state, copy.original_name = "", "unknown", f"A0{number}.mov"
        copy.save()
    given = {"preset": "ProRes 422 HQ", "shot": [shot.pk for shot in production.shots.exclude(pk=take.pk)]}
    page = as_("tess").post(f"{PAGE}plan/", given).content.decode()
    assert page.count("its codes are delivered as they are") == 1
    assert "<summary>◆ 3 of them: its Input is off" in page
    assert "A00_second_take_BT.709_BT.1886.mov" in page
    setup = as_("tess").get(f"{PAGE}new/").content.decode().split("<main")[1].split("</main>")[0]
    assert setup.index("What will be made") < setup.index(">Deliver<") < setup.index("Choose what to deliver")
    hdr = as_("tess").post(f"{PAGE}plan/", {"preset": "HDR10 H.265", "shot": take.pk}).content.decode()
    assert "Add an output" in hdr


def test_a_file_that_came_back_is_held_against_what_was_delivered(
    take, order, as_, production, tmp_path, django_capture_on_commit_callbacks
):
    """By a re-encoded and retimed copy; nothing of the file is kept, and viewers read what was found."""
    at = f"{PAGE}came-back/"
    assert "Nothing was delivered yet" in as_("tess").get(at).content.decode()
    place = tmp_path / "from the editor.mov"
    place.write_bytes(b"no movie")

    def sent(who="tess", path=place):
        with django_capture_on_commit_callbacks(execute=True):
            file = SimpleUploadedFile(path.name, path.read_bytes())
            return as_(who).post(at, {"file": file}, follow=True).content.decode()

    assert "nothing to hold it against" in sent()
    order(shot=take.pk)
    row = production.delivered.get()
    command = ["ffmpeg", "-v", "error", "-y", "-ss", "0.25", "-i", str(row.place), "-c:v", "prores_ks", "-pix_fmt"]
    subprocess.run([*command, "yuv422p10le", "-timecode", "10:00:00:06", str(place)], check=True, capture_output=True)
    page = sent()
    found = production.returned.latest("pk")
    assert (found.delivery, found.found["first"]) == (row, 6)
    page = as_("vera").get(at).content.decode()
    for words in ("It stems from A012_BT.709_BT.1886.mov, frames 6 to 23", "encoded again", "6 at the head"):
        assert words in page
    assert not list((tmp_path / "files" / "returned").rglob("*.mov"))
    assert "is no movie that deliveries" in sent(
        path=tmp_path / "x.png" if (tmp_path / "x.png").write_bytes(b"x") else place
    )
    place.write_bytes(b"no movie")
    sent()
    assert production.returned.first().job.state == "failed"
    assert as_("vera").post(at).status_code == 403
