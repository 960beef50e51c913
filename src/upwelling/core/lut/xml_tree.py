"""A small, safe XML reader: elements with their line numbers, no document type, no entities of its own, bounded size
and depth.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from xml.parsers import expat

from upwelling.core.errors import BadLut

DEEPEST, MOST_ELEMENTS, LARGEST, LONGEST_TAG = 64, 100_000, 1_500_000_000, 64 * 1024
"""Elements inside each other and in all, bytes of a file and of one tag with its attributes."""


@dataclass
class Element:
    """One element: local name without namespace, attributes, text directly inside, children, and its line (from 1)."""

    name: str
    attributes: dict[str, str]
    line: int
    text: str = ""
    children: list[Element] = field(default_factory=list)

    def child(self, name: str) -> Element | None:
        """The first child of that name."""
        return next((c for c in self.children if c.name == name), None)

    def every(self, *names: str) -> Iterator[Element]:
        """All elements of these names, below this one, in order."""
        for child in self.children:
            if child.name in names:
                yield child
            yield from child.every(*names)


def _check_tags(data: bytes, name: object) -> None:
    """Refuses a tag of a million attributes before the parser makes one object of it."""
    at, tags = data.find(b"<"), 0
    while at >= 0:
        comment = data.startswith(b"<!--", at)
        end = data.find(b"-->" if comment else b">", at)
        end = len(data) if end < 0 else end
        tags += 1
        if tags > 2 * MOST_ELEMENTS + 1000 or (end - at > LONGEST_TAG and not comment):
            raise BadLut(
                name, "there are more elements or attributes than any table has.", data.count(b"\n", 0, at) + 1
            )
        at = data.find(b"<", end)


def parse_xml(data: bytes, name: object, *, doctype: bool = False) -> Element:
    """The root element; raises BadLut with the line. Nothing is fetched and nothing expands: a file's own entities are
    refused, and so is any DOCTYPE unless ``doctype``.
    """
    if len(data) > LARGEST:
        raise BadLut(name, "the file is larger than any table may be.")
    _check_tags(data, name)
    parser = expat.ParserCreate(namespace_separator=" ")
    parser.buffer_text = True
    root: list[Element] = []
    stack: list[Element] = []
    texts: list[list[str]] = []
    count = 0

    def start(tag: str, attributes: dict[str, str]) -> None:
        nonlocal count
        count += 1
        if len(stack) >= DEEPEST or count > MOST_ELEMENTS:
            raise BadLut(name, "there are more elements, or deeper ones, than any table has.", parser.CurrentLineNumber)
        plain = {key.rsplit(" ", 1)[-1]: value for key, value in attributes.items()}
        element = Element(tag.rsplit(" ", 1)[-1], plain, parser.CurrentLineNumber)
        (stack[-1].children if stack else root).append(element)
        stack.append(element)
        texts.append([])

    def end(tag: str) -> None:
        stack.pop().text = "".join(texts.pop()).strip()

    def characters(text: str) -> None:
        if texts:
            texts[-1].append(text)

    def refused(*found: object) -> None:
        raise BadLut(
            name, "a document type (DOCTYPE) stands in the file; tables have none. Remove it.", parser.CurrentLineNumber
        )

    parser.StartElementHandler, parser.EndElementHandler, parser.CharacterDataHandler = start, end, characters
    if not doctype:
        parser.StartDoctypeDeclHandler = refused
    parser.EntityDeclHandler = refused
    try:
        parser.Parse(data, True)
    except expat.ExpatError as error:
        raise BadLut(name, f"this is not well-formed XML ({expat.ErrorString(error.code)}).", error.lineno) from None
    except (ValueError, LookupError):
        raise BadLut(name, "its text encoding is not known. Save it as UTF-8.") from None
    return root[0]
