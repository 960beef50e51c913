"""Who may see and change what; headers; sign-in."""

import numpy as np
import pytest
from django.conf import settings
from django.test import Client
from django.urls import get_resolver, resolve, reverse

from upwelling.core.lut import Lut3D, lattice
from upwelling.core.steps import SlopeOffsetPower
from upwelling.core.tables.files import write_lut
from upwelling.web.bakes.models import Bake
from upwelling.web.common.access import Access
from upwelling.web.footage.look_services import create_look
from upwelling.web.jobs.models import Job
from upwelling.web.luts.services import bring_in_lut
from upwelling.web.productions.services import define_encoding


def addresses(production, shot):
    """Pages to look at, and addresses that change something; one camera and one own encoding are made for them."""
    p, camera = f"/p/{production.slug}", production.cameras.get_or_create(name="A-cam")[0]
    own = define_encoding(
        production, None, {"name": "Own", "form": {"kind": "curve", "name": "S-Log3"}}, replaces="Own"
    )
    look = production.looks.first() or create_look(production, None, "Own", [SlopeOffsetPower(saturation=0.9)])
    lut = production.luts.first()
    if lut is None:
        table = settings.FILES / "own.cube"
        table.parent.mkdir(parents=True, exist_ok=True)
        write_lut(Lut3D(lattice(3).astype(np.float32)), table)
        lut = bring_in_lut(production, None, "own.cube", table)
    looks = [
        "/",
        "/encodings/",
        f"{p}/",
        f"{p}/people/",
        f"{p}/record/",
        f"{p}/about/",
        f"{p}/handover/",
        f"{p}/handover/file/",
        f"{p}/bench/{shot.pk}/",
        f"{p}/bakes/",
        f"{p}/shots/{shot.pk}/thumbnail/",
        f"{p}/intake/",
        f"{p}/intake/progress/",
        f"{p}/cameras/{camera.pk}/",
        f"{p}/references/",
        f"{p}/match/",
        f"{p}/cuts/",
        f"{p}/deliveries/",
        f"{p}/deliveries/new/",
        f"{p}/shots/{shot.pk}/chart/",
        f"{p}/shots/{shot.pk}/split/",
        f"{p}/shots/{shot.pk}/alike/",
        f"{p}/shots/{shot.pk}/alike/parade/",
        f"{p}/encodings/",
        f"{p}/shots/{shot.pk}/recorded/",
        f"{p}/shots/{shot.pk}/picture/",
        f"{p}/bench/{shot.pk}/share/",
        f"{p}/bench/{shot.pk}/filmstrip/",
        f"{p}/looks/",
        f"{p}/looks/{look.pk}/",
        f"{p}/wall/",
        f"{p}/remarks/",
        f"{p}/bench/{shot.pk}/remarks/",
        f"{p}/wall/sheet/?as=png",
        f"{p}/looks/picture/{shot.pk}/?look={look.pk}",
        f"{p}/looks/{look.pk}/look.json",
        f"{p}/luts/{lut.pk}/",
        f"{p}/luts/{lut.pk}/file/",
        f"{p}/bakes/of/{shot.pk}/",
        f"{p}/bakes/receivers/",
        f"{p}/bakes/cdl/",
    ]
    changes = [
        f"{p}/people/",
        f"{p}/about/",
        f"{p}/copy/",
        f"{p}/rules/",
        f"{p}/intake/upload/",
        f"{p}/shots/{shot.pk}/encoding/",
        f"{p}/bench/{shot.pk}/save/",
        f"{p}/bench/{shot.pk}/undo/",
        f"{p}/bench/{shot.pk}/redo/",
        f"{p}/bakes/of/{shot.pk}/start/",
        f"{p}/bench/{shot.pk}/stand/",
        f"{p}/intake/register/",
        f"{p}/intake/dismiss/",
        f"{p}/intake/change/",
        f"{p}/intake/proposal/",
        f"{p}/cameras/{camera.pk}/",
        f"{p}/references/",
        f"{p}/cameras/{camera.pk}/remove/",
        f"{p}/cameras/{camera.pk}/match/",
        f"{p}/cuts/",
        f"{p}/deliveries/new/",
        f"{p}/deliveries/presets/",
        f"{p}/match/",
        f"{p}/cameras/{camera.pk}/correction/",
        f"{p}/bench/{shot.pk}/shelve/",
        f"{p}/bench/{shot.pk}/match/",
        f"{p}/bench/{shot.pk}/match/give/",
        f"{p}/shots/{shot.pk}/chart/find/",
        f"{p}/shots/{shot.pk}/chart/mark/",
        f"{p}/shots/{shot.pk}/split/look/",
        f"{p}/shots/{shot.pk}/split/make/",
        f"{p}/encodings/",
        f"{p}/encodings/{own.pk}/remove/",
        f"{p}/bench/{shot.pk}/history/",
        f"{p}/bench/{shot.pk}/share/give/",
        f"{p}/bench/{shot.pk}/share/1/take-back/",
        f"{p}/looks/new/",
        f"{p}/looks/give/",
        f"{p}/wall/move/",
        f"{p}/wall/match/",
        f"{p}/wall/accept/",
        f"{p}/wall/back/",
        f"{p}/looks/sheet/give/",
        f"{p}/looks/sheet/1/take-back/",
        f"{p}/looks/{look.pk}/propose/",
        f"{p}/looks/{look.pk}/decide/",
        f"{p}/looks/{look.pk}/manage/",
        f"{p}/luts/bring-in/",
        f"{p}/luts/recover/",
        f"{p}/luts/{lut.pk}/declare/",
        f"{p}/luts/{lut.pk}/use/",
        f"{p}/luts/{lut.pk}/remove/",
        f"{p}/bakes/tolerances/",
        f"{p}/bakes/receivers/define/",
        f"{p}/bakes/receivers/1/remove/",
        f"{p}/bakes/packages/start/",
        f"{p}/bakes/packages/1/again/",
        f"{p}/bakes/1/again/",
        f"{p}/shots/{shot.pk}/begin-anew/",
        f"{p}/shots/{shot.pk}/alike/take/",
    ]
    return looks, changes


