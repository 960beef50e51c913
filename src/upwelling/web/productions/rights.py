"""What members of a production may do, by their role: with its choice in the model the one place to add a role to."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING, Any, Literal

from django.http import HttpRequest

if TYPE_CHECKING:
    from upwelling.web.productions.models import Production

Act = Literal["change"]
"""“change”: everything but looking and downloading."""
ALLOWED: dict[str, frozenset[Act]] = {"technician": frozenset({"change"}), "viewer": frozenset()}


def roles_that(act: Act) -> list[str]:
    """The roles that may do it, for a query over members."""
    return [role for role, acts in ALLOWED.items() if act in acts]


class May:
    """What someone may do in a production; asked for once for a request."""

    def __init__(self, production: Production, user: Any) -> None:
        self._production, self._user = production, user

    @cached_property
    def acts(self) -> frozenset[Act]:
        return ALLOWED.get(self._production.role_of(self._user) or "", frozenset())

    @property
    def change(self) -> bool:
        return "change" in self.acts


def may(request: HttpRequest, act: Act) -> bool:
    """Whether who asks may do it in the production of the address."""
    return act in request.may.acts  # type: ignore[attr-defined]


def of_production(request: HttpRequest) -> dict[str, Any]:
    """For all templates of a production's pages: ``production``, and ``may`` as in ``may.change``."""
    production = getattr(request, "production", None)
    return {} if production is None else {"production": production, "may": request.may}  # type: ignore[attr-defined]
