"""Draws the layers of core and web as import-linter holds them: `scripts/draw_layers.py` writes docs/layers.svg.

What stands in a row imports only from the rows below it; the words beside a name are its package's first sentence.
"""

from __future__ import annotations

import ast
import html
import sys
import tomllib
from pathlib import Path as FilePath

ROOT = FilePath(__file__).resolve().parents[1]
OUT = ROOT / "docs" / "layers.svg"
ROW, GAP, LEFT, WIDE = 26, 4, 190, 1000


def _layers(contract: str) -> list[list[str]]:
    settings = tomllib.loads((ROOT / "pyproject.toml").read_text(encoding="utf-8"))["tool"]["importlinter"]["contracts"]
    found = next(one for one in settings if one["name"].startswith(contract))
    return [[name.strip().removeprefix("upwelling.web.") for name in row.split("|")] for row in found["layers"]]


def _says(folder: str, name: str) -> str:
    place = ROOT / "src" / "upwelling" / folder / name
    file = place / "__init__.py" if place.is_dir() else place.with_suffix(".py")
    if folder == "web" and place.is_dir():
        apps = place / "apps.py"
        text = apps.read_text(encoding="utf-8").split('"""')[1] if apps.exists() else _doc(file)
        return " ".join(text.split())
    return _doc(file)


def _doc(file: FilePath) -> str:
    text = ast.get_docstring(ast.parse(file.read_text(encoding="utf-8"))) or ""
    return " ".join(text.split()).split(". ")[0].rstrip(".")


def _rows(title: str, folder: str, layers: list[list[str]], top: int) -> tuple[list[str], int]:
    lines = [f'<text class="title" x="16" y="{top + 14}">{html.escape(title)}</text>']
    y = top + 26
    for row in layers:
        lines.append(f'<rect x="16" y="{y}" width="{WIDE - 32}" height="{len(row) * ROW - GAP}" rx="3"/>')
        for name in row:
            said = _says(folder, name)
            lines.append(f'<text class="name" x="28" y="{y + 15}">{name}</text>')
            lines.append(
                f'<text x="{LEFT}" y="{y + 15}">{html.escape(said[:118] + ("…" if len(said) > 118 else ""))}</text>'
            )
            y += ROW
        y += GAP
    return lines, y


def drawn() -> str:
    """The picture as SVG text."""
    core, y = _rows(
        "upwelling.core, from the top: each row imports only from rows below", "core", _layers("Order within core"), 8
    )
    web, y = _rows("upwelling.web, likewise", "web", _layers("Order of the web"), y + 16)
    style = (
        "text{font:12px sans-serif;fill:#303030}.name{font:600 12px monospace;fill:#0d5c63}"
        ".title{font-weight:600;font-size:13px}rect{fill:#f0f0f0;stroke:#cacaca}"
    )
    body = "\n".join(("<style>" + style + "</style>", *core, *web))
    size = f'width="{WIDE}" height="{y}" viewBox="0 0 {WIDE} {y}"'
    return f'<svg xmlns="http://www.w3.org/2000/svg" {size}>\n{body}\n</svg>\n'


if __name__ == "__main__":
    OUT.write_text(drawn(), encoding="utf-8")
    sys.stdout.write(f"{OUT}\n")
