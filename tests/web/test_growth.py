"""Many shots, bakes, states and Marks: pages show a part, ask as often as for few, and work goes in turns."""

import itertools
import json

import numpy as np
import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from PIL import Image

from tests.web.pages import shots_of
from upwelling.core.documents import sealed
from upwelling.core.lut import Lut3D, lattice
from upwelling.core.steps import Exposure, LutStep, Saturation
from upwelling.core.tables.files import write_lut
from upwelling.web.bakes.kept_texts import KeptText, brought_back, put_away
from upwelling.web.bakes.models import Bake
from upwelling.web.bakes.orders import order_for
from upwelling.web.bakes.services import start_bake
from upwelling.web.common.requests import Refused
from upwelling.web.footage import giving
from upwelling.web.footage.arrivals import register_folders
from upwelling.web.footage.history import next_state, unshare
from upwelling.web.footage.listing import around, choices, looks_in_force, managed, numbers_with, with_settled
from upwelling.web.footage.look_models import looks_of
from upwelling.web.footage.look_services import create_look, give_to_all, make_group
from upwelling.web.footage.models import Mark, Shot, ShotState
from upwelling.web.footage.shot_settings import OwnLook, ShotSettings
from upwelling.web.jobs.models import Job, Task
from upwelling.web.luts.services import bring_in_lut, declare
from upwelling.web.productions.services import set_rules


def multiply(shot, count, **values):
    """So many copies of a shot, each with content of its own."""
    made = []
    for number in range(count):
        copy = Shot.objects.get(pk=shot.pk)
        copy.pk, copy._state.adding = None, True
        copy.name, copy.sha256 = f"A{number:04d}", f"{number:064x}"
        for name, value in values.items():
            setattr(copy, name, value)
        copy.save()
        made.append(copy)
    return made


PAGES = ("", "intake/", "bench/{shot}/", "bench/{shot}/share/", "looks/", "looks/{look}/", "wall/", "outputs/",
         "bench/{shot}/renderings/", "bench/{shot}/monitor/", "bakes/", "bakes/of/{shot}/", "bakes/cdl/",
         "cameras/{camera}/")  # fmt: skip


def test_pages_cost_what_they_show(production, shot, as_, people):
    camera = production.cameras.create(name="A-cam")
    look = create_look(production, people["tess"], "Warm", [Saturation(amount=0.8)])
    give_to_all(production, look, 1.0)
    tess = as_("tess")
    addresses = [f"/p/kilnlight/{page.format(shot=shot.pk, look=look.pk, camera=camera.pk)}" for page in PAGES]

    def ask():
        found = {}
        for address in addresses:
            tess.get(address)  # pictures and figures that are kept are made the first time
            with CaptureQueriesContext(connection) as queries:
                answer = tess.get(address)
            found[address] = len(queries), len(answer.content)
            assert answer.status_code == 200, address
        return found

    multiply(shot, 61, camera=camera)
    few = ask()
    multiply(shot, 240, camera=camera)
    many = ask()
    assert {a: n for a, (n, _) in many.items()} == {a: n for a, (n, _) in few.items()}
    assert all(size < 500_000 for _, size in many.values())
    text = tess.get("/p/kilnlight/?page=2", follow=True).content.decode()
    assert "41–80 of 302" in text
    assert tess.get("/p/kilnlight/shots/?page=99999999999999999999").status_code == 200
    found = tess.get(f"/p/kilnlight/bench/{shot.pk}/strip/?word=A0239").json()
    assert "A0239" in found["html"]
    assert [other["name"] for other in found["others"]] == ["A0239"]


def test_the_database_settles_encodings_as_the_rules_do(production, shot):
    """Every way an encoding can be said, against ``inheritance.settled``, and management against ``is_managed``."""
    cameras = [
        None,
        production.cameras.create(name="A", encoding="S-Log3/S-Gamut3.Cine"),
        production.cameras.create(name="B"),
    ]
    states, encodings = ("known", "contradictory", "settled"), ("", "LogC3 EI 800/Wide Gamut 3")
    for raw, camera, state, encoding, own in itertools.product(
        (None, {}), cameras, states, encodings, (None, True, False)
    ):
        multiply(shot, 1, raw_profile=raw, camera=camera, state=state, encoding=encoding, managed=own)
    for default, on in itertools.product(("", "V-Log/V-Gamut"), (True, False)):
        set_rules(production, {"default_encoding": default, "managed": on})
        said = dict(with_settled(production).values_list("pk", "in_force"))
        usable = set(managed(production).values_list("pk", flat=True))
        for one in shots_of(production):
            assert said[one.pk] == one.settled.encoding
            assert (one.pk in usable) == (one.settled.is_settled and one.is_managed)


