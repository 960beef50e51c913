"""What is heard of a delivered file against its source: tracks, codec, channels, length, level, and whether it is in
step with the picture.
"""

from __future__ import annotations

from pathlib import Path as FilePath

import numpy as np
from scipy.signal import correlate

from upwelling.core.count_of import count_of
from upwelling.core.delivery.order import Order
from upwelling.core.delivery.sound import sound_for
from upwelling.core.media.heard import RATE, Heard, heard
from upwelling.core.media.movie_write import KINDS
from upwelling.core.media.sound import ENCODED, sound_of

IN_STEP, ALIKE, SILENT = 0.010, 0.6, 1e-4
"""Seconds by which sound may be off (EBU R 37-2007 allows 5 ms early and 15 ms late), correlation from which two are
one sound, and level in shares of full scale below which there is none to compare; the last two are ours.
"""


def sound_rows(order: Order, target: FilePath) -> list[tuple[str, str, str]]:
    """Rows of what, ordered and found; one that says none where none was ordered."""
    sound, _ = sound_for(order)
    found = sound_of(target)
    if sound is None:
        return [("sound", "none", f"{len(found)} tracks" if found else "none")]
    kind = KINDS[order.form.ending]
    wanted = [ENCODED[kind] if sound.refusal(kind) else codec for codec in sound_of(sound.path)]
    if found != wanted:
        return [("sound", ", ".join(wanted), ", ".join(found) or "none")]
    rows = []
    for number, codec in enumerate(wanted):
        name = "sound" if len(wanted) == 1 else f"sound, track {number + 1}"
        mine, its = heard(sound.path, number, sound.start, sound.length), heard(target, number)
        rows.append((name, _said(codec, mine, mine), _said(codec, its, mine)))
    return rows


def _said(codec: str, found: Heard, wanted: Heard) -> str:
    """A track in words that are the same for two that are alike as far as an ear can tell."""
    near = abs(found.seconds - wanted.seconds) <= 0.06
    length = wanted.seconds if near else found.seconds
    channels = count_of(found.channels, "channel")
    return f"{codec}, {channels}, {length:.2f} s, {_step_said(found, wanted)}"


def _step_said(found: Heard, wanted: Heard) -> str:
    if wanted.level < SILENT:
        return "silent" if found.level < SILENT else "sound where there was silence"
    if found.level < SILENT:
        return "silent"
    count = min(len(found.samples), len(wanted.samples))
    mine, its = (one.samples[:count] - one.samples[:count].mean() for one in (wanted, found))
    like = correlate(its, mine, mode="full", method="fft")
    best = int(np.argmax(like))
    strength = float(like[best]) / float(np.linalg.norm(mine) * np.linalg.norm(its) + 1e-12)
    if strength < ALIKE:
        return "another sound"
    off = (best - (count - 1)) / RATE
    if abs(off) <= IN_STEP:
        return "in step with the picture"
    return f"{abs(off) * 1000:.0f} ms {'late' if off > 0 else 'early'}"
