"""A sheet of the wall: its tiles with names, figures and what does not belong, as pages of a PDF or as one PNG."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path as FilePath
from typing import Any

from PIL import Image, ImageDraw

from upwelling.web.common.lettering import INK, write

PAGE = (2480, 1754)
"""Pixels of a page: A3 on its side at 150 to the inch."""
INCH = 150
MARGIN, GAP, LINE = 60, 24, 30
HEAD = 84
ACROSS = 5
"""Tiles beside each other, where one picture is shown of each shot."""
GROUND, QUIET, PICTURE_GROUND = "#e4e4e4", "#565656", "#777777"
TEXT, SMALL, TITLE = 22, 20, 32


@dataclass(frozen=True)
class Card:
    """What a sheet shows of one frame: pictures with a title each, its parade, and lines of text."""

    name: str
    pictures: Sequence[tuple[str, FilePath | None]]
    parade: FilePath | None
    lines: Sequence[str]


def pages_of(title: str, cards: Sequence[Card]) -> list[Any]:
    """The sheet's pages as pictures."""
    shown = max((len(card.pictures) for card in cards), default=1)
    across = max(ACROSS // shown, 1)
    wide = (PAGE[0] - 2 * MARGIN - (across - 1) * GAP) // across
    picture_wide = (wide - (shown - 1) * 8) // shown if shown > 1 else round(wide * 0.64)
    picture_high = round(picture_wide * 9 / 16)
    lines = max((len(card.lines) for card in cards), default=0) + 1 + (shown > 1)
    high = picture_high + lines * LINE + GAP
    down = max((PAGE[1] - MARGIN - HEAD - MARGIN) // high, 1)
    pages = []
    each = across * down
    count = -(-len(cards) // each)
    for number in range(max(count, 1)):
        page = Image.new("RGB", PAGE, GROUND)
        draw = ImageDraw.Draw(page)
        write(draw, (MARGIN, MARGIN // 2), title, TITLE, PAGE[0] - 2 * MARGIN - 200)
        write(draw, (PAGE[0] - MARGIN - 180, MARGIN // 2 + 6), f"page {number + 1} of {count}", SMALL, 200, QUIET)
        for at, card in enumerate(cards[number * each : (number + 1) * each]):
            x = MARGIN + (at % across) * (wide + GAP)
            y = MARGIN + HEAD - 30 + (at // across) * high
            _card(page, draw, (x, y), wide, (picture_wide, picture_high), card)
        pages.append(page)
    return pages


def _card(page: Any, draw: Any, at: tuple[int, int], wide: int, size: tuple[int, int], card: Card) -> None:
    (x, y), (across, high) = at, size
    below = y + high + 6
    for n, (title, place) in enumerate(card.pictures):
        left = x + n * (across + 8)
        _put(page, place, (left, y), size)
        if len(card.pictures) > 1:
            write(draw, (left, below), title, SMALL, across, QUIET)
    if len(card.pictures) > 1:
        below += LINE
    elif card.parade is not None:
        _put(page, card.parade, (x + across + 8, y), (wide - across - 8, high), fill=True)
    write(draw, (x, below), card.name, TEXT, wide)
    for n, line in enumerate(card.lines, 1):
        write(draw, (x, below + n * LINE), line, SMALL, wide, INK if line.startswith("▲") else QUIET)


def _put(page: Any, place: FilePath | None, at: tuple[int, int], size: tuple[int, int], *, fill: bool = False) -> None:
    page.paste(Image.new("RGB", size, PICTURE_GROUND), at)
    if place is None:
        return
    with Image.open(place) as picture:
        shown = picture.convert("RGB")
        if fill:
            page.paste(shown.resize(size, Image.Resampling.LANCZOS), at)
            return
        share = min(size[0] / shown.width, size[1] / shown.height)
        inside = max(round(shown.width * share), 1), max(round(shown.height * share), 1)
        corner = at[0] + (size[0] - inside[0]) // 2, at[1] + (size[1] - inside[1]) // 2
        page.paste(shown.resize(inside, Image.Resampling.LANCZOS), corner)


def pdf(pages: Sequence[Any], title: str) -> bytes:
    """Pages as a PDF."""
    out = io.BytesIO()
    pages[0].save(out, "PDF", save_all=True, append_images=list(pages[1:]), resolution=INCH, title=title, quality=92)
    return out.getvalue()


def png(pages: Sequence[Any]) -> bytes:
    """Pages one below the other as a PNG."""
    whole = Image.new("RGB", (PAGE[0], PAGE[1] * len(pages)), GROUND)
    for n, page in enumerate(pages):
        whole.paste(page, (0, n * PAGE[1]))
    out = io.BytesIO()
    whole.save(out, "PNG", optimize=False)
    return out.getvalue()
