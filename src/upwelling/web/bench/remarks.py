"""What was said of a frame of a shot, and what has changed in its picture since."""

from __future__ import annotations

from typing import Any

from django.utils import timezone

from upwelling.core.errors import UpwellingError
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.footage.setting_differences import differences
from upwelling.web.footage.shot_settings import stored_settings
from upwelling.web.productions.remarks import Remark, allowed, remarks_on

MOST_SAID = 4
"""Changes since a remark that are told."""


def remark_rows(shot: Shot, user: Any, *, changes: bool) -> list[dict[str, Any]]:
    """The shot's remarks for its page, the newest first; ``changes`` says whether the person is a technician."""
    return [_row(shot, one, user, changes) for one in remarks_on(shot.production, "shot", shot.pk)]


def answer_words(shot: Shot, one: Remark) -> str:
    """What an answer given now says was changed since a remark was made; empty where nothing of the shot's own was."""
    return "; ".join(_since(shot, one))


def _since(shot: Shot, one: Remark) -> list[str]:
    """What of the shot's own settings differs from when a remark was made, in words."""
    if one.settings_then is None:
        return []
    try:
        return differences(stored_settings(one.settings_then), shot.settings)
    except UpwellingError:
        return ["what the settings were then can no longer be read"]


def _changed(shot: Shot, one: Remark) -> str:
    """Why what was said may no longer hold: the frame is rendered otherwise now; empty where it is not."""
    if not one.seen or one.frame is None:
        return ""
    try:
        now = path_of(shot, None, one.output).at(one.frame).fingerprint
    except UpwellingError as error:
        return f"the picture can no longer be made: {error}"
    if now.startswith(one.seen):
        return ""
    rows = _since(shot, one)
    more = f" and {len(rows) - MOST_SAID} more" if len(rows) > MOST_SAID else ""
    return "; ".join(rows[:MOST_SAID]) + more if rows else "what it shares with other shots, or the production’s rules"


def _when(moment: Any) -> str:
    return timezone.localtime(moment).strftime("%d %b %H:%M")


def _who(one: Remark) -> str:
    return f"{one.said_by}, {_when(one.created)}"


def _row(shot: Shot, one: Remark, user: Any, changes: bool) -> dict[str, Any]:
    said = shot.frame_said(one.frame) if one.frame is not None else "the shot"
    answered = f"answered by {one.answered_by or 'someone'}, {_when(one.answered)}" if one.answered else ""
    return {
        "pk": one.pk,
        "text": one.text,
        "who": _who(one),
        "frame": one.frame,
        "at": said,
        "place": one.place,
        "output": one.output,
        "state": one.state,
        "answered": f"{answered}: {one.answer}" if one.answer else answered,
        "changed": _changed(shot, one) if one.state != "done" else "",
        "replies": [
            {"pk": row.pk, "text": row.text, "who": _who(row)}
            for row in sorted(one.replies.all(), key=lambda row: row.pk)
        ],
        "may": sorted(allowed(one, user, changes=changes)),
    }
