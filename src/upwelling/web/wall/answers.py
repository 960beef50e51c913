"""What a page of the wall is told of its frames: pictures that are there, figures, and what does not belong."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from django.urls import reverse

from upwelling.core.match.first import MarkKind
from upwelling.core.parameters import signed
from upwelling.core.wall.misfits import Link, Misfit, differs, jump, misfits, misfits_on, scenes
from upwelling.web.footage.models import Shot
from upwelling.web.wall.making import Wall, want
from upwelling.web.wall.models import Relation
from upwelling.web.wall.relations import known, relation_key
from upwelling.web.wall.showing import Column
from upwelling.web.wall.tiles import Tile

ON: tuple[MarkKind, ...] = ("skin", "white", "grey")
"""In this order: of a measure the last one that is off is told."""
MOST_SAID = 3
"""Reasons on one tile."""


def answer(wall: Wall, user: Any, asked: dict[str, Any], region: str) -> dict[str, Any]:
    """All that a page shows of the frames it asks for; what is missing is made aside from now on."""
    told = known(wall.production, wall.pairs)
    missing = sum(tile.figures is None for tile in wall.tiles)
    apart = len(wall.pairs) - len(told)
    problems: dict[str, str] = {}
    if missing or apart:
        problems = want(wall.production, user, asked).problems
        missing -= sum(tile.key in problems for tile in wall.tiles)
    rows = []
    for (place, shot, tiles), said in zip(wall.rows, told_of(wall, region, told), strict=True):
        cells = [
            _cell(wall, shot, tile, column, problems) for tile, column in zip(tiles, wall.show.columns, strict=True)
        ]
        whose = {"shot": shot.pk, "frame": place.frame, "name": shot.name, "version": shot.version}
        rows.append({**whose, **said, "problem": wall.problems.get(place, ""), "cells": cells})
    return {"rows": rows, "missing": missing, "apart": apart, "pairs": len(wall.pairs), "problem": problems.get("", "")}


def told_of(wall: Wall, region: str, told: Mapping[str, Relation]) -> list[dict[str, Any]]:
    """Row by row: figures, ΔE to the frame before and to the chosen one, and what does not belong, by what is known of
    its pairs.
    """
    reasons = _reasons(wall, told)
    rows, before = [], None
    for n, (_, _, tiles) in enumerate(wall.rows):
        first = tiles[0]
        near = _between(told, before, first)
        rows.append(
            {
                "figures": _figures(first, region),
                "neighbour": _delta(near),
                "chosen": _delta(_between(told, wall.chosen, first)),
                "reasons": reasons.get(n, []),
                "luma": first.figures["luma"] if first is not None and first.figures else None,
                "jump": jump(near.apart) if near is not None and near.apart is not None else "",
            }
        )
        before = first or before
    return rows


def _cell(wall: Wall, shot: Shot, tile: Tile | None, column: Column, problems: Mapping[str, str]) -> dict[str, Any]:
    """One picture of a frame, with the addresses of what is made of it."""
    title = wall.paths.title_of(shot, column)
    if wall.show.mode == "outputs" and tile is not None and tile.path.target.is_hdr:
        title += f", white above {tile.path.target.white_nits:g} cd/m²"
    if tile is None:
        return {
            "title": column.title,
            "key": "",
            "none": f"no {column.title.removeprefix('last ')}" if wall.show.mode == "states" else "",
        }
    cell: dict[str, Any] = {"title": title, "key": tile.key, "problem": problems.get(tile.key, "")}
    at = [wall.production.slug, shot.pk, tile.frame, tile.key]
    addresses = {"picture": reverse("wall-picture", args=at), "parade": reverse("wall-parade", args=at)}
    return cell | addresses | {"made": tile.figures is not None}


def _figures(tile: Tile | None, region: str) -> str:
    """In one line: of the marked thing where the frame has it, else the mean luma of the picture."""
    held = tile.figures if tile else None
    if held is None:
        return ""
    row = held["regions"].get(region)
    if region and row is None:
        return f"no {region} marked" if tile and region not in tile.shot.known_regions else f"{region} not seen here"
    if row is None:
        return f"luma {100 * held['luma']:.1f} %"
    if row["stops"] is None:
        return f"{region}: no light"
    return f"{region} {signed(row['stops'], 2)} st · {signed(row['mired'], 0)} mired · Duv {signed(row['duv'], 4)}"


def _between(told: Mapping[str, Relation], first: Tile | None, second: Tile | None) -> Relation | None:
    """What is known of two frames; None where they are not compared, or it is not known yet."""
    return None if first is None or second is None else told.get(relation_key(first, second))


def _delta(row: Relation | None) -> dict[str, Any] | None:
    """ΔE of what two frames share, or why there is none; None where nothing is known."""
    if row is None:
        return None
    return {"why": row.why} if row.apart is None else {"delta_e": round(row.apart.delta_e, 2)}


def _reasons(wall: Wall, told: Mapping[str, Relation]) -> dict[int, list[dict[str, Any]]]:
    """By row, why its frame does not belong, and what two that stand alone differ by."""
    at = {id(cells[0]): n for n, (_, _, cells) in enumerate(wall.rows) if cells[0] is not None}
    links = []
    for key, (first, second) in wall.pairs.items():
        relation = told.get(key)
        if relation is not None and relation.apart is not None and id(first) in at and id(second) in at:
            links.append(Link(at[id(first)], at[id(second)], relation.apart))
    found = misfits(links)
    for members in _like(links, at, wall.firsts):
        for kind in ON:
            marked = {n: row for n in members if (row := _marked(wall.rows[n][2][0], kind))}
            misfits_on(kind, {n: (row["stops"], row["mired"], row["duv"]) for n, row in marked.items()}, found)
    reasons = {n: [{"said": _together(rows[:MOST_SAID]), "sure": True}] for n, rows in found.items()}
    for n, said in _alone(wall, links).items():
        reasons.setdefault(n, []).append({"said": said, "sure": False})
    return reasons


def _together(rows: Sequence[Misfit]) -> str:
    """Several reasons in one line, whose end is said once where it is the same."""
    said = [
        row.words if n + 1 < len(rows) and row.on == rows[n + 1].on else row.sentence() for n, row in enumerate(rows)
    ]
    return ", ".join(said)


def _marked(tile: Tile | None, kind: str) -> dict[str, Any] | None:
    """What was measured of a marked thing; None where it has no light to speak of."""
    row = ((tile and tile.figures) or {}).get("regions", {}).get(kind)
    return row if row and row["stops"] is not None else None


def _like(links: Sequence[Link], at: Mapping[int, int], tiles: Sequence[Tile]) -> list[list[int]]:
    """Rows whose marked things may be held to each other: shots of one group, or that are alike."""
    groups: dict[int, list[int]] = {}
    for tile in tiles:
        if tile.shot.group_id is not None:
            groups.setdefault(tile.shot.group_id, []).append(at[id(tile)])
    grouped = {n for rows in groups.values() for n in rows}
    alone = [[n for n in members if n not in grouped] for members in scenes(links)]
    return [*groups.values(), *(members for members in alone if len(members) > 1)]


def _alone(wall: Wall, links: Sequence[Link]) -> dict[int, str]:
    """Of two that only each other can be held to: how far the second is off; which of them is wrong, nothing tells."""
    said: dict[int, str] = {}
    for members in scenes(links):
        if len(members) == 2:
            link = next(one for one in links if {one.first, one.second} == set(members))
            words = differs(link.apart)
            if words:
                said[link.second] = f"{words} {wall.rows[link.first][1].name}"
    return said
