"""A numbered run of raw frames as one shot: brought in, developed, played, followed, delivered."""

import json
import shutil
import struct

import colour
import numpy as np
import pytest

from tests.core.test_raw import BLACK, PROFILE, WHITE, mosaic_of, scene
from tests.web.test_gates import JSON
from upwelling.core import engine
from upwelling.core.media import dng, open_footage, read_still, write_still
from upwelling.core.operations import Place
from upwelling.core.raw import Development
from upwelling.core.steps import Contrast, Exposure
from upwelling.web.deliveries.models import Delivery
from upwelling.web.footage import arrivals
from upwelling.web.footage.frames import frame_of, small_codes
from upwelling.web.footage.history import apply_settings
from upwelling.web.footage.models import Camera
from upwelling.web.footage.paths import path_at
from upwelling.web.footage.shot_settings import ShotSettings

COUNT, SIZE = 8, (72, 128)
LOG = "S-Log3/S-Gamut3.Cine"


def light_at(number):
    """Camera RGB of a frame: a bright spot that goes to the right."""
    y, x = np.mgrid[: SIZE[0], : SIZE[1]]
    spot = np.exp(-((x - 30 - 4 * number) ** 2 + (y - 36) ** 2) / 60)
    return np.clip(scene(*SIZE) * 0.6 + 0.3 * spot[..., None], 0, 1)


@pytest.fixture
def register(settings, production, people, django_capture_on_commit_callbacks):
    """Registers a folder of raw frames with these numbers; gives the production's shots."""

    def registered(numbers=range(COUNT), folder="run", **said):
        place = settings.MEDIA_FOLDER / folder
        place.mkdir(exist_ok=True)
        for number in numbers:
            own = PROFILE.model_copy(update=said.get("profiles", {}).get(number, {}))
            time = {"frame rate": said.get("rate", "25"), "timecode": f"10:00:00:{number:02}"}
            dng.write(
                place / f"R001_{number:04}.dng",
                mosaic_of(light_at(number)),
                own,
                black=BLACK,
                white=WHITE,
                metadata=time,
            )
        with django_capture_on_commit_callbacks(execute=True):
            arrivals.register_folders(production, people["tess"], [folder])
        return list(production.shots.order_by("pk"))

    return registered


def test_a_run_is_one_shot(register):
    warm = {"as_shot": (0.7, 1.0, 0.5)}
    (shot,) = register([n for n in range(10) if n != 6], profiles=dict.fromkeys(range(4, 10), warm))
    assert (shot.kind, shot.frames, shot.rate, shot.is_raw) == ("sequence", 9, 25, True)
    assert (shot.timecode(0), shot.timecode(6)) == ("10:00:00:00", "10:00:00:07")
    notes = " ".join(shot.notes)
    assert "1 frame is missing: 6." in notes
    assert "white as shot changes at frame 4." in notes
    assert [moment.as_shot for moment in path_at(shot).camera.raw.profile.along] == [warm["as_shot"]]


def test_no_rate_is_said_and_set(register, as_, production):
    (shot,) = register(rate="")
    assert "do not say their frame rate" in " ".join(shot.notes)
    body = {"shots": [shot.pk], "verb": "rate", "value": "50"}
    assert as_("tess").post("/p/kilnlight/intake/change/", body, "application/json", headers=JSON).status_code == 200
    shot.refresh_from_db()
    assert shot.rate == 50


def test_single_raws_become_a_run_and_again_single(register, as_, production, django_capture_on_commit_callbacks):
    stills = register(range(3))
    assert [shot.kind for shot in stills] == ["raw"] * 3

    def change(verb, shots):
        body = {"shots": [shot.pk for shot in shots], "verb": verb}
        with django_capture_on_commit_callbacks(execute=True):
            return as_("tess").post("/p/kilnlight/intake/change/", body, "application/json", headers=JSON).json()

    change("together", stills)
    run = production.shots.get(kind="sequence")
    assert (run.frames, run.is_raw) == (3, True)
    production.shots.exclude(pk=run.pk).delete()
    assert change("apart", [run])["changed"] == 1
    assert production.shots.filter(kind="raw").count() == 3


def test_each_frames_own_values_are_followed(register, people):
    """Frame 5 says one stop more baseline; its picture is twice as bright when each frame's own values are taken."""
    (shot,) = register(profiles={5: {"baseline_exposure": 1.0}})

    def light(number):
        frame = frame_of(shot, number)
        program = engine.compile_operations(path_at(shot, number).until("input"))
        return engine.run(program, frame.working, place=frame.place)

    fixed = light(5)
    own = ShotSettings(development=Development(values="of each frame"))
    apply_settings(shot, people["tess"], own, version=0, label="each")
    shot.refresh_from_db()
    assert np.allclose(light(5), 2 * fixed, rtol=1e-5)
    assert not path_at(shot, 4).moves


