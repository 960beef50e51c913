"""Deliveries in the core: parts that survive, one file whatever rendered it, proofs that hold and fail, faults."""

import json
import os
import shutil
import subprocess
import sys
import time
from dataclasses import replace
from fractions import Fraction
from pathlib import Path as FilePath

import numpy as np
import pytest
from distributed import Client

from upwelling.cli.main import main
from upwelling.core.delivery import parts as parts_module
from upwelling.core.delivery import run as run_module
from upwelling.core.delivery.form import Form
from upwelling.core.delivery.make import order_for, piece_of, remarks_on, stages_of
from upwelling.core.delivery.names import is_taken
from upwelling.core.delivery.order import Order
from upwelling.core.delivery.presets import PRESETS, preset
from upwelling.core.delivery.proof import prove, verify_again, write_proof
from upwelling.core.delivery.run import NoRoom, Stopped, deliver, parts_folder, tidy
from upwelling.core.encodings import encoding
from upwelling.core.errors import BadValue, UnreadableFile, UnwritableFile
from upwelling.core.media import Movie, Reading, open_footage, read_still, reading_for, write_still
from upwelling.core.media.movie_write import write_movie
from upwelling.core.media.read_back import read_back
from upwelling.core.media.sound import Sound
from upwelling.core.path import CameraFile, Display, Input, Path

LOG = "S-Log3/S-Gamut3.Cine"
WIDE, HIGH = 96, 54


def scene(number, height=HIGH, width=WIDE):
    """A moving scene-linear picture: a ramp in stops, with a coloured patch that goes across it."""
    y, x = np.mgrid[0:height, 0:width] / height
    light = 0.18 * 2 ** (4 * (x - 0.9))[..., None] * np.ones(3)
    patch = (abs(x - 0.2 - number * 0.02) < 0.15) & (abs(y - 0.5) < 0.3)
    light[patch] *= (1.6, 0.9, 0.4)
    return light


@pytest.fixture(scope="module")
def log_movie(tmp_path_factory):
    """Sixty frames of log at 23.976, with timecode and reel."""
    place = tmp_path_factory.mktemp("log") / "A012.mov"
    write_movie(
        place,
        (encoding(LOG).from_linear(scene(n)) for n in range(60)),
        "prores-4444",
        rate=Fraction(24000, 1001),
        metadata={"timecode": "10:00:00:00"},
    )
    return place


def path_for(target="BT.709 BT.1886", **more):
    return Path(
        camera=CameraFile(range="legal", depth=10), input=Input(encoding=LOG), display=Display(output=target), **more
    )


def order(place, form, first=0, last=None, target="BT.709 BT.1886", **more):
    footage = open_footage(place)
    last = footage.facts.frames - 1 if last is None else last
    made = path_for(target)
    piece = piece_of(place, made, first, last, reading_for(footage, None))
    return order_for([piece], preset(form) if isinstance(form, str) else form, **more)


def recipe_of(wanted, path):
    """The order under another recipe."""
    piece = wanted.pieces[0].model_copy(update={"recipe": json.loads(path.to_recipe())})
    return wanted.model_copy(update={"pieces": (piece,)})


@pytest.mark.parametrize(
    ("name", "target", "suffix"),
    [
        (form.preset, {"HDR10 H.265": "BT.2100 PQ 1000", "HLG H.265": "BT.2100 HLG 1000"}.get(form.preset, "sRGB"), "")
        for form in PRESETS
    ]
    + [("ProRes 422 HQ", "P3-D65 gamma 2.6", ".mov"), ("DNxHR HQX", "BT.709 BT.1886", ".mxf")],
)
def test_every_preset_is_delivered_and_its_proof_holds(log_movie, tmp_path, name, target, suffix):
    form = preset(name)
    form = form.model_copy(update={"ending": suffix}) if suffix else form
    if form.codec == "dnxhr-hqx":  # which no frame smaller than 256 × 120 is written in
        form = form.model_copy(update={"sizing": "exact", "width": 320, "height": 180})
    wanted = order(log_movie, form, 3, 9, target)
    outcome = deliver(wanted, tmp_path / f"out{form.ending}")
    proof = prove(wanted, outcome)
    assert proof.holds, (proof.sentence, [check for check in proof.checks if not check.holds])
    place = write_proof(proof, outcome.target)
    assert json.loads(place.read_text())["fingerprint"] == wanted.fingerprint
    assert verify_again(outcome.target if form.movie else outcome.files[2]).holds
    sums = subprocess.run(["sha256sum", "-c", f"out{form.ending}.sha256"], cwd=tmp_path, capture_output=True, text=True)
    assert sums.returncode == 0
    assert sums.stdout.count(": OK") == len(outcome.files)
    assert not list(tmp_path.glob(".*"))


