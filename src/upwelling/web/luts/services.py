"""Changes to tables brought in: taking one in, declaring its spaces, using it as Input or Rendering, removing it."""

from __future__ import annotations

import dataclasses
import hashlib
from functools import partial
from pathlib import Path as FilePath
from typing import Any

from django.conf import settings
from django.db import transaction
from django.utils import timezone

from upwelling.core.apart import ReadingFailed, check_survivable
from upwelling.core.encodings import encoding
from upwelling.core.encodings.custom import MakerLut
from upwelling.core.errors import BadLut, UpwellingError
from upwelling.core.files import whole_file
from upwelling.core.lut import Lut1D, ProcessList
from upwelling.core.outputs import OUTPUTS, output
from upwelling.core.rendering import DisplayLook, LutRendering
from upwelling.core.tables.evidence import evidence, gives_legal
from upwelling.core.tables.facts import kind_of
from upwelling.core.tables.files import ENDINGS, read_lut
from upwelling.web.common.requests import Refused
from upwelling.web.encodings.models import OwnEncoding
from upwelling.web.luts.models import ImportedLut
from upwelling.web.productions.deliveries import give_rendering
from upwelling.web.productions.models import Production
from upwelling.web.productions.services import define_encoding, on_fresh_rules, set_rules

LARGEST = 100 * 2**20
"""Bytes of a table file that is brought in; the command line takes larger ones."""


def bring_in_lut(production: Production, user: Any, original_name: str, place: FilePath) -> ImportedLut:
    """Takes a table file over by its content; raises BadLut or Refused, and keeps nothing then."""
    name = original_name.rsplit("/", 1)[-1][-200:]
    suffix = FilePath(name).suffix.lower()
    if suffix not in ENDINGS:
        raise BadLut(name, f"tables ending in “{suffix}” cannot be read; use {', '.join(ENDINGS)}.")
    if place.stat().st_size > LARGEST:
        raise BadLut(name, f"is larger than {LARGEST // 2**20} MiB; a cube of 129 points a side is under 70.")
    data = place.read_bytes()
    digest = hashlib.sha256(data).hexdigest()
    twin = production.luts.filter(sha256=digest).first()
    if twin:
        raise Refused(f"{name} is already here as “{twin.name}”: the content is the same.")
    relative = f"luts/{digest[:2]}/{digest}{suffix}"
    target = FilePath(settings.FILES) / relative
    if not target.exists():
        target.parent.mkdir(parents=True, exist_ok=True)
        with whole_file(target) as temporary:
            temporary.write_bytes(data)
    try:
        check_survivable("table", name, str(target))
        lut = read_lut(target)
    except (BadLut, ReadingFailed) as error:
        if not ImportedLut.objects.filter(file=relative).exists():
            target.unlink(missing_ok=True)
        if isinstance(error, ReadingFailed):
            raise
        raise BadLut(name, error.problem, error.line) from None
    return ImportedLut.objects.create(
        production=production,
        name=name,
        sha256=digest,
        file=relative,
        kind=kind_of(lut),
        size=lut.size,
        evidence_json=dataclasses.asdict(evidence(lut)),
        created_by=user,
    )


def declare(
    row: ImportedLut,
    *,
    expects: str,
    expects_range: str,
    gives: str,
    gives_range: str,
    interpolation: str,
    full_all_the_same: bool = False,
) -> ImportedLut:
    """Says what code a table expects and what it gives: an encoding, or an output it was made for.

    Raises UnknownName or Refused: one whose output is legal codes is declared as full only by who says that it is
    ``full_all_the_same``; a table from a display's code gives a display's of the same kind of range.
    """
    if {expects_range, gives_range} - {"full", "legal"}:
        raise Refused("The code range is either full or legal.")
    if interpolation not in ("tetrahedral", "trilinear"):
        raise Refused("The interpolation is tetrahedral or trilinear.")
    if expects and gives and gives_range == "full" and not full_all_the_same and gives_legal(row.lut):
        raise Refused(
            f"What {row.name} gives runs from 64 to 940 of 10-bit codes, which are legal codes, and it would be "
            "declared as full: blacks would be lifted and whites dull. Declare legal, or tick that it is full all the "
            "same."
        )
    row.expects = _known_target(expects) if expects else ""
    row.gives = _known_target(gives) if gives else ""
    if row.expects in OUTPUTS and row.gives:
        if row.gives not in OUTPUTS:
            raise Refused(
                f"From {row.expects}, a display’s code, no table leads back to {row.gives}: what a display shows is "
                "already rendered. Declare what it gives as an output too."
            )
        if OUTPUTS[row.expects].is_hdr != OUTPUTS[row.gives].is_hdr:
            raise Refused(
                f"{row.expects} to {row.gives} is a conversion between SDR and HDR, which is a rendering’s work; this "
                "program renders each from scene light instead."
            )
    row.expects_range, row.gives_range, row.interpolation = expects_range, gives_range, interpolation
    row.save(update_fields=["expects", "gives", "expects_range", "gives_range", "interpolation"])
    return row


