"""What a person ordered, as orders: shots, or a cut (``cut_plan``), with what is to be said of it."""

from __future__ import annotations

import re
import shutil
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path as FilePath
from typing import Any

from django.conf import settings
from django.utils import timezone

from upwelling.core.delivery.estimate import bytes_needed, bytes_of
from upwelling.core.delivery.form import BOUNDARIES, Form
from upwelling.core.delivery.make import Uneven, clipped_at, order_for, remarks_on, stages_of
from upwelling.core.delivery.names import FIELDS, FOLDER_FIELDS, is_taken
from upwelling.core.delivery.order import Damage, Order, Piece
from upwelling.core.delivery.presets import PRESETS
from upwelling.core.delivery.through import IN_NAME
from upwelling.core.errors import UpwellingError
from upwelling.core.media.dither import DITHERS
from upwelling.core.patterns import named_by
from upwelling.web.common.requests import Refused, numbers_in_turn, typed_number, whole_or
from upwelling.web.cuts.models import Cut, CutEvent
from upwelling.web.deliveries.cut_plan import MOST, add_cut
from upwelling.web.deliveries.maker_log import log_remark
from upwelling.web.deliveries.models import folder_of
from upwelling.web.deliveries.pieces import piece_of_shot, span_of
from upwelling.web.deliveries.proved_tables import proved_table
from upwelling.web.footage.listing import loaded
from upwelling.web.footage.models import Shot
from upwelling.web.productions.models import Production

LOOKED_AT, WORTH_SAYING = 2, 0.005
"""Files whose middle frame is rendered for the plan, and the clipped share from which it is said; common practice, no
source.
"""
PATTERN = "{shot}_{output}"
NO_FOLDER = "."
"""What says that files are delivered into none, where the production has one."""
EVENT_PATTERN = "{event}_{file}"
_FOLDER = re.compile(r"[^/\\\x00-\x1f.][^/\\\x00-\x1f]{0,79}")


@dataclass(frozen=True)
class Wanted:
    """One file to be made."""

    order: Order
    name: str
    what: str
    shot: Shot | None = None
    cut: Cut | None = None
    event: int | None = None


@dataclass(frozen=True)
class SaidOfMany:
    """A remark, and the names of the files that it is of; none where it is of the order."""

    text: str
    names: tuple[str, ...]

    @property
    def line(self) -> str:
        """As one line; names are listed aside where there are more than two."""
        if not self.names:
            return self.text
        whose = " and ".join(self.names) if len(self.names) < 3 else f"{len(self.names)} of them"
        return f"{whose}: {self.text}"


@dataclass
class Plan:
    """All files of an order, and what is to be known before it starts."""

    form: Form
    output: str
    folder: str
    clash: str
    turn: bool
    wanted: list[Wanted] = field(default_factory=list)
    stages: list[str] = field(default_factory=list)
    remarks: list[str] = field(default_factory=list)
    refused: list[str] = field(default_factory=list)
    bytes: int = 0
    needed: int = 0
    free: int = 0

    def piece(self, shot: Shot, first: int | None = None, last: int | None = None, **how: Any) -> Piece:
        """Frames of a shot as the order has them."""
        return piece_of_shot(shot, self.output, first, last, turn=self.turn, **how)

    @property
    def said(self) -> list[SaidOfMany]:
        """The remarks, what is the same of several files in one line with their names."""
        names = {piece.name for one in self.wanted for piece in one.order.pieces if piece.name}
        names |= {one.what for one in self.wanted}
        of: dict[str, list[str]] = {}
        for text in self.remarks:
            name, _, rest = text.partition(": ")
            known = name in names and rest
            of.setdefault(rest if known else text, []).extend([name] if known else [])
        return [SaidOfMany(text, tuple(whose)) for text, whose in of.items()]

    @property
    def frames(self) -> int:
        return sum(one.order.frames for one in self.wanted)

    @property
    def fits(self) -> bool:
        return self.needed <= self.free


def form_from(production: Production, given: Mapping[str, Any]) -> Form:
    """The form that a page sent: a preset, with what was changed of it; raises BadValue or Refused."""
    name = str(given.get("preset", ""))
    own = production.own_forms.filter(name=name).first()
    base = own.form if own else next((form for form in PRESETS if form.preset == name), None)
    if base is None:
        raise Refused("Choose a preset.")
    body: dict[str, Any] = {**base.model_dump(), "preset": name}
    boundary = str(given.get("boundary", ""))
    if boundary in BOUNDARIES:
        body["boundary"] = boundary
        said = str(given.get("encoding", ""))
        body["encoding"] = "" if boundary == "display" else said or base.encoding
    sizing = str(given.get("sizing", ""))
    if sizing in ("source", "fit", "exact"):
        body["sizing"] = sizing
        if sizing != "source":
            body["width"], body["height"] = (whole_or(given.get(side)) for side in ("width", "height"))
    if given.get("range") in ("legal", "full"):
        body["range"] = given["range"]
    if given.get("least_bits") in ("8", "10", "12", "16"):
        body["least_bits"] = int(given["least_bits"])
    if given.get("dither") in (*DITHERS, "as needed"):
        body["dither"] = given["dither"]
    if base.movie is not None and not base.movie.intra:
        held = str(given.get("held", ""))
        if held == "quality":
            body["quality"] = whole_or(given.get("quality"))
            body["bits_per_second"] = 0
        elif held == "rate":
            body["quality"] = 0
            body["bits_per_second"] = round(typed_number(given.get("megabits"), "Megabits a second") * 1e6)
    return Form.checked(body)


