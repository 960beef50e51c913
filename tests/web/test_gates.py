"""What is refused at the door: too many tries, bodies of strangers, what is too large, folders that were not given."""

import errno
import logging

import pytest
from django.contrib.auth.models import User
from django.core.cache import cache
from django.db import OperationalError
from django.test import Client
from waitress.adjustments import Adjustments

from upwelling.cli.main import main
from upwelling.core.errors import BadValue
from upwelling.core.media import write_still
from upwelling.web.common import errors
from upwelling.web.footage import arrivals
from upwelling.web.footage.folders import folder_list
from upwelling.web.productions import accounts
from upwelling.web.server import CarefulParser

JSON = {"Accept": "application/json"}


def test_sign_in_is_throttled_by_name_and_address_with_a_sentence(people):
    def tries(name, address, password="wrong"):
        return Client(REMOTE_ADDR=address).post("/sign-in/", {"username": name, "password": password})

    assert [tries("tess", "192.0.2.1").status_code for _ in range(10)] == [200] * 9 + [429]
    late = tries("tess", "192.0.2.2", "x" * 12)  # the right password, from elsewhere: the name rests
    assert late.status_code == 429
    assert b"quarter of an hour" in late.content
    assert tries("vera", "192.0.2.1", "x" * 12).status_code == 429  # another name from the same address
    assert tries("vera", "192.0.2.3", "x" * 12).status_code == 302


@pytest.mark.parametrize(
    ("length", "chunked", "who", "code"),
    [
        (1000, False, "", None),
        (100_000, False, "", 401),
        (10**8, False, "forged", 401),
        (10**8, False, "tess", None),
        (950 * 2**20, False, "tess", 413),
        (None, True, "tess", 413),
    ],
)
def test_a_body_is_refused_by_its_headers(people, as_, length, chunked, who, code, settings):
    cookie = {"": "", "forged": "sessionid=0123456789abcdef"}.get(who)
    cookie = f"sessionid={as_(who).cookies['sessionid'].value}" if cookie is None else cookie
    how = "Transfer-Encoding: chunked" if chunked else f"Content-Length: {length}"
    parser = CarefulParser(Adjustments())
    parser.received(
        f"POST /p/kilnlight/intake/upload/ HTTP/1.1\r\nHost: a\r\nCookie: {cookie}\r\n{how}\r\n\r\n".encode()
    )
    for _ in range(3 if chunked else 0):
        parser.received(b"8000\r\n" + b"x" * 0x8000 + b"\r\n")
    assert (parser.error.code if parser.error else None) == code
    if code:
        status, _, body = parser.error.to_response()
        assert parser.completed
        assert status.startswith(str(code))
        assert b'"error"' in body


def test_uploads_leave_room_on_the_disk(production, as_, settings):
    settings.DISK_RESERVE = 10**18
    answer = as_("tess").post("/p/kilnlight/intake/upload/", b"x" * 70_000, content_type="image/png", headers=JSON)
    assert answer.status_code == 507
    assert "has room for 0.0 MiB" in answer.json()["error"]
    stranger = Client().post("/p/kilnlight/intake/upload/", b"x" * 70_000, content_type="image/png", headers=JSON)
    assert stranger.status_code == 401


def test_a_production_takes_from_its_own_folders_only(production, as_, still, settings):
    for name in ("ours", "theirs"):
        (settings.MEDIA_FOLDER / name).mkdir()
        (settings.MEDIA_FOLDER / name / "A001.dpx").write_bytes(still)
    production.footage_roots.all().delete()
    tess = as_("tess")

    def said(folder, **also):
        return tess.post("/p/kilnlight/intake/register/", {"folder": folder, **also}, follow=True).content.decode()

    assert "upwelling root add kilnlight" in said("ours")
    assert accounts.add_root("kilnlight", "ours/") == "ours"
    assert folder_list(production).folders == ("ours",)
    for folder in ("theirs", ".", "ours/../theirs"):
        assert "not under this production’s footage folders" in said(folder)
    (settings.MEDIA_FOLDER / "ours" / "borrowed.dpx").symlink_to(settings.MEDIA_FOLDER / "theirs" / "A001.dpx")
    assert "1 file is being looked at" in said("theirs", typed="ours")
    assert main(["root", "remove", "kilnlight", "ours"]) == 0
    assert "upwelling root add" in said("ours")
    for folder in ("../x", "nowhere"):
        with pytest.raises(BadValue, match="no folder"):
            accounts.add_root("kilnlight", folder)


