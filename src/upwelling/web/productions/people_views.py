"""Members of a production and its record; accounts, for who looks after them; the places where one is signed in."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.contrib import messages
from django.contrib.auth.models import User
from django.contrib.auth.views import PasswordResetConfirmView
from django.contrib.messages.views import SuccessMessageMixin
from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from upwelling.core.count_of import count_of
from upwelling.core.errors import UpwellingError
from upwelling.web.common.access import signed_in
from upwelling.web.common.finding import Choice, finder
from upwelling.web.common.paging import page_of
from upwelling.web.common.requests import Refused, whole_or
from upwelling.web.productions import accounts
from upwelling.web.productions.access import production_view
from upwelling.web.productions.models import Member, Production, Rights, may_administer

HELD = "invitation-link"


@require_http_methods(["GET", "POST"])
@production_view(change="POST")
def people(request: HttpRequest, production: Production) -> HttpResponse:
    """Who is a member in which role; a technician adds, changes and removes them."""
    if request.method == "POST":
        name, what = request.POST.get("name", "").strip(), request.POST.get("what", "")
        request.about = name  # type: ignore[attr-defined]
        try:
            if what == "remove":
                accounts.remove_member(production.slug, name)
                messages.success(request, f"{name} is out of {production.name}. What they made stays.")
            else:
                accounts.set_member(production.slug, name, request.POST.get("role", ""))
                messages.success(request, f"{name} is {request.POST['role']} of {production.name}.")
        except UpwellingError as error:
            messages.error(request, str(error))
        gone = production.role_of(request.user) is None
        return redirect("productions") if gone else redirect("people", production.slug)
    members = production.members.select_related("user").order_by("role", "user__username")
    return render(
        request,
        "productions/people.html",
        {"members": members, "roles": Member.Role.choices, "administers": may_administer(request.user)},
    )


@require_GET
@production_view()
def record(request: HttpRequest, production: Production) -> HttpResponse:
    """Who did what, the newest first; by a word, a person, and what was done."""
    rows = production.record.select_related("user")
    names = sorted({name for name in rows.order_by().values_list("user__username", flat=True) if name})
    kinds = sorted(set(rows.order_by().values_list("what", flat=True)))
    asked = finder(
        request.GET,
        [
            Choice("who", "anybody", [(name, name) for name in names]),
            Choice("what", "anything", [(kind, kind) for kind in kinds]),
        ],
        [("new", "newest"), ("old", "oldest")],
        hint="Name of a shot, a camera, a file …",
        pictures=False,
    )
    if asked["who"]:
        rows = rows.filter(user__username=asked["who"])
    if asked["what"]:
        rows = rows.filter(what=asked["what"])
    if asked.word:
        rows = rows.filter(about__icontains=asked.word)
    if asked.sort == "old":
        rows = rows.order_by("began", "pk")
    page = page_of(request, rows)
    return render(request, "productions/record.html", {"page": page, "finder": asked})


def _administrators(view: Callable[..., HttpResponse]) -> Callable[..., HttpResponse]:
    def inner(request: HttpRequest, **rest: Any) -> HttpResponse:
        if not may_administer(request.user):
            raise PermissionDenied("Accounts are looked after by an administrator.")
        return view(request, **rest)

    return signed_in(inner)


@require_GET
@_administrators
def accounts_page(request: HttpRequest) -> HttpResponse:
    """All accounts with their roles, rights and sessions; forms that change them."""
    rights = {row.user_id: row for row in Rights.objects.all()}
    roles, sessions = dict(accounts.accounts()), accounts.session_counts()
    rows = [
        {
            "user": user,
            "roles": [role for role in roles.get(user.username, []) if ":" in role],
            "rights": rights.get(user.pk) or Rights(user=user),
            "sessions": sessions[str(user.pk)],
            "invited": not user.has_usable_password(),
        }
        for user in User.objects.order_by("-is_active", "username")
    ]
    return render(request, "productions/accounts.html", {"rows": rows, "link": request.session.pop(HELD, None)})


@require_POST
@_administrators
def change_accounts(request: HttpRequest) -> HttpResponse:
    """Invites, resets, ends, opens again, gives rights; a link to be handed on is shown once, on the page."""
    what = request.POST.get("what", "")
    try:
        if what == "invite":
            user = accounts.invite(request.POST.get("name", ""), **_rights(request))
            _hold(request, user, accounts.link_for(user))
        else:
            user = get_object_or_404(User, pk=whole_or(request.POST.get("user")))
            _change(request, user, what)
    except UpwellingError as error:
        messages.error(request, str(error))
    return redirect("accounts")


def _change(request: HttpRequest, user: User, what: str) -> None:
    match what:
        case "reset":
            _hold(request, user, accounts.reset(user))
        case "end" | "open":
            accounts.set_active(user, what == "open", request.user)  # type: ignore[arg-type]
            messages.success(request, f"{user} {'may sign in again' if what == 'open' else 'can no longer sign in'}.")
        case "rights":
            accounts.set_rights(user, **_rights(request))
            messages.success(request, f"What {user} may do is saved.")
        case "sessions":
            ended = accounts.end_sessions(user)
            messages.success(request, f"{user} is signed out in {count_of(ended, 'place')}.")
        case _:
            raise Refused("Choose what to do with the account.")


def _rights(request: HttpRequest) -> dict[str, bool]:
    return {name: request.POST.get(name) == "on" for name in ("creates", "administers")}


def _hold(request: HttpRequest, user: User, path: str) -> None:
    request.session[HELD] = {"name": user.username, "address": request.build_absolute_uri(path)}


class Invitation(SuccessMessageMixin, PasswordResetConfirmView):
    """Whoever holds the link sets their own password, once."""

    template_name = "productions/invitation.html"
    success_url = "/sign-in/"
    success_message = "Your password is set. Sign in with it."


@require_http_methods(["GET", "POST"])
@signed_in
def own_sessions(request: HttpRequest) -> HttpResponse:
    """Where one is signed in; ending one place, or all others."""
    here = request.session.session_key or ""
    user: Any = request.user
    if request.method == "POST":
        key = request.POST.get("key", "")
        ended = accounts.end_sessions(user, key, but=here)
        messages.success(request, f"{ended} place{'s are' if ended != 1 else ' is'} signed out.")
        return redirect("own-sessions")
    return render(request, "productions/sessions.html", {"sessions": accounts.sessions_of(user, here)})
