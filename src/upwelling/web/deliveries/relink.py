"""A cut written back over what was delivered from it."""

from __future__ import annotations

from upwelling.core.cut import Event
from upwelling.core.cut.write import Kind, Link, write_cut
from upwelling.core.errors import UpwellingError
from upwelling.core.media.timecode import Timecode
from upwelling.web.common.requests import Refused
from upwelling.web.cuts.models import Cut
from upwelling.web.deliveries.models import Delivery


def relinked(cut: Cut, kind: Kind) -> tuple[str, list[int]]:
    """The list over the newest proved file of each event, and the events that keep their old names. Raises Refused
    where none was delivered.
    """
    newest: dict[int, Delivery] = {}
    for row in cut.delivered.exclude(event=None).filter(verdict="holds").order_by("pk"):
        newest[row.event or 0] = row
    if not newest:
        raise Refused("No event of this cut has been delivered and proved. Deliver it as a file for each event first.")
    links, left = [], []
    for one in cut.events.all():
        event = one.event
        made = newest.get(event.number)
        link = _link(made, event, one.first) if made is not None else None
        if link is None:
            left.append(event.number)
            name = event.file or event.name or event.reel or f"EVENT {event.number}"
            link = Link(event, name, event.start, event.start, 0, event.reel)
        links.append(link)
    return write_cut(cut.name, cut.rate, cut.drop, links, kind), left


def _link(made: Delivery, event: Event, first: int | None) -> Link | None:
    """What an event is of now; None where its file does not begin before it does any more."""
    try:
        order = made.order
    except UpwellingError:
        return None
    piece = order.pieces[0]
    begins = order.label or Timecode(0, max(round(float(order.exact_rate)), 1))
    into = (piece.first if first is None else first) - piece.first
    if into < 0:
        return None
    reel = order.reel or made.name.rsplit(".", 1)[0]
    return Link(event, made.name, begins.count, begins.count + into, order.frames, reel)