def test_the_folder_list_is_bounded_and_says_so(production, settings, monkeypatch):
    for number in range(12):
        place = settings.MEDIA_FOLDER / f"day {number:02d}"
        place.mkdir()
        (place / "a.dpx").touch()
    cache.clear()
    monkeypatch.setattr("upwelling.web.footage.folders.MOST_FOLDERS", 5)
    found = folder_list(production)
    assert (len(found.folders), found.whole) == (5, False)
    monkeypatch.undo()
    assert folder_list(production) == found  # kept for a minute


@pytest.mark.parametrize(
    ("names", "sizes", "runs"),
    [
        ([f"A.{n:04d}" for n in range(1, 10)], [(8, 6)], [9]),
        ([f"A.{n:03d}" for n in range(995, 1005)], [(8, 6)], [10]),
        ([f"A.{n:04d}" for n in range(0, 40, 4)], [(8, 6)], [10]),
        ([f"A.{n:04d}" for n in (1, 2, 3, 5, 6)], [(8, 6)], [5]),
        ([f"IMG_{n}" for n in (1021, 1033, 1040, 1077, 1100)], [(8, 6)], [1] * 5),
        ([f"A.{n:04d}" for n in range(1, 7)], [(8, 6), (6, 8)], [1] * 6),
        (["A.0001", "A.0002", "A.0003"], [(8, 6)], [1] * 3),
    ],
)  # fmt: skip
def test_a_run_of_numbers_is_a_sequence_only_where_step_and_size_agree(settings, names, sizes, runs):
    import numpy as np

    from upwelling.web.footage.folders import files_of, runs_of

    for index, name in enumerate(names):
        width, height = sizes[index % len(sizes)]
        write_still(settings.MEDIA_FOLDER / f"{name}.png", np.full((height, width, 3), index / 50), "8")
    found = runs_of(files_of(settings.MEDIA_FOLDER, [settings.MEDIA_FOLDER]))
    assert [len(run) for run in found] == runs
    assert [path.stem for run in found for path in run] == names


def test_ten_thousand_frames_are_one_sequence_in_the_order_of_their_numbers(settings, production, people, still):
    folder = settings.MEDIA_FOLDER / "long"
    folder.mkdir()
    first = folder / "A.00000.dpx"
    first.write_bytes(still)
    for number in range(1, 10_000):
        (folder / f"A.{number:05d}.dpx").hardlink_to(first)
    rows = arrivals.register_folders(production, people["tess"], ["long"])
    assert len(rows) == 1
    assert len(rows[0].members) == 10_000
    assert rows[0].members[9_999].endswith("A.09999.dpx")


def test_a_sequence_is_taken_apart_and_stills_are_put_together(
    settings, production, as_, people, django_capture_on_commit_callbacks
):
    import numpy as np

    for number in (1, 2, 3):
        write_still(settings.MEDIA_FOLDER / f"S.{number:04d}.png", np.full((6, 8, 3), number / 9), "8")
    with django_capture_on_commit_callbacks(execute=True):
        arrivals.register_folders(production, people["tess"], ["."])
    stills = list(production.shots.values_list("pk", flat=True))
    assert len(stills) == 3

    def change(verb, shots):
        with django_capture_on_commit_callbacks(execute=True):
            return as_("tess").post(
                "/p/kilnlight/intake/change/", {"shots": shots, "verb": verb}, "application/json", headers=JSON
            )

    assert change("together", stills).status_code == 200
    made = production.shots.get(kind="sequence")
    assert (made.frames, production.shots.count()) == (3, 4)
    production.shots.filter(pk__in=stills).delete()
    assert change("apart", [made.pk]).json() == {"changed": 1, "refused": []}
    assert production.shots.count() == 4
    assert "no sequence" in change("apart", [production.shots.filter(kind="still")[0].pk]).json()["refused"][0]
    assert "at least two" in change("together", [made.pk]).json()["error"]


def test_only_who_may_begins_a_production(people, as_):
    olaf = as_("olaf")
    assert b"New production" not in olaf.get("/").content
    assert olaf.post("/", {"name": "Mine"}).status_code == 403
    accounts.allow("olaf", True)
    assert olaf.post("/", {"name": "Mine"}).status_code == 302
    assert ("olaf", ["may begin productions", "mine: technician"]) in accounts.accounts()
    assert main(["user", "forbid", "olaf"]) == 0
    assert olaf.post("/", {"name": "Another"}).status_code == 403


