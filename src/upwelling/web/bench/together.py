"""A joint look: what one person has on the Bench, as those see it who look along.

It is of the moment, so it is kept in the server's memory alone and ends with it. Who leads hands over pictures that are
made anyway; they are packed when somebody who looks along asks, once for all of them.
"""

from __future__ import annotations

import threading
import time
from dataclasses import dataclass, field
from typing import Any, Literal

from upwelling.web.common.pictures import jpeg, png

Role = Literal["here", "other"]
ROLES: tuple[Role, ...] = ("here", "other")
FORGOTTEN, GONE = 45.0, 12.0
"""Seconds without word after which a joint look is over, and after which somebody looks along no more."""
OFTEN = 0.3
"""Seconds between pictures of a moving hand that are handed on; a still is at once."""
QUALITY = 85


@dataclass
class Shown:
    """A picture uint8 (H, W, 3) as the page of who leads shows it; ``still``: at rest, and packed without loss."""

    number: int
    picture: Any
    still: bool
    said: str
    lock: threading.Lock = field(default_factory=threading.Lock)
    packed: tuple[bytes, str] | None = None

    def file(self) -> tuple[bytes, str]:
        """The picture's file and its kind, packed by whoever asks first."""
        with self.lock:
            if self.packed is None:
                kind = "image/png" if self.still else "image/jpeg"
                self.packed = (png(self.picture) if self.still else jpeg(self.picture, QUALITY, "420")), kind
            return self.packed


@dataclass
class Joint:
    """One joint look. ``state`` is what the page of who leads said last: how it compares, where its pointer is."""

    production: int
    user: int
    who: str
    number: int = 0
    pictures: dict[Role, Shown] = field(default_factory=dict)
    state: dict[str, Any] = field(default_factory=dict)
    waiting: dict[Role, tuple[Any, bool, str]] = field(default_factory=dict)
    taken: dict[Role, float] = field(default_factory=dict)
    heard: float = field(default_factory=time.monotonic)
    along: dict[int, tuple[str, float]] = field(default_factory=dict)

    def show(self, role: Role, picture: Any, said: str, *, still: bool) -> None:
        """Takes over a picture that the page of who leads is about to show; one of a moving hand may wait a little."""
        self.heard = time.monotonic()
        self.waiting[role] = picture, still, said
        self.hand_on()

    def hand_on(self) -> None:
        """Lets those who look along have what has waited long enough: the newest, whatever came between."""
        now = time.monotonic()
        for role, (picture, still, said) in list(self.waiting.items()):
            if still or now - self.taken.get(role, 0.0) >= OFTEN:
                self.waiting.pop(role, None)
                self.taken[role] = now
                self.number += 1
                self.pictures[role] = Shown(self.number, picture, still, said)

    def say(self, state: dict[str, Any]) -> None:
        """Takes over how the page of who leads compares and where it points."""
        self.heard = time.monotonic()
        if state != self.state:
            self.number += 1
            self.state = state

    def seen_by(self, key: int, name: str) -> None:
        """Notes that somebody looks along."""
        self.along[key] = name, time.monotonic()

    @property
    def watching(self) -> list[str]:
        """The names of those who look along now."""
        now = time.monotonic()
        return [name for name, seen in list(self.along.values()) if now - seen < GONE]


_joint: dict[int, Joint] = {}


def begin(key: int, production: int, user: Any) -> Joint:
    """Begins the joint look of a showing, in place of one that there may be."""
    _joint[key] = Joint(production, user.pk, str(user))
    return _joint[key]


def end(key: int) -> None:
    """Ends it; those who look along are told."""
    _joint.pop(key, None)


def joint_of(key: int) -> Joint | None:
    """The joint look of a showing; None where there is none, or who led it has not been heard of."""
    found = _joint.get(key)
    if found is not None and time.monotonic() - found.heard > FORGOTTEN:
        end(key)
        return None
    return found


def led_by(key: Any, production: int, user: Any) -> Joint | None:
    """The joint look that a page says it leads, where it is its person's."""
    found = joint_of(key) if isinstance(key, int) else None
    return found if found is not None and (found.production, found.user) == (production, user.pk) else None
