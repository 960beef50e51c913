"""Matches: given pictures in working light and what corresponds in them, which steps bring one to the other."""

from upwelling.core.match import chart, exposure, pairs, scene, statistics
from upwelling.core.match.light import CannotMatch, Figures, Match, Picture, Space, space_of

METHODS: dict[str, str] = {
    "scene": "Same scene: two cameras look at one thing",
    "chart": "Chart: both pictures hold the 24-patch chart",
    "pairs": "Marked pairs: places that belong together",
    "exposure": "Exposure and balance: one scene, one kind of camera",
    "statistics": "Statistics: an unrelated reference",
}
"""Methods and what each is for; one file each."""

__all__ = [
    "METHODS",
    "CannotMatch",
    "Figures",
    "Match",
    "Picture",
    "Space",
    "chart",
    "exposure",
    "pairs",
    "scene",
    "space_of",
    "statistics",
]
