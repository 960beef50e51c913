"""Tables of a list of shots: what is planned, what is alike, what is left out and at what cost, names, downloads."""

import io
import zipfile

import pytest

from tests.web.pages import PROGRAM, WISH, read
from upwelling.cli.main import main
from upwelling.core.steps import Exposure, Glow
from upwelling.core.steps.track import Track
from upwelling.web.bakes.models import Bake, Package
from upwelling.web.footage.history import apply_settings
from upwelling.web.footage.models import Shot
from upwelling.web.footage.shot_settings import ShotSettings

AT = "/p/kilnlight/bakes/list/"


@pytest.fixture
def shots(shot, people):
    """Three: two alike, the second brighter, the third with a glow that no table carries and light that changes."""
    made = [shot]
    for name in ("B second", "C third"):
        copy = Shot.objects.get(pk=shot.pk)
        copy.pk, copy._state.adding, copy.name, copy.frames = None, True, name, 10
        copy.save()
        made.append(copy)
    moving = Exposure(stops=0, tracks=(Track(parameter="stops", keys=((0, 0.0), (9, 1.0))),))
    steps = [moving, Glow(amount=0.4, size=0.05)]
    apply_settings(made[2], people["tess"], ShotSettings().with_steps(steps), version=0, label="glow")
    return made


@pytest.fixture
def ordered(as_, django_capture_on_commit_callbacks):
    def order(where="", **given):
        with django_capture_on_commit_callbacks(execute=True):
            return as_("tess").post(f"{AT}{where}", {"receiver": [PROGRAM], **given}, follow=True)

    return order


def test_the_plan_says_what_is_alike_what_is_asked_and_what_cannot_be(shots, ordered):
    numbers = [one.pk for one in shots]
    page = read(ordered("plan/", shot=numbers))
    assert "<b>3</b>tables of 3 shots" in page
    assert "1 of these shots has what no table can carry (C third: Glow, Exposure)" in page
    assert "data-problem" in page
    assert "data-problem" not in read(ordered("plan/", shot=numbers, yes="on"))
    page = read(ordered("plan/", shot=numbers[:2], alike="one", pattern="{name}_{receiver}"))
    assert "<b>1</b>table of 2 shots" in page
    assert f"{shots[0].name} stands for 2 shots that come out alike" in page
    assert "ramp_Grading-or-editing-program" in page
    Shot.objects.filter(pk=numbers[1]).update(encoding="")
    assert "1 cannot be baked and is left out" in read(ordered("plan/", shot=numbers[:2]))


@pytest.mark.parametrize(
    ("given", "words"),
    [
        ({"shot": []}, "at least one shot"),
        ({"receiver": []}, "at least one"),
        ({"receiver": ["nobody"]}, "no receiver"),
        ({"output": "nowhere"}, "no output"),
        ({"pattern": "{colour}"}, "is no part of a name"),
        ({"shot": ["77"]}, "Nothing of it can be baked"),
        ({"third": True}, "Tick “Leave it out”"),
    ],
)
def test_lists_that_cannot_be(shots, ordered, given, words):
    given = {"shot": [shots[2 if given.pop("third", False) else 0].pk], **given}
    assert words in read(ordered(**given))
    assert not Package.objects.exists()


@pytest.mark.slow
def test_a_list_is_one_zip_with_a_note_for_each_table(shots, ordered, as_, tmp_path, capsys):
    ordered(shot=[one.pk for one in shots], alike="one", yes="on")
    made = Package.objects.get()
    page = read(as_("vera").get(f"/p/kilnlight/bakes/packages/{made.pk}/"))
    assert [one["of"] for one in made.contents] == [shots[0].name, "C third"]
    assert "Also for B second, whose tables come out alike" in page
    lost = " ".join(made.contents[1]["lost"])
    for words in ("that Exposure changes: A table is the same", "Glow: Acts by", "on the shot’s frame"):
        assert words in lost
        assert words in page
    archive = zipfile.ZipFile(io.BytesIO(b"".join(as_("vera").get(f"/p/kilnlight/bakes/packages/{made.pk}/zip/"))))
    archive.extractall(tmp_path)
    readme = next(tmp_path.rglob("README.txt")).read_text()
    assert "leaves out Glow: Acts by" in readme
    tables = [path for path in tmp_path.rglob("*.c??") if path.suffix in (".cube", ".clf")]
    assert len(tables) == 2
    assert len({path.parent for path in tables}) == 1
    for table in tables:
        assert main(["verify", str(table)]) in (0, 1)
    assert "frame: ramp" in capsys.readouterr().out
    again = read(as_("tess").get(f"{AT}?again"))
    assert f"As last time: 3 shots, {made.output}" in again
    assert f'"chosen": {[one.pk for one in shots]}' in again
    ordered(shot=[shots[0].pk])
    assert as_("tess").post(f"/p/kilnlight/bakes/packages/{made.pk}/again/").status_code == 302
    assert Package.objects.latest("pk").ordered == made.ordered


def test_a_bake_has_a_short_name_or_its_own_and_comes_as_one_download(baked, shot, as_):
    check = as_("tess").post(
        f"/p/kilnlight/bakes/of/{shot.pk}/check/", WISH | {"called": "Kiln {kind}"}, content_type="application/json"
    )
    assert check.json()["file"] == "Kiln 17.cube"
    one, other = baked(), baked(called="Kiln {kind}")
    assert [one.file_name, other.file_name] == ["ramp_BT.709-BT.1886_17.cube", "Kiln 17.cube"]
    assert baked().file_name == "ramp_BT.709-BT.1886_17_2.cube"
    packed = b"".join(as_("vera").get(f"/p/kilnlight/bakes/{one.pk}/all/").streaming_content)
    names = zipfile.ZipFile(io.BytesIO(packed)).namelist()
    assert names == [f"{one.file_name}{end}" for end in ("", ".certificate.json", ".recipe.json", ".frames.png")]
    assert "one ZIP" in read(as_("vera").get(f"/p/kilnlight/bakes/{one.pk}/"))
    assert Bake.objects.count() == 3
