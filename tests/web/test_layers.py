"""Shared layers: live for every shot that follows, versions and one undo, exceptions, steps moved, two technicians."""

import json
import struct

import numpy as np
import pytest

from upwelling.core.media import write_still
from upwelling.core.operations import run_reference
from upwelling.core.path import LAYERS
from upwelling.core.simulate.camera import A_CAM
from upwelling.core.steps import CalmNoise, Contrast, Exposure, Saturation, SlopeOffsetPower, Vignette, WhiteBalance
from upwelling.core.steps.track import Track
from upwelling.web.footage.cameras import assign, create_camera
from upwelling.web.footage.layer_models import LayerVersion, SharedLayer, forget_layers
from upwelling.web.footage.layer_services import exceptions, followers
from upwelling.web.footage.look_services import create_look, give_to_all, make_group
from upwelling.web.footage.models import Shot, ShotState
from upwelling.web.footage.paths import path_of
from upwelling.web.footage.setting_differences import differences

pytestmark = pytest.mark.django_db
SLOG = "S-Log3/S-Gamut3.Cine"
WARM = WhiteBalance(id="balance", kelvin=5200)
LIFT = SlopeOffsetPower(id="sop", offset=(0.02, 0.02, 0.02))
CODES = np.random.default_rng(2).uniform(0.1, 0.9, (50, 3))


@pytest.fixture
def shots(upload, production, tmp_path, people):
    """Three shots of one camera, two of them in a group; the deliveries are SDR and HDR."""
    for n in range(3):
        light = 0.18 * np.exp2(np.linspace(-4, 4, 48))[None, :, None] * np.array([1.1, 1, 0.8]) * np.ones((32, 1, 1))
        write_still(tmp_path / f"s{n}.dpx", A_CAM.shoot(light * 1.1**n), "10")
        upload(f"s{n}.dpx", (tmp_path / f"s{n}.dpx").read_bytes())
    made = list(production.shots.order_by("name"))
    production.shots.update(encoding=SLOG)
    camera = create_camera(production, "B-cam")
    assign(camera, made)
    make_group(production, "Cold bench", [made[0].pk, made[1].pk])
    production.shots.update(encoding=SLOG)
    return [fresh(shot) for shot in made]


@pytest.fixture
def tess(as_):
    return as_("tess")


def fresh(shot):
    return Shot.objects.select_related("production", "camera", "group").get(pk=shot.pk)


def content(*steps, **more):
    return {"steps": [step.model_dump(mode="json") for step in steps], **more}


def ask(client, shot, what, **body):
    at, accept = (
        f"/p/kilnlight/bench/{shot.pk}/{what if '/' in what else f'layers/{what}/'}",
        {"Accept": "application/json"},
    )
    return client.post(at, body, content_type="application/json", headers=accept)


def save(client, shot, kind, *steps, number=0, base=None, output="", **more):
    body = {"kind": kind, "output": output, "content": content(*steps, **more), "number": number, "label": "test"}
    return ask(client, shot, "save", **body, base=base)


def settings_saved(client, shot, **changes):
    now = fresh(shot)
    body = {**now.settings.model_dump(mode="json"), **changes}
    answer = client.post(
        f"/p/kilnlight/bench/{shot.pk}/save/",
        {"settings": body, "version": now.version},
        content_type="application/json",
    )
    assert answer.status_code == 200, answer.content
    return fresh(shot)


def column(client, shot, **more):
    answer = client.post(
        f"/p/kilnlight/bench/{shot.pk}/preview/", {"settings": None, **more}, content_type="application/json"
    )
    length = struct.unpack_from("<I", answer.content)[0]
    return {row["stage"]: row for row in json.loads(answer.content[4 : 4 + length])["column"]}


def code(shot, output=""):
    forget_layers(shot.production)
    return path_of(fresh(shot), output=output).apply(CODES)


def test_a_change_is_seen_by_all_its_shots_and_one_undo_takes_it_back(tess, shots):
    before, states = [path_of(shot).fingerprint for shot in shots], ShotState.objects.count()
    said = save(tess, shots[0], "camera_trim", WARM).json()
    assert (said["version"], said["together"]) == (1, False)
    assert said["layers"]["camera_trim"][0]["follow"] == 3
    after = [path_of(fresh(shot)).fingerprint for shot in shots]
    assert all(a != b for a, b in zip(before, after, strict=True))
    assert ShotState.objects.count() == states, "nothing is copied into the shots"
    assert column(tess, shots[2])["camera_trim"]["line"] == f"{WARM.summary()} · from B-cam"
    assert save(tess, shots[1], "camera_trim", WARM, Contrast(id="c", contrast=1.2), number=1).status_code == 200
    for way, wanted in (("undo", after), ("undo", before), ("redo", after), ("undo", before)):
        answer = ask(tess, shots[2], way, kind="camera_trim", output="")
        assert answer.status_code == 200
        assert [path_of(fresh(shot)).fingerprint for shot in shots] == wanted
    assert (
        ask(tess, shots[2], "undo", kind="camera_trim", output="")
        .json()["error"]
        .startswith("There is nothing to undo")
    )
    assert LayerVersion.objects.count() == 2, "undone versions stay"


