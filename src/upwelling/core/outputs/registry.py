"""Built-in outputs by name."""

from __future__ import annotations

from upwelling.core.errors import UnknownName
from upwelling.core.outputs.base import Output
from upwelling.core.outputs.built_in import BUILT_IN

OUTPUTS: dict[str, Output] = {member.name: member for member in BUILT_IN}
_BY_LOWER = {name.lower(): member for name, member in OUTPUTS.items()}


def output(name: str) -> Output:
    """The built-in output of that name, matched without regard to case; raises UnknownName."""
    try:
        return _BY_LOWER[name.strip().lower()]
    except KeyError:
        raise UnknownName("output", name, list(OUTPUTS)) from None
