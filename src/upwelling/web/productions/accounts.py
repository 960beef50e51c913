"""People and what they may do: accounts, passwords, and roles in productions. Raises BadValue with one sentence."""

from __future__ import annotations

from pathlib import Path as FilePath

from django.conf import settings
from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import transaction

from upwelling.core.errors import BadValue
from upwelling.web.productions.models import FootageRoot, Member, Production, Rights


def _user(name: str) -> User:
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


@transaction.atomic
def add_user(name: str, password: str, *, creates: bool = False) -> User:
    """A new account; ``creates`` gives it the right to begin productions."""
    user = User(username=name)
    try:
        user.clean_fields(exclude=["password"])
    except ValidationError as error:
        raise BadValue(f"“{name}” cannot be an account's name. {' '.join(error.messages)}") from None
    if User.objects.filter(username__iexact=name).exists():
        raise BadValue(f"There is an account “{name}” already.")
    user.set_password(checked_password(password, user))
    user.save()
    Rights.objects.create(user=user, may_create=creates)
    return user


def allow(name: str, creates: bool) -> None:
    """Gives someone the right to begin productions, or takes it."""
    Rights.objects.update_or_create(user=_user(name), defaults={"may_create": creates})


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
    user = _user(name)
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
    production, user = _production(slug), _user(name)
    if _role(role) != Member.Role.TECHNICIAN:
        _keep_a_technician(production, user)
    Member.objects.update_or_create(production=production, user=user, defaults={"role": role})


@transaction.atomic
def remove_member(slug: str, name: str) -> None:
    """Takes someone out of a production; what they made stays."""
    production, user = _production(slug), _user(name)
    if not production.members.filter(user=user).exists():
        raise BadValue(f"{name} is no member of {slug}.")
    _keep_a_technician(production, user)
    production.members.filter(user=user).delete()


def _keep_a_technician(production: Production, leaving: User) -> None:
    technicians = set(production.members.filter(role=Member.Role.TECHNICIAN).values_list("user", flat=True))
    if technicians == {leaving.pk}:
        raise BadValue(f"{leaving} is the only technician of {production.slug}. Make someone else one first.")
