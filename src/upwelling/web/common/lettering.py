"""Text drawn into pictures, in the face of the pages."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path as FilePath
from typing import Any

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from upwelling.web import common

INK = "#161616"
_FONTS = FilePath(common.__file__).parents[1] / "static" / "vendor"
_MARKS = {"Δ": "delta ", "▲": "(!)", "△": "(?)", "″": '"', "′": "'"}
"""Signs that the face has no letter for."""


@lru_cache(maxsize=8)
def _font(size: int, face: str = "spline-sans") -> Any:
    return [ImageFont.truetype(str(_FONTS / face / f"{face}-{part}.woff2"), size) for part in ("latin", "latin-ext")]


def write(draw: Any, at: tuple[int, int], text: str, size: int, most: int, ink: str = INK) -> None:
    """Text on one line, cut with … where it is wider than it may be. What one half of the face lacks the other has."""
    shown = text
    while len(shown) > 1 and sum(_wide(run, size) for run in _runs(shown, size)) > most:
        shown = shown[:-2].rstrip("…") + "…"
    x = float(at[0])
    for run in _runs(shown, size):
        draw.text((x, at[1]), run[1], font=run[0], fill=ink)
        x += _wide(run, size)


def _wide(run: tuple[Any, str], size: int) -> float:
    return float(run[0].getlength(run[1]))


def _runs(text: str, size: int) -> list[tuple[Any, str]]:
    """Pieces of a text with the face that holds their letters."""
    latin, extended = _font(size)
    runs: list[tuple[Any, str]] = []
    for letter in text:
        letter = _MARKS.get(letter, letter)
        face = latin if all(_has(latin, one) for one in letter) or not _has(extended, letter[0]) else extended
        if runs and runs[-1][0] is face:
            runs[-1] = (face, runs[-1][1] + letter)
        else:
            runs.append((face, letter))
    return runs


@lru_cache(maxsize=4096)
def _has(face: Any, letter: str) -> bool:
    """Whether a face draws a letter: one that it lacks looks like what is no letter at all."""
    return letter == " " or bytes(face.getmask(letter)) != bytes(face.getmask("\uffff"))


def line_of_text(text: str, width: int, height: int) -> Any:
    """One line as float32 (height, width), 0 where nothing is and 1 where a letter is; cut with … where it is wider."""
    picture = Image.new("L", (width, height), 0)
    size = max(round(height * 0.5), 8)
    write(ImageDraw.Draw(picture), (size // 2, (height - size) // 2), text, size, width - size, ink="#ffffff")
    return np.asarray(picture, np.float32) / np.float32(255)
