"""The viewing layer of a page: what it asks for, as a value of the core, and the operations to its screen."""

from __future__ import annotations

from typing import Any

from pydantic import ValidationError

from upwelling.core.errors import BadValue
from upwelling.core.operations import Operation
from upwelling.core.outputs.monitor import MONITORS, Monitor
from upwelling.core.parameters import refusal
from upwelling.core.path import Path
from upwelling.core.viewing import Viewing
from upwelling.web.common.requests import Refused, whole
from upwelling.web.footage.pictures import light_to_screen
from upwelling.web.productions.models import Production

NONE = Viewing()


def viewing_of(production: Production, body: Any) -> Viewing:
    """What a page sent as its viewing layer, with the number of a table and the name of a monitor in it; nothing where
    it sent none. Raises Refused or BadValue.
    """
    if not isinstance(body, dict):
        return NONE
    given = dict(body)
    pk, name = whole(given.pop("table", 0) or 0), given.pop("monitor", "") or ""
    if pk:
        row = production.luts.filter(pk=pk).first()
        if row is None:
            raise Refused("That table is no longer here. Choose another for the viewing layer.")
        given["table"] = row.display_table if row.between_displays else row.declared
    if name:
        if name not in MONITORS:
            raise Refused(f"There is no simulated monitor “{name}”.")
        given["monitor"] = Monitor(**MONITORS[name])
    try:
        return Viewing.model_validate(given)
    except ValidationError as error:
        raise BadValue(refusal(error)) from None


def seen_operations(viewing: Viewing, path: Path) -> tuple[Operation, ...]:
    """From the file's code to the browser's sRGB code, through the viewing layer."""
    to_screen = light_to_screen(path.target) if path.display.on else ()
    return (*viewing.operations(path), *to_screen)