def test_layers_make_what_the_same_steps_make_in_one_trim(tess, production, people, shots):
    look = create_look(production, people["tess"], "Kiln", (SlopeOffsetPower(id="k", slope=(1.05, 1, 0.95)),))
    over = create_look(production, people["tess"], "Cold", (Saturation(id="s", amount=0.8),))
    give_to_all(production, look, 1.0)
    give_to_all(production, over, 0.5, shots[0].group, over=True)
    save(tess, shots[0], "camera_trim", WARM)
    save(tess, shots[0], "group_trim", Contrast(id="c", contrast=1.2))
    save(tess, shots[0], "finish", LIFT, output="SDR")
    layered = path_of(fresh(shots[0]))
    assert [layer.kind for layer in layered.layers] == list(LAYERS)
    steps = [step for layer in layered.layers[:4] for step in layer.acting(layered.target)]
    flat = layered.without_layers("camera_trim", "group_trim", "look").with_layers(
        trim=layered.layer("trim").with_steps(s.model_copy(update={"id": f"n{n}"}) for n, s in enumerate(steps))
    )
    np.testing.assert_allclose(layered.apply(CODES), flat.apply(CODES), rtol=0, atol=1e-9)
    alone = path_of(fresh(shots[2]))
    assert [layer.kind for layer in alone.layers if layer.acting(alone.target)] == ["camera_trim", "look", "finish"]
    rows = column(tess, shots[0])
    assert list(rows)[1:8] == ["finish", "rendering", "group_look", "look", "trim", "group_trim", "camera_trim"]
    assert rows["group_look"]["line"] == "Cold, version 1 at 50 % · from Cold bench"


@pytest.mark.parametrize(
    ("use", "line", "share"),
    [
        ({"on": False}, "Left out here", 0.0),
        ({"strength": 0.6}, f"{WARM.summary()} · from B-cam, at 60 % here", 0.6),
        ({"own": content(Exposure(id="e", stops=0.5))}, "Exposure +0.50, a copy of its own", None),
    ],
)
def test_a_shot_takes_it_otherwise_and_says_so(tess, shots, use, line, share):
    save(tess, shots[0], "camera_trim", WARM)
    shot = settings_saved(tess, shots[0], camera_trim=use)
    assert column(tess, shot)["camera_trim"]["line"] == line
    layer = path_of(shot).layer("camera_trim")
    assert share is None or (layer.strength if layer.on else 0.0) == share
    held = SharedLayer.objects.get()
    assert [(state.shot_id, said) for state, said in exceptions(held)] == [(shot.pk, line.split(", ")[-1].lower())]
    assert followers(held).count() == 3
    words = line.split(", ")[-1].lower()
    assert differences(shots[0].settings, shot.settings) == [f"Camera’s trim: as it is → {words}"]
    save(tess, shots[1], "camera_trim", Exposure(id="x", stops=1), number=1)
    assert (path_of(fresh(shot)).layer("camera_trim").steps[0].id == "x") == (share is not None), (
        "a copy follows no more"
    )


def test_two_technicians_are_put_together_or_told(tess, shots):
    base = content(WARM, Contrast(id="c", contrast=1.1))
    assert save(tess, shots[0], "camera_trim", WARM, Contrast(id="c", contrast=1.1)).status_code == 200
    theirs = save(tess, shots[1], "camera_trim", WARM, Contrast(id="c", contrast=1.3), number=1, base=base).json()
    assert theirs["version"] == 2
    colder = WARM.model_copy(update={"kelvin": 4800.0})
    both = save(tess, shots[0], "camera_trim", colder, Contrast(id="c", contrast=1.1), number=1, base=base).json()
    assert both["together"]
    held = SharedLayer.objects.get()
    assert [getattr(s, "kelvin", getattr(s, "contrast", 0)) for s in held.content.steps] == [4800, 1.3]
    late = save(tess, shots[2], "camera_trim", WARM, Contrast(id="c", contrast=1.5), number=1, base=base)
    assert late.status_code == 409
    assert "kept as its version 4, which is not in force" in late.json()["error"]
    assert held.versions.get(number=4).content.steps[1].contrast == 1.5
    assert SharedLayer.objects.get().number == 3


