"""Formats of lookup tables: one a file. ``FORMATS`` is the explicit list of members by name."""

from __future__ import annotations

from typing import Annotated

from pydantic import AfterValidator

from upwelling.core.tables.formats.base import LutFormat
from upwelling.core.tables.formats.clf import CLF
from upwelling.core.tables.formats.cube import CUBE
from upwelling.core.tables.formats.hald import HALD

FORMATS: dict[str, LutFormat] = {form.name: form for form in (CUBE, CLF, HALD)}


def _known(name: str) -> str:
    if name not in FORMATS:
        raise ValueError(f"“{name}” is no table format; there are {', '.join(FORMATS)}")
    return name


FormatName = Annotated[str, AfterValidator(_known)]
"""The name of a member of ``FORMATS``."""


def first_with(names: tuple[str, ...], capability: str) -> str | None:
    """The first of some formats that has a capability ("nodes", "shaper"), or None."""
    return next((name for name in names if getattr(FORMATS[name], capability)), None)


__all__ = ["FORMATS", "FormatName", "LutFormat", "first_with"]
