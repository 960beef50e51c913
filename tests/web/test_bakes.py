"""Bakes: set-up, the work in the background, certificates, receivers, tolerances, packages, and what a crash leaves."""

import hashlib
import io
import json
import os
import signal
import subprocess
import sys
import zipfile

import pytest
from django.db import connection, transaction
from django.test.utils import CaptureQueriesContext

from tests.core.test_raw import PROFILE, mosaic_of, scene
from upwelling.cli.main import main
from upwelling.core.bake import RECEIVERS
from upwelling.core.lut.formats.cdl import parse_cdl
from upwelling.core.lut.formats.edl import parse_edl
from upwelling.core.media import dng
from upwelling.core.path import Path
from upwelling.core.steps import Exposure, Saturation, SlopeOffsetPower
from upwelling.web.bakes import services
from upwelling.web.bakes.models import Bake, Package
from upwelling.web.bakes.orders import model_shots, order_for
from upwelling.web.bakes.services import define_receiver
from upwelling.web.errors import Refused
from upwelling.web.footage.look_services import create_look, give_to_all
from upwelling.web.footage.models import shots_of
from upwelling.web.footage.services import apply_settings
from upwelling.web.footage.shot_settings import ShotSettings
from upwelling.web.jobs.models import Job
from upwelling.web.jobs.services import fail_interrupted, request_cancel, running
from upwelling.web.productions.models import Production

PROGRAM = RECEIVERS[2].name
NO_CAMERA = "No camera, S-Log3/S-Gamut3.Cine"
WISH = {"receiver": PROGRAM, "format": "cube", "size": "17", "start": "camera", "end": "display", "dimensions": "3", "shaper": "none", "carrier": "", "output": ""}


@pytest.fixture
def baked(shot, as_, django_capture_on_commit_callbacks):
    def start(**wish):
        with django_capture_on_commit_callbacks(execute=True):
            answer = as_("tess").post(f"/p/kilnlight/bakes/of/{shot.pk}/start/", {**WISH, **wish})
        assert answer.status_code == 302, answer.content.decode()
        return Bake.objects.latest("pk")
    return start


def files_of(bake, client, folder):
    """The files a person downloads, in one folder."""
    for address, name in (("lut/", bake.file_name), ("frames/", bake.file_name + ".frames.png")):
        (folder / name).write_bytes(b"".join(client.get(f"/p/kilnlight/bakes/{bake.pk}/{address}").streaming_content))
    (folder / f"{bake.file_name}.certificate.json").write_bytes(client.get(f"/p/kilnlight/bakes/{bake.pk}/certificate.json").content)
    return folder / bake.file_name


def test_a_bake_from_button_to_proof_from_the_files_alone(baked, as_, tmp_path, capsys):
    bake = baked()
    assert bake.job.state == Job.State.DONE
    assert bake.file_name == "Kilnlight_ramp_S-Log3-S-Gamut3.Cine_to_BT.709-BT.1886_Grading-or-editing-program_17_full.cube"
    table = files_of(bake, as_("vera"), tmp_path)
    report = json.loads((tmp_path / f"{bake.file_name}.certificate.json").read_text())
    assert main(["verify", str(table), "--json"]) in (0, 1)
    again = json.loads(capsys.readouterr().out)
    assert {**again, "made": ""} == {**report, "made": ""}
    assert again["frames"][0]["name"] == "ramp"
    table.write_bytes(table.read_bytes().replace(b"0.5", b"0.6", 1))
    assert main(["verify", str(table)]) == 1
    assert "not the one its certificate was made for" in capsys.readouterr().err
    (tmp_path / "r.json").write_bytes(as_("vera").get(f"/p/kilnlight/bakes/{bake.pk}/recipe.json").content)
    assert main(["bake", str(tmp_path / "again.cube"), "--recipe", str(tmp_path / "r.json"), "--size", "17"]) == 0
    rows = [[line for line in place.read_text().splitlines() if line[:1].isdigit()] for place in (bake.disk_path, tmp_path / "again.cube")]
    assert rows[0] == rows[1]