def test_a_page_whose_session_has_ended_is_told_so_and_where_to_sign_in(production, shot):
    answer = Client().post(f"/p/kilnlight/bench/{shot.pk}/save/", {}, "application/json", headers=JSON)
    assert answer.status_code == 401
    assert answer.json()["sign_in"] == "/sign-in/"
    assert "kept" in answer.json()["error"]


@pytest.mark.parametrize(
    ("send", "status", "words"),
    [
        (lambda c: c.get("/p/none/"), 404, "nothing at this address"),
        (lambda c: c.get("/p/kilnlight/bench/" + "9" * 30 + "/"), 404, "nothing at this address"),
        (lambda c: c.get("/p/kilnlight/bench/" + "9" * 5000 + "/"), 404, "nothing at this address"),
        (lambda c: c.get("/p/" + "x" * 5000 + "/"), 404, "nothing at this address"),
        (lambda c: c.post("/jobs/" + "9" * 30 + "/cancel/"), 404, "nothing at this address"),
        (lambda c: c.get("/p/kilnlight/rules/"), 405, "not asked in that way"),
        (lambda c: c.post("/p/kilnlight/looks/sheet/give/", {f"f{n}": "" for n in range(20_500)}), 413, "more than"),
        (
            lambda c: c.post("/p/kilnlight/rules/", b"\xff", content_type="multipart/form-data"),
            400,
            "could not be read",
        ),
        (lambda c: c.get("/", headers={"host": "elsewhere.test"}), 400, "UPWELLING_HOSTS"),
    ],
)
def test_refusals_are_pages_of_ours_and_json_for_components(production, as_, send, status, words, caplog):
    client = as_("tess")
    client.raise_request_exception = False
    answer = send(client)
    assert answer.status_code == status
    assert words in answer.content.decode()
    assert not [record for record in caplog.records if record.exc_info]


def test_csrf_refusal_is_a_sentence(production, people):
    client = Client(enforce_csrf_checks=True)
    client.force_login(people["tess"])
    assert "Reload" in client.post("/p/kilnlight/rules/", {}, headers=JSON).json()["error"]


@pytest.mark.parametrize(
    ("error", "status", "words"),
    [
        (OSError(errno.ENOSPC, "No space left on device"), 507, "disk is full"),
        (OperationalError("database or disk is full"), 507, "disk is full"),
        (OperationalError("database is locked"), 503, "try again in a moment"),
        (ZeroDivisionError(), 500, "The fault is ours"),
    ],
)
@pytest.mark.parametrize("where", ["view", "session"])
def test_a_full_disk_is_said_wherever_it_strikes(production, as_, monkeypatch, error, status, words, where):
    def fall(*_, **__):
        raise error

    at = {
        "view": "upwelling.web.productions.views.on_fresh_rules",
        "session": "django.contrib.sessions.backends.db.SessionStore.save",
    }
    client = as_("tess")
    client.raise_request_exception = False
    monkeypatch.setattr(at[where], fall)
    if where == "view":
        monkeypatch.setattr("upwelling.web.productions.forms.RulesForm.is_valid", lambda self: True)
        answer = client.post("/p/kilnlight/rules/", {}, headers=JSON)
    else:
        answer = Client(raise_request_exception=False).post(
            "/sign-in/", {"username": "tess", "password": "x" * 12}, headers=JSON
        )
    assert answer.status_code == status
    assert words in answer.json()["error"]


def test_log_lines_say_who_asked_for_what_in_one_line(production, as_, caplog):
    from upwelling.web.common.request_log import Asked

    lines = []

    class Keep(logging.Handler):
        def emit(self, record):
            Asked().filter(record)
            lines.append((record.levelname, record.asked, record.getMessage(), record.exc_info))

    keeper = Keep()
    logging.getLogger("upwelling").addHandler(keeper)
    try:
        as_("vera").post("/p/kilnlight/rules/", {})
        as_("vera").get("/p/kilnlight/a%0Ab/")
    finally:
        logging.getLogger("upwelling").removeHandler(keeper)
    assert lines[0] == ("INFO", "vera POST /p/kilnlight/rules/", "answered 403", None)
    assert lines[1][1] == r"vera GET /p/kilnlight/a\nb/"
    assert errors.of_the_machine(ValueError()) is None
    assert User.objects.count() == 3
