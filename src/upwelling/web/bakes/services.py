"""Starting bakes and packages, doing them in the background, and the production's receivers and tolerances."""

from __future__ import annotations

import itertools
import shutil
from collections.abc import Callable, Iterable
from pathlib import Path as FilePath
from typing import Any

from django.conf import settings
from django.db import transaction

from upwelling.core.bake import RECEIVERS, BakeOrder, Receiver, bake
from upwelling.core.bake.make import Progress
from upwelling.core.documents import sealed
from upwelling.core.errors import BadValue
from upwelling.core.packages.naming import table_name
from upwelling.core.proof import verify
from upwelling.core.proof.samples import TESTED_PIXELS, read_frames, write_frames
from upwelling.core.tables.files import write_lut
from upwelling.web.bakes.kept_texts import put_away
from upwelling.web.bakes.models import Bake, OwnReceiver, line_of
from upwelling.web.bakes.orders import check_bakeable, frames_that_test
from upwelling.web.bakes.variants import variant_path
from upwelling.web.common.requests import Refused
from upwelling.web.footage.models import Shot
from upwelling.web.jobs.services import give_up, job_work, running
from upwelling.web.jobs.work import queue, waiting_job
from upwelling.web.productions.models import Production


@transaction.atomic
def start_bake(
    shot: Shot, user: Any, order: BakeOrder, variant: dict[str, Any] | None = None, called: str = ""
) -> Bake:
    """Records the bake with its order and queues the work for after the commit; ``variant`` says how its path differs
    from the shot's, ``called`` is a name or a pattern of one.
    """
    check_bakeable(shot, order.section)
    job = waiting_job("bake", shot.production, user)
    made = Bake.objects.create(
        production=shot.production,
        shot=shot,
        shot_name=shot.name,
        job=job,
        order=sealed("bake order", order.model_dump(mode="json")),
        variant=variant or {},
        fingerprint=order.path.fingerprint,
        size=order.size,
        created_by=user,
        file_name=_free_name(shot.production, name_of(shot, order, variant or {}, called)),
    )
    queue("bake", made, job)
    return made


def name_of(shot: Shot, order: BakeOrder, variant: dict[str, Any], called: str = "") -> str:
    """What the file of a bake is called; raises BadValue for a pattern that leaves no name."""
    fields = {
        "production": shot.production.name,
        "name": _subject(shot, order, variant),
        "file": FilePath(shot.original_name).stem,
    }
    return table_name(order, fields, called.strip())


def _free_name(production: Production, name: str) -> str:
    """The name, or with a number before its ending where another bake of the production has it."""
    stem, dot, ending = name.rpartition(".")
    taken = set(production.bakes.filter(file_name__startswith=stem).values_list("file_name", flat=True))
    numbered = (f"{stem}_{n}{dot}{ending}" for n in itertools.count(2))
    return next(one for one in itertools.chain([name], numbered) if one not in taken)


def cited_by(row: Bake) -> list[str]:
    """What stands on a bake: packages with a table of its name, deliveries made from the settings it was baked from."""
    packages = [
        package.file_name
        for package in row.production.packages.exclude(file="")
        if any(str(one.get("file", "")).endswith(row.file_name) for one in package.contents)
    ]
    return [*packages, *(name for find in CITING for name in find(row))]


CITING: list[Callable[[Bake], Iterable[str]]] = []
"""What finds more that cites a bake; applications above this one add theirs."""


def remove_bake(row: Bake) -> None:
    """Removes a bake, its table, certificate and tested pixels; raises Refused while it is worked on, and for one that
    something handed out stands on.
    """
    if row.job is not None and not row.job.is_over:
        raise Refused(f"{row.file_name} is being baked. Cancel it first.")
    citing = cited_by(row)
    if citing:
        raise Refused(f"{row.file_name} is cited by {', '.join(citing[:4])}, so it stays.")
    folder = FilePath(settings.FILES) / "bakes" / str(row.pk)
    row.delete()
    shutil.rmtree(folder, ignore_errors=True)


