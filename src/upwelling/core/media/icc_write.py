"""An ICC profile that says what an SDR display signal is, written by Little CMS (imagecodecs).

Source: ICC.1:2022, matrix and tone curves. The tone curve is the display's own from its black to its peak, at 1025
codes, so that whoever reads the profile needs to know no curve by name.
"""

from __future__ import annotations

from typing import Any

import imagecodecs
import numpy as np

from upwelling.core.errors import BadValue
from upwelling.core.outputs import Output

POINTS = 1025


def display_profile(target: Output) -> bytes:
    """The profile of an output's full-range codes; raises BadValue for HDR, which a matrix profile cannot say."""
    if target.is_hdr:
        raise BadValue(f"An ICC profile of a matrix and curves does not say {target.curve_name}; cICP does.")
    grey = np.repeat(np.linspace(0, 1, POINTS)[:, None], 3, axis=1)
    light: Any = np.asarray(target.to_light(grey))[:, 0]
    primaries = target.primaries
    ends = [value for corner in (primaries.red, primaries.green, primaries.blue) for value in (*corner, 1.0)]
    return bytes(
        imagecodecs.cms_profile(
            "rgb",
            whitepoint=[*primaries.white, 1.0],
            primaries=ends,
            transferfunction=np.rint(np.clip(light, 0, 1) * 65535).astype(np.uint16),
        )
    )
