"""An editor's cut: its events, read from a list, and which files they are of."""

from upwelling.core.cut.match import SETTLED, FoundEvent, Media, match_cut, scan
from upwelling.core.cut.read import BadCut, Cut, Event, read_cut

__all__ = ["SETTLED", "BadCut", "Cut", "Event", "FoundEvent", "Media", "match_cut", "read_cut", "scan"]
