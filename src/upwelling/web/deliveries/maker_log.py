"""The log that the other cameras of a raw shot's maker record, so that raw and coded footage become one group."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from upwelling.core.encodings import ENCODINGS
from upwelling.core.recognise.signal import is_log
from upwelling.web.footage.listing import with_settled
from upwelling.web.footage.models import Shot
from upwelling.web.footage.recognition import maker_and_model
from upwelling.web.productions.models import Production


def maker_log(production: Production, raws: Sequence[Shot]) -> tuple[str, str]:
    """The log that most shots of the same maker's cameras are settled as, and the name of such a camera; empty where
    there is none.
    """
    makers = {maker_and_model(shot.metadata)[0] for shot in raws if shot.is_raw} - {""}
    if not makers:
        return "", ""
    found: Counter[tuple[str, str]] = Counter()
    rows = with_settled(production).filter(camera__isnull=False).values_list("in_force", "camera__name", "metadata")
    for name, camera, metadata in rows:
        if name in ENCODINGS and is_log(ENCODINGS[name]) and maker_and_model(metadata)[0] in makers:
            found[name, camera] += 1
    return max(found, key=lambda row: found[row]) if found else ("", "")


def log_remark(production: Production, raws: Sequence[Shot], written: str) -> str:
    """What the log that raws are written in makes of them; empty where there is nothing to compare it with."""
    log, camera = maker_log(production, raws)
    if not log:
        return ""
    if log == written:
        return f"Written as {camera} of the same maker records: it can share that camera’s group."
    return f"{camera} of the same maker records {log}; in {written} this is a group of its own."
