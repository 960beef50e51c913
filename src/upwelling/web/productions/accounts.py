"""People and what they may do: accounts, passwords, and roles in productions. Raises BadValue with one sentence."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path as FilePath
from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.contrib.auth.tokens import default_token_generator
from django.contrib.sessions.models import Session
from django.core.exceptions import ValidationError
from django.db import transaction
from django.http import HttpRequest
from django.urls import reverse
from django.utils import timezone
from django.utils.dateparse import parse_datetime
from django.utils.encoding import force_bytes
from django.utils.http import urlsafe_base64_encode

from upwelling.core.errors import BadValue
from upwelling.web.productions.models import FootageRoot, Member, Production, Rights
from upwelling.web.productions.record import BY_COMMAND, enter


def user_named(name: str) -> User:
    """The account of that name; raises BadValue where there is none."""
    found = User.objects.filter(username=name).first()
    if found is None:
        raise BadValue(f"There is no account “{name}”. `upwelling user list` names them.")
    return found


def _production(slug: str) -> Production:
    found = Production.objects.filter(slug=slug).first()
    if found is None:
        known = ", ".join(Production.objects.values_list("slug", flat=True)[:12]) or "none yet"
        raise BadValue(f"There is no production “{slug}”. There are: {known}.")
    return found


def _role(role: str) -> str:
    if role not in Member.Role.values:
        raise BadValue(f"“{role}” is no role; there are {' and '.join(Member.Role.values)}.")
    return role


def checked_password(password: str, user: User) -> str:
    """The password, if it may be one; raises BadValue with everything that is wrong with it."""
    try:
        validate_password(password, user)
    except ValidationError as error:
        raise BadValue(" ".join(error.messages)) from None
    return password


def _named(name: str) -> User:
    """An account of that name, not saved; raises BadValue for a name that cannot be, or is taken."""
    user = User(username=name)
    try:
        user.clean_fields(exclude=["password"])
    except ValidationError as error:
        raise BadValue(f"“{name}” cannot be an account's name. {' '.join(error.messages)}") from None
    if User.objects.filter(username__iexact=name).exists():
        raise BadValue(f"There is an account “{name}” already.")
    return user


@transaction.atomic
def add_user(name: str, password: str, *, creates: bool = False) -> User:
    """A new account; ``creates`` gives it the right to begin productions."""
    user = _named(name)
    user.set_password(checked_password(password, user))
    user.save()
    Rights.objects.create(user=user, may_create=creates)
    return user


def allow(name: str, creates: bool) -> None:
    """Gives someone the right to begin productions, or takes it."""
    Rights.objects.update_or_create(user=user_named(name), defaults={"may_create": creates})


def administer(name: str) -> None:
    """Lets someone look after accounts, and begin productions."""
    Rights.objects.update_or_create(user=user_named(name), defaults={"may_create": True, "may_administer": True})


def add_root(slug: str, folder: str) -> str:
    """Lets a production register footage from a folder under the media folder; gives it as it is kept."""
    media = FilePath(settings.MEDIA_FOLDER).resolve()
    place = (media / folder).resolve()
    if not place.is_relative_to(media) or not place.is_dir():
        raise BadValue(f"There is no folder “{folder}” under the media folder ({media}).")
    kept = str(place.relative_to(media))
    FootageRoot.objects.get_or_create(production=_production(slug), folder=kept)
    return kept


def remove_root(slug: str, folder: str) -> None:
    """Takes a folder from a production; shots already registered from it stay."""
    if not _production(slug).footage_roots.filter(folder=folder).delete()[0]:
        raise BadValue(f"“{folder}” is no footage folder of {slug}. `upwelling root list` names them.")


def roots() -> list[tuple[str, str]]:
    """Each production's footage folders."""
    return list(FootageRoot.objects.order_by("production__slug", "folder").values_list("production__slug", "folder"))


def set_password(name: str, password: str) -> None:
    """Another password; every session of that person ends."""
    user = user_named(name)
    user.set_password(checked_password(password, user))
    user.save(update_fields=["password"])


def accounts() -> list[tuple[str, list[str]]]:
    """Each account with its roles, as “production: role”, and its right to begin productions."""
    roles: dict[str, list[str]] = {
        name: ["may begin productions"]
        for name in Rights.objects.filter(may_create=True).values_list("user__username", flat=True)
    }
    for name, slug, role in Member.objects.values_list("user__username", "production__slug", "role"):
        roles.setdefault(name, []).append(f"{slug}: {role}")
    return [
        (name, sorted(roles.get(name, [])))
        for name in User.objects.order_by("username").values_list("username", flat=True)
    ]


@transaction.atomic
def set_member(slug: str, name: str, role: str) -> None:
    """Makes someone a member of a production in a role, or changes the role of one who is."""
    production, user = _production(slug), user_named(name)
    if _role(role) != Member.Role.TECHNICIAN:
        _keep_a_technician(production, user)
    Member.objects.update_or_create(production=production, user=user, defaults={"role": role})


