"""The help beside the work: a page for each part of the map, and the documents, as HTML and searched.

A guide is Markdown: a title, what the page is for, three things commonly done, then lines “Words:” (of the glossary)
and “Keys:”. The documents lie beside the source; an installed package has the guides alone.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cache
from pathlib import Path as FilePath

from django.urls import reverse
from django.utils.html import escape, strip_tags
from django.utils.safestring import SafeString, mark_safe
from markdown_it import MarkdownIt

from upwelling.web.common.areas import AREAS

GUIDES = FilePath(__file__).parent / "guide"
DOCS = FilePath(__file__).resolve().parents[4] / "docs"
PICTURES = {
    "production": "production",
    "intake": "intake",
    "cuts": "cut",
    "measurements": "measured",
    "any-bench": "bench",
    "wall": "wall",
    "first-pass": "first-pass",
    "looks": "looks",
    "layers": "layers",
    "table-shelf": "tables",
    "outputs": "outputs",
    "any-renderings": "bench-rendering",
    "any-bake": "bake-setup",
    "bakes": "certificate",
    "deliveries": "delivery",
    "order-delivery": "deliver",
    "showings": "showing",
}
"""The picture in docs/screenshots that shows a part."""
_LINK = re.compile(r'(href|src)="([\w./-]+?\.(?:md|png|jpg|svg))(#[\w-]*)?"')


@dataclass(frozen=True)
class Page:
    """A guide or a document. ``words`` are the glossary's, with their meanings; ``keys`` what the page listens to."""

    name: str
    title: str
    html: SafeString
    text: str
    words: tuple[tuple[str, str], ...] = ()
    keys: tuple[str, ...] = ()
    picture: str = ""
    kind: str = "help-page"
    """The name of its address."""

    @property
    def address(self) -> str:
        """Where it stands by itself."""
        return reverse(self.kind, args=[self.name])


@cache
def guide(part: str) -> Page | None:
    """The guide of a part of the map, by the name of the part's address."""
    file = GUIDES / f"{part}.md"
    if part not in parts() or not file.is_file():
        return None
    body, more = [], {"Words": "", "Keys": ""}
    for line in file.read_text().splitlines():
        head, _, rest = line.partition(": ")
        if head in more:
            more[head] = rest
        else:
            body.append(line)
    meanings = glossary()
    words = tuple((word, meanings.get(word, "")) for word in more["Words"].split(", ") if word)
    keys = tuple(key for key in more["Keys"].split(" · ") if key)
    picture = PICTURES.get(part, "") if DOCS.is_dir() else ""
    return _page(part, "\n".join(body), words=words, keys=keys, picture=picture)


@cache
def document(name: str) -> Page | None:
    """A document of docs/ by its name."""
    file = DOCS / f"{name}.md"
    return (
        _page(name, file.read_text(), kind="help-document")
        if re.fullmatch(r"[a-z-]+", name) and file.is_file()
        else None
    )


@cache
def glossary() -> dict[str, str]:
    """The glossary's words and what they mean."""
    file = DOCS / "glossary.md"
    rows = re.findall(r"^\| ([A-Z][^|]*?) \| (.*?) \| `", file.read_text(), re.M) if file.is_file() else []
    return dict(rows)


def parts() -> list[str]:
    """The names of all parts of the map, in its order."""
    return [part.url for area in AREAS for part in area.parts]


def documents() -> list[Page]:
    """All documents, by name."""
    return [page for file in sorted(DOCS.glob("*.md")) if (page := document(file.stem))]


def guides() -> list[Page]:
    """All guides, in the map's order."""
    return [page for part in parts() if (page := guide(part))]


def picture_file(name: str) -> FilePath | None:
    """A picture of the documents."""
    if not re.fullmatch(r"[a-z-]+\.(png|jpg|svg)", name):
        return None
    return next((file for file in (DOCS / name, DOCS / "screenshots" / name) if file.is_file()), None)


def found(word: str) -> list[tuple[Page, SafeString]]:
    """Guides, then documents, that hold a word, each with the first place of it."""
    sought = word.strip().lower()
    pages = (*guides(), *documents()) if sought else ()
    return [(page, _around(page.text, sought)) for page in pages if sought in page.text.lower()]


def _around(text: str, sought: str) -> SafeString:
    at = text.lower().index(sought)
    before, hit, after = text[max(at - 60, 0) : at], text[at : at + len(sought)], text[at + len(sought) :][:90]
    return mark_safe(f"… {escape(before)}<mark>{escape(hit)}</mark>{escape(after)} …")  # noqa: S308 - escaped above


def _page(name: str, markdown: str, **more: object) -> Page:
    html = MarkdownIt("commonmark").enable("table").render(markdown)
    title = strip_tags(html.partition("</h1>")[0]).strip()
    text = " ".join(strip_tags(html).split())
    body = _LINK.sub(_led, html.partition("</h1>")[2])
    return Page(name, title, mark_safe(body), text, **more)  # type: ignore[arg-type]  # noqa: S308 - our own texts


def _led(link: re.Match[str]) -> str:
    """A document's link to another, or to a picture, as an address here; others lead nowhere here and are left."""
    kind, target, at = link.group(1), FilePath(link.group(2)), link.group(3) or ""
    if target.suffix == ".md" and target.parent.name in ("", "docs"):
        return f'{kind}="{reverse("help-document", args=[target.stem.lower()])}{at}"'
    if target.suffix != ".md":
        return f'{kind}="{reverse("help-picture", args=[target.name])}"'
    return link.group(0)