def test_played_and_followed(register, as_):
    (shot,) = register()
    base = f"/p/kilnlight/bench/{shot.pk}"
    answer = as_("tess").post(f"{base}/motion/", {"first": 2, "count": 4}, "application/json", headers=JSON)
    assert struct.unpack("<I", answer.content[:4]) == (4,)
    page = as_("tess").get(f"{base}/").content.decode()
    assert "Recorded values" not in page
    assert "Follow forwards" in page
    spot = {"kind": "ellipse", "id": "s", "name": "Spot", "x": (30 - 64) / 72, "y": 0.0, "width": 0.3, "height": 0.3}
    steps = [{"kind": "exposure", "id": "a", "stops": 1.0, "limit": {"selections": [spot]}}]
    body = {"settings": {"steps": steps}, "step": "a", "selection": "s", "frame": 0, "model": "move"}
    said = as_("tess").post(f"{base}/follow/", body, "application/json", headers=JSON)
    rows = [json.loads(line) for line in b"".join(said.streaming_content).decode().splitlines()]
    found = [row["x"] for row in rows if "x" in row]
    assert len(found) == COUNT, rows
    assert found[-1] == pytest.approx((30 + 4 * (COUNT - 1) - 64) / 72, abs=0.03)


@pytest.mark.parametrize("factor", [1, 2, 3, 4, 8])
def test_small_codes_are_means(register, factor):
    (shot,) = register(range(4))
    small = small_codes(shot, [2], factor)[0]
    full = frame_of(shot, 2).still.code
    rows, columns = SIZE[0] // factor, SIZE[1] // factor
    wanted = full[: rows * factor, : columns * factor].reshape(rows, factor, columns, factor, 3).mean((1, 3))
    assert small.shape == wanted.shape
    # A cell's red and blue lie half a pixel beside its middle, and the spot's flank rises by 0.04 a pixel.
    assert np.abs(small - wanted)[1:-1, 1:-1].max() < 0.03


def test_delivered_at_full_size(register, as_, django_capture_on_commit_callbacks):
    (shot,) = register()
    with django_capture_on_commit_callbacks(execute=True):
        as_("tess").post("/p/kilnlight/deliveries/new/", {"preset": "ProRes 4444", "shot": shot.pk}, follow=True)
    made = Delivery.objects.get()
    assert made.verdict == "holds", made.job.message
    facts = open_footage(made.place).facts
    assert (facts.frames, facts.width, facts.height, facts.rate) == (COUNT, 128, 72, 25)


def log_by_colour(rgb_linear):
    """S-Log3 codes of AP1 light, by colour-science 0.4.7: its matrices, CAT02, its curve."""
    matrix = colour.matrix_RGB_to_RGB(
        colour.RGB_COLOURSPACES["ACEScg"],
        colour.RGB_COLOURSPACES["S-Gamut3.Cine"],
        chromatic_adaptation_transform="CAT02",
    )
    return colour.models.log_encoding_SLog3(rgb_linear @ matrix.T)


@pytest.mark.parametrize(
    ("preset", "ending", "near"), [("Log, DPX 12-bit", "dpx", 0.6 / 4095), ("EXR half", "exr", 2**-11)]
)
def test_raw_to_log_beside_the_makers_other_camera(
    register,
    as_,
    people,
    upload,
    tmp_path,
    production,
    settings,
    django_capture_on_commit_callbacks,
    preset,
    ending,
    near,
):
    """Developed light alone goes out, in the log of the maker's coded camera: no trim, no Look, nothing of what is only
    seen. Brought in again it is known, and read as it was.
    """
    light = np.full((72, 128, 3), 0.3)
    write_still(
        tmp_path / "B001.png", log_by_colour(light), "16", {"encoding": LOG, "make": "Invented", "model": "B-cam"}
    )
    upload("B001.png", (tmp_path / "B001.png").read_bytes())
    coded = production.shots.get()
    coded.camera = Camera.objects.create(production=production, name="B-cam", make="Invented", encoding=LOG)
    coded.metadata = {"make": "Invented", "model": "B-cam"}
    coded.save()
    run = next(shot for shot in register() if shot.is_raw)
    steps = ShotSettings().with_steps([Exposure(stops=2.0), Contrast(contrast=1.4)])
    apply_settings(run, people["tess"], steps, version=0, label="trim")
    tess, page = as_("tess"), "/p/kilnlight/deliveries/"
    assert LOG in json.loads(tess.get(f"{page}new/?shot={run.pk}").context["facts"])["Log, DPX 12-bit"]["encoding"]
    given = {"preset": preset, "shot": run.pk, "boundary": "input", "encoding": LOG, "viewing": "Ember print"}
    assert "B-cam of the same maker records" in tess.post(f"{page}plan/", given).content.decode()
    assert "a group of its own" in tess.post(f"{page}plan/", {**given, "encoding": "ACEScct/AP1"}).content.decode()
    with django_capture_on_commit_callbacks(execute=True):
        tess.post(f"{page}new/", given, follow=True)
    made = Delivery.objects.get()
    assert made.verdict == "holds", made.job.message
    files = sorted(made.place.parent.glob(f"*.{ending}"))
    assert len(files) == COUNT
    frame = frame_of(run, 3)
    developed = engine.run(
        engine.compile_operations(path_at(run, 3).until("input")), frame.still.code, place=Place.whole(128, 72)
    )
    assert np.abs(read_still(files[3]).code - log_by_colour(np.asarray(developed, np.float64))).max() <= near
    place = settings.MEDIA_FOLDER / "log"
    place.mkdir()
    for file in files:
        shutil.copy(file, place)
    with django_capture_on_commit_callbacks(execute=True):
        arrivals.register_folders(production, people["tess"], ["log"])
    back = production.shots.order_by("pk").last()
    assert (back.frames, back.settled_encoding) == (COUNT, LOG)