def _known_target(name: str) -> str:
    try:
        return output(name).name
    except UpwellingError:
        return encoding(name).name


def tag(row: ImportedLut, text: str) -> ImportedLut:
    """Its tags, from words with spaces or commas between."""
    row.tags = " ".join(dict.fromkeys(text.replace(",", " ").lower().split()))[:200]
    row.save(update_fields=["tags"])
    return row


def mark_used(row: ImportedLut) -> None:
    """That it was put to use now, for the list of those used lately."""
    row.used = timezone.now()
    row.save(update_fields=["used"])


def gives_display(row: ImportedLut) -> bool:
    """Whether it was declared to give a display's code."""
    try:
        output(row.gives)
    except UpwellingError:
        return False
    return True


def use_as_rendering(row: ImportedLut) -> list[str]:
    """Makes it the production's rendering for the outputs it can serve, and gives their names; raises Refused where
    there are none.
    """
    declared = row.declared
    if not gives_display(row):
        raise Refused(
            f"{row.name} gives {row.gives}, which is no display output. Only a conversion to a display can be a "
            "rendering."
        )
    given = give_rendering(row.production, LutRendering(lut=declared))
    if not given:
        raise Refused(
            f"{row.name} was made for {row.gives}, and the production delivers no output of that kind without a "
            "rendering of its own. Add one on the Outputs page first."
        )
    return given


def lay_over(row: ImportedLut, strength: float = 1.0) -> str:
    """Lays it over what every rendering of the production gives, on outputs of its kind of range; gives the name of the
    table whose place it took, empty for none. Raises Refused or BadValue.
    """
    made = DisplayLook(lut=row.display_table, strength=strength)
    is_hdr = output(made.lut.expects).is_hdr
    with on_fresh_rules(row.production):
        rules = row.production.rule_set
        before = rules.display_look(is_hdr)
        others = [one for one in rules.display_looks if one != before]
        set_rules(row.production, {"display_looks": [one.model_dump(mode="json") for one in (*others, made)]})
    return before.lut.table.name if before and before.lut.table.file_sha256 != row.sha256 else ""


def take_off(row: ImportedLut) -> None:
    """Lays it over nothing any more."""
    with on_fresh_rules(row.production):
        looks = [one for one in row.production.rule_set.display_looks if one.lut.table.file_sha256 != row.sha256]
        set_rules(row.production, {"display_looks": [one.model_dump(mode="json") for one in looks]})


def laid_over(row: ImportedLut) -> DisplayLook | None:
    """The production's Look of the display that it is."""
    return next((one for one in row.production.rule_set.display_looks if one.lut.table.file_sha256 == row.sha256), None)


def use_as_input(row: ImportedLut, user: Any, name: str) -> OwnEncoding:
    """Defines an encoding of the production by it: camera code to the code it gives.

    Raises Refused for a display's code or a process list.
    """
    declared = row.declared
    if gives_display(row):
        raise Refused(
            f"{row.name} gives {row.gives}, a display’s code. An Input needs a table that gives scene light in an "
            "encoding."
        )
    lut = row.lut
    if isinstance(lut, ProcessList):
        raise Refused(
            f"{row.name} is a process list; an Input takes one 1D or 3D table. Bring in the camera maker’s .cube "
            "instead."
        )
    form = {
        "kind": "lut",
        "dimensions": 1 if isinstance(lut, Lut1D) else 3,
        "size": lut.size,
        "low": lut.domain.low,
        "high": lut.domain.high,
        "data": MakerLut.pack(lut.table),
        "expects": declared.expects_range,
        "gives": declared.gives,
        "gives_range": declared.gives_range,
    }
    return define_encoding(
        row.production,
        user,
        {
            "name": name or row.name.rsplit(".", 1)[0][:60],
            "note": f"By the table {row.name}"[:300],
            "form": form,
            "default_range": declared.expects_range,
        },
    )


def remove_lut(row: ImportedLut) -> None:
    """Removes it from the list. Looks, renderings and recipes that carry it keep their copy."""
    others = ImportedLut.objects.filter(file=row.file).exclude(pk=row.pk).exists()
    place = row.disk_path
    row.delete()
    if not others:
        transaction.on_commit(partial(place.unlink, missing_ok=True))