def test_a_finish_for_one_kind_of_output_leaves_the_other_alone(tess, production, shots):
    from upwelling.web.productions.deliveries import deliver

    hdr = "BT.2100 PQ 1000"
    deliver(production, hdr)
    shot = fresh(shots[0])
    before = {name: code(shot, name) for name in ("", hdr)}
    save(tess, shot, "finish", LIFT, output="SDR")
    changed = {name: np.abs(code(shot, name) - before[name]).max() for name in before}
    assert changed[""] > 0.001
    assert changed[hdr] == 0
    save(tess, shot, "finish", LIFT, Saturation(id="s", amount=0.5), output="BT.709 BT.1886")
    now = path_of(fresh(shot))
    assert [s.id for s in now.layer("finish").acting(now.target)] == ["sop", "s"], "the one by its name acts alone"
    rows = ask(tess, shot, "touches", kind="finish", output="HDR", content=content(LIFT)).json()["rows"]
    assert {row["said"] for row in rows} == {"not touched"}, "the main output is SDR"
    answer = save(tess, shot, "finish", LIFT, output="Cinema")
    assert answer.status_code == 422
    assert "is no output of this production" in answer.json()["error"]


KEYED = Exposure(id="e", tracks=(Track(parameter="stops", keys=((0, 0.0), (4, 1.0))),))


@pytest.mark.parametrize(
    ("kind", "step", "words"),
    [
        ("camera_trim", KEYED, "changes along the shot"),
        ("finish", Exposure(id="e", stops=1), "works on scene light only"),
        ("camera_trim", Exposure(id="", stops=1), "needs an id of its own"),
        ("camera_trim", Exposure(id="e", group="gone", stops=1), "is in a group that is not there"),
        ("camera_trim", None, "LUT belongs in a Look"),
        ("nothing", Exposure(id="e", stops=1), "There is no such layer"),
    ],
)
def test_what_cannot_be_shared_is_refused_in_words(tess, shots, kind, step, words):
    from tests.core.test_declared_tables import lut_step

    step = lut_step() if step is None else step
    for what in ("save", "touches"):
        answer = ask(tess, shots[0], what, kind=kind, output="", content=content(step), number=0)
        assert answer.status_code == 422
        assert words in answer.json()["error"]
    assert LayerVersion.objects.count() == 0


def test_a_shot_without_camera_or_group_has_no_such_layer(tess, shots):
    alone = shots[2]
    assert "group_trim" not in column(tess, alone)
    assert "has no group" in save(tess, alone, "group_trim", WARM).json()["error"]


def test_before_it_is_saved_the_page_shows_whom_it_touches(tess, shots):
    settings_saved(tess, shots[1], camera_trim={"on": False})
    said = ask(tess, shots[0], "touches", kind="camera_trim", output="", content=content(WARM)).json()
    assert said["follow"] == 3
    rows = {row["name"]: row for row in said["rows"]}
    assert set(rows) == {"s1", "s2"}
    assert (rows["s1"]["said"], rows["s2"]["said"]) == ("left out here", "")
    assert rows["s1"]["before"] == rows["s1"]["after"]
    assert rows["s2"]["before"] != rows["s2"]["after"]
    assert LayerVersion.objects.count() == 0


@pytest.mark.parametrize(("to", "same"), [("camera_trim", True), ("group_trim", False), ("finish", False)])
def test_a_step_moves_and_one_undo_takes_both_back(tess, shots, to, same):
    """The first step of the trim is the last of what comes before it, where nothing lies between them."""
    first = SlopeOffsetPower(id="sop", slope=(1.2, 1, 1))
    steps = [Exposure(id="e", stops=0.3), first] if not same else [first, Exposure(id="e", stops=0.3)]
    shot = settings_saved(tess, shots[0], steps=[s.model_dump(mode="json") for s in steps])
    before, other = code(shot), code(shots[1])
    body = {"from": "trim", "to": to, "step": "sop", "output": "SDR" if to == "finish" else "", "number": 0}
    said = ask(tess, shot, "move", **body, only=True).json()["sentence"]
    assert said.startswith("This shot’s picture stays what it is" if same else "This shot’s picture changes by up to")
    assert LayerVersion.objects.count() == 0
    moved = ask(tess, shot, "move", **body, version=shot.version)
    assert moved.status_code == 200, moved.content
    assert moved.json()["sentence"] == said
    assert "sop" not in [s.id for s in fresh(shot).settings.steps]
    assert (np.abs(code(shot) - before).max() <= 1e-9) == same
    assert np.abs(code(shots[1]) - other).max() > 1e-4, "the others follow"
    assert "take that layer in hand" in ask(tess, shot, "undo/").json()["error"]
    undone = ask(tess, shot, "undo", kind=to, output=body["output"])
    assert undone.status_code == 200
    for one, was in ((shot, before), (shots[1], other)):
        np.testing.assert_array_equal(code(one), was)
    if same:
        ask(tess, shot, "move", **body, version=fresh(shot).version)
        back = {**body, "from": to, "to": "trim", "number": SharedLayer.objects.get().number}
        assert ask(tess, shot, "move", **back, version=fresh(shot).version).status_code == 200
        np.testing.assert_allclose(code(shot), before, rtol=0, atol=1e-9)
        np.testing.assert_array_equal(code(shots[1]), other)


