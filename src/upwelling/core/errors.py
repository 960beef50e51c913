"""The errors of the core: each says in one sentence what is wrong and what to do, and carries the facts as fields."""

from __future__ import annotations

MOST_NAMED = 16
"""Names of a kind that are all said where one is wrong; more are listed by a command."""


class UpwellingError(Exception):
    """Root of every error the core raises on purpose; ``str(error)`` is fit to be shown to a person."""


class UnknownName(UpwellingError):
    """A name that no member of a registry has."""

    def __init__(self, kind: str, name: str, known: list[str]) -> None:
        self.kind, self.name, self.known = kind, name, known
        near = _nearest(name, known)
        hint = f" Did you mean “{near}”?" if near else ""
        # Names of other things are few, or the command does not list them.
        listed = len(known) > MOST_NAMED and "encoding" in kind
        where = "`upwelling encodings` lists the names." if listed else f"There are {', '.join(known)}."
        super().__init__(f"There is no {kind} named “{name}”.{hint} {where}")


class UnreadableFile(UpwellingError):
    """A picture file that cannot be read; ``path`` is shown by its name only."""

    def __init__(self, path: object, problem: str) -> None:
        self.path, self.problem = str(path), problem
        super().__init__(f"{self.path.rsplit('/', 1)[-1]}: {problem}")


class UnwritableFile(UpwellingError):
    """A picture or table that cannot be written as asked."""

    def __init__(self, path: object, problem: str) -> None:
        self.path, self.problem = str(path), problem
        super().__init__(f"{self.path.rsplit('/', 1)[-1]}: {problem}")


class BadLut(UpwellingError):
    """A lookup table file that breaks its format; ``line`` counts from 1 (0 when the file as a whole is wrong)."""

    def __init__(self, path: object, problem: str, line: int = 0) -> None:
        self.path, self.problem, self.line = str(path), problem, line
        where = f", line {line}" if line else ""
        super().__init__(f"{self.path.rsplit('/', 1)[-1]}{where}: {problem}")


class RecipeError(UpwellingError):
    """A recipe that is not valid; ``location`` is the dotted place in the JSON."""

    def __init__(self, problem: str, location: str = "") -> None:
        self.problem, self.location = problem, location
        super().__init__(f"Recipe, {location}: {problem}" if location else f"Recipe: {problem}")


class BadValue(UpwellingError):
    """A setting outside what is possible, alone or together with others."""


class PlaceNeeded(UpwellingError):
    """Values without a place were sent through something that depends on where a pixel stands or on what lies around
    it.
    """

    def __init__(self, need: str) -> None:
        self.need = need
        super().__init__(
            f"A step of this path acts by {need}: it can be run on a whole frame only, not on a list of colours. "
            "Switch it off, or leave it out."
        )


def _nearest(name: str, known: list[str]) -> str:
    import difflib

    lowered = {k.lower(): k for k in known}
    found = difflib.get_close_matches(name.lower(), lowered, n=1, cutoff=0.5)
    return lowered[found[0]] if found else ""