def test_the_database_knows_which_look_is_in_force(production, shot, people):
    shots = [shot, *multiply(shot, 5)]
    warm = create_look(production, people["tess"], "Warm", [Saturation(amount=0.8)])
    cold = create_look(production, people["tess"], "Cold", [Saturation(amount=1.2)])
    group = make_group(production, "Furnace", [s.pk for s in shots[:3]])
    for given, grouped in itertools.product((None, warm), (None, cold)):
        give_to_all(production, given, 1.0, inherit=given is None)
        give_to_all(production, grouped, 1.0, group, inherit=grouped is None)
        for index, own in enumerate((None, OwnLook(look=0), OwnLook(look=warm.pk), OwnLook(look=cold.pk))):
            fresh = Shot.objects.get(pk=shots[index + 1].pk)
            next_state(fresh, people["tess"], ShotSettings(look=own), "x")
        rows = shots_of(production)
        table = looks_of(rows[0].production)
        expected = {s.pk: getattr(table.in_force(s, s.settings).version, "look", 0) for s in rows}
        assert dict(looks_in_force(rows[0].production)) == expected
        assert set(numbers_with(warm)) == {pk for pk, look in expected.items() if look == warm.pk}


@pytest.mark.parametrize(("at", "found"), [(0, [0, 1, 2, 3]), (5, [3, 4, 5, 6]), (9, [6, 7, 8, 9]), (77, [0, 1, 2, 3])])
def test_around_one_of_many(at, found):
    assert around(range(10), at, 4) == found
    assert around(range(3), 1, 4) == [0, 1, 2]


def test_menus_are_bounded(production, shot, monkeypatch):
    monkeypatch.setattr("upwelling.web.footage.listing.MOST_CHOICES", 10)
    shots = multiply(shot, 40)
    listed = [row["pk"] for row in choices(production.shots.all(), shots[30].pk)]
    assert len(listed) == 10
    assert shots[30].pk in listed


def test_a_look_is_given_to_all_shots_in_turns_and_taken_back(
    production, shot, as_, people, monkeypatch, django_capture_on_commit_callbacks
):
    numbers = [s.pk for s in [shot, *multiply(shot, 99)]]
    look = create_look(production, people["tess"], "Warm", [Saturation(amount=0.8)])
    tess = as_("tess")
    given = []
    real = giving._give
    monkeypatch.setattr(giving, "_give", lambda change, some: given.append(len(some)) or real(change, some))
    with django_capture_on_commit_callbacks(execute=True):
        tess.post("/p/kilnlight/looks/sheet/give/", {"what": "look", "look": look.pk, "strength": "70", "all": "on"})
    change = production.shared_changes.get()
    assert change.job.state == "done"
    assert given == [20] * 5
    assert set(numbers_with(look)) == set(numbers)
    assert ShotState.objects.filter(shared=change).count() == 100
    Job.objects.filter(pk=change.job.pk).update(state="running")  # as if its worker had died: nothing is given twice
    giving.give_to_many(change.pk)
    assert ShotState.objects.filter(shared=change).count() == 100
    other = Shot.objects.get(pk=numbers[5])
    next_state(other, people["tess"], other.settings.model_copy(update={"trim_on": False}), "later")
    assert [left.pk for left in unshare(change)] == [other.pk]
    assert numbers_with(look) == [other.pk]
    with pytest.raises(Refused, match="already"):
        unshare(change)


def test_what_is_being_given_is_not_taken_back(production, shot, people, settings):
    settings.WORK_AT_ONCE = False
    numbers = [s.pk for s in multiply(shot, 50)]
    change = giving.give_look(production, people["tess"], None, 1.0, numbers)
    assert Task.objects.get(kind="give").key == change.pk
    with pytest.raises(Refused, match="still being given"):
        unshare(change)


