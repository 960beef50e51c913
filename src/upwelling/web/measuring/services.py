"""Measuring a camera: its pictures chosen, said what they are, read and worked out; what comes of it."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any, get_args

import numpy as np
from django.utils import timezone

from upwelling.core.characterise import Picture, measure, picture_of, report_of, sensitivities_from
from upwelling.core.characterise.pictures import Target
from upwelling.core.characterise.spectra import light_of
from upwelling.core.charts.find import NoChart, find_chart
from upwelling.core.colour.primaries import primaries
from upwelling.core.curves import curve
from upwelling.core.documents import sealed
from upwelling.core.encodings import Range
from upwelling.core.errors import BadValue
from upwelling.core.operations import legal_in
from upwelling.web.common.requests import Refused, typed_number
from upwelling.web.encodings.models import OwnEncoding
from upwelling.web.footage.corrections import keep_correction
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.listing import loaded
from upwelling.web.footage.models import Camera, Shot
from upwelling.web.measuring.models import CameraMeasurement
from upwelling.web.productions.models import Production
from upwelling.web.productions.services import define_encoding

MOST_PICTURES = 40
_SAID_STOPS = re.compile(r"(?:^|[\s_(])([+−-]\d{1,2}(?:[.,]\d+)?)(?=$|[\s_)]|stop)")
_FLAT = 0.02
"""Spread of code in a picture below which no chart is looked for: it is a card."""
_ROUGH = (("S-Log3", "BT.2020"), ("S-Log3", "AP0"), ("sRGB", "BT.709"))
"""Curves and primaries under which a chart is looked for while the camera's own is not known."""


def begin(production: Production, user: Any, numbers: Sequence[int], name: str) -> CameraMeasurement:
    """A measurement from these shots, each guessed at: what it shows and, where its name says so, its exposure."""
    if not name.strip():
        raise Refused("Give the camera a name.")
    if len(numbers) < 2:
        raise Refused("Choose the pictures: at least one of a chart, and greys or charts at other exposures.")
    if len(numbers) > MOST_PICTURES:
        raise Refused(f"At most {MOST_PICTURES} pictures are taken; these are {len(numbers)}.")
    shots = loaded(production, numbers)
    raw = next((shot for shot in shots if shot.is_raw), None)
    if raw is not None:
        raise Refused(f"{raw.name} is raw: its colour comes from the matrices in the file. Measure coded footage.")
    rows: list[dict[str, Any]] = [
        {"shot": shot.pk, "target": _guessed(shot), "stops": _stops_said(shot.name), "light": ""} for shot in shots
    ]
    _guess_the_dark(rows, {shot.pk: float(frame_of(shot).working.mean()) for shot in shots})
    rows.sort(key=lambda row: (row["target"] in ("24", "140"), row["stops"] == "", _as_number(row["stops"])))
    return CameraMeasurement.objects.create(
        production=production, created_by=user, name=name.strip()[:60], pictures=rows
    )


def _guessed(shot: Shot) -> Target:
    """A chart where one is marked or found, else a card: those that are even are not looked at for one."""
    if shot.chart_corners:
        return "24"
    working = frame_of(shot).working
    if float(np.std(working[::4, ::4].mean(axis=-1))) < _FLAT:
        return "grey"
    for name, space in _ROUGH:
        try:
            found = find_chart(curve(name).to_linear(working), primaries(space))
        except NoChart:
            continue
        shot.chart_corners = [list(corner) for corner in found.corners]
        shot.save(update_fields=["chart_corners"])
        return "24"
    return "grey"


def _guess_the_dark(rows: list[dict[str, Any]], codes: Mapping[int, float]) -> None:
    """The darkest of all is one with the lens capped, where its name says no exposure."""
    darkest = min(rows, key=lambda row: codes[row["shot"]])
    if darkest["target"] == "grey" and not darkest["stops"]:
        darkest["target"] = "dark"


def _stops_said(name: str) -> str:
    found = _SAID_STOPS.search(name)
    return found[1].replace("−", "-").replace(",", ".") if found else ""


def _as_number(text: str) -> float:
    try:
        return float(text)
    except ValueError:
        return 0.0