def test_certificate_page(baked, as_):
    bake = baked()
    page = as_("vera").get(f"/p/kilnlight/bakes/{bake.pk}/").content.decode()
    for words in ("stratified", "neutral axis", "frame: ramp", "worst place, hunted", bake.fingerprint, bake.certificate.lut_sha256, "Banding", "upwelling verify", PROGRAM):
        assert words in page, words
    assert page.count("<figure>") == 8


@pytest.mark.parametrize("wish", [
    {"start": "camera", "end": "input", "format": "clf"}, {"start": "trim"}, {"start": "look", "end": "look", "dimensions": "1", "size": "1024"},
    {"receiver": RECEIVERS[0].name, "size": "33"}, {"receiver": "Player", "format": "hald", "size": "64"}, {"output": "BT.709 BT.1886", "carrier": "S-Log3/S-Gamut3", "end": "trim"},
    {"format": "clf", "shaper": "adapted"}, {"entries": "fitted"},
])
def test_every_kind_of_table_is_baked_and_drawn(baked, as_, wish):
    bake = baked(yes="on", **wish)
    assert bake.certificate is not None, bake.job.message
    assert bake.bake_order.section.start == wish.get("start", "camera")
    assert as_("vera").get(f"/p/kilnlight/bakes/{bake.pk}/").status_code == 200


def test_set_up_page_says_what_is_left_out(shot, as_, people):
    vera = as_("vera")
    page = vera.get(f"/p/kilnlight/bakes/of/{shot.pk}/").content.decode()
    assert "begins here: camera code" in page
    assert "Bake and verify" not in page

    def ask(**wish):
        return vera.post(f"/p/kilnlight/bakes/of/{shot.pk}/check/", {**WISH, **wish}, content_type="application/json", headers={"accept": "application/json"}).json()

    assert ask()["lost"] == []
    assert ask()["takes"] == "S-Log3/S-Gamut3.Cine code, full range"
    lost = ask(dimensions="1", size="1024")["lost"]
    assert lost[0]["name"] == "Mixing between channels"
    assert lost[0]["matters"]
    answer = as_("tess").post(f"/p/kilnlight/bakes/of/{shot.pk}/start/", {**WISH, "dimensions": "1", "size": "1024"})
    assert answer.status_code == 422
    assert "Tick “Leave it out”" in answer.content.decode()
    assert not Bake.objects.exists()


def test_steps_left_out_need_a_yes_and_stay_with_the_bake(baked, shot, people, monkeypatch):
    apply_settings(shot, people["tess"], ShotSettings().with_steps([Saturation(amount=0.3)]), version=0, label="x")
    monkeypatch.setattr(Saturation, "fits_in_lut", False)
    step = next(s for s in shot.__class__.objects.get(pk=shot.pk).settings.steps if s.kind == "saturation").id
    bake = baked(yes="on")
    assert bake.bake_order.left_out == (step,)
    assert not bake.is_stale
    with pytest.raises(AssertionError, match="Tick"):
        baked()


def test_the_smallest_that_holds(shot, as_, baked):
    """Candidates come line by line; what is chosen at last is baked as it was tried, its shaper's density with it."""
    define_receiver(shot.production, None, {"name": "Small", "formats": ["clf"], "grids": [9, 17], "most_entries": 65536})
    for wish, sizes in (({"receiver": RECEIVERS[0].name}, [17, 33]), ({"format": "clf", "receiver": "Small"}, [9, 17])):
        answer = as_("vera").post(f"/p/kilnlight/bakes/of/{shot.pk}/smallest/", {**WISH, **wish}, content_type="application/json", headers={"accept": "application/json"})
        lines = [json.loads(line) for line in b"".join(answer.streaming_content).splitlines()]
        rows = [line["row"] for line in lines if line.get("row")]
        assert list(dict.fromkeys(row["size"] for row in rows)) == sizes
        assert ("shaper" in {row["mark"] for row in rows}) == ("format" in wish)
        assert [line["done"] for line in lines] == sorted(line["done"] for line in lines)
        end = lines[-1]
        assert f"{end['wish']['size']}³" in end["said"]
        assert rows[end["chosen"]]["size"] == int(end["wish"]["size"])
    assert order_for(shot, {**WISH, "format": "clf", "shaper": "adapted", "density": "1,2.5,1"}).density == (1, 2.5, 1)
    assert "fitted shaper" in baked(format="clf", shaper="adapted", density="1,2.5,1").said
    for wrong, words in (("1,x", "should be numbers"), ("-1,2", "greater than 0"), ("1", "two parts")):
        answer = as_("tess").post(f"/p/kilnlight/bakes/of/{shot.pk}/start/", {**WISH, "format": "clf", "shaper": "adapted", "density": wrong})
        assert (answer.status_code, words in answer.content.decode()) == (422, True)


