"""Matching many shots: a run is worked off in the background, and each proposal waits for a person's yes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from django.db import transaction

from upwelling.core.documents import sealed
from upwelling.core.errors import UpwellingError
from upwelling.core.match import BY_ITSELF, Match
from upwelling.core.match.outcome import regrouped
from upwelling.core.path import RenderingStage
from upwelling.web.bench.matching import Reference, found, on_top, put_into, reference_of
from upwelling.web.common.requests import Refused
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.history import next_state
from upwelling.web.footage.listing import loaded, managed
from upwelling.web.footage.models import SharedChange, Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.footage.pictures import thumbnail_file
from upwelling.web.footage.shot_settings import ShotSettings, read_settings
from upwelling.web.jobs.services import job_work, running
from upwelling.web.jobs.work import queue, waiting_job
from upwelling.web.matches.first import FIRST, proposed
from upwelling.web.matches.models import MatchProposal, MatchRun
from upwelling.web.productions.models import Production

State = MatchProposal.State
MOST = 500
"""Shots of one run."""


@transaction.atomic
def start_run(
    production: Production,
    user: Any,
    numbers: Sequence[int],
    method: str,
    kind: str,
    pk: int = 0,
    *,
    set_aside: bool = False,
    each: Mapping[int, Sequence[int]] | None = None,
) -> MatchRun:
    """Begins matching shots to a shot, a reference on the shelf (``kind`` shelf), each to its neighbour, or (``kind``
    each) as ``each`` says: by shot its frame, the other shot, and that one's frame; raises Refused. With ``set_aside``
    what the shots have already is switched off where a proposal is accepted.
    """
    if method == FIRST:
        kind = "itself"
    elif method not in BY_ITSELF:
        raise Refused("Choose a method that needs nobody to mark anything.")
    numbers = [number for number in numbers if kind != "shot" or number != pk]
    if not numbers:
        raise Refused("Choose at least one shot beside the reference.")
    if len(numbers) > MOST:
        raise Refused(f"At most {MOST} shots are matched at once; these are {len(numbers)}.")
    said: dict[str, Any] = {"kind": kind}
    name = "the neighbour in its group"
    if kind == "itself":
        name = "itself"
    elif kind == "each":
        name, said = (
            "the one beside it",
            {"kind": kind, "of": {str(number): list(row) for number, row in (each or {}).items()}},
        )
    elif kind != "neighbour":
        reference = reference_of(loaded(production, numbers[:1])[0], kind, pk, None)
        name, said = reference.name, {"kind": kind, "pk": pk, "frame": reference.frame}
    run = MatchRun.objects.create(
        production=production,
        created_by=user,
        method=method,
        reference=said,
        reference_name=name[:120],
        set_aside=set_aside,
        job=waiting_job("match", production, user),
    )
    MatchProposal.objects.bulk_create(MatchProposal(run=run, shot_id=number) for number in numbers)
    queue("match", run, run.job)
    return run


@job_work("match", MatchRun)
def perform_run(key: int) -> None:
    """The work: shot by shot; what was found before it was broken off is kept."""
    run = MatchRun.objects.select_related("job", "production").filter(pk=key).first()
    if run is None or run.job is None or run.job.is_over:
        return
    with running(run.job) as progress:
        waiting = list(run.proposals.filter(state=State.WAITING).values_list("pk", "shot_id"))
        total = run.proposals.count()
        for number, (proposal, shot) in enumerate(waiting, total - len(waiting)):
            progress(min(number / total, 0.999), f"{number + 1} of {total} shots")
            _propose(run, MatchProposal.objects.get(pk=proposal), loaded(run.production, [shot])[0])


def _propose(run: MatchRun, proposal: MatchProposal, shot: Shot) -> None:
    try:
        settings = _kept(run, shot.settings)
        made, taken, proposal.reference_name = _made(run, shot, settings)
        proposal.said, proposal.remarks = f"{made.sentence()}.", [*made.remarks, *on_top(settings, made)]
        if made.figures.count:
            proposal.before, proposal.after = made.figures.before, made.figures.after
        proposal.input_mark = input_mark(shot, settings)
        proposal.state = State.FOUND if made.steps else State.ALIKE
        if made.steps:
            proposal.settings = sealed("shot settings", taken.model_dump(mode="json"))
            thumbnail_file(shot, settings_shown=taken)
    except UpwellingError as error:
        proposal.state, proposal.said = State.REFUSED, str(error)
    proposal.save()


def _made(run: MatchRun, shot: Shot, settings: ShotSettings) -> tuple[Match, ShotSettings, str]:
    """What is proposed, the settings with it, and the name of what it was found by."""
    if run.method == FIRST:
        return *proposed(shot, settings), "itself"
    reference = _reference(run, shot)
    at = run.reference["of"][str(shot.pk)][0] if run.reference["kind"] == "each" else None
    made, said = found(shot, frame_of(shot, at), settings, reference, run.method)
    return made, put_into(settings, made, said, reference) if made.steps else settings, reference.name[:120]


def _kept(run: MatchRun, settings: ShotSettings) -> ShotSettings:
    """A shot's settings as a proposal is put into them: with its own steps, or those switched off."""
    if not run.set_aside:
        return settings
    steps = tuple(
        step.model_copy(update={"on": False}) if not step.changes_nothing else step for step in settings.steps
    )
    return settings.model_copy(update={"steps": steps})


