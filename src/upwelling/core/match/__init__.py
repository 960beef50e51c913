"""Matches: given pictures in working light and what corresponds in them, which steps bring one to the other."""

from collections.abc import Callable

from upwelling.core.match import chart, exposure, pairs, scene, statistics
from upwelling.core.match.guard import guarded
from upwelling.core.match.light import CannotMatch, Match, MatchFigures, Picture, Space, space_of

METHODS: dict[str, str] = {
    "scene": "Same scene: two cameras look at one thing",
    "chart": "Chart: both pictures hold the 24-patch chart",
    "pairs": "Marked pairs: places that belong together",
    "exposure": "Exposure and balance: one scene, one kind of camera",
    "statistics": "Statistics: an unrelated reference",
}
"""Methods and what each is for; one file each."""

BY_ITSELF: dict[str, Callable[[Picture, Picture, Space], Match]] = {
    "scene": guarded(scene.match),
    "chart": guarded(chart.match),
    "exposure": guarded(exposure.match),
    "statistics": guarded(statistics.match),
}
"""Those that need nothing but the two pictures: source, then reference."""
by_pairs = guarded(pairs.match)
"""The one that needs marked places too."""

__all__ = [
    "BY_ITSELF",
    "METHODS",
    "CannotMatch",
    "Match",
    "MatchFigures",
    "Picture",
    "Space",
    "by_pairs",
    "chart",
    "exposure",
    "pairs",
    "scene",
    "space_of",
    "statistics",
]
