"""Tables in shots' trims, kept once for all shots and all states: a trim names its table by its digest, and the path
has it whole.
"""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache

from upwelling.core.errors import BadValue
from upwelling.core.lut.carried import CarriedLut
from upwelling.core.steps import AnyStep, LutStep
from upwelling.web.luts.models import KeptTable


def put_apart(steps: Iterable[AnyStep]) -> tuple[AnyStep, ...]:
    """The steps with their tables kept and named."""
    return tuple(_apart(step) if isinstance(step, LutStep) and step.lut.table.data else step for step in steps)


def whole(steps: tuple[AnyStep, ...]) -> tuple[AnyStep, ...]:
    """The steps with their tables in them; raises BadValue for one that is kept nowhere."""
    if not any(isinstance(step, LutStep) and not step.lut.table.data for step in steps):
        return steps
    return tuple(_whole(step) if isinstance(step, LutStep) and not step.lut.table.data else step for step in steps)


def _apart(step: LutStep) -> LutStep:
    table = step.lut.table
    KeptTable.objects.get_or_create(digest=table.digest, defaults={"carried": table.model_dump(mode="json")})
    return _with(step, table.model_copy(update={"data": ""}))


def _whole(step: LutStep) -> LutStep:
    try:
        found = _kept(step.lut.table.digest)
    except KeptTable.DoesNotExist:
        raise BadValue(
            f"The table {step.lut.table.name} of a trim is no longer kept. Bring it in and add it again."
        ) from None
    return _with(step, found.model_copy(update={"name": step.lut.table.name}))


def _with(step: LutStep, table: CarriedLut) -> LutStep:
    return step.model_copy(update={"lut": step.lut.model_copy(update={"table": table})})


@lru_cache(maxsize=16)
def _kept(digest: str) -> CarriedLut:
    """Raises KeptTable.DoesNotExist, which is not remembered: what is missing may be added again."""
    return CarriedLut.model_validate(KeptTable.objects.get(digest=digest).carried)
