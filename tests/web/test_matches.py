"""Matching many: a run in the background, proposals that change nothing until they are accepted, taken back at once."""

import cv2
import pytest

from tests.web.test_match import two as two
from upwelling.core.media import read_still, write_still
from upwelling.core.simulate.camera import B_CAM
from upwelling.core.simulate.shipped import shipped
from upwelling.core.steps import Exposure, SlopeOffsetPower
from upwelling.web.footage.history import apply_settings
from upwelling.web.footage.models import Shot, ShotGroup
from upwelling.web.footage.paths import path_of
from upwelling.web.matches import services
from upwelling.web.matches.first import proposed
from upwelling.web.matches.models import MatchProposal, MatchRun

PAGE = "/p/kilnlight/match/"


@pytest.fixture
def many(two, upload, production, tmp_path):
    """The reference, one a stop under, one a stop over with an own exposure, and another scene."""
    a, b = two
    shots = [a, b]
    for name, scene, how in (("c", "Cold bench", {"stops": 1}), ("d", "Colour store", {})):
        light = cv2.resize(shipped(scene), (640, 360), interpolation=cv2.INTER_AREA)
        write_still(tmp_path / f"{name}.tif", B_CAM.shoot(light, seed=ord(name), **how), "16")
        upload(f"{name}.tif", (tmp_path / f"{name}.tif").read_bytes())
        shot = Shot.objects.get(original_name=f"{name}.tif")
        shot.encoding, shot.managed = B_CAM.encoding_name, True
        shot.save()
        shots.append(shot)
    return shots


def begin(client, shots, reference, django_capture_on_commit_callbacks, **more):
    asked = {"shot": [shot.pk for shot in shots], "reference": reference, "method": "scene", **more}
    with django_capture_on_commit_callbacks(execute=True):
        client.post(PAGE, asked)
    return MatchRun.objects.first()


def stops(shot):
    settings = Shot.objects.get(pk=shot.pk).settings
    return sum(step.stops for step in settings.active if step.kind == "exposure")


@pytest.mark.parametrize("own", ["keep", "aside"])
def test_a_run_proposes_and_what_is_accepted_is_taken_back_at_once(
    many, as_, people, own, django_capture_on_commit_callbacks
):
    a, b, c, d = many
    tess = as_("tess")
    apply_settings(c, people["tess"], c.settings.with_steps((Exposure(stops=0.5),)), version=0, label="trim")
    run = begin(tess, many, f"shot:{a.pk}", django_capture_on_commit_callbacks, own=own)
    rows = {row.shot_id: row for row in run.proposals.all()}
    assert a.pk not in rows, "the reference is not matched to itself"
    assert [rows[s.pk].state for s in (b, c, d)] == ["found", "found", "refused"]
    assert "same scene" in rows[d.pk].said
    assert rows[b.pk].after < 0.6 < rows[b.pk].before
    assert (stops(b), stops(c)) == (0, 0.5), "nothing is changed yet"
    page = f"{PAGE}{run.pk}/"
    seen = as_("vera").get(page).content.decode()
    assert "proposed: 2" in seen
    assert "own steps act on top" in seen if own == "keep" else "own steps" not in seen
    assert as_("vera").get(f"{page}pictures/{rows[b.pk].pk}/").status_code == 200
    assert as_("vera").get(f"{page}pictures/{rows[d.pk].pk}/").status_code == 404
    assert as_("vera").post(f"{page}accept/", {"all": "on"}).status_code == 403
    assert "Choose at least one" in tess.post(f"{page}accept/", {}, follow=True).content.decode()
    # The shot is changed meanwhile: the match goes before what it has now.
    now = Shot.objects.get(pk=b.pk)
    apply_settings(now, people["tess"], now.settings.with_steps((Exposure(stops=0.25),)), version=0, label="trim")
    assert "Put into 2 shots" in tess.post(f"{page}accept/", {"all": "on"}, follow=True).content.decode()
    assert stops(b) == pytest.approx(1.25 if own == "keep" else 1, abs=0.2)
    assert stops(c) == pytest.approx(-0.5 if own == "keep" else -1, abs=0.2)
    fresh = Shot.objects.get(pk=c.pk)
    assert fresh.settings.groups[0].name == f"Match to {a.name}"
    assert "accepted: 2" in tess.get(page).content.decode()
    change = run.proposals.get(shot=b).change
    assert "Taken back from all" in tess.post(f"{page}take-back/{change.pk}/", follow=True).content.decode()
    assert (stops(b), stops(c)) == (0.25, 0.5)
    assert "was taken back" in tess.get(page).content.decode()
    assert "Put into 1 shot." in tess.post(f"{page}accept/", {"one": rows[b.pk].pk}, follow=True).content.decode()


def test_what_enters_the_trim_has_changed(many, as_, django_capture_on_commit_callbacks):
    a, b, c, _ = many
    tess = as_("tess")
    run = begin(tess, (b, c), f"shot:{a.pk}", django_capture_on_commit_callbacks)
    Shot.objects.filter(pk=b.pk).update(encoding="S-Log3/S-Gamut3.Cine")
    said = tess.post(f"{PAGE}{run.pk}/accept/", {"all": "on"}, follow=True).content.decode()
    assert f"{b.name}: what enters its trim has changed since" in said
    assert "Put into 1 shot." in said
    assert run.proposals.get(shot=b).state == "found"
    assert "match it again" in tess.post(f"{PAGE}{run.pk}/accept/", {"all": "on"}, follow=True).content.decode()


