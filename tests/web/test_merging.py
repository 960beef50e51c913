"""Two technicians on one shot: different steps are put together, the same step is a conflict, and nothing is lost."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.web.test_bench import post
from tests.web.test_shots import body
from upwelling.core.steps import Contrast, Exposure, Saturation
from upwelling.web.footage.merging import merged
from upwelling.web.footage.models import Mark, Shot
from upwelling.web.footage.shot_settings import FIRST_STEPS, ShotSettings

BASE = ShotSettings()


def changed(settings=BASE, **steps):
    kept = tuple(step.model_copy(update=steps.get(step.id, {})) for step in settings.steps)
    return settings.model_copy(update={"steps": kept})


def without(name):
    return BASE.model_copy(update={"steps": tuple(step for step in BASE.steps if step.id != name)})


def added(step, at=None):
    steps = list(BASE.steps)
    steps.insert(len(steps) if at is None else at, step)
    return BASE.model_copy(update={"steps": tuple(steps)})


BRIGHT, HARD = changed(exposure={"stops": 1.0}), changed(contrast={"contrast": 1.4})
SWAPPED = BASE.model_copy(update={"steps": (*BASE.steps[1:], BASE.steps[0])})


@pytest.mark.parametrize(
    ("mine", "theirs", "wanted"),
    [
        (BRIGHT, HARD, changed(BRIGHT, contrast={"contrast": 1.4})),
        (BRIGHT, BRIGHT, BRIGHT),
        (BRIGHT, changed(exposure={"stops": 2.0}), None),
        (without("exposure"), HARD, changed(without("exposure"), contrast={"contrast": 1.4})),
        (without("exposure"), BRIGHT, None),
        (BRIGHT.model_copy(update={"look_on": False}), HARD.model_copy(update={"trim_on": False}), "both switches"),
        (BASE.model_copy(update={"look_on": False}), BASE, BASE.model_copy(update={"look_on": False})),
        (SWAPPED, HARD, changed(SWAPPED, contrast={"contrast": 1.4})),
        (SWAPPED, BASE.model_copy(update={"steps": BASE.steps[::-1]}), None),
        (added(Saturation(id="mine"), 1), added(Exposure(id="theirs"), 1), "both steps"),
        (added(Saturation(id="new")), added(Contrast(id="new")), None),
    ],
)
def test_what_is_put_together(mine, theirs, wanted):
    both = merged(BASE, mine, theirs)
    if wanted == "both switches":
        assert (both.look_on, both.trim_on) == (False, False)
    elif wanted == "both steps":
        ids = [step.id for step in both.steps]
        assert {"mine", "theirs"} < set(ids)
        assert [name for name in ids if name not in ("mine", "theirs")] == [step.id for step in FIRST_STEPS]
    else:
        assert both == wanted


@given(
    st.lists(st.tuples(st.sampled_from([step.id for step in FIRST_STEPS]), st.booleans(), st.booleans()), max_size=8)
)
def test_each_keeps_what_only_he_touched(rows):
    """Whoever switched a step off alone finds it off; where both did, they agree."""
    mine = {name: {"on": False} for name, one, _ in rows if one}
    theirs = {name: {"on": False} for name, _, one in rows if one}
    both = merged(BASE, changed(**mine), changed(**theirs))
    assert both == changed(**mine, **theirs) if not set(mine) & set(theirs) else both == changed(**{**mine, **theirs})


@pytest.mark.django_db
def test_a_late_save_is_put_together_and_said(shot, as_):
    tess = as_("tess")
    first = {"settings": body(exposure={"stops": 0.5}), "base": body(), "version": 0, "label": "exposure"}
    assert post(tess, shot, "save", first).json()["merged"] == []
    late = {"settings": body(contrast={"contrast": 1.5}), "base": body(), "version": 0, "label": "contrast"}
    said = post(tess, shot, "save", late).json()
    assert any("Exposure" in line for line in said["merged"])
    steps = {step.id: step for step in Shot.objects.get().settings.steps}
    assert (steps["exposure"].stops, steps["contrast"].contrast) == (0.5, 1.5)
    assert not Mark.objects.exists()
    clash = {"settings": body(exposure={"stops": 2.0}), "base": body(), "version": 0, "label": "exposure"}
    assert post(tess, shot, "save", clash).status_code == 409
    assert Mark.objects.get().kept
    plain = {"settings": body(contrast={"contrast": 1.1}), "version": 0, "label": "contrast"}
    assert post(tess, shot, "save", plain).status_code == 409
