"""Deliveries started, and the work that renders and proves them."""

from __future__ import annotations

import json
import shutil
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path as FilePath
from typing import Any

from django.conf import settings
from django.db import transaction
from django.urls import reverse

from upwelling.core.delivery import cluster
from upwelling.core.delivery.names import next_version
from upwelling.core.delivery.order import Order
from upwelling.core.delivery.proof import prove, write_proof
from upwelling.core.delivery.run import Engine, Here, Progress, Stopped, deliver, parts_folder, tidy
from upwelling.core.errors import UpwellingError
from upwelling.web.common.requests import Refused
from upwelling.web.deliveries.models import Delivery
from upwelling.web.deliveries.plan import Plan
from upwelling.web.jobs.models import Job
from upwelling.web.jobs.services import Cancelled, Paused, job_work, running
from upwelling.web.jobs.work import queue, waiting_job
from upwelling.web.productions.models import Production

_ASK = 0.3
"""Seconds between looks at whether somebody wants it to stop."""
_LONGEST = 30 * 24 * 3600.0
"""Seconds that one delivery may take: what is long is not stuck."""
WORKERS = "render-workers.json"
"""Under the data folder: the workers seen lately, for the Queue page."""
STALE = 10.0


def _page(row: Delivery) -> str:
    return reverse("delivery", args=[row.production.slug, row.pk])


@transaction.atomic
def start(production: Production, user: Any, plan: Plan) -> list[Delivery]:
    """Queues every file of a plan, in its order; raises Refused where there is no room."""
    if not plan.fits:
        raise Refused(
            f"About {plan.needed / 2**30:.1f} GiB are needed and {plan.free / 2**30:.1f} GiB are free. Make room first."
        )
    made = []
    for one in plan.wanted:
        row = Delivery.objects.create(
            production=production,
            created_by=user,
            name=one.name,
            folder=plan.folder,
            what=one.what[:200],
            form_title=plan.form.preset or plan.form.title,
            output=plan.form.encoding or plan.output,
            frames=one.order.frames,
            order_json=one.order.to_json(),
            fingerprint=one.order.fingerprint,
            recipes=[piece.path.fingerprint for piece in one.order.pieces],
            clash=plan.clash,
            shot=one.shot,
            cut=one.cut,
            event=one.event,
            job=waiting_job("delivery", production, user),
        )
        queue("delivery", row, row.job)
        made.append(row)
    return made


def forget_parts(row: Delivery) -> None:
    """Removes what was rendered for a delivery that will not go on."""
    try:
        shutil.rmtree(parts_folder(row.order, row.place), ignore_errors=True)
    except UpwellingError:
        return  # what it was made from cannot be read any more, so nothing of it is known


@job_work(
    "delivery",
    Delivery,
    lane="render",
    page=_page,
    dropped=forget_parts,
    can_pause=True,
    can_retry=True,
    seconds=lambda key: _LONGEST,
)
def perform(key: int) -> None:
    """The work: rendered in parts, put together, proved."""
    row = Delivery.objects.select_related("job", "production").filter(pk=key).first()
    if row is None or row.job is None or row.job.is_over:
        return
    job = row.job
    with running(job) as progress:
        order = row.order
        row.at.mkdir(parents=True, exist_ok=True)
        target = row.place
        if row.clash == "version" and not parts_folder(order, target).exists():
            target = next_version(target)
            Delivery.objects.filter(pk=row.pk).update(name=target.name)
        try:
            with _engine(order) as engine:
                outcome = deliver(
                    order, target, engine=engine, progress=_told(progress, engine), stop=_stop(job), keep_parts=True
                )
        except Stopped as error:
            raise (Paused if error.kept else Cancelled) from None
        except Cancelled:
            shutil.rmtree(parts_folder(order, target), ignore_errors=True)
            raise
        try:
            progress(0.95, "Opening it again and comparing it with the exact path")
            proof = prove(order, outcome)
            write_proof(proof, outcome.target)
        except Cancelled:
            for file in outcome.files:
                file.unlink(missing_ok=True)
            tidy(order, target)
            raise
        Delivery.objects.filter(pk=row.pk).update(
            proof=proof.as_json() | {"order": None},
            verdict="holds" if proof.holds else "does not hold",
            sha256=proof.sha256,
            size_bytes=proof.size,
            files=len(outcome.files),
            seconds=outcome.seconds,
        )
        tidy(order, target)


def _told(progress: Callable[[float, str], None], engine: Engine) -> Callable[[Progress], None]:
    seen_at = 0.0

    def say(now: Progress) -> None:
        nonlocal seen_at
        pace = f" · {now.per_second:.1f} frames a second" if now.per_second else ""
        progress(0.95 * now.done / max(now.frames, 1), f"{now.doing}: frame {now.done} of {now.frames}{pace}")
        if isinstance(engine, cluster.OnCluster) and time.monotonic() - seen_at > 1:
            seen_at = time.monotonic()
            _note_workers(cluster.seen(engine.client))

    return say


def _note_workers(rows: list[dict[str, Any]]) -> None:
    place = FilePath(settings.DATA) / WORKERS
    temporary = place.with_suffix(".new")
    temporary.write_text(json.dumps({"at": time.time(), "workers": rows}))
    temporary.replace(place)


def workers_seen() -> list[dict[str, Any]]:
    """The workers that render at this moment; none where nothing is rendered."""
    try:
        body = json.loads((FilePath(settings.DATA) / WORKERS).read_text())
        return list(body["workers"]) if time.time() - body["at"] < STALE else []
    except (OSError, ValueError, KeyError, TypeError):
        return []


def _stop(job: Job) -> Callable[[], str]:
    asked, why = 0.0, ""

    def stop() -> str:
        nonlocal asked, why
        if time.monotonic() - asked > _ASK:
            asked = time.monotonic()
            wish = Job.objects.filter(pk=job.pk).values_list("cancel_requested", "pause_requested").first()
            why = "cancel" if wish is None or wish[0] else "pause" if wish[1] else ""
        return why

    return stop


_kept: dict[str, Any] = {}


@contextmanager
def _engine(order: Order) -> Iterator[Engine]:
    """A scheduler's workers where one is named, else this machine's own, started when first needed and kept."""
    if settings.SCHEDULER:
        roots = {"media": str(settings.MEDIA_FOLDER), "deliveries": str(settings.DELIVERIES)}
        with cluster.scheduler(settings.SCHEDULER, roots) as far:
            yield far
        return
    if settings.RENDER_PROCESSES == 1 or len(order.parts()) == 1:
        yield Here()
        return
    if "own" not in _kept:
        _kept["context"] = cluster.local(settings.RENDER_PROCESSES)
        _kept["own"] = _kept["context"].__enter__()
    yield _kept["own"]
