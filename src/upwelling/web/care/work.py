"""Where a production's work stands: its stations in order, what each has, and what waits there."""

from __future__ import annotations

from dataclasses import dataclass

from django.utils import timezone

from upwelling.core.count_of import count_of
from upwelling.core.proof.certificate import FAILS, HOLDS
from upwelling.web.footage.listing import loaded, own_looks, with_settled
from upwelling.web.footage.look_models import looks_of
from upwelling.web.footage.models import Arrival, Shot
from upwelling.web.matches.models import MatchProposal
from upwelling.web.productions.models import Production
from upwelling.web.productions.remarks import Remark, in_state

FOUND = MatchProposal.State.FOUND
PICTURES = 15
"""Shots that the first page shows."""


@dataclass(frozen=True)
class Station:
    """One part of the work: how much of it there is, what it consists of, what waits for somebody."""

    title: str
    url: str
    count: int
    said: str
    waits: str = ""
    at: str = ""
    """What the address asks the page for, where something waits."""


def stations(production: Production) -> list[Station]:
    """The work in its order, from the files to who they are handed to."""
    shots = production.shots.count()
    return [
        _brought_in(production, shots),
        _settled(production, shots),
        _corrected(production, shots),
        _looks(production),
        _outputs(production),
        _bakes(production),
        _deliveries(production),
        _handed_over(production),
    ]


def next_of(work: list[Station]) -> Station | None:
    """Where to go on: the first station where something waits, or else the first that has nothing."""
    return next((one for one in work if one.waits), None) or next((one for one in work if not one.count), None)


def pictured(production: Production) -> list[Shot]:
    """Shots for the first page: those without an encoding, then those with open remarks, then by name."""
    open_ones = in_state(Remark.objects.filter(production=production, kind="shot"), "open")
    asked = set(open_ones.values_list("number", flat=True))
    rows = with_settled(production).order_by("name", "pk").values_list("pk", "in_force")
    first = sorted(rows, key=lambda row: (row[1] != "", row[0] not in asked))
    return loaded(production, [number for number, _ in first[:PICTURES]])


def _brought_in(production: Production, shots: int) -> Station:
    refused = production.arrivals.filter(state=Arrival.State.FAILED).count()
    said = f"{count_of(shots, 'shot')}, {count_of(production.cameras.count(), 'camera')}"
    return Station("Bring in", "intake", shots, said, f"{count_of(refused, 'file')} not read" if refused else "")


def _settled(production: Production, shots: int) -> Station:
    unsettled = with_settled(production).filter(in_force="").count()
    known = shots - unsettled
    waits = f"{count_of(unsettled, 'shot')} without an encoding" if unsettled else ""
    return Station("Settle", "intake", known, f"{known} of {shots} known", waits)


def _corrected(production: Production, shots: int) -> Station:
    worked = production.shots.filter(position__gt=0).count()
    waiting = MatchProposal.objects.filter(run__production=production, run__set_aside=False, state=FOUND).count()
    waits = f"{count_of(waiting, 'match', 'matches')} proposed, to look at" if waiting else ""
    where = "match-many" if waits else "any-bench"
    return Station("Correct, match", where, worked, f"{worked} of {shots} worked on", waits)


def _looks(production: Production) -> Station:
    own = own_looks(production)
    by_group = production.shots.filter(group__look_given__isnull=False).exclude(pk__in=own).count()
    otherwise = len(own) + by_group
    more = f"; {count_of(otherwise, 'shot')} otherwise" if otherwise else ""
    return Station("Look", "looks", production.looks.count(), looks_of(production).for_all.summary() + more)


def _outputs(production: Production) -> Station:
    rules = production.rule_set
    more = f" and {count_of(len(rules.deliveries), 'more output')}" if rules.deliveries else ""
    return Station("Render", "outputs", len(rules.outputs), f"{rules.rendering.title} for {rules.output}{more}")


def _bakes(production: Production) -> Station:
    every = production.bakes.all()
    count, hold, fail = every.count(), every.filter(verdict=HOLDS).count(), every.filter(verdict=FAILS).count()
    waits = f"{count_of(fail, 'table')} that {'does' if fail == 1 else 'do'} not hold" if fail else ""
    said = f"{hold} of {count_of(count, 'table')} hold" if count else "no table yet"
    return Station("Bake", "bakes", count, said, waits)


def _deliveries(production: Production) -> Station:
    every = production.delivered.all()
    count, proved = every.count(), every.filter(verdict="holds").count()
    wrong = every.exclude(verdict__in=("", "holds")).count()
    waits = f"{count_of(wrong, 'file')} whose proof does not hold" if wrong else ""
    said = f"{proved} of {count_of(count, 'file')} proved" if count else "no file yet"
    return Station("Deliver", "deliveries", count, said, waits)


def _handed_over(production: Production) -> Station:
    running = production.showings.filter(withdrawn=None, ends__gt=timezone.now()).count()
    open_ones = in_state(production.remarks, "open").count()
    waits = count_of(open_ones, "open remark") if open_ones else ""
    where, at = ("remarks", "?state=open") if waits else ("showings", "")
    return Station("Show, hand over", where, running, f"{count_of(running, 'showing')} open", waits, at)