def plan_from(production: Production, given: Any) -> Plan:
    """What a page ordered; sentences about what cannot be made stand in ``refused``. Raises Refused or BadValue where
    nothing can.
    """
    form = form_from(production, given)
    outputs = production.rule_set.outputs
    output = str(given.get("output", "")) or outputs[0]
    if output not in outputs:
        raise Refused(f"{output} is no output of this production. Add it on the Outputs page.")
    cut = production.cuts.filter(pk=whole_or(given.get("cut"))).first()
    said = str(given.get("folder", "")).strip() or production.rule_set.delivery_folder
    folder = folder_named(production, said, form, form.encoding or output, cut.name if cut else "")
    clash = "version" if given.get("clash") == "version" else "refuse"
    plan = Plan(form, output, folder, clash, given.get("turn") != "off")
    if cut is not None:
        add_cut(plan, production, cut, given, _add)
    else:
        numbers = numbers_in_turn(given.getlist("shot"))
        if not numbers:
            raise Refused("Choose shots or a cut.")
        if len(numbers) > MOST:
            raise Refused(f"At most {MOST} files are ordered at once; these are {len(numbers)}.")
        shots = loaded(production, numbers)
        if form.encoding and (said := log_remark(production, shots, form.encoding)):
            plan.remarks.append(said)
        for shot in shots:
            try:
                pieces = [plan.piece(shot, *span_of(shot, given), uneven=uneven_of(given))]
            except Refused as error:
                plan.refused.append(f"{shot.name}: {error}")
                continue
            timing: dict[str, Any] = shot.timing_by_hand(pieces[0].first)
            _add(plan, production, shot.name, given, pieces, shot=shot, **timing)
    if not plan.wanted:
        raise Refused(" ".join(plan.refused) or "Nothing of it can be delivered.")
    _summed(plan, production)
    return plan


def folder_named(production: Production, pattern: str, form: Form, output: str, cut: str = "") -> str:
    """The folder that a pattern names now; raises Refused or BadValue for one that cannot be."""
    if not pattern or pattern == NO_FOLDER:
        return ""
    if not _FOLDER.fullmatch(pattern):
        raise Refused("A folder's name has no slashes and does not begin with a dot.")
    fields = {"production": production.name, "output": output, "preset": form.preset, "cut": cut}
    return named_by(pattern, {**fields, "date": f"{timezone.now():%Y-%m-%d}"}, FOLDER_FIELDS)[:80]


def _add(
    plan: Plan,
    production: Production,
    what: str,
    given: Mapping[str, Any],
    pieces: Sequence[Piece],
    *,
    shot: Shot | None = None,
    cut: Cut | None = None,
    event: CutEvent | None = None,
    **said: Any,
) -> None:
    """One more file, or a sentence why it cannot be; ``silent``: no sound fits it."""
    silent = said.pop("silent", False)
    by_table = given.get("through") == "table"
    through = proved_table(shot, plan.output) if by_table and shot is not None else None
    if by_table and through is None:
        plan.remarks.append(f"{what}: no table of it as it is now is proved, so it goes by the exact path.")
    try:
        order = order_for(
            pieces,
            plan.form,
            rate=str(given.get("rate", "")).strip() or said.pop("rate", ""),
            sound=given.get("sound") != "off" and not silent,
            sound_kbps=whole_or(given.get("sound_kbps")),
            damage=damage_of(given),
            title=what[:200],
            through=through,
            **said,
        )
        pattern = str(given.get("pattern", "")).strip() or (EVENT_PATTERN if event else PATTERN)
        source = shot.original_name if shot else cut.name if cut else what
        fields = {
            "production": production.name,
            "shot": shot.name if shot else cut.name if cut else what,
            "file": FilePath(source).stem,
            "reel": order.reel,
            "event": f"{event.number:03}" if event else "",
            "cut": cut.name if cut else "",
            "output": plan.form.encoding or plan.output,
            "preset": plan.form.preset,
            "date": f"{timezone.now():%Y-%m-%d}",
        }
        plain = not str(given.get("pattern", "")).strip()
        name = named_by(pattern, fields, FIELDS, plain=plain) + (IN_NAME if through else "") + plan.form.ending
        if plan.clash == "refuse" and (
            is_taken(folder_of(production, plan.folder) / name) or name in {one.name for one in plan.wanted}
        ):
            raise Refused(f"{name} is there already, or twice in this order. Change the names, or number versions.")
    except UpwellingError as error:
        plan.refused.append(f"{what}: {error}")
        return
    plan.wanted.append(Wanted(order, name, what, shot, cut, event.number if event else None))


def uneven_of(given: Mapping[str, Any]) -> Uneven:
    """What becomes of frames that come at an uneven rate."""
    return "count" if given.get("uneven") == "count" else "hold"


def damage_of(given: Mapping[str, Any]) -> Damage:
    """What a damaged frame does."""
    return "repeat" if given.get("damaged") == "repeat" else "stop"


def _say_clipping(plan: Plan) -> None:
    """Of some files' middle frames, how much lies beyond what the file holds."""
    for one in plan.wanted[:LOOKED_AT]:
        try:
            found = clipped_at(one.order, 1)
        except UpwellingError:
            continue  # what cannot be read is said by the work, with its reason
        for name, share in found:
            if share > WORTH_SAYING:
                plan.remarks.append(f"{name}: {share:.1%} of its middle frame lies beyond what the file holds.")


def _summed(plan: Plan, production: Production) -> None:
    plan.stages = stages_of(plan.wanted[0].order)
    for one in plan.wanted:
        plan.remarks += [text for text in remarks_on(one.order) if text not in plan.remarks]
        plan.bytes += bytes_of(one.order)
        plan.needed += bytes_needed(one.order)
    _say_clipping(plan)
    place = FilePath(settings.DELIVERIES)
    place.mkdir(parents=True, exist_ok=True)
    plan.free = shutil.disk_usage(place).free