def say(row: CameraMeasurement, given: Mapping[str, Any]) -> None:
    """Keeps what a page says of the pictures, whatever it is; measuring refuses what is no answer."""
    row.light = str(given.get("light", ""))[:20]
    row.sensitivities = str(given.get("sensitivities", ""))[:60_000]
    row.reflectance = typed_number(given.get("reflectance", ""), "What the grey card reflects", " of percent") / 100
    if not 0.01 <= row.reflectance <= 1:
        raise BadValue("A grey card reflects between 1 and 100 %.")
    for number, one in enumerate(row.pictures):
        for field in ("target", "stops", "light"):
            one[field] = str(given.get(f"{field}-{number}", one[field])).strip()[:20]
    row.pictures = [one for number, one in enumerate(row.pictures) if given.get(f"kept-{number}", "on") != "off"]
    row.save()


def work_out(row: CameraMeasurement) -> None:
    """Reads the pictures and keeps what they tell; raises BadValue or Refused and leaves what was kept before."""
    shots = {shot.pk: shot for shot in loaded(row.production, [one["shot"] for one in row.pictures])}
    missing = [one for one in row.pictures if one["shot"] not in shots]
    if missing:
        raise Refused(f"{len(missing)} of the pictures are no shots any more. Take them off the list.")
    pictures = [_read(row, one, shots[one["shot"]]) for one in row.pictures]
    sensitivities = sensitivities_from(row.sensitivities) if row.sensitivities.strip() else None
    report = report_of(measure(pictures, sensitivities))
    row.report_json, row.measured = sealed("camera measurement", report.model_dump(mode="json")), timezone.now()
    row.__dict__.pop("report", None)
    row.save(update_fields=["report_json", "measured"])


def _read(row: CameraMeasurement, one: Mapping[str, str], shot: Shot) -> Picture:
    target: Any = one["target"]
    if target not in get_args(Target):
        raise BadValue(f"{shot.name}: say what the picture shows.")
    if target != "dark" and not one["stops"]:
        raise BadValue(f"{shot.name}: say its exposure in stops against the metered picture (0 is as metered).")
    light = one["light"] or row.light
    if not light:
        raise BadValue("Choose the light that the pictures were taken under; nothing is taken for granted.")
    light_of(light)
    bits = shot.integer_depth
    code: Any = frame_of(shot).still.code
    if shot.settled.range == "legal":
        code = legal_in(bits).apply(np.asarray(code, np.float64))
    marked = shot.known_regions.get("grey")
    return picture_of(
        code,
        shot.name,
        target,
        None if shot.chart_corners is None else tuple(tuple(corner) for corner in shot.chart_corners),  # type: ignore[arg-type]
        **({"region": _box(marked["region"])} if marked and target == "grey" else {}),
        stops=0.0 if target == "dark" else typed_number(one["stops"], f"{shot.name}: exposure", " of stops"),
        light=light,
        reflectance=row.reflectance,
        step=1 / (2**bits - 1),
    )


def _box(region: Mapping[str, float]) -> tuple[float, float, float, float]:
    """Left, top, right and bottom as shares, of a region that a person marked."""
    left, top, right, bottom = (float(region[side]) for side in ("left", "top", "right", "bottom"))
    return left, top, right, bottom


def save_encoding(row: CameraMeasurement, user: Any, name: str, light: str, code_range: str) -> OwnEncoding:
    """What was found as an encoding of the production; raises BadValue or Refused."""
    if row.report is None or row.measured is None:
        raise Refused("Measure first.")
    if code_range not in ("full", "legal"):
        raise BadValue("Choose the range of the codes in its files; nothing is taken for granted.")
    side: Range = "legal" if code_range == "legal" else "full"
    made = row.report.encoding(name.strip()[:60], light, side, row.measured.date())
    return define_encoding(row.production, user, made.model_dump(mode="json"))


def give_correction(row: CameraMeasurement, camera: Camera, light: str) -> None:
    """The root-polynomial matrix as what a camera is corrected by."""
    if row.report is None:
        raise Refused("Measure first.")
    keep_correction(camera, row.report.correction(light), None, None)