def test_long_histories_and_many_marks_come_in_parts(shot, as_, people):
    def body(n):
        changed = ShotSettings().with_steps([Exposure(id="exposure", stops=n / 900)])
        return sealed("shot settings", changed.model_dump(mode="json"))

    bodies = [body(n) for n in range(350)]
    ShotState.objects.bulk_create(
        ShotState(shot=shot, position=n, label=f"state {n}", settings=body) for n, body in enumerate(bodies)
    )
    Mark.objects.bulk_create(Mark(shot=shot, name=f"Mark {n}", settings=bodies[0]) for n in range(90))
    Shot.objects.filter(pk=shot.pk).update(position=349)

    def ask(pages=None):
        body = {"settings": shot.settings.model_dump(mode="json"), "pages": pages}
        return as_("tess").post(f"/p/kilnlight/bench/{shot.pk}/marks/", body, "application/json").json()

    first = ask()
    assert [s["position"] for s in first["states"]] == list(range(349, 249, -1))
    assert all(s["changed"] for s in first["states"])
    assert (len(first["marks"]), first["more_marks"], first["more_states"]) == (40, 50, 250)
    rest = ask(9)
    assert (len(rest["states"]), rest["more_states"], rest["more_marks"]) == (350, 0, 0)
    Shot.objects.filter(pk=shot.pk).update(position=120)  # undone a long way: the present one is still there
    assert any(s["now"] for s in ask()["states"])


def test_a_table_is_kept_once_for_all_bakes(production, shot, people, settings):
    write_lut(Lut3D(lattice(17).astype(np.float32) ** 1.01), settings.FILES / "print.cube")
    row = bring_in_lut(production, people["tess"], "print.cube", settings.FILES / "print.cube")
    declare(row, expects="ACEScct/AP1", expects_range="full", gives="ACEScct/AP1", gives_range="full",
            interpolation="tetrahedral")  # fmt: skip
    give_to_all(production, create_look(production, None, "Print", [LutStep(lut=row.declared)]), 1.0)
    settings.WORK_AT_ONCE = False
    order = order_for(Shot.objects.get(pk=shot.pk), {"size": "17"})
    bakes = [start_bake(Shot.objects.get(pk=shot.pk), people["tess"], order) for _ in range(3)]
    assert KeptText.objects.count() == 1
    assert all(len(json.dumps(Bake.objects.get(pk=one.pk).order)) < 12_000 for one in bakes)
    again = Bake.objects.get(pk=bakes[0].pk)
    assert again.bake_order == order
    assert again.path.fingerprint == order.path.fingerprint


@pytest.mark.parametrize("body", [None, 5, [], {"data": "short"}, {"a": [{"data": "x" * 5000}, {"data": 7}]}])
def test_putting_away_and_bringing_back_is_nothing(db, body):
    assert brought_back(put_away(body)) == body
    assert put_away(put_away(body)) == put_away(body)


@pytest.mark.slow
def test_a_thousand_files_come_in_at_once_and_none_is_lost(
    settings, production, people, django_capture_on_commit_callbacks
):
    """Written by Pillow, each with content of its own, one of them broken and one twice."""
    folder = settings.MEDIA_FOLDER / "thousand"
    folder.mkdir(parents=True)
    for number in range(1000):
        picture = np.full((16, 16, 3), (number % 251, number // 251, 128), np.uint8)
        Image.fromarray(picture).save(folder / f"Take{number}x.png")
    (folder / "Broken.png").write_bytes((folder / "Take5x.png").read_bytes()[:60])
    (folder / "Twice.png").write_bytes((folder / "Take7x.png").read_bytes())
    with django_capture_on_commit_callbacks(execute=True):
        register_folders(production, people["tess"], ["thousand"])
    assert production.shots.count() == 1000
    assert sorted(production.shots.values_list("original_name", flat=True))[0] == "Take0x.png"
    states = list(production.arrivals.order_by().values_list("state", flat=True))
    assert (states.count("done"), states.count("failed"), states.count("here")) == (1000, 1, 1)