def test_stale_only_when_what_the_table_holds_moves(baked, shot, people):
    whole, working = baked(), baked(end="input")
    assert not whole.is_stale
    apply_settings(shot, people["tess"], ShotSettings().with_steps([Exposure(stops=0.5)]), version=0, label="exposure")
    assert [Bake.objects.get(pk=b.pk).is_stale for b in (whole, working)] == [True, False]
    look = create_look(shot.production, people["tess"], "Warm", [SlopeOffsetPower(saturation=0.8)])
    rendering = baked(start="rendering")
    give_to_all(shot.production, look, 1.0)
    assert not Bake.objects.get(pk=rendering.pk).is_stale


def test_the_lists_queries_do_not_grow_with_bakes(baked, shot, as_):
    bake, client, counts = baked(), as_("vera"), []
    client.get("/p/kilnlight/bakes/")
    for number in range(0, 7, 6):
        for one in range(number):
            Bake.objects.create(production=bake.production, shot=shot, shot_name="ramp", order=bake.order, fingerprint=bake.fingerprint, size=17,
                                file_name=f"{one}.cube", certificate_json=bake.certificate_json, verdict=bake.verdict)
        with CaptureQueriesContext(connection) as captured:
            assert client.get("/p/kilnlight/bakes/").content.count(b">Certificate<") == 1 + number
        counts.append(len(captured))
    assert counts[0] == counts[1]


def test_a_cameras_path_and_a_look_alone(baked, shot, people, as_):
    """Without the trim a bake is stale only when the rest moves; a Look is baked whether or not it is given to the shot."""
    look = create_look(shot.production, people["tess"], "Warm", [SlopeOffsetPower(slope=(1.1, 1, 0.9))])
    bare, alone = baked(trim="without"), baked(start="look", end="look", look=str(look.pk), format="clf", size="33")
    apply_settings(shot, people["tess"], ShotSettings().with_steps([Exposure(stops=0.5)]), version=0, label="exposure")
    assert [Bake.objects.get(pk=b.pk).is_stale for b in (bare, alone)] == [False, False]
    assert alone.bake_order.path.look.name == "Warm"
    assert "_Warm_ACEScct_to_ACEScct_" in alone.file_name
    assert alone.certificate.grid is None
    page = as_("tess").get(f"/p/kilnlight/bakes/of/{shot.pk}/?look={look.pk}").content.decode()
    assert '"start": "look"' in page
    answer = as_("tess").post(f"/p/kilnlight/bakes/of/{shot.pk}/start/", {**WISH, "look": "999"})
    assert "no longer in this production" in answer.content.decode()


def test_bake_again_and_test_again(baked, shot, as_, people, django_capture_on_commit_callbacks):
    bake = baked()
    apply_settings(shot, people["tess"], ShotSettings().with_steps([Exposure(stops=0.5)]), version=0, label="exposure")
    with django_capture_on_commit_callbacks(execute=True):
        as_("tess").post(f"/p/kilnlight/bakes/{bake.pk}/again/", {"what": "bake"})
    fresh = Bake.objects.latest("pk")
    assert fresh.fingerprint != bake.fingerprint
    assert not fresh.is_stale
    as_("tess").post("/p/kilnlight/bakes/tolerances/", {name: "0,001" for name, _, _ in bake.production.rule_set.tolerances.rows()})
    assert "tested again: it does not hold" in as_("tess").post(f"/p/kilnlight/bakes/{fresh.pk}/again/", {"what": "verify"}, follow=True).content.decode()
    assert Bake.objects.get(pk=fresh.pk).verdict == "does not hold"
    fresh.disk_path.write_text(fresh.disk_path.read_text()[:5000])
    answer = as_("tess").post(f"/p/kilnlight/bakes/{fresh.pk}/again/", {"what": "verify"})
    assert answer.status_code == 422
    assert "cut short" in answer.content.decode()