@transaction.atomic
def record_command(slug: str, what: str, about: str) -> None:
    """Notes in a production's record what was done to it on the command line."""
    enter(Production.objects.get(slug=slug), None, what + BY_COMMAND, about)


def remove_member(slug: str, name: str) -> None:
    """Takes someone out of a production; what they made stays."""
    production, user = _production(slug), user_named(name)
    if not production.members.filter(user=user).exists():
        raise BadValue(f"{name} is no member of {slug}.")
    _keep_a_technician(production, user)
    production.members.filter(user=user).delete()


def _keep_a_technician(production: Production, leaving: User) -> None:
    technicians = set(production.members.filter(role=Member.Role.TECHNICIAN).values_list("user", flat=True))
    if technicians == {leaving.pk}:
        raise BadValue(f"{leaving} is the only technician of {production.slug}. Make someone else one first.")


# --- by the page of an administrator ---------------------------------------------------------------------------------
@transaction.atomic
def invite(name: str, *, creates: bool = False, administers: bool = False) -> User:
    """A new account without a password; its person sets one at the address that ``link_for`` gives."""
    user = _named(name.strip())
    user.set_unusable_password()
    user.save()
    Rights.objects.create(user=user, may_create=creates, may_administer=administers)
    return user


def link_for(user: User) -> str:
    """The path at which someone sets their own password, once; good for as long as Django's reset links are."""
    number = urlsafe_base64_encode(force_bytes(user.pk))
    return reverse("invitation", args=[number, default_token_generator.make_token(user)])


def reset(user: User) -> str:
    """Ends someone's password and sessions; gives the path at which they set another."""
    user.set_unusable_password()
    user.save(update_fields=["password"])
    end_sessions(user)
    return link_for(user)


@transaction.atomic
def set_active(user: User, active: bool, by: User) -> None:
    """Lets someone sign in, or no longer; what they made stays. Nobody ends themselves, nor the last administrator."""
    if not active and user.pk == by.pk:
        raise BadValue("You cannot end your own account; another administrator can.")
    if not active:
        _keep_an_administrator(user)
    user.is_active = active
    user.save(update_fields=["is_active"])
    if not active:
        end_sessions(user)


@transaction.atomic
def set_rights(user: User, *, creates: bool, administers: bool) -> None:
    """What someone may do beyond their productions."""
    if not administers:
        _keep_an_administrator(user)
    Rights.objects.update_or_create(user=user, defaults={"may_create": creates, "may_administer": administers})


def _keep_an_administrator(leaving: User) -> None:
    left = Rights.objects.filter(may_administer=True, user__is_active=True).exclude(user=leaving)
    if Rights.objects.filter(user=leaving, may_administer=True).exists() and not left.exists():
        raise BadValue(f"{leaving} is the only administrator. Make someone else one first.")


@dataclass(frozen=True, slots=True)
class OpenSession:
    """One place where someone is signed in: its key, since when, by which program, and whether it is this one."""

    key: str
    until: datetime
    since: datetime | None
    program: str
    address: str
    here: bool = False


def _open_sessions() -> Iterator[tuple[Session, dict[str, Any]]]:
    for row in Session.objects.filter(expire_date__gt=timezone.now()).iterator():
        yield row, row.get_decoded()


def session_counts() -> Counter[str]:
    """In how many places each account is signed in, by its number as text."""
    return Counter(str(data.get("_auth_user_id", "")) for _, data in _open_sessions())


def sessions_of(user: User, here: str = "") -> list[OpenSession]:
    """Where someone is signed in; ``here`` is the key of the session that asks."""
    found = []
    for row, data in _open_sessions():
        if data.get("_auth_user_id") == str(user.pk):
            said = data.get("signed_in", {})
            program, address = (str(said.get(name, ""))[:160] for name in ("program", "address"))
            key, since = row.session_key, parse_datetime(str(said.get("at", "")))
            found.append(OpenSession(key, row.expire_date, since, program, address, key == here))
    return sorted(found, key=lambda one: (one.since is not None, one.since, one.until), reverse=True)


def end_sessions(user: User, key: str = "", *, but: str = "") -> int:
    """Ends one session of someone's, or all but one; gives how many."""
    keys = [one.key for one in sessions_of(user) if (one.key == key if key else one.key != but)]
    return Session.objects.filter(session_key__in=keys).delete()[0]


def note_sign_in(sender: object, request: HttpRequest | None, user: User, **_: object) -> None:
    """Keeps, with a new session, from where it was begun."""
    if request is not None and hasattr(request, "session"):
        request.session["signed_in"] = {
            "program": request.headers.get("User-Agent", "")[:160],
            "address": request.META.get("REMOTE_ADDR", ""),
            "at": timezone.now().isoformat(timespec="minutes"),
        }
