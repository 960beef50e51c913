"""Access declared on the view: who may come to an address, as a mark that the access test reads."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal, TypeVar

from django.contrib.auth.decorators import login_not_required

View = TypeVar("View", bound=Callable[..., Any])
Change = bool | Literal["POST"]
"""Whether a view changes something: never, always, or when it is sent to."""


@dataclass(frozen=True)
class Access:
    """``who``: anybody, anybody signed in, members of the production in the address, or guests with the link of a
    showing in it; ``change``: then only its technicians; ``says``: what is sent there is a person's word, which viewers
    have too.
    """

    who: Literal["anybody", "signed in", "members", "guests"]
    change: Change = False
    says: bool = False

    def changes(self, method: str) -> bool:
        """Whether a request of that method changes something."""
        return self.change is True or self.change == method


def marked(view: View, access: Access) -> View:
    """The view with its mark."""
    view.access = access  # type: ignore[attr-defined]
    return view


def anybody(view: View) -> View:
    """For addresses that need no sign-in."""
    return marked(login_not_required(view), Access("anybody"))


def signed_in(view: View) -> View:
    """For addresses of no production in particular; what they show is chosen by the person's memberships."""
    return marked(view, Access("signed in"))
