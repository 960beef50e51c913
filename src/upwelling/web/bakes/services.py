"""Starting a bake, and doing it in the background."""

from __future__ import annotations

import re
import unicodedata
from functools import partial
from pathlib import Path as FilePath
from typing import Any

from django.conf import settings
from django.db import transaction

from upwelling.core.bake import bake, verify
from upwelling.core.bake.sampling import Progress
from upwelling.core.encodings import full_to_legal, legal_to_full
from upwelling.core.lut_files import write_lut
from upwelling.core.path import Path
from upwelling.web.bakes.models import Bake
from upwelling.web.errors import Refused
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.models import Shot
from upwelling.web.jobs.models import Job
from upwelling.web.jobs.services import running

SIZES = (17, 33, 65)


def file_name(shot: Shot, size: int, code_range: str, source: str, target: str) -> str:
    """A name from which a person knows what the file is."""
    parts = (shot.production.name, shot.name, source, "to", target, str(size), code_range)
    words = (unicodedata.normalize("NFKD", part).encode("ascii", "ignore").decode() for part in parts)
    return "_".join(re.sub(r"[^A-Za-z0-9.]+", "-", word).strip("-.")[:48] or "x" for word in words) + ".cube"


@transaction.atomic
def start_bake(shot: Shot, user: Any, *, size: int, code_range: str) -> Bake:
    """Records the bake with its recipe and queues the work for after the commit."""
    if shot.is_raw:
        raise Refused(f"{shot.name} is a raw mosaic, and no LUT can carry its development. Bake from a shot with codes.")
    if not shot.is_managed:
        raise Refused(f"Colour management is off for {shot.name}, so there is no path to bake. Switch it on first.")
    if not shot.settled_encoding:
        raise Refused(f"{shot.name} has no encoding yet. Say what the file is first; then it can be baked.")
    if size not in SIZES:
        raise Refused(f"A grid of {size} is not offered. Choose {', '.join(map(str, SIZES))}.")
    if code_range not in ("full", "legal"):
        raise Refused("The code range is either full or legal.")
    path = shot.path()
    path = path.model_copy(update={
        "camera": path.camera.model_copy(update={"range": code_range}),
        "display": path.display.model_copy(update={"range": code_range}),
    })
    job = Job.objects.create(kind="bake", production=shot.production, created_by=user, message="Waiting for the worker")
    made = Bake.objects.create(
        production=shot.production, shot=shot, shot_name=shot.name, job=job, recipe=path.model_dump(mode="json"),
        fingerprint=path.fingerprint, size=size, created_by=user,
        file_name=file_name(shot, size, code_range, path.input.encoding, path.display.output),
    )
    from upwelling.web.bakes.tasks import run_bake

    transaction.on_commit(partial(run_bake, made.pk))
    return made


def perform(bake_id: int) -> None:
    """The work: sample, write, read back, verify. The file appears under its name only when all went well."""
    made = Bake.objects.select_related("job", "shot", "production").get(pk=bake_id)
    job = made.job
    if job is None or job.is_over:
        return
    relative = f"bakes/{made.pk}/{made.file_name}"
    place = FilePath(settings.FILES) / relative
    with running(job) as progress:
        try:
            place.parent.mkdir(parents=True, exist_ok=True)
            path = made.path
            lut = bake(path, made.size, title=f"{made.production.name}, {made.shot_name}", progress=_part(progress, 0.0, 0.6))
            write_lut(lut, place)
            frame = _frame_codes(made.shot, path) if made.shot else None
            certificate = verify(place, path, frame=frame, progress=_part(progress, 0.6, 1.0))
        except BaseException:
            place.unlink(missing_ok=True)
            raise
        Bake.objects.filter(pk=made.pk).update(
            file=relative, certificate_json=certificate.model_dump(mode="json"), verdict=certificate.verdict)


def _frame_codes(shot: Shot, path: Path) -> Any:
    """The shot's frame in the code range that the baked path expects."""
    code, own = frame_of(shot).still.code, shot.settled.range
    if own == path.camera.range:
        return code
    change = legal_to_full if own == "legal" else full_to_legal
    return change(code, path.camera.depth).astype("float32")


def _part(progress: Progress, start: float, end: float) -> Progress:
    def inner(done: float, message: str) -> None:
        progress(min(start + (end - start) * done, 0.999), message)
    return inner