def test_every_page_needs_sign_in(production, shot):
    looks, changes = addresses(production, shot)
    for address in looks:
        answer = Client().get(address)
        assert answer.status_code == 302, address
        assert answer["Location"].startswith("/sign-in/")
    for address in changes:
        assert Client().post(address).status_code == 302
    assert Client().get("/sign-in/").status_code == 200


def _every_address(slug):
    """Each address of the application, filled in, with its view's mark."""
    for pattern in (p for r in get_resolver().url_patterns for p in getattr(r, "url_patterns", [r])):
        named = {name: slug if name == "slug" else 987654 for name in pattern.pattern.regex.groupindex}
        yield reverse(pattern.name, kwargs=named), getattr(pattern.callback, "access", None)


def _faults(address, access, olaf, vera):
    """What is wrong with an address: no mark, or a mark that does not hold. Olaf is no member, Vera looks only."""
    if access is None:
        return ["no mark: declare it with production_view, shot_view, signed_in, anybody and the like"]
    found = []
    if access.who == "guests":
        codes = {
            getattr(one, method)(address).status_code for one in (Client(), olaf, vera) for method in ("get", "post")
        }
        return [] if codes <= {404, 405} else ["opens without the link of a showing"]
    if access.who != "anybody" and not Client().get(address).status_code == Client().post(address).status_code == 302:
        found.append("comes without sign-in")
    if access.who != "members":
        return found
    for method in ("get", "post"):
        if getattr(olaf, method)(address).status_code not in (404, 405):
            found.append(f"{method}: a stranger comes in")
        status = getattr(vera, method)(address, headers={"Accept": "application/json"}).status_code
        if access.changes(method.upper()) != (status == 403) and status != 405:
            found.append(f"{method}: a viewer gets {status}")
    return found


def test_every_view_says_who_may_come_and_holds_it(production, as_):
    olaf, vera = as_("olaf"), as_("vera")
    checked = list(_every_address(production.slug))
    wrong = {address: found for address, access in checked if (found := _faults(address, access, olaf, vera))}
    assert len(checked) > 90
    assert not wrong


def test_a_view_without_a_mark_or_with_a_false_one_is_found(production, shot, as_):
    olaf, vera = as_("olaf"), as_("vera")
    address = reverse("save", args=[production.slug, shot.pk])
    assert _faults(address, None, olaf, vera)
    assert _faults(address, Access("members", change=False), olaf, vera)
    assert not _faults(address, Access("members", change=True), olaf, vera)


def test_addresses_that_change_something_are_marked_so(production, shot):
    """Where a viewer is refused by the lists above, the mark says so, and the other way round."""
    looks, changes = addresses(production, shot)
    assert all(resolve(address.split("?")[0]).func.access.changes("POST") for address in changes)
    assert not any(resolve(address.split("?")[0]).func.access.changes("GET") for address in looks)


