"""Which shots of a scene do not belong, and why, by what each is apart from the shots it can be compared with.

Every comparison is of like things: areas that two pictures share, or what a person marked in both. From all of them
each shot gets one value a measure, by least absolute differences, and is held to the others of its scene: off is what
lies beyond a measure's limit and beyond what the others themselves vary by. Limits are our own.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.parameters import signed
from upwelling.core.wall.apart import Apart

MeasureName = Literal["exposure", "tint", "warmth", "saturation", "black"]
SPREAD = 3.0
"""Robust deviations of the others beyond which a shot is off."""
FEWEST = 3
"""Shots that must be comparable before one can be said not to belong."""
ROUNDS, NEAR = 60, 1e-6


@dataclass(frozen=True)
class Measure:
    """What is compared: its value in an ``Apart`` (None: not told), the limit, what is said of a difference, and the
    word that leads to whom it is from.
    """

    of: Callable[[Apart], float | None]
    limit: float
    words: Callable[[float], str]
    than: str = "than"


MEASURES: dict[MeasureName, Measure] = {
    "exposure": Measure(
        lambda a: a.stops,
        0.15,
        lambda v: f"{abs(v):.2f} stop{'s' if abs(v) > 1.005 else ''} {'over' if v > 0 else 'under'}",
        "",
    ),
    "tint": Measure(lambda a: a.duv, 0.0022, lambda v: f"{'greener' if v > 0 else 'pinker'} by Duv {abs(v):.4f}"),
    "warmth": Measure(lambda a: a.mired, 9.0, lambda v: f"{'warmer' if v > 0 else 'cooler'} by {abs(v):.0f} mired"),
    "saturation": Measure(
        lambda a: float(np.log(max(a.saturation, 1e-3))),
        0.09,
        lambda v: f"{'more' if v > 0 else 'less'} saturated (× {np.exp(v):.2f})",
    ),
    "black": Measure(
        lambda a: a.black,
        0.009,
        lambda v: f"blacks {'lifted' if v > 0 else 'lower'} by {100 * abs(v):.1f} %",
        "against",
    ),
}
"""In the order in which they are told."""


@dataclass(frozen=True)
class Link:
    """Two shots (any numbers) and how the second is apart from the first."""

    first: int
    second: int
    apart: Apart


@dataclass(frozen=True)
class Misfit:
    """Why a shot does not belong: by which measure, by how much, on what a person marked (or all that is alike)."""

    measure: MeasureName
    amount: float
    on: str = ""

    @property
    def words(self) -> str:
        """What is off, and by how much."""
        return MEASURES[self.measure].words(self.amount)

    @property
    def tail(self) -> str:
        """From whom, and on what."""
        on = f" on {self.on}" if self.on else ""
        return f"{MEASURES[self.measure].than} its neighbours{on}".strip()

    def sentence(self) -> str:
        """As a technician would say it."""
        return f"{self.words} {self.tail}"


def misfits(links: Sequence[Link]) -> dict[int, list[Misfit]]:
    """By shot, what does not belong of it; shots that nothing is wrong with, or too few are comparable to, are not in
    it.
    """
    found: dict[int, list[Misfit]] = {}
    for members in scenes(links):
        if len(members) < FEWEST:
            continue
        within = [link for link in links if link.first in members]
        for name, measure in MEASURES.items():
            told = [(link, value) for link in within if (value := measure.of(link.apart)) is not None]
            for part in scenes([link for link, _ in told]):
                _held(name, _placed(part, told), "", found)
    return {shot: sorted(rows, key=lambda row: list(MEASURES).index(row.measure)) for shot, rows in found.items()}


def misfits_on(
    what: str, values: Mapping[int, tuple[float, float | None, float | None]], found: dict[int, list[Misfit]]
) -> None:
    """Adds what is off on a marked thing: by shot, stops, and mired and Duv of it (None where it has no light to
    speak of). What is said already of all that is alike is said of the marked thing instead.
    """
    names: tuple[MeasureName, ...] = ("exposure", "warmth", "tint")
    for at, name in enumerate(names):
        told = {shot: value for shot, row in values.items() if (value := row[at]) is not None}
        _held(name, told, what, found)


def _held(name: MeasureName, values: Mapping[int, float], on: str, found: dict[int, list[Misfit]]) -> None:
    """Holds each shot to the others of its scene."""
    if len(values) < FEWEST:
        return
    for shot, value in values.items():
        others = np.array([other for number, other in values.items() if number != shot])
        middle = float(np.median(others))
        spread = 1.4826 * float(np.median(np.abs(others - middle)))
        amount, limit = value - middle, max(MEASURES[name].limit, SPREAD * spread)
        agree = int((np.abs(others - middle) <= limit).sum())
        if abs(amount) > limit and agree > len(values) / 2:  # two against two tell nothing
            rows = found.setdefault(shot, [])
            rows[:] = [row for row in rows if row.measure != name]
            rows.append(Misfit(name, amount, on))


def scenes(links: Sequence[Link]) -> list[list[int]]:
    """Shots that hang together by what they are compared with."""
    left = {number for link in links for number in (link.first, link.second)}
    found = []
    while left:
        members, edge = set(), {min(left)}
        while edge:
            members |= edge
            edge = {
                there
                for link in links
                for here, there in ((link.first, link.second), (link.second, link.first))
                if here in members and there not in members
            }
        found.append(sorted(members))
        left -= members
    return found


def _placed(members: Sequence[int], told: Sequence[tuple[Link, float]]) -> dict[int, float]:
    """One value a shot, so that differences are as told: by least absolute differences, the first standing at 0."""
    at = {number: place for place, number in enumerate(members)}
    rows = [(at[link.first], at[link.second], value) for link, value in told if link.first in at]
    if not rows:
        return {}
    slope = np.zeros((len(rows) + 1, len(members)))
    for n, (first, second, _) in enumerate(rows):
        slope[n, first], slope[n, second] = -1.0, 1.0
    slope[-1, 0] = 1.0
    wanted = np.array([value for _, _, value in rows] + [0.0])
    weights = np.ones(len(wanted))
    values: Float64 = np.zeros(len(members))
    for _ in range(ROUNDS):  # squares reweighted towards absolute differences
        made = np.linalg.lstsq(slope * weights[:, None], wanted * weights, rcond=None)[0]
        if np.abs(made - values).max() < NEAR:
            break
        values = np.asarray(made)
        weights = 1 / np.sqrt(np.maximum(np.abs(slope @ values - wanted), 1e-4))
    return {number: float(values[place]) for number, place in at.items()}


def jump(apart: Apart) -> str:
    """Two pictures' difference in one line, for a join."""
    parts = [f"{signed(apart.stops, 2)} stops", f"{signed(apart.mired, 0)} mired", f"Duv {signed(apart.duv, 4)}"]
    parts.append(f"saturation × {apart.saturation:.2f}")
    if apart.black is not None:
        parts.append(f"black {signed(100 * apart.black, 1)} %")
    return " · ".join(parts)


def differs(apart: Apart) -> str:
    """The first of what two differ by beyond its limit, in words that a name follows; empty where nothing is."""
    for measure in MEASURES.values():
        value = measure.of(apart)
        if value is not None and abs(value) > measure.limit:
            return f"{measure.words(value)} {measure.than}".strip()
    return ""
