"""The errors of the core: each says in one sentence what is wrong and what to do, and carries the facts as fields."""

from __future__ import annotations

from collections.abc import Collection

from pydantic import ValidationError


class UpwellingError(Exception):
    """Root of every error the core raises on purpose; ``str(error)`` is fit to be shown to a person."""


class UnknownName(UpwellingError):
    """A name that no member of a registry has."""

    def __init__(self, kind: str, name: str, known: list[str]) -> None:
        self.kind, self.name, self.known = kind, name, known
        near = _nearest(name, known)
        hint = f" Did you mean “{near}”?" if near else ""
        super().__init__(f"There is no {kind} named “{name}”.{hint} `upwelling encodings` lists the names.")


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


def _nearest(name: str, known: list[str]) -> str:
    import difflib

    lowered = {k.lower(): k for k in known}
    found = difflib.get_close_matches(name.lower(), lowered, n=1, cutoff=0.5)
    return lowered[found[0]] if found else ""


def refusal(error: ValidationError, *, leave_out: Collection[str] = (), otherwise: str = "") -> str:
    """The first thing a validation found, as “Place: what is wrong.”; parts of the place may be left out."""
    first = error.errors()[0]
    place = " ".join(str(part).replace("_", " ").replace("nits", "cd/m²") for part in first["loc"] if part not in leave_out) or otherwise
    words = first["msg"].removeprefix("Value error, ")
    return f"{place[0].upper()}{place[1:]}: {words}." if place else f"{words}."