def bake_again(row: Bake, user: Any) -> Bake:
    """The same order on the shot's present path; raises Refused when the shot is gone."""
    order = row.bake_order
    if row.shot is None or order is None:
        raise Refused("The shot of this bake is gone, or it was made by an earlier version. Set a new bake up.")
    path = variant_path(row.shot, row.variant, order.path.display.output)
    return start_bake(row.shot, user, order.model_copy(update={"path": path}), row.variant)


def _subject(shot: Shot, order: BakeOrder, variant: dict[str, Any]) -> str:
    """What the table is of: the Look where it carries nothing else, the camera where the trim is left out, else the
    shot.
    """
    if set(order.section.stages) == {"look", "group_look"}:
        return order.path.layer("look").name or shot.name
    if variant.get("trim") != "without" or shot.camera is None:
        return shot.name
    return f"{shot.camera.name}, {shot.group}" if "group" in variant else shot.camera.name


@job_work("bake", Bake, folder="bakes")
def perform_bake(bake_id: int) -> None:
    """The work: sample, write, read back, verify. The file appears under its name only when all went well."""
    made = Bake.objects.select_related("job", "shot", "production").filter(pk=bake_id).first()
    if made is None or made.job is None or made.job.is_over:
        return
    job, order = made.job, made.bake_order
    if order is None:
        return give_up(job, made.problem or "It was set up by an earlier version. Set a new bake up.")
    relative = f"bakes/{made.pk}/{made.file_name}"
    place = FilePath(settings.FILES) / relative
    frames_at = place.with_name(place.name + TESTED_PIXELS)
    with running(job) as progress:
        try:
            place.parent.mkdir(parents=True, exist_ok=True)
            frames = frames_that_test(made.shot, order) if made.shot else []
            write_lut(
                bake(order, title=f"{made.production.name}, {made.shot_name}", progress=_part(progress, 0.0, 0.3)),
                place,
            )
            if frames:
                write_frames(frames, frames_at)
                # As they will be read back, so that the certificate can be reproduced from the files to the digit.
                frames = read_frames(frames_at, [(f.name, len(f.codes), f.outside) for f in frames])
            certificate = verify(
                place,
                order,
                frames=frames,
                tolerances=made.production.rule_set.limits(order.judge.target.is_hdr),
                progress=_part(progress, 0.3, 1.0),
            )
        except BaseException:
            for left in (place, frames_at):
                left.unlink(missing_ok=True)
            raise
        Bake.objects.filter(pk=made.pk).update(
            file=relative,
            frames_file=f"{relative}{TESTED_PIXELS}" if frames else "",
            certificate_json=put_away(certificate.model_dump(mode="json")),
            verdict=certificate.verdict,
            line=line_of(order, certificate),
        )


def verify_again(row: Bake) -> Bake:
    """Tests the file anew under the production's present tolerances; raises BadLut when it has gone bad."""
    order, before = row.bake_order, row.certificate
    if order is None or before is None:
        raise Refused("This bake was made by an earlier version. Bake it again.")
    frames = (
        read_frames(row.frames_path, [(f.name, f.count, f.outside) for f in before.frames]) if row.frames_file else []
    )
    certificate = verify(
        row.disk_path, order, frames=frames, tolerances=row.production.rule_set.limits(order.judge.target.is_hdr)
    )
    row.certificate_json, row.verdict = put_away(certificate.model_dump(mode="json")), certificate.verdict
    row.line = line_of(order, certificate)
    row.save(update_fields=["certificate_json", "verdict", "line"])
    row.__dict__.pop("certificate", None)
    return row


def _part(progress: Progress, start: float, end: float) -> Progress:
    def inner(done: float, message: str) -> None:
        progress(min(start + (end - start) * done, 0.999), message)

    return inner


def define_receiver(production: Production, user: Any, body: dict[str, Any]) -> OwnReceiver:
    """Saves a receiver of the production's own, new or changed; raises BadValue."""
    made = Receiver.checked(body)
    if made.name.lower() in {r.name.lower() for r in RECEIVERS}:
        raise BadValue(f"“{made.name}” is the name of a generic receiver. Choose another.")
    row, _ = OwnReceiver.objects.update_or_create(
        production=production,
        name=made.name,
        defaults={"definition": sealed("receiver", made.model_dump(mode="json")), "created_by": user},
    )
    return row
