"""Guests of a showing: coming in, what they are shown, what they say."""

from __future__ import annotations

import datetime
from pathlib import Path as FilePath
from typing import Any

from django.conf import settings
from django.contrib.auth.hashers import check_password
from django.core import signing
from django.db.models import F
from django.http import HttpResponse
from django.urls import reverse
from django.utils import timezone

from upwelling.web.common.requests import Refused, text_of, whole
from upwelling.web.cuts.models import Cut
from upwelling.web.deliveries.cut_plan import frames_played
from upwelling.web.deliveries.models import Delivery
from upwelling.web.productions.record import BY_GUEST, enter
from upwelling.web.productions.remark_places import read_place
from upwelling.web.productions.remarks import MOST, Remark, reply, settle, write_remark
from upwelling.web.showings.models import GuestRemark, Showing, ShownItem, ShownState, Visitor
from upwelling.web.showings.services import chain

MOST_WRONG, CLOSED = 8, datetime.timedelta(minutes=15)
"""Wrong pass phrases in a row after which nobody comes in for a while."""
MOST_VISITORS = 500
SETTLES = ("tick", "open", "remove")
"""What a guest does with a remark of their own."""


def cookie_of(showing: Showing) -> str:
    return f"showing-{showing.pk}"


def known_visitor(showing: Showing, cookie: str) -> Visitor | None:
    """Who a browser's cookie says it is."""
    try:
        key = signing.Signer(salt=cookie_of(showing)).unsign(cookie)
    except signing.BadSignature:
        return None
    return showing.visitors.filter(key=key).first()


def come_in(showing: Showing, phrase: str, name: str) -> Visitor:
    """Lets somebody in; raises Refused for a wrong pass phrase, and for anybody after too many."""
    now = timezone.now()
    rows = Showing.objects.filter(pk=showing.pk)
    if showing.closed_until is not None and showing.closed_until > now:
        raise Refused("The pass phrase was wrong too often. Wait a quarter of an hour, and try again.")
    if showing.phrase and not check_password(phrase, showing.phrase):
        rows.update(wrong=F("wrong") + 1)
        showing.refresh_from_db(fields=["wrong"])
        if showing.wrong >= MOST_WRONG:
            rows.update(wrong=0, closed_until=now + CLOSED)
        raise Refused("That is not the pass phrase. Ask who sent you the link.")
    if showing.wrong:
        rows.update(wrong=0, closed_until=None)
    if showing.visitors.count() >= MOST_VISITORS:
        raise Refused("This showing was opened too often. Ask who sent you the link for a new one.")
    visitor = showing.visitors.create(name=" ".join(name.split())[:60])
    enter(showing.production, None, f"showing opened{BY_GUEST}", f"{showing}, by {visitor}")
    return visitor


def seen_again(visitor: Visitor) -> None:
    """Counts that somebody came back."""
    Visitor.objects.filter(pk=visitor.pk).update(last=timezone.now(), times=F("times") + 1)


def set_cookie(answer: HttpResponse, showing: Showing, visitor: Visitor) -> None:
    """Lets the browser come again; the cookie is sent to the addresses of this showing alone."""
    value = signing.Signer(salt=cookie_of(showing)).sign(visitor.key)
    answer.set_cookie(
        cookie_of(showing),
        value,
        path=showing.address,
        expires=showing.ends,
        httponly=True,
        samesite="Lax",
        secure=settings.SESSION_COOKIE_SECURE,
    )


def page_data(showing: Showing) -> dict[str, Any]:
    """What the page needs to know of all that is shown."""
    items = showing.items.select_related("movie", "earlier__item__showing").prefetch_related("states")
    return {
        "items": [_item(showing, one) for one in items],
        "hdr": bool(showing.sdr_output),
        "says": showing.remarks_allowed,
        "downloads": showing.downloads_allowed,
        "remarks": reverse("showing-remarks", args=[showing.token]),
        "along": reverse("showing-along", args=[showing.token]),
    }


def _item(showing: Showing, item: ShownItem) -> dict[str, Any]:
    states = [_state(showing, one, one.name) for one in item.states.all()]
    if item.earlier is not None:
        states.append(_state(showing, item.earlier, f"{item.earlier.item.showing.name}"))
    playable = item.movie is not None and movie_file(item.movie) is not None
    return {
        "pk": item.pk,
        "name": item.name,
        "at": item.frame_said,
        "states": states,
        "movie": reverse("showing-movie", args=[showing.token, item.movie.pk]) if playable and item.movie else "",
        "begin": item.begin,
        "frames": item.frames,
        "rate": item.rate,
        "follows": showing.after is not None,
        "changes": item.changes,
        "note": item.note,
    }


def _state(showing: Showing, state: ShownState, name: str) -> dict[str, Any]:
    made = state.made or {}
    kinds = (*made, "small") if made else ()
    address = {kind: reverse("showing-picture", args=[showing.token, state.pk, kind]) for kind in kinds}
    size = made.get("main", {})
    return {
        "pk": state.pk,
        "name": name,
        "picture": address.get("sdr") or address.get("main", ""),
        "hdr": address["main"] if "sdr" in address else "",
        "small": address.get("small", ""),
        "width": size.get("width", 0),
        "height": size.get("height", 0),
        "problem": state.problem or ("" if made else "Its still is being made; it comes by itself."),
    }


def state_of(showing: Showing, pk: int) -> ShownState | None:
    """A state that the showing shows: its own, or one of the showing before that stands beside its own."""
    state = ShownState.objects.select_related("item__showing").filter(pk=pk).first()
    if state is None:
        return None
    own = state.item.showing == showing or showing.items.filter(earlier=state).exists()
    return state if own else None


