"""Known mistakes in making a table, each tried on the file: one kind a file.

``KINDS`` is the explicit list of members.
"""

from __future__ import annotations

import numpy as np

from upwelling.core.proof.mistakes import coding, layout, settings, shape
from upwelling.core.proof.mistakes.base import Case, apart

KINDS = (layout, coding, settings, shape)
SOLVES, NEAR = 0.2, 0.012
"""A mistake is named when undoing it leaves less than this share of the error, and less than this much code."""


def mistake(case: Case) -> str:
    """The mistake that explains a file best, or an empty string when nothing known does."""
    most = float(np.abs(case.entries).max())
    if most > 64 and most > 8 * float(np.abs(case.right).max()):
        return (
            f"Its entries run to {most:.0f}: it holds whole-number codes where numbers from 0 to 1 are expected. "
            "Divide them by the largest code of their depth."
        )
    error = apart(case.right + case.fitted, case.entries)
    tried = [
        (apart(case.order.held(values + case.fitted), case.entries), words)
        for kind in KINDS
        for values, words in kind.tries(case)
    ]
    least, words = min(tried, default=(np.inf, ""))
    return words if least < min(SOLVES * error, NEAR) else ""
