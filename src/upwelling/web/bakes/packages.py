"""Packages: tables of cameras or of a list of shots for several receivers, started and made in the background."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from functools import partial
from pathlib import Path as FilePath
from typing import Any

from django.conf import settings
from django.db import transaction
from django.db.models import Q

from upwelling.core.count_of import count_of
from upwelling.core.errors import BadValue
from upwelling.core.packages.made import Item, Made, Prepared
from upwelling.core.packages.package import make_package
from upwelling.core.patterns import plain_name
from upwelling.web.bakes.models import Package
from upwelling.web.bakes.orders import (
    frames_that_test,
    group_shots,
    model_shots,
    order_for,
    receiver_named,
    usual_start,
)
from upwelling.web.bakes.shot_lists import ListOrder, plan_of, prepared
from upwelling.web.common.requests import Refused
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.layer_services import exceptions
from upwelling.web.footage.listing import loaded
from upwelling.web.footage.models import Shot
from upwelling.web.jobs.services import job_work, running
from upwelling.web.jobs.work import queue, waiting_job
from upwelling.web.productions.models import Production


@transaction.atomic
def start_package(
    production: Production, user: Any, *, output: str, receivers: list[str], cameras: list[str], what: str = "display"
) -> Package:
    """Records a package for an output, every chosen camera for every chosen receiver, and queues the work."""
    known, groups = model_shots(production), group_shots(production)
    chosen = [name for name in cameras if name in known]
    if not chosen or not receivers:
        raise Refused("Choose at least one camera and one receiver.")
    output = production.checked_output(output or production.rule_set.output)
    for name in receivers:
        receiver_named(production, name)
    wishes = [
        {
            "of": camera,
            "receiver": name,
            "end": "display" if what == "display" else "input",
            **({"group": "with"} if camera in groups else {}),
        }
        for camera in chosen
        for name in receivers
    ]
    name = plain_name(production.name, "to", output if what == "display" else production.rule_set.working)
    return _queued(production, user, output, wishes, name)


@transaction.atomic
def start_list(production: Production, user: Any, order: ListOrder) -> tuple[Package, list[str]]:
    """Records a package of tables of chosen shots and queues the work; with sentences about those left out of it."""
    plan = plan_of(production, order)
    if plan.asks and not order.leaves_out:
        raise Refused(f"{plan.asks_said} Tick “Leave it out” to have their tables without.")
    if not plan.tables:
        raise Refused(" ".join(plan.refused) or "Nothing of it can be baked.")
    wishes = [table.wish for table in plan.tables]
    name = plain_name(production.name, count_of(len(plan.shots), "shot"), "to", plan.gives)
    made = _queued(production, user, order.output, wishes, name, order)
    return made, plan.refused


def _queued(
    production: Production, user: Any, output: str, wishes: list[Any], name: str, order: ListOrder | None = None
) -> Package:
    job = waiting_job("package", production, user)
    made = Package.objects.create(
        production=production,
        job=job,
        output=output,
        wishes=wishes,
        ordered=order.model_dump(mode="json") if order else {},
        created_by=user,
        file_name=f"{name}.zip",
    )
    queue("package", made, job)
    return made


def package_again(row: Package, user: Any) -> Package:
    """The same package from the present paths."""
    if row.ordered:
        return start_list(row.production, user, ListOrder.checked(row.ordered))[0]
    return start_package(
        row.production,
        user,
        output=row.output,
        receivers=list(dict.fromkeys(w["receiver"] for w in row.wishes)),
        cameras=list(dict.fromkeys(w["of"] for w in row.wishes)),
        what=row.wishes[0]["end"] if row.wishes else "display",
    )


def _seconds(key: int) -> float:
    """Four tables have the time that one bake may take at the most."""
    wishes = Package.objects.filter(pk=key).values_list("wishes", flat=True).first()
    return float(settings.TASK_SECONDS) * max(1, len(wishes or ()) / 4)


@job_work("package", Package, folder="packages", seconds=_seconds)
def perform_package(package_id: int) -> None:
    """The work: every table baked, verified and packed. The zip appears under its name only when whole."""
    made = Package.objects.select_related("job", "production", "created_by").filter(pk=package_id).first()
    if made is None or made.job is None or made.job.is_over:
        return
    job = made.job
    relative = f"packages/{made.pk}/{made.file_name}"
    place = FilePath(settings.FILES) / relative
    with running(job) as progress:
        done = make_package(
            _items_of_list(made) if made.ordered else _items_of_cameras(made),
            place,
            title=f"Tables for {made.output}",
            production=made.production.name,
            who=str(made.created_by or "someone"),
            tolerances=made.production.rule_set.limits,
            progress=lambda share, message: progress(min(share, 0.999), message),
        )
        Package.objects.filter(pk=made.pk).update(
            file=relative,
            sha256=hashlib.sha256(place.read_bytes()).hexdigest(),
            contents=[_told_of(one) for one in done],
        )


def _told_of(one: Made) -> dict[str, Any]:
    proof = one.certificate
    return {
        "of": one.of,
        "receiver": one.receiver,
        "file": one.file,
        "problem": one.problem,
        "lost": list(one.lost),
        "note": one.note,
        "verdict": proof.verdict if proof else "",
        "metric": proof.metric if proof else "",
        "p99": proof.overall.p99 if proof else None,
        "worst": proof.hunted.delta_e if proof else None,
        "findings": proof.reasons_said if proof else [],
        "said": proof.summary if proof else "",
    }


def _items_of_list(made: Package) -> list[Item]:
    """Tables of shots: those of a receiver lie together in its folder."""
    order = ListOrder.checked(made.ordered)
    production = made.production
    shots = {one.pk: one for one in loaded(production, {pk for wish in made.wishes for pk in wish["shots"]})}
    return [
        Item(
            wish["of"],
            wish["receiver"],
            partial(prepared, production, order, [shots[pk] for pk in wish["shots"] if pk in shots], wish["receiver"]),
            folder=(wish["receiver"],),
            fields={"file": wish.get("file", "")},
            pattern=order.pattern,
            leaves_out=order.leaves_out,
            note=wish.get("note", ""),
        )
        for wish in made.wishes
    ]


def _items_of_cameras(made: Package) -> list[Item]:
    """Tables of cameras, each with a folder for each receiver."""
    standing = model_shots(made.production)
    wanted = {wish["of"] for wish in made.wishes} & set(standing)
    loaded_shots = {one.pk: one for one in loaded(made.production, [standing[name] for name in wanted])}
    shots = {name: loaded_shots[standing[name]] for name in wanted}
    return [
        Item(
            wish["of"],
            wish["receiver"],
            partial(_prepare, made, shots, wish),
            folder=(wish["of"], wish["receiver"]),
            note=_told(shots.get(wish["of"])),
        )
        for wish in made.wishes
    ]


def _prepare(made: Package, shots: Mapping[str, Shot], wish: dict[str, str]) -> Prepared:
    """The order of one table: the camera's path without its model shot's trim.

    A raw camera's begins above the Input, where it is developed.
    """
    shot = shots.get(wish["of"])
    if shot is None:
        raise BadValue("No shot of this camera has its encoding settled any more.")
    receiver = receiver_named(made.production, wish["receiver"])
    order = order_for(
        shot,
        {
            "receiver": receiver,
            "start": _start(shot, wish["end"]),
            "end": wish["end"],
            "output": made.output,
            "trim": "without",
            "of_group": wish.get("group", ""),
        },
    )
    frame = frame_of(shot)
    return Prepared(order, frames_that_test(shot, order), frame.working, frame.place)


def _told(shot: Shot | None) -> str:
    """Which shots a camera's table is not for, as they take a shared layer otherwise; empty where all are alike."""
    if shot is None:
        return ""
    layers = shot.production.layers.filter(Q(camera=shot.camera_id or 0) | Q(camera=None, group=None))
    names = sorted({state.shot.name for layer in layers if layer.number for state, _ in exceptions(layer)})
    if not names:
        return ""
    some = ", ".join(names[:4]) + (f" and {len(names) - 4} more" if len(names) > 4 else "")
    return f"Not for {some}: they take a shared layer otherwise. Bake a table of their own."


def _start(shot: Shot, end: str) -> str:
    """Working light is where a raw mosaic without a correction begins: then there is nothing to carry to it."""
    start = usual_start(shot)
    return "camera" if start == "trim" and end == "input" else start