def _reference(run: MatchRun, shot: Shot) -> Reference:
    kind = run.reference["kind"]
    if kind == "each":
        _, pk, frame = run.reference["of"][str(shot.pk)]
        return reference_of(shot, "shot", pk, frame)
    if kind != "neighbour":
        return reference_of(shot, kind, run.reference["pk"], run.reference.get("frame"))
    if shot.group_id is None:
        raise Refused(f"{shot.name} is in no group, so no shot stands beside it. Put the shots of a scene in a group.")
    chosen = run.proposals.values_list("shot_id", flat=True)
    others = managed(run.production).filter(group=shot.group_id).exclude(pk__in=chosen).order_by("name", "pk")
    names = list(others.values_list("pk", "name"))
    if not names:
        raise Refused("Every shot of its group is to be matched: leave the one out that the others should sit beside.")
    before = [pk for pk, name in names if name < shot.name]
    return reference_of(shot, "shot", before[-1] if before else names[0][0], None)


def input_mark(shot: Shot, settings: ShotSettings) -> str:
    """Tells one light before the trim from another: everything below the trim, and nothing above."""
    path = path_of(shot, settings).without_layers("trim", "look", "group_look", "finish")
    return path.model_copy(update={"rendering": RenderingStage(on=False)}).fingerprint


def accept(run: MatchRun, user: Any, numbers: Sequence[int]) -> tuple[SharedChange, list[str]]:
    """Puts the chosen proposals into their shots as one change that is taken back at once; and sentences about those
    that could not be.
    """
    chosen = [one for one in run.proposals.select_related("change") if one.pk in numbers and one.may_be_accepted]
    if not chosen:
        raise Refused("Choose at least one proposal that is not accepted yet.")
    left: list[str] = []
    with transaction.atomic():
        change = SharedChange.objects.create(
            production=run.production, source="matching", steps=run.title[:300], created_by=user
        )
        for proposal in chosen:
            shot = Shot.objects.select_for_update().get(pk=proposal.shot_id)
            shot.production = run.production
            now, wanted = _kept(run, shot.settings), proposal.proposed
            if input_mark(shot, now) != proposal.input_mark:
                left.append(f"{shot.name}: what enters its trim has changed since; match it again.")
                continue
            steps, groups = regrouped(now.steps, now.groups, wanted.steps, wanted.groups, run.stem)
            settings = read_settings(now.model_copy(update={"steps": steps, "groups": groups}).model_dump(mode="json"))
            next_state(shot, user, settings, run.label(proposal.reference_name), change)
            proposal.state, proposal.change = State.ACCEPTED, change
            proposal.save(update_fields=["state", "change"])
        if len(left) == len(chosen):
            change.delete()
            raise Refused(" ".join(left))
    return change, left
