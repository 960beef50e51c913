"""Controls of steps and renderings, built from their declarations: adding a parameter adds its control."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel
from pydantic_core import PydanticUndefined

_CHANNELS = ("red", "green", "blue")
_RATIOS = ("×", "exponent", "share of light")
"""Units of triples whose channels are moved together by a factor; others by a difference."""


def controls(model: type[BaseModel], prefix: str) -> list[dict[str, Any]]:
    """Rows of controls: one control for a number, three for a triple, a plot for a curve, a choice for named values.

    An empty ``prefix`` gives paths within the thing itself.
    """
    rows: list[dict[str, Any]] = []
    before = f"{prefix}." if prefix else ""
    for name, field in model.model_fields.items():
        extra = field.json_schema_extra
        if isinstance(extra, dict) and "points" in extra:
            continue  # drawn in the picture
        if isinstance(extra, dict) and "curve" in extra:
            plots = next((row for row in rows if row["kind"] == "curves"), None)
            if plots is None:
                plots = {"name": name, "kind": "curves", "curves": []}
                rows.append(plots)
            plots["curves"].append(
                {
                    "path": before + name,
                    "title": field.title,
                    "help": field.description,
                    **extra["curve"],  # type: ignore[dict-item]
                    "default": field.default,
                }
            )
            changes, _, by = name.partition("_by_")
            if by:
                plots["curves"][-1] |= {"changes": changes, "by": by}
                axes = plots.setdefault("axes", {"by": [], "changes": []})
                for axis, value in (("by", by), ("changes", changes)):
                    axes[axis] += [] if value in axes[axis] else [value]
            continue
        if isinstance(extra, dict) and "unit" in extra:
            default = field.default
            triple = isinstance(default, tuple)
            names: list[str] = extra.get("names", list(_CHANNELS))  # type: ignore[assignment]
            ratio = "ratio" if extra["unit"] in _RATIOS else "difference"
            share = extra["unit"] == "share"  # shown and typed in percent
            rows.append(
                {
                    "name": name,
                    "title": field.title,
                    "help": field.description,
                    "unit": "%" if share else extra["unit"],
                    "kind": "number",
                    "times": 100 if share else 1,
                    "triple": triple,
                    "together": extra.get("together", "" if "names" in extra else ratio),
                    "keyed": bool(extra.get("keyed")),
                    "whole": field.annotation is int,
                    "cells": [
                        {
                            "path": f"{before}{name}.{index}" if triple else before + name,
                            "label": f"{field.title}, {names[index]}" if triple else field.title,
                            "channel": _initials(names[index]) if triple else "",
                            "low": extra["low"],
                            "high": extra["high"],
                            "fine": extra["fine"],
                            "default": default[index] if triple else default,
                            "digits": 0 if share else _digits(extra["fine"]),
                        }
                        for index in range(len(default) if triple else 1)
                    ],
                }
            )
        elif field.title and field.default is not PydanticUndefined:
            values = getattr(field.annotation, "__args__", ())
            rows.append(
                {
                    "name": name,
                    "title": field.title,
                    "help": field.description,
                    "kind": "choice",
                    "path": before + name,
                    "values": list(values),
                    "default": field.default,
                }
            )
    return rows


def _initials(name: str) -> str:
    """“R” of red, “S–M” of shadows to mids."""
    return "–".join(word[0].upper() for word in name.split(" to "))


def _digits(fine: Any) -> int:
    text = f"{float(fine):g}"
    return len(text.split(".")[1]) if "." in text else 0