def test_strangers_see_nothing(production, shot, as_):
    looks, changes = addresses(production, shot)
    olaf = as_("olaf")
    for address in looks[2:]:
        assert olaf.get(address).status_code == 404
    for address in changes:
        assert olaf.post(address).status_code == 404
    assert "Kilnlight" not in olaf.get("/").content.decode()


def test_viewers_look_and_do_not_change(production, shot, as_):
    looks, changes = addresses(production, shot)
    vera = as_("vera")
    for address in looks:
        assert vera.get(address).status_code == 200, address
    for address in changes:
        answer = vera.post(address, headers={"Accept": "application/json"})
        assert answer.status_code == 403, address
        assert "viewer" in answer.json()["error"]
    assert b"Bake a LUT" not in vera.get(looks[4]).content
    preview = vera.post(
        f"/p/{production.slug}/bench/{shot.pk}/preview/", {"settings": {}}, content_type="application/json"
    )
    assert preview.status_code == 200


def test_a_shot_of_another_production_is_not_found(production, shot, as_, people):
    from upwelling.web.productions.services import create_production

    other = create_production(people["tess"], "Other")
    assert as_("tess").get(f"/p/{other.slug}/bench/{shot.pk}/").status_code == 404
    assert as_("tess").get(f"/p/{other.slug}/shots/{shot.pk}/thumbnail/").status_code == 404


def test_jobs_and_bakes_belong_to_their_production(production, shot, as_):
    job = Job.objects.create(kind="bake", production=production)
    bake = Bake.objects.create(production=production, shot=shot, job=job, recipe={}, size=5, file_name="x.cube")
    for address in (f"/jobs/{job.pk}/", f"/p/{production.slug}/bakes/{bake.pk}/lut/"):
        assert as_("olaf").get(address).status_code == 404
    assert as_("vera").get(f"/jobs/{job.pk}/").json()["state"] == "waiting"
    assert as_("vera").post(f"/jobs/{job.pk}/cancel/").status_code == 404
    assert as_("tess").post(f"/jobs/{job.pk}/cancel/").json()["state"] == "cancelled"


def test_headers(production, as_):
    answer = as_("tess").get("/")
    policy = answer["Content-Security-Policy"]
    assert "default-src 'none'" in policy
    assert "script-src 'self'" in policy
    assert "style-src 'self'" in policy
    assert "unsafe" not in policy
    assert answer["X-Content-Type-Options"] == "nosniff"
    assert answer["X-Frame-Options"] == "DENY"
    assert answer["Referrer-Policy"] == "same-origin"
    assert answer["Cross-Origin-Opener-Policy"] == "same-origin"


def test_pages_carry_no_inline_script_or_style(production, shot, as_):
    for address in (
        a
        for a in addresses(production, shot)[0]
        if not a.endswith(("thumbnail/", "recorded/", "picture/", "parade/", "filmstrip/", "file/", ".json"))
        and "looks/picture" not in a
        and "as=png" not in a
    ):
        page = as_("tess").get(address).content.decode()
        assert " style=" not in page
        assert "<style" not in page
        assert " onclick=" not in page
        for script in page.split("<script")[1:]:
            assert "src=" in script.split(">")[0] or 'type="application/json"' in script.split(">")[0]


def test_csrf_is_on(production, people):
    client = Client(enforce_csrf_checks=True)
    client.force_login(people["tess"])
    assert client.post(f"/p/{production.slug}/rules/", {}).status_code == 403


def test_wrong_password_says_so(people):
    answer = Client().post("/sign-in/", {"username": "tess", "password": "wrong"})
    assert b"do not match" in answer.content


@pytest.mark.parametrize("address", ["/nothing/", "/p/none/", "/p/none/bench/1/"])
def test_not_found_is_a_page(as_, production, address):
    answer = as_("tess").get(address)
    assert answer.status_code == 404
    assert b"There is nothing at this address" in answer.content


@pytest.mark.parametrize(
    ("came_from", "leads_back"),
    [
        ("http://testserver/p/kilnlight/looks/", True),
        ("http://elsewhere.test/p/", False),
        ("javascript:alert(1)", False),
        ("", False),
    ],
)
def test_a_refusal_leads_back_to_the_page_it_came_from_and_nowhere_else(as_, production, came_from, leads_back):
    answer = as_("tess").post("/p/kilnlight/luts/bring-in/", {}, headers={"referer": came_from} if came_from else {})
    assert answer.status_code == 422
    assert (b"Back to where you were" in answer.content) == leads_back