def movie_of(showing: Showing, pk: int) -> Delivery | None:
    """A movie that the showing shows."""
    return Delivery.objects.select_related("production").filter(pk=pk, pk__in=showing.items.values("movie")).first()


def movie_file(row: Delivery) -> FilePath | None:
    """Its file, where its proof holds and it lies there as long as it was then."""
    try:
        whole_file = row.verdict == "holds" and row.place.stat().st_size == row.size_bytes
    except OSError:
        return None
    return row.place if whole_file else None


def guest_remarks(showing: Showing, visitor: Visitor) -> list[dict[str, Any]]:
    """What guests said of this showing, and of those it follows as long as it is not done; the newest first."""
    showings = chain(showing)
    rows = GuestRemark.objects.filter(item__showing__in=showings).select_related(
        "remark__answered_by", "remark__created_by", "item__showing", "visitor"
    )
    rows = rows.prefetch_related("remark__replies__created_by").order_by("-remark__created", "-pk")
    items = {(one.shot_id, one.event): one.pk for one in showing.items.all()}
    by_shot = {shot: pk for (shot, _), pk in items.items()}
    found = []
    for row in rows:
        own = row.item.showing == showing
        if not own and row.remark.state == "done":
            continue
        at = row.item.pk if own else items.get((row.item.shot_id, row.item.event)) or by_shot.get(row.item.shot_id)
        found.append(_said(row, at, visitor, "" if own else row.item.showing.name))
    return found


def _said(row: GuestRemark, item: int | None, visitor: Visitor, carried: str) -> dict[str, Any]:
    one = row.remark
    mine = row.visitor == visitor
    may = {"open": ("tick", "remove"), "answered": ("tick", "open"), "done": ("open",)}.get(one.state, ())
    when = timezone.localtime(one.created).strftime("%d %b %H:%M")
    answered = f"answered by {one.answered_by or 'someone'}" if one.answered else ""
    return {
        "pk": one.pk,
        "item": item,
        "text": one.text,
        "who": f"{one.guest}, {when}",
        "at": row.item.frame_said if one.frame == row.item.frame else f"frame {one.frame}",
        "frame": one.frame,
        "place": one.place,
        "state": one.state,
        "carried": carried,
        "answered": f"{answered}: {one.answer}" if one.answer and answered else answered,
        "replies": [
            {"pk": said.pk, "text": said.text, "who": said.said_by}
            for said in sorted(one.replies.all(), key=lambda said: said.pk)
        ],
        "may": list(may) if mine else [],
    }


def take_remark(showing: Showing, visitor: Visitor, body: dict[str, Any]) -> None:
    """Keeps what a guest says, or does with a remark of their own; raises Refused."""
    if not showing.remarks_allowed:
        raise Refused("This showing is to be looked at; it takes no remarks.")
    _name(visitor, text_of(body.get("name"), 60))
    what = text_of(body.get("what"))
    if what == "write":
        _write(showing, visitor, body)
        return
    row = GuestRemark.objects.select_related("remark", "visitor").filter(
        item__showing__in=chain(showing), remark=whole(body.get("remark"))
    )
    one = row.first()
    if one is None:
        raise Refused("That remark is no longer there. Reload the page.")
    if what == "reply":
        reply(one.remark, None, text_of(body.get("text"), MOST + 1), guest=visitor.name, guest_until=showing.ends)
        return
    if what not in SETTLES or one.visitor != visitor:
        raise Refused("Who asked for it ticks it off.")
    settle(one.remark, None, what, changes=False)


def _name(visitor: Visitor, said: str) -> None:
    name = " ".join(said.split()) or visitor.name
    if not name:
        raise Refused("Say your name, so that people know who asks.")
    if name != visitor.name:
        visitor.name = name
        visitor.save(update_fields=["name"])
        Remark.objects.filter(of_guest__visitor=visitor).update(guest=name)


def _write(showing: Showing, visitor: Visitor, body: dict[str, Any]) -> None:
    item = showing.items.select_related("shot").filter(pk=whole(body.get("item"))).first()
    state = item.states.filter(pk=whole(body.get("state"))).first() if item else None
    if item is None or item.shot is None:
        raise Refused("This shot is no longer part of the production, so nothing can be said of it here.")
    state = state or item.states.first()
    assert state is not None
    frame = item.frame
    if body.get("moment") is not None:
        frame = _frame_at(item, whole(body["moment"]))
    remark = write_remark(
        showing.production,
        None,
        ("shot", item.shot.pk, f"{item.shot.name}, {item.shot.frame_said(frame)}"),
        text_of(body.get("text"), MOST + 1),
        question=True,
        frame=frame,
        place=read_place(body.get("place")),
        seen=(state.seen if frame == item.frame else state.seen_at(frame))[:12],
        output=showing.output,
        settings_then=state.settings,
        guest=visitor.name,
        guest_until=showing.ends,
    )
    GuestRemark.objects.create(remark=remark, visitor=visitor, item=item)
    enter(showing.production, None, f"remark written{BY_GUEST}", f"{item}, by {visitor}")


def _frame_at(item: ShownItem, moment: int) -> int:
    """The frame of the file that a movie shows at its frame ``moment``."""
    at = min(max(moment - item.begin, 0), item.frames - 1)
    if item.speed == 1:
        return item.first + at
    cut: Cut | None = item.showing.cut
    event = cut.events.filter(number=item.event).first() if cut and item.event else None
    return frames_played(item.first, item.frames, event.frames, item.speed)[at] if event else item.frame
