"""Two people on one form: each saves the fields they changed, and is told where the other changed the same one."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from typing import Any

from upwelling.core.strict_json import BadJson, read_json
from upwelling.web.common.requests import Refused

LARGEST, MOST = 256 * 1024, 20_000


def as_seen(values: dict[str, Any]) -> str:
    """What a page was drawn from, for a hidden field of its form."""
    return json.dumps(values, sort_keys=True, default=str)


def mark_of(stored: Any) -> str:
    """What tells one stored value from another, for a page that shows it whole."""
    return hashlib.sha256(json.dumps(stored, sort_keys=True).encode()).hexdigest()[:16]


def check_mark(seen: str, stored: Any, name: str) -> None:
    """Raises Refused when what a page changes is not what it showed; a page that does not say is believed."""
    if seen and seen != mark_of(stored):
        raise Refused(f"{name} was changed by somebody else meanwhile. Load the page again, then make your change.")


def only_changed(
    seen: str, wanted: dict[str, Any], now: dict[str, Any], named: Callable[[str], str] = str
) -> dict[str, Any]:
    """The values that differ from what the page showed; raises Refused where somebody has changed one of these to
    something else meanwhile. A page that does not say what it showed changes all.
    """
    try:
        shown = read_json(seen, largest=LARGEST, most=MOST) if seen else None
    except BadJson:
        shown = None
    if not isinstance(shown, dict):
        return wanted
    plain: dict[str, Any] = json.loads(as_seen(wanted))
    present: dict[str, Any] = json.loads(as_seen(now))
    changed = {name for name in wanted if name not in shown or plain[name] != shown[name]}
    clashes = [name for name in sorted(changed) if present.get(name) not in (shown.get(name), plain[name])]
    if clashes:
        said = "; ".join(f"{named(name)} is {_shown(present.get(name))} now" for name in clashes)
        raise Refused(
            f"Somebody else changed the same meanwhile, so nothing was saved: {said}. Look, and change it again."
        )
    return {name: wanted[name] for name in wanted if name in changed}


def _shown(value: Any) -> str:
    text = json.dumps(value, ensure_ascii=False) if isinstance(value, dict | list) else str(value)
    return text if len(text) <= 60 else text[:57] + "…"