def test_each_to_its_neighbour(many, as_, production, django_capture_on_commit_callbacks):
    a, b, c, _ = many
    group = ShotGroup.objects.create(production=production, name="Bench")
    Shot.objects.filter(pk__in=[a.pk, b.pk]).update(group=group)
    run = begin(as_("tess"), (b, c), "neighbour", django_capture_on_commit_callbacks)
    one, other = run.proposals.all()
    assert (one.state, one.reference_name) == ("found", a.name)
    assert "is in no group" in other.said
    again = begin(as_("tess"), (a, b), "neighbour", django_capture_on_commit_callbacks)
    assert all("leave the one out" in row.said for row in again.proposals.all())


def test_a_run_that_was_broken_off_goes_on(many, as_, monkeypatch, django_capture_on_commit_callbacks):
    a, b, c, _ = many
    run = begin(as_("tess"), (b, c), f"shot:{a.pk}", django_capture_on_commit_callbacks)
    run.proposals.filter(shot=c).update(state="waiting", said="")
    type(run.job).objects.filter(pk=run.job_id).update(state="running")
    asked = []
    monkeypatch.setattr(services, "_propose", lambda run, proposal, shot: asked.append(shot.pk))
    services.perform_run(run.pk)
    assert asked == [c.pk], "what was found is not looked for again"


def test_refusals(many, as_, people, production, django_capture_on_commit_callbacks):
    a, b, *_ = many
    tess = as_("tess")
    for asked, words in (
        ({"shot": [], "reference": f"shot:{a.pk}", "method": "scene"}, "Choose at least one shot"),
        ({"shot": [a.pk], "reference": f"shot:{a.pk}", "method": "scene"}, "beside the reference"),
        ({"shot": [b.pk], "reference": f"shot:{a.pk}", "method": "pairs"}, "nobody to mark"),
        ({"shot": [b.pk], "reference": "shelf:99", "method": "scene"}, "no longer on the shelf"),
        ({"shot": [b.pk], "reference": "shot:99999", "method": "scene"}, "Choose a shot, a Mark or a reference"),
    ):
        assert words in tess.post(PAGE, asked, follow=True).content.decode()
    assert MatchProposal.objects.count() == 0
    assert as_("vera").post(PAGE, {}).status_code == 403
    assert as_("olaf").get(PAGE).status_code == 404
    assert "Match many" in tess.get(f"{PAGE}?camera=1").content.decode()


def region(y, x, size=0.06):
    return {"kind": "rectangle", "left": x, "top": y, "right": x + size, "bottom": y + size}


def test_a_first_pass_proposes_by_what_was_marked_and_one_undo_takes_it_back(
    many, as_, production, django_capture_on_commit_callbacks
):
    """A marked grey gives exposure and balance, with the evidence in words; what has none is left as it is."""
    a, b, *_ = many
    tess = as_("tess")
    for shot in (a, b):
        at = f"/p/kilnlight/bench/{shot.pk}/mark-region/"
        sent = {"kind": "grey", "region": region(0.1, 0.7), "frame": 0}
        assert tess.post(at, sent, "application/json").json()["marked"]["grey"]["frame"] == shot.first_frame
    assert tess.post(at, {"kind": "sky", "region": region(0, 0)}, "application/json").status_code == 422
    assert as_("vera").post(at, sent, "application/json").status_code == 403
    with django_capture_on_commit_callbacks(execute=True):
        assert tess.post(PAGE, {"method": "first pass"}).status_code == 302, "none chosen: all"
    run = MatchRun.objects.get()
    rows = {row.shot_id: row for row in run.proposals.all()}
    assert len(rows) == production.shots.count()
    assert all(row.remarks for row in rows.values())
    assert "sure, from the marked grey" in " ".join(rows[a.pk].remarks)
    assert rows[a.pk].after < 0.5 < rows[a.pk].before
    page = tess.get(f"{PAGE}{run.pk}/").content.decode()
    assert "First pass, each shot by itself" in page
    found = [row.pk for row in rows.values() if row.state == "found"]
    tess.post(f"{PAGE}{run.pk}/accept/", {"proposal": found})
    settings = Shot.objects.get(pk=a.pk).settings
    assert settings.groups[0].name == "First pass"
    assert {step.group for step in settings.active} == {"first"}
    change = MatchProposal.objects.get(pk=rows[a.pk].pk).change
    tess.post(f"{PAGE}{run.pk}/take-back/{change.pk}/")
    assert not Shot.objects.get(pk=a.pk).settings.active
    tess.post(f"/p/kilnlight/bench/{a.pk}/mark-region/", {"kind": "grey", "region": None}, "application/json")
    assert Shot.objects.get(pk=a.pk).known_regions == {}


@pytest.mark.parametrize("own", [(), (SlopeOffsetPower(id="sop", slope=(1.2, 1.2, 1.2), saturation=1.3),)])
def test_a_lifted_black_is_brought_down_by_a_step_that_knows_nothing_of_the_shots_own(shot, own):
    """To 2 % of the display's signal where it stands, before the shot's own steps: by the exact path, of its darkest
    codes.
    """
    settings = shot.settings.model_copy(update={"steps": own})
    made, taken = proposed(shot, settings)
    (black,) = [step for step in made.steps if step.kind == "slope_offset_power"]
    assert (black.slope, black.saturation) == ((1, 1, 1), 1)
    assert [step.id for step in taken.steps if not step.group] == [step.id for step in own]
    alone = settings.model_copy(update={"steps": (black.model_copy(update={"id": "black"}),)})
    dark = read_still(shot.disk_path).code[:8, :8].reshape(-1, 3).mean(axis=0, keepdims=True)
    assert float(path_of(shot, alone).apply(dark).mean()) == pytest.approx(0.02, abs=0.004)
    assert "black to 2 %" in made.words.lower()
