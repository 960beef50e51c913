"""The stills of a showing, made in the background, each proved."""

from __future__ import annotations

from typing import Any

from django.urls import reverse

from upwelling.core.delivery.shown import make_shown, screened, write_small
from upwelling.core.errors import UpwellingError
from upwelling.web.jobs.services import job_work, running
from upwelling.web.showings.models import Showing, ShownState

KIND = "showing"


def _page(row: Showing) -> str:
    return reverse("showing-kept", args=[row.production.slug, row.pk])


@job_work(KIND, Showing, page=_page, can_retry=True)
def perform(key: int) -> None:
    """The work: what is missing, one still after the other."""
    showing = Showing.objects.select_related("job").filter(pk=key).first()
    if showing is None or showing.job is None or showing.job.is_over:
        return
    with running(showing.job) as progress:
        showing.folder.mkdir(parents=True, exist_ok=True)
        missing = ShownState.objects.filter(item__showing=showing, made__isnull=True, problem="").select_related(
            "item__showing"
        )
        states = list(missing.order_by("item__position", "position"))
        for number, state in enumerate(states):
            progress(number / max(len(states), 1), f"Still {number + 1} of {len(states)}")
            try:
                ShownState.objects.filter(pk=state.pk).update(made=_made(state))
            except UpwellingError as error:
                ShownState.objects.filter(pk=state.pk).update(problem=str(error)[:400])


def _made(state: ShownState) -> dict[str, Any]:
    """Writes the stills of a state, and a small one to find it by; gives what they turned out as."""
    orders = state.orders()
    made = {kind: make_shown(order, state.place(kind)).as_json() for kind, order in orders.items()}
    sdr = "sdr" if "sdr" in orders else "main"
    write_small(state.place(sdr), state.place("small"), screened(orders[sdr]).pieces[0].path.target)
    return made