def test_a_proof_fails_for_each_thing_that_can_be_wrong(log_movie, tmp_path):
    """Another picture, another frame, other words, a changed byte: each is noticed, and named."""
    wanted = order(log_movie, "ProRes 422 HQ", 0, 19)
    outcome = deliver(wanted, tmp_path / "right.mov")
    others = {
        "sRGB": recipe_of(wanted, path_for("sRGB")),
        "late": order(log_movie, "ProRes 422 HQ", 12, 31),
        "read full": recipe_of(wanted, path_for().model_copy(update={"camera": CameraFile(range="full")})),
    }
    for name, other in others.items():
        proof = prove(other, outcome)
        assert not proof.looks_right, name
    said = prove(wanted.model_copy(update={"rate": "25", "timecode": "11:00:00:00"}), outcome)
    assert {check.what for check in said.checks if not check.holds} == {"rate", "frame times", "timecode"}
    write_proof(prove(wanted, outcome), outcome.target)
    data = bytearray(outcome.target.read_bytes())
    data[len(data) // 2] ^= 1
    outcome.target.write_bytes(data)
    again = verify_again(outcome.target)
    assert not again.holds
    assert "checksum" in again.sentence
    outcome.target.write_bytes(bytes(data[: len(data) // 3]))
    assert not verify_again(outcome.target).holds
    place = tmp_path / "right.mov.proof.json"
    place.write_text(place.read_text().replace('"first": 0', '"first": 1'))
    with pytest.raises(BadValue, match="altered"):
        verify_again(outcome.target)


class Dying:
    """Renders some parts, then ends as a lost machine does."""

    def __init__(self, parts):
        self.parts = parts

    def run(self, wanted, parts, folder, name, told):
        for part in parts[: self.parts]:
            yield parts_module.render_part(wanted, part, folder, name, told)
        raise KeyboardInterrupt


@pytest.mark.parametrize("name", ["ProRes 422 HQ", "H.264", "HDR10 H.265", "PNG 16-bit"])
def test_what_was_cut_off_goes_on_and_comes_out_bit_for_bit_the_same(log_movie, tmp_path, monkeypatch, name):
    monkeypatch.setattr("upwelling.core.delivery.order.INTRA_PART", 11)
    monkeypatch.setattr("upwelling.core.delivery.order.GROUPED_PART", 16)
    target = "BT.2100 PQ 1000" if name == "HDR10 H.265" else "BT.709 BT.1886"
    wanted = order(log_movie, name, 0, 39, target)
    (tmp_path / "a").mkdir()
    (tmp_path / "b").mkdir()
    whole = deliver(wanted, tmp_path / "a" / f"x{wanted.form.ending}")
    there = tmp_path / "b" / f"x{wanted.form.ending}"
    with pytest.raises(KeyboardInterrupt):
        deliver(wanted, there, engine=Dying(2))
    folder = parts_folder(wanted, there)
    assert not is_taken(there)
    assert len(list(folder.glob("*.json"))) == 2
    (folder / ".new-torn.mov").write_bytes(b"half")
    rendered = []
    monkeypatch.setattr(
        run_module, "render_part", lambda *a: rendered.append(a[1].index) or parts_module.render_part(*a)
    )
    again = deliver(wanted, there)
    assert rendered == [part.index for part in wanted.parts()][2:]
    for first, second in zip(whole.files, again.files, strict=True):
        assert first.read_bytes() == second.read_bytes()
    assert again.level == whole.level
    assert not folder.exists()


@pytest.mark.parametrize("name", ["ProRes 422 HQ", "DPX 10-bit"])
def test_a_crash_before_the_proof_finds_its_own_file_again(log_movie, tmp_path, name):
    wanted = order(log_movie, name, 0, 9)
    target = tmp_path / f"x{wanted.form.ending}"
    first = deliver(wanted, target, keep_parts=True)
    assert deliver(wanted, target, keep_parts=True) == replace(first, seconds=pytest.approx(first.seconds, abs=60))
    with pytest.raises(UnwritableFile, match="is there already"):
        deliver(order(log_movie, name, 1, 9), target)
    tidy(wanted, target)
    assert not list(tmp_path.glob(".*"))
    with pytest.raises(UnwritableFile, match="is there already"):
        deliver(wanted, target)


def test_a_name_taken_meanwhile_is_left_alone(log_movie, tmp_path):
    class Late(run_module.Here):
        def run(self, *all_of_it):
            yield from super().run(*all_of_it)
            (tmp_path / "x.mov").write_bytes(b"other")

    with pytest.raises(UnwritableFile, match="came to be there"):
        deliver(order(log_movie, "ProRes 422 HQ", 0, 3), tmp_path / "x.mov", engine=Late())
    assert (tmp_path / "x.mov").read_bytes() == b"other"


@pytest.mark.slow
def test_killed_processes_lose_their_part_and_nothing_else(log_movie, tmp_path):
    """A command on two workers, killed with -9 with its workers in the middle; the same command goes on."""
    command = [sys.executable, "-m", "upwelling", "deliver", str(log_movie), str(tmp_path / "k.png"), "--from", LOG]
    command += ["--to", "sRGB", "--workers", "2", "--size", "1280x720", "--no-proof"]
    process = subprocess.Popen(command, start_new_session=True, stderr=subprocess.DEVNULL)
    folders = []
    while process.poll() is None:  # however long a busy machine takes
        folders = list(tmp_path.glob(".parts-*"))
        if folders and list(folders[0].glob("*.json")):
            os.killpg(process.pid, 9)
            break
        time.sleep(0.1)
    assert process.wait() == -9, "it was done before it could be killed"
    kept = len(list(folders[0].glob("*.json")))
    assert kept
    assert not is_taken(tmp_path / "k.png")
    assert main([*command[3:-1], "--no-proof"]) == 0
    assert len(list(tmp_path.glob("k.*.png"))) == 60
    assert not list(tmp_path.glob(".parts-*"))


@pytest.mark.slow
def test_a_scheduler_and_two_workers_one_killed(log_movie, tmp_path):
    """Separate processes, as on three machines, by the command that is installed; the one killed costs its part."""
    python, upwelling = [sys.executable, "-m"], str(tmp_path / "upwelling")
    writing = FilePath(__file__).parents[2] / "scripts" / "write-launcher.sh"
    subprocess.run(["/bin/sh", str(writing), upwelling, sys.executable], check=True)
    log = tmp_path / "scheduler.log"
    with log.open("w") as out:
        scheduler = subprocess.Popen(
            [*python, "distributed.cli.dask_scheduler", "--host", "127.0.0.1", "--port", "0", "--no-dashboard"],
            stderr=out,
            stdout=out,
        )
    others = []
    try:
        address = ""
        for _ in range(300):
            found = [w for w in log.read_text().split() if w.startswith("tcp://127.0.0.1:")]
            if found:
                address = found[0]
                break
            time.sleep(0.1)
        worker = [upwelling, "worker", "--scheduler", address, "--processes", "1"]
        others = [
            subprocess.Popen(worker, start_new_session=True, stderr=subprocess.DEVNULL, stdout=subprocess.DEVNULL)
            for _ in range(2)
        ]
        with Client(address, set_as_default=False) as client:
            client.wait_for_workers(2, timeout=120)
        target = tmp_path / "far.mov"
        command = ["deliver", str(log_movie), str(target), "--from", LOG, "--to", "sRGB", "--no-proof"]
        running = subprocess.Popen([upwelling, *command, "--scheduler", address], stderr=subprocess.PIPE, text=True)
        while running.poll() is None and not list(tmp_path.glob(".parts-*/lock")):
            time.sleep(0.05)
        os.killpg(others[0].pid, 9)
        assert running.wait(120) == 0, running.stderr.read()
        assert main([*command[:2], str(tmp_path / "near.mov"), *command[3:], "--workers", "1"]) == 0
        assert target.read_bytes() == (tmp_path / "near.mov").read_bytes()
    finally:
        for process in (*others, scheduler):
            process.kill()
            process.wait()


@pytest.mark.parametrize("when", [0, 1, 20])
@pytest.mark.parametrize("why", ["pause", "cancel"])
def test_stopping_keeps_or_throws_away(log_movie, tmp_path, when, why, monkeypatch):
    monkeypatch.setattr("upwelling.core.delivery.order.INTRA_PART", 10)
    wanted = order(log_movie, "ProRes 422 HQ", 0, 29)
    calls = iter(range(1000))
    with pytest.raises(Stopped) as stopped:
        deliver(wanted, tmp_path / "x.mov", stop=lambda: why if next(calls) >= when else "")
    assert stopped.value.kept is (why == "pause")
    assert parts_folder(wanted, tmp_path / "x.mov").exists() is (why == "pause")
    assert not (tmp_path / "x.mov").exists()
    assert deliver(wanted, tmp_path / "x.mov").frames == 30


def test_faults_leave_nothing_half_and_say_what_to_do(log_movie, tmp_path, monkeypatch):
    wanted = order(log_movie, "ProRes 422 HQ", 0, 9)
    (tmp_path / "x.mov").write_bytes(b"other")
    with pytest.raises(UnwritableFile, match="is there already"):
        deliver(wanted, tmp_path / "x.mov")
    assert deliver(wanted, tmp_path / "x.mov", clash="version").target.name == "x_v2.mov"
    assert (tmp_path / "x.mov").read_bytes() == b"other"
    with pytest.raises(UnwritableFile, match="does not exist"):
        deliver(wanted, tmp_path / "gone" / "y.mov")
    with monkeypatch.context() as small:
        small.setattr(shutil, "disk_usage", lambda _: shutil._ntuple_diskusage(10, 9, 1))
        with pytest.raises(NoRoom, match="are needed"):
            deliver(wanted, tmp_path / "y.mov")

    def full(*_):
        raise OSError(28, "No space left on device")

    with monkeypatch.context() as small:
        small.setattr(run_module, "join_movies", full)
        with pytest.raises(NoRoom, match="goes on from there"):
            deliver(wanted, tmp_path / "y.mov")
    assert not (tmp_path / "y.mov").exists()
    with monkeypatch.context() as small:
        small.setattr(parts_module.MovieWriter, "add", full)
        with pytest.raises(NoRoom):
            deliver(order(log_movie, "ProRes 422 HQ", 2, 9), tmp_path / "z.mov")
    copied = tmp_path / "short.mov"
    shutil.copy(log_movie, copied)
    late = order(copied, "ProRes 422 HQ")
    copied.unlink()
    late = Order.from_json(late.to_json())
    with pytest.raises(UnreadableFile, match=r"short\.mov"):
        deliver(late, tmp_path / "w.mov")
    assert not (tmp_path / "w.mov").exists()


def test_a_damaged_frame_stops_or_is_repeated_and_said(log_movie, tmp_path):
    """The source's own bytes are damaged in the middle; the file is otherwise whole."""
    place = tmp_path / "bad.mov"
    data = bytearray(log_movie.read_bytes())
    starts, at = [], data.find(b"icpf")
    while at >= 0:
        starts.append(at)
        at = data.find(b"icpf", at + 4)
    for number in (20, 21):
        data[starts[number] : starts[number] + 4] = b"xxxx"
    place.write_bytes(data)
    with pytest.raises(UnreadableFile, match="frame 20"):
        deliver(order(place, "ProRes 422 HQ", 10, 30), tmp_path / "x.mov")
    wanted = order(place, "ProRes 422 HQ", 10, 30, damage="repeat")
    outcome = deliver(wanted, tmp_path / "x.mov")
    assert outcome.repeated == ((0, 20, 19), (0, 21, 19))
    proof = prove(wanted, outcome)
    assert proof.holds
    assert "2 damaged frames" in proof.remarks[0]
    begins = deliver(order(place, "ProRes 422 HQ", 20, 24, damage="repeat"), tmp_path / "y.mov")
    assert begins.repeated == ((0, 20, 22), (0, 21, 22))


@pytest.mark.parametrize(
    ("label", "rate"),
    [
        ("01:00:00;02", Fraction(30000, 1001)),
        ("00:01:00;02", Fraction(30000, 1001)),
        ("10:00:59:29", Fraction(30000, 1001)),
        ("23:59:59:23", Fraction(24000, 1001)),
        ("01:02:03:24", Fraction(25)),
        ("01:00:00;58", Fraction(60000, 1001)),
        ("01:00:00:49", Fraction(50)),
        ("02:00:00:00", Fraction(24)),
    ],
)
def test_timecode_and_rate_are_kept_exactly(tmp_path, label, rate):
    place = tmp_path / "in.mov"
    pictures = [np.full((32, 48, 3), 0.3 + n / 50) for n in range(4)]
    write_movie(place, pictures, "prores-422", rate=rate, metadata={"timecode": label})
    wanted = order(place, "ProRes 422 HQ", 1, 3)
    found = read_back(deliver(wanted, tmp_path / "out.mov").target)
    assert found.rate == rate
    assert found.timecode == wanted.timecode == str(wanted.label)
    assert wanted.label.count == (order(place, "ProRes 422 HQ").label.count + 1) % (24 * 3600 * round(rate))


def test_bars_are_black(log_movie, tmp_path):
    form = preset("PNG 16-bit").model_copy(update={"sizing": "exact", "width": 96, "height": 96})
    code = read_still(deliver(order(log_movie, form, 0, 0), tmp_path / "x.png").target).code
    assert code.shape == (96, 96, 3)
    assert not code[:20].any()
    assert not code[-20:].any()
    assert code[40:50].any()


def test_what_will_be_done_is_said_before(log_movie):
    wanted = order(log_movie, "H.264", rate="12")
    assert any("50 % of its speed" in text for text in remarks_on(wanted))
    assert any("rendering for BT.709 BT.1886" in text for text in stages_of(wanted))
    form = Form.checked({**preset("ProRes 4444").model_dump(), "boundary": "look", "encoding": LOG})
    handed = order(log_movie, form)
    assert any("cannot name S-Log3" in text for text in remarks_on(handed))
    assert not any("rendering" in text for text in stages_of(handed))


def test_a_log_hand_over_comes_back_to_the_same_light(log_movie, tmp_path):
    """Written as another camera's log and read back by it: the scene light that was there."""
    name = "ACEScct/AP1"
    form = Form.checked({**preset("TIFF 16-bit").model_dump(), "boundary": "input", "encoding": name})
    still = read_still(deliver(order(log_movie, form, 4, 4), tmp_path / "x.tif").target)
    source = Movie(log_movie).frame(4, Reading("legal")).code
    light = path_for().to_working(source)
    back = Path(input=Input(encoding=name), display=Display(output="sRGB")).to_working(still.code)
    np.testing.assert_allclose(back, light, rtol=2e-3, atol=2e-4)


@pytest.mark.parametrize(
    ("form", "target", "match"),
    [("HDR10 H.265", "BT.709 BT.1886", "carries PQ"), ("HLG H.265", "BT.2100 PQ 1000", "carries HLG")],
)
def test_forms_for_another_output_are_refused(log_movie, form, target, match):
    with pytest.raises(BadValue, match=match):
        order(log_movie, form, target=target)


def test_two_passes_hold_a_bit_rate(tmp_path):
    """Noise enough that the rate is needed: of a clean picture the best there is takes less."""
    rng, source = np.random.default_rng(0), tmp_path / "noisy.mov"
    codes = (encoding(LOG).from_linear(scene(n)) + 0.02 * rng.standard_normal((HIGH, WIDE, 3)) for n in range(60))
    write_movie(source, (np.clip(code, 0, 1) for code in codes), "prores-4444", rate=Fraction(24000, 1001))
    form = preset("H.264").model_copy(update={"bits_per_second": 400_000})
    outcome = deliver(order(source, form), tmp_path / "x.mp4")
    assert outcome.target.stat().st_size * 8 / (60 * 1001 / 24000) == pytest.approx(400_000, rel=0.05)
    assert prove(order(source, form), outcome).said_right


def test_orders_are_read_again_or_refused(log_movie):
    wanted = order(log_movie, "H.264")
    assert Order.from_json(wanted.to_json()) == wanted
    body = json.loads(wanted.to_json())
    for change in ({"rate": "0"}, {"timecode": "99:00:00:00"}, {"pieces": []}, {"form": {"ending": ".exe"}}):
        with pytest.raises(BadValue):
            Order.from_json(json.dumps(body | change))
    parts = wanted.parts()
    assert sum(part.frames for part in parts) == wanted.frames
    assert wanted.source_of(59) == (0, 59)
    with pytest.raises(BadValue):
        wanted.source_of(60)


def test_several_pieces_are_one_picture(log_movie, tmp_path):
    first = order(log_movie, "ProRes 422 HQ", 50, 59).pieces[0]
    second = order(log_movie, "ProRes 422 HQ", 0, 29).pieces[0]
    wanted = order_for([first, second], preset("ProRes 422 HQ"), timecode="01:00:00:00")
    outcome = deliver(wanted, tmp_path / "cut.mov")
    assert outcome.frames == 40
    assert prove(wanted, outcome).holds
    srgb = second.model_copy(update={"recipe": json.loads(path_for("sRGB").to_recipe())})
    with pytest.raises(BadValue, match="for one output"):
        order_for([first, srgb], preset("ProRes 422 HQ"))


def test_no_sound_is_not_a_fault(log_movie):
    assert Sound(log_movie).refusal("mov") == ""


@pytest.mark.parametrize(
    ("options", "match"),
    [
        (["--preset", "Betamax"], "Betamax"),
        (["--size", "big"], "is no size"),
        (["--frames", "50-90"], "frames 0 to 59"),
        (["--frames", "9-2"], "comes before"),
        (["--rate", "soon"], "no frame rate"),
        (["--timecode", "1:2"], "no timecode"),
        (["--quality", "9"], "quality of its own"),
        (["--out-range", "full"], "legal range everywhere"),
        (["--to", "Nowhere"], "Nowhere"),
        (["--preset", "PNG 16-bit"], "is written to .png"),
        (["--scheduler", "tcp://127.0.0.1:9"], "No scheduler answers"),
        (["--workers", "0"], "between 1 and 256"),
    ],
)
def test_the_command_refuses_in_one_line(log_movie, tmp_path, capsys, monkeypatch, options, match):
    monkeypatch.setattr("upwelling.core.delivery.cluster._ANSWER", 1)
    command = ["deliver", str(log_movie), str(tmp_path / "x.mov"), "--from", LOG, "--to", "sRGB", *options]
    assert main(command) == 2
    said = capsys.readouterr().err
    assert match in said
    assert "Traceback" not in said
    assert not list(tmp_path.iterdir())


def test_the_command_says_progress_and_proof_as_json(log_movie, tmp_path, capsys):
    target = tmp_path / "x.mp4"
    command = ["deliver", str(log_movie), str(target), "--from", LOG, "--to", "sRGB", "--frames", "0-7", "--json"]
    assert main(command) == 0
    rows = [json.loads(line) for line in capsys.readouterr().out.splitlines()]
    assert rows[-1]["verdict"] == "holds"
    assert rows[-1]["frames"] == 8
    assert main(["verify-delivery", str(target), "--json"]) == 0
    assert main(["verify-delivery", str(log_movie)]) == 2
    target.write_bytes(target.read_bytes()[:-9])
    assert main(["verify-delivery", str(target)]) == 1


def test_a_sequence_in_is_one_delivery(tmp_path):
    for number in range(5):
        write_still(tmp_path / f"in.{number:04}.dpx", encoding(LOG).from_linear(scene(number)), "10")
    sources = [str(place) for place in sorted(tmp_path.glob("in.*.dpx"))]
    assert main(["deliver", *sources, str(tmp_path / "x.mov"), "--from", LOG, "--to", "sRGB"]) == 0
    assert Movie(FilePath(tmp_path / "x.mov")).facts.frames == 5
