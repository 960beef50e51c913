"""The map of a production: its areas in the order of the work, each with its parts, and the pages that belong to them
(docs/map.md).
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Part:
    """A part of an area: the name of its page's address, what it is for, and the other pages that belong to it."""

    title: str
    url: str
    says: str
    pages: tuple[str, ...] = ()
    without_production: str = ""
    """The page that stands for it where no production is open."""

    def holds(self, page: str) -> bool:
        """Whether a page of that name belongs to it."""
        return page in (self.url, self.without_production, *self.pages)


@dataclass(frozen=True)
class Area:
    """An area of the bar. Its first part is where it leads."""

    title: str
    parts: tuple[Part, ...]

    def part_of(self, page: str) -> Part | None:
        """The part that a page belongs to."""
        return next((part for part in self.parts if part.holds(page)), None)


AREAS: tuple[Area, ...] = (
    Area(
        "Overview",
        (
            Part("Overview", "production", "where the work stands, and the rules every shot follows", ("rules",)),
            Part("Remarks", "remarks", "what people said of frames, to answer and tick off"),
            Part("People", "people", "who may look, and who may change"),
            Part("Record", "record", "who did what, and when"),
            Part("About", "about", "its name, a copy as a template, archive and end"),
        ),
    ),
    Area(
        "Footage",
        (
            Part(
                "Intake",
                "intake",
                "files and folders come in; what each file is gets settled",
                ("card", "card-report", "camera", "match-camera", "alike", "split", "chart"),
            ),
            Part("Cuts", "cuts", "an editor’s list of events becomes ranges of shots", ("cut", "play-cut")),
            Part(
                "Encodings",
                "own-encodings",
                "curves and primaries: the built-in ones, and the production’s own",
                without_production="encodings",
            ),
            Part("Measured", "measurements", "a camera nobody lists, measured from a chart", ("measurement",)),
        ),
    ),
    Area(
        "Bench",
        (
            Part("Bench", "any-bench", "one shot: its signal path, picture, controls, scopes", ("bench",)),
            Part("Shots", "shots", "all shots as a list, to find, group and change many"),
            Part("Wall", "wall", "shots side by side on the same axes, the odd ones marked"),
            Part("First pass", "first-pass", "a few chosen controls, shot after shot", ("pass-summary",)),
            Part("Match many", "match-many", "many shots brought to a reference at once", ("match-run",)),
            Part("References", "references", "frames and stills to compare with and match to"),
        ),
    ),
    Area(
        "Looks",
        (
            Part("Looks", "looks", "what lies on top, for many shots", ("look", "look-sheet", "propose-look")),
            Part("Layers", "layers", "what a camera, a group or an output needs once", ("layer",)),
            Part("Tables", "table-shelf", "tables from elsewhere, with their spaces declared", ("lut", "recover-lut")),
        ),
    ),
    Area(
        "Outputs",
        (
            Part("Outputs", "outputs", "the displays that are delivered for"),
            Part("Renderings", "any-renderings", "one frame by every tone map, with numbers", ("renderings",)),
            Part("Monitor", "any-monitor", "what a simulated monitor makes of a frame", ("monitor", "light-level")),
        ),
    ),
    Area(
        "Bakes",
        (
            Part("Bakes", "bakes", "tables, each with its certificate", ("certificate", "package", "tolerances")),
            Part("Bake a shot", "any-bake", "a table of one shot’s path", ("bake-setup",)),
            Part("Bake a list", "bake-list", "tables for many shots, alike ones shared"),
            Part("CDL", "cdl", "ten numbers a shot instead of a table"),
            Part("Receivers", "receivers", "what takes the tables: formats, sizes, interpolation"),
        ),
    ),
    Area(
        "Deliveries",
        (
            Part("Deliveries", "deliveries", "rendered files, each with its proof", ("delivery",)),
            Part("Deliver", "order-delivery", "which shots, in which form, where to"),
            Part("Came back", "came-back", "a returned file held against what was delivered"),
            Part(
                "Showings", "showings", "frames or a cut for people without an account", ("new-showing", "showing-kept")
            ),
            Part("Hand over", "handover", "everything the next person needs, in one file"),
        ),
    ),
)


def area_of(page: str) -> Area | None:
    """The area a page belongs to."""
    return next((area for area in AREAS if area.part_of(page)), None)