@pytest.mark.parametrize(("post", "words"), [
    ({"size": "12"}, "grid of 12"), ({"receiver": "nobody"}, "no receiver"), ({"start": "rendering", "end": "input"}, "would end"), ({"format": "hald"}, "takes Common LUT Format"),
    ({"carrier": "x", "start": "trim"}, "no encoding named"), ({"shaper": "adapted"}, "Common LUT Format"),
])
def test_bad_requests(shot, as_, post, words):
    answer = as_("tess").post(f"/p/kilnlight/bakes/of/{shot.pk}/start/", {**WISH, **post})
    assert answer.status_code == 422
    assert words in answer.content.decode()
    assert not Bake.objects.exists()


def test_nothing_is_baked_without_an_encoding(shot):
    shot.encoding = ""
    shot.save()
    with pytest.raises(Refused, match="no encoding yet"):
        order_for(shot, WISH)


def test_a_certificate_of_an_earlier_version_is_kept(shot, as_):
    old = Bake.objects.create(production=shot.production, shot=shot, shot_name="ramp", recipe=shot.path().model_dump(mode="json"), fingerprint="0" * 64, size=17,
                              file_name="old.cube", verdict="holds", certificate_json={"upwelling_certificate": 1, "verdict": "holds"})
    page = as_("vera").get(f"/p/kilnlight/bakes/{old.pk}/").content.decode()
    assert "earlier version" in page
    assert as_("vera").get(f"/p/kilnlight/bakes/{old.pk}/certificate.json").json()["upwelling_certificate"] == 1
    assert Path.from_recipe(as_("vera").get(f"/p/kilnlight/bakes/{old.pk}/recipe.json").content)
    assert "earlier version" in as_("vera").get("/p/kilnlight/bakes/").content.decode()


def test_cancel_and_failure_leave_no_file(shot, people, settings, monkeypatch):
    def start():
        with transaction.atomic():
            return services.start_bake(shot, people["tess"], order_for(shot, WISH))

    waiting = start()
    request_cancel(waiting.job)
    services.perform(waiting.pk)
    waiting.job.refresh_from_db()
    assert waiting.job.state == Job.State.CANCELLED

    monkeypatch.setattr("upwelling.web.jobs.services._BETWEEN_SAVES", 0.0)
    going = start()
    Job.objects.filter(pk=going.job.pk).update(cancel_requested=True)
    services.perform(going.pk)
    going.job.refresh_from_db()
    assert (going.job.state, going.job.message) == (Job.State.CANCELLED, "Cancelled; nothing was kept.")

    failing = start()
    monkeypatch.setattr(services, "verify", lambda *a, **k: 1 / 0)
    services.perform(failing.pk)
    failing.job.refresh_from_db()
    assert failing.job.state == Job.State.FAILED
    assert "fault of ours" in failing.job.message
    assert not list(settings.FILES.rglob("*.cube"))
    assert not Bake.objects.exclude(file="").exists()


def test_a_dead_workers_job_is_said_to_have_failed(production, settings):
    job = Job.objects.create(kind="bake", production=production, state=Job.State.RUNNING)
    left = settings.FILES / "packages" / "3" / ".part-x"
    left.mkdir(parents=True)
    (left / "half.cube").write_text("half")
    assert fail_interrupted() == 1
    job.refresh_from_db()
    assert job.state == Job.State.FAILED
    assert "worker stopped" in job.message
    assert not left.exists()


def test_progress_is_saved(production):
    job = Job.objects.create(kind="bake", production=production)
    with running(job) as progress:
        progress(0.5, "half")
        assert Job.objects.get().as_json()["progress"] == 0.5
    assert Job.objects.get().as_json()["over"]