@pytest.mark.parametrize(
    ("step", "to", "words"),
    [
        (KEYED, "camera_trim", "changes along the shot"),
        (Exposure(id="e", stops=1), "finish", "works on scene light only"),
    ],
)
def test_what_cannot_stand_in_a_layer_is_not_moved_there(tess, shots, step, to, words):
    shot = settings_saved(tess, shots[0], steps=[step.model_dump(mode="json")])
    body = {"from": "trim", "to": to, "step": "e", "output": "", "version": shot.version, "number": 0}
    answer = ask(tess, shot, "move", **body)
    assert answer.status_code == 422
    assert words in answer.json()["error"]
    assert fresh(shot).version == shot.version


def test_a_move_to_the_finish_of_another_output_says_what_the_main_one_loses(tess, production, shots):
    from upwelling.web.productions.deliveries import deliver

    deliver(production, "BT.2100 PQ 1000")
    shot = settings_saved(tess, shots[0], steps=[LIFT.model_dump(mode="json")])
    body = {"from": "trim", "to": "finish", "step": "sop", "output": "HDR", "only": True}
    bare = path_of(shot, shot.settings.model_copy(update={"steps": ()})).apply(CODES)
    most = 100 * np.abs(bare - path_of(shot).apply(CODES)).max()
    said = ask(tess, shot, "move", **body).json()["sentence"]
    assert abs(float(said.split("up to ")[1].split(" %")[0]) - most) < 0.5 * most


def test_a_move_on_what_was_changed_meanwhile_changes_nothing(tess, shots):
    save(tess, shots[0], "camera_trim", WARM)
    shot = settings_saved(tess, shots[0], steps=[Exposure(id="e", stops=1).model_dump(mode="json")])
    body = {"from": "trim", "to": "camera_trim", "step": "e", "output": ""}
    for version, number in ((shot.version - 1, 1), (shot.version, 0)):
        assert ask(tess, shot, "move", **body, version=version, number=number).status_code == 422
    assert "no longer there" in ask(tess, shot, "move", **{**body, "step": "x"}, version=1, number=1).json()["error"]
    assert (LayerVersion.objects.count(), fresh(shot).version) == (1, shot.version)


def test_viewers_look_and_change_nothing(as_, shots):
    for what in ("save", "undo", "redo", "move"):
        assert ask(as_("vera"), shots[0], what, kind="camera_trim").status_code == 403
        assert ask(as_("olaf"), shots[0], what, kind="camera_trim").status_code == 404
    assert (
        ask(as_("vera"), shots[0], "touches", kind="camera_trim", output="", content=content(WARM)).status_code == 200
    )


@pytest.mark.parametrize("kind", ["camera_trim", "finish"])
def test_what_is_found_in_the_picture_goes_by_the_light_of_the_layer(tess, shots, kind):
    """The neutral and the colour range of a step are of what reaches it in its own layer."""
    step = WARM if kind == "camera_trim" else Saturation(id="s", amount=0.5)
    own = content(Contrast(id="c", contrast=1.4), step) if kind == "camera_trim" else content(LIFT, step)
    body = {"settings": {kind: {"own": own}}, "stage": kind, "step": step.id, "point": {"x": 20, "y": 9}, "output": ""}
    answer = tess.post(f"/p/kilnlight/bench/{shots[0].pk}/colour-range/", body, content_type="application/json").json()
    shot = shots[0]
    chosen = shot.settings.model_copy(update={kind: type(shot.settings.finish).model_validate({"own": own})})
    path = path_of(shot, chosen)
    from upwelling.core.operations.colour import polar
    from upwelling.core.steps.selections.colour_range import oklab_rows
    from upwelling.web.footage.frames import frame_of

    light = run_reference(path.until(kind, step.id), frame_of(shot).working[5:14, 16:25].astype(float))
    primaries = path.working_primaries if kind == "camera_trim" else path.target.gamut
    hue = polar(light.mean(axis=(0, 1)), np.array(oklab_rows(primaries)))[1]
    found = answer["range"]
    assert abs((found["hue"] - hue + 180) % 360 - 180) < 12


@pytest.mark.parametrize("step", [Vignette(id="v"), CalmNoise(id="n")])
def test_what_no_table_carries_may_be_shared_all_the_same(tess, shots, step):
    assert save(tess, shots[0], "camera_trim", step).status_code == 200
    assert path_of(fresh(shots[1])).needs != frozenset()
