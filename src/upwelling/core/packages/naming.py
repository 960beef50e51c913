"""What tables are called."""

from __future__ import annotations

import datetime
from collections.abc import Mapping

from upwelling.core.bake.make import formulas
from upwelling.core.bake.order import BakeOrder
from upwelling.core.patterns import named_by, plain_name
from upwelling.core.tables.formats import FORMATS

FIELDS = {
    "production": "the production's name",
    "name": "the shot's, camera's or Look's name",
    "file": "the source file's name without its ending",
    "from": "what the table takes",
    "to": "what the table gives",
    "receiver": "who uses it",
    "kind": "its grid or entries, as 33",
    "range": "full, or legal where codes of 64 to 940 go in or out",
    "date": "the day, as 2026-11-26",
}
_MIDDLE = {True: "{to}", False: "{from}_to_{to}"}


def usual_pattern(order: BakeOrder) -> str:
    """Short: what it is of, what it gives (what it takes, where that is not the camera's code), its kind, and the range
    where a wrong one would show.
    """
    legal = "_{range}" if _range(order) == "legal" else ""
    return f"{{name}}_{_MIDDLE[order.section.from_camera]}_{{kind}}{legal}"


def table_name(order: BakeOrder, fields: Mapping[str, str], pattern: str = "") -> str:
    """The name of a table's file; ``fields`` are those of FIELDS that its order does not tell. Raises BadValue for a
    pattern that leaves none.
    """
    section = order.section
    kind = "formulas" if formulas(order) else f"{order.size}" if order.dimensions == 3 else f"1D-{order.size}"
    known = {
        **fields,
        "from": section.input_name(order.path),
        "to": section.output_name(order.path),
        "receiver": order.receiver.name,
        "kind": kind,
        "range": _range(order),
        "date": f"{datetime.datetime.now(datetime.UTC):%Y-%m-%d}",
    }
    plain = {name: plain_name(text) for name, text in known.items() if text}
    return named_by(pattern or usual_pattern(order), plain, FIELDS) + FORMATS[order.format].ending


def _range(order: BakeOrder) -> str:
    return "legal" if "legal" in (order.receiver.input_range, order.receiver.output_range) else "full"