def test_receivers_of_ones_own(shot, as_, baked):
    tess = as_("tess")
    body = {"name": "Truck box", "note": "rental", "formats": ["cube"], "grids": "9, 17", "most_entries": "1024", "interpolation": "trilinear", "precision": "10", "input_range": "legal",
            "input_depth": "10", "output_range": "legal", "output_depth": "10", "beyond": "held"}
    assert tess.post("/p/kilnlight/bakes/receivers/define/", body).status_code == 302
    assert "Truck box" in as_("vera").get("/p/kilnlight/bakes/receivers/?name=Truck box").content.decode()
    assert baked(receiver="Truck box", size="17").bake_order.receiver.precision == 10
    for wrong, words in (({"name": PROGRAM}, "generic receiver"), ({"grids": "x"}, "whole numbers"), ({"precision": "9"}, "Precision"), ({"most_entries": "a"}, "must be a number")):
        answer = tess.post("/p/kilnlight/bakes/receivers/define/", {**body, **wrong})
        assert answer.status_code == 422
        assert words in answer.content.decode()
    tess.post(f"/p/kilnlight/bakes/receivers/{shot.production.receivers.get().pk}/remove/")
    assert as_("vera").get(f"/p/kilnlight/bakes/{Bake.objects.get().pk}/").status_code == 200


def test_tolerances_that_cannot_be(shot, as_):
    body = {name: "1" for name, _, _ in shot.production.rule_set.tolerances.rows()}
    answer = as_("tess").post("/p/kilnlight/bakes/tolerances/", {**body, "neutral_max": "-1"})
    assert answer.status_code == 422


def package(as_, production, callbacks, **wish):
    with callbacks(execute=True):
        answer = as_("tess").post("/p/kilnlight/bakes/packages/start/", {"camera": [NO_CAMERA], "receiver": [RECEIVERS[0].name, "Player"], **wish})
    assert answer.status_code == 302, answer.content.decode()
    return Package.objects.latest("pk")


def test_a_package_is_whole(shot, as_, people, django_capture_on_commit_callbacks, tmp_path):
    apply_settings(shot, people["tess"], ShotSettings().with_steps([Exposure(stops=2)]), version=0, label="exposure")
    made = package(as_, shot.production, django_capture_on_commit_callbacks)
    assert made.job.state == Job.State.DONE, made.job.message
    page = as_("vera").get(f"/p/kilnlight/bakes/packages/{made.pk}/").content.decode()
    assert "Monitor box" in page
    data = b"".join(as_("vera").get(f"/p/kilnlight/bakes/packages/{made.pk}/zip/").streaming_content)
    assert hashlib.sha256(data).hexdigest() == made.sha256
    archive = zipfile.ZipFile(io.BytesIO(data))
    names = [name.split("/", 1)[1] for name in archive.namelist()]
    for ending in (".cube", "Player_64_full.png", ".certificate.json", ".recipe.json", "chart-3-through-the-lut.png", "frame-2-exact.png", "README.txt", "SHA256SUMS"):
        assert any(name.endswith(ending) for name in names), ending
    archive.extractall(tmp_path)
    root = next(p for p in tmp_path.glob("*to*") if p.is_dir())
    for line in (root / "SHA256SUMS").read_text().splitlines():
        digest, name = line.split("  ", 1)
        assert hashlib.sha256((root / name).read_bytes()).hexdigest() == digest
    table = next(root.rglob("*.cube"))
    assert main(["verify", str(table)]) in (0, 1)
    assert json.loads(next(root.rglob("*.cube.certificate.json")).read_text())["order"]["path"]["trim"]["steps"] == []
    with django_capture_on_commit_callbacks(execute=True):
        as_("tess").post(f"/p/kilnlight/bakes/packages/{made.pk}/again/")
    assert Package.objects.latest("pk").file


def test_shots_without_a_camera_stand_apart_by_encoding_and_raw_begins_above_the_input(shot, upload, as_, tmp_path, django_capture_on_commit_callbacks):
    dng.write(tmp_path / "S01.dng", mosaic_of(scene(54, 96)), PROFILE, black=512, white=15871, metadata={"make": "Invented", "model": "Stills"})
    upload("S01.dng", (tmp_path / "S01.dng").read_bytes())
    names = [name for name, _ in model_shots(shots_of(shot.production))]
    assert names == [NO_CAMERA, "No camera, raw"]
    for what, problems in (("display", ["", ""]), ("input", ["", "No camera, raw for Grading or editing program: S01 is a raw mosaic, and no table can carry its development. "
                                                             "Begin above the Input, in working light."])):
        made = package(as_, shot.production, django_capture_on_commit_callbacks, camera=names, receiver=[PROGRAM], what=what)
        assert [one["problem"] for one in made.contents] == problems
    first = Package.objects.earliest("pk")
    assert "_ACEScct_to_BT.709" in first.contents[1]["file"]


def test_a_package_holds_the_smallest_tables_that_hold(shot, as_, django_capture_on_commit_callbacks):
    made = package(as_, shot.production, django_capture_on_commit_callbacks, receiver=[RECEIVERS[0].name, PROGRAM])
    assert [one["verdict"] for one in made.contents] == ["holds", "holds"]
    assert made.contents[0]["said"] == ".cube · 33³ grid, fitted entries"
    assert (made.holding, made.made) == (2, 2)
    assert "2 of 2 tables hold" in as_("tess").get(f"/p/{shot.production.slug}/bakes/").content.decode()
    strict = {"neutral_max": 0.001, "picture_p99": 1, "picture_max": 3, "anywhere_median": 0.5, "anywhere_p99": 2, "anywhere_max": 12}
    answer = as_("tess").post(f"/p/{shot.production.slug}/bakes/tolerances/", {f"{field}.{name}": limit for name, limit in strict.items() for field in ("tolerances", "hdr_tolerances")})
    assert answer.status_code == 302
    made = package(as_, shot.production, django_capture_on_commit_callbacks, receiver=[RECEIVERS[0].name])
    assert (made.holding, made.made) == (0, 1)
    assert "Rounding to 10 bit at its output alone" in made.contents[0]["note"]
    assert "Rounding to 10 bit" in as_("tess").get(f"/p/{shot.production.slug}/bakes/packages/{made.pk}/").content.decode()


def test_a_package_says_what_could_not_be_made(shot, as_, django_capture_on_commit_callbacks, monkeypatch):
    from upwelling.core.errors import BadValue

    real = services.order_for
    monkeypatch.setattr(services, "order_for", lambda s, wish: (_ for _ in ()).throw(BadValue("not this one.")) if wish["receiver"].name == "Player" else real(s, wish))
    made = package(as_, shot.production, django_capture_on_commit_callbacks)
    assert made.file
    assert [one["problem"] for one in made.contents] == ["", f"{NO_CAMERA} for Player: not this one."]
    monkeypatch.setattr(services, "order_for", lambda s, wish: (_ for _ in ()).throw(BadValue("none.")))
    made = package(as_, shot.production, django_capture_on_commit_callbacks)
    assert made.job.state == Job.State.FAILED
    assert "Nothing could be made" in made.job.message


@pytest.mark.parametrize(("wish", "words"), [({"receiver": []}, "at least one"), ({"camera": ["X"]}, "at least one"), ({"receiver": ["X"]}, "no receiver"), ({"output": "X"}, "no output")])
def test_packages_that_cannot_be(shot, as_, wish, words):
    answer = as_("tess").post("/p/kilnlight/bakes/packages/start/", {"camera": [NO_CAMERA], "receiver": ["Player"], **wish})
    assert answer.status_code == 422
    assert words in answer.content.decode()


KILLED = """
import django; django.setup()
from django.conf import settings
from upwelling.core import bake
import upwelling.core.bake.package as package
from upwelling.web.bakes.services import perform_package
real = package.verify
def verify(*a, **k):
    print("half", flush=True)
    import time; time.sleep(60)
package.verify = verify
perform_package(int(__import__("sys").argv[1]))
"""


@pytest.mark.django_db(transaction=True)
def test_kill_9_in_the_middle_of_a_package_leaves_no_half_file(tmp_path):
    """A worker process of its own, its own data folder, and SIGKILL while a table has been written and is being tested."""
    env = {**os.environ, "UPWELLING_DATA": str(tmp_path / "data"), "DJANGO_SETTINGS_MODULE": "upwelling.web.settings"}

    def run(code, *arguments):
        return subprocess.run([sys.executable, "-c", "import django; django.setup()\n" + code, *arguments], env=env, capture_output=True, text=True, check=True, timeout=120).stdout

    subprocess.run([sys.executable, "-m", "upwelling.web.manage", "migrate", "-v0"], env=env, check=True, timeout=120)
    made = run("""
import numpy as np
from pathlib import Path
from django.conf import settings
from huey.contrib.djhuey import HUEY
from upwelling.core.media import write_still
from upwelling.web.bakes.services import start_package
from upwelling.web.footage.services import bring_in
from upwelling.web.productions.services import create_production
from django.contrib.auth.models import User
user = User.objects.create_user("t")
production = create_production(user, "Kilnlight")
settings.FILES.mkdir(parents=True, exist_ok=True)
place = settings.FILES / "a.dpx"
write_still(place, np.full((40, 60, 3), 0.4, np.float32), "10")
bring_in(production, user, "a.dpx", place, encoding_name="S-Log3/S-Gamut3.Cine")
print(start_package(production, user, output="", receivers=["Camera"], cameras=["No camera, S-Log3/S-Gamut3.Cine"]).pk)
""").strip()
    worker = subprocess.Popen([sys.executable, "-c", KILLED, made], env=env, stdout=subprocess.PIPE, text=True)
    assert worker.stdout.readline().strip() == "half"
    written = list((tmp_path / "data" / "files" / "packages").rglob("*.cube"))
    assert written
    worker.send_signal(signal.SIGKILL)
    worker.wait(timeout=20)
    said = run("""
from upwelling.web.bakes.models import Package
from upwelling.web.jobs.services import fail_interrupted
from upwelling.web.bakes.services import package_again, perform_package
print(fail_interrupted())
row = Package.objects.get()
print(row.job.state, repr(row.file), row.job.message)
again = package_again(row, row.created_by)
perform_package(again.pk)
again = Package.objects.get(pk=again.pk)
print(again.job.state, bool(again.file))
""")
    assert said.splitlines()[0] == "1"
    assert "failed '' The worker stopped in the middle" in said
    assert said.splitlines()[-1] == "done True"
    assert list((tmp_path / "data" / "files").rglob("*.zip"))
    assert not list((tmp_path / "data" / "files").rglob(".part-*"))


def test_cdl_and_edit_list_of_the_trims(shot, as_, people):
    apply_settings(shot, people["tess"], ShotSettings().with_steps([SlopeOffsetPower(slope=(1.1, 1, 0.9), saturation=0.8), Exposure(stops=1)]), version=0, label="x")
    vera = as_("vera")
    page = vera.get("/p/kilnlight/bakes/cdl/").content.decode()
    assert "Exposure" in page
    assert "ΔE 2000" in page
    answer = vera.get(f"/p/kilnlight/bakes/cdl/file/?ending=.ccc&shot={shot.pk}").content
    assert parse_cdl(answer)[0].cdl.slope == (1.1, 1, 0.9)
    assert "Leaves out Exposure" in answer.decode()
    assert parse_edl(vera.get(f"/p/kilnlight/bakes/cdl/file/?ending=.edl&shot={shot.pk}").content)[0].cdl.saturation == 0.8
    assert parse_cdl(vera.get(f"/p/kilnlight/bakes/cdl/file/?ending=.cc&shot={shot.pk}").content)[0].name == "ramp"
    for query in ("ending=.ccc", f"ending=.xml&shot={shot.pk}"):
        assert vera.get(f"/p/kilnlight/bakes/cdl/file/?{query}").status_code == 422


def test_numbers_of_an_earlier_version_are_said(baked, as_):
    """A production, a bake and a certificate from before the rendering's numbers changed say so; the settings stay."""
    bake = baked()
    production, settings = bake.production, bake.shot.settings
    assert not production.changed_numbers
    assert not bake.is_stale
    Production.objects.filter(pk=production.pk).update(arithmetic=2)
    Bake.objects.filter(pk=bake.pk).update(fingerprint="0" * 64)
    tess = as_("tess")
    assert "An update changed this production’s numbers: the default rendering" in tess.get(f"/p/{production.slug}/").content.decode()
    assert "the rendering’s numbers changed, bake it again" in tess.get(f"/p/{production.slug}/bakes/").content.decode()
    assert "an update changed the numbers of the rendering" in tess.get(f"/p/{production.slug}/bakes/{bake.pk}/").content.decode()
    assert as_("vera").post(f"/p/{production.slug}/numbers-seen/").status_code == 403
    assert tess.post(f"/p/{production.slug}/numbers-seen/").status_code == 302
    assert "An update changed" not in tess.get(f"/p/{production.slug}/").content.decode()
    assert Bake.objects.get(pk=bake.pk).shot.settings == settings
