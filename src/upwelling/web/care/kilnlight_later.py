"""What came to the demonstration on the last day, brought in and, where a camera is in no list, measured."""

from __future__ import annotations

from pathlib import Path as FilePath

from django.contrib.auth.models import User

from upwelling.core.simulate.chart import CORNERS
from upwelling.core.simulate.kilnlight_later import (
    LIGHTS,
    OTHER_PHONE,
    RENTED,
    rented_pictures,
    write_raw_run,
    write_rented,
)
from upwelling.core.simulate.kilnlight_set import Studio
from upwelling.web.footage.cameras import assign, change_camera, create_camera
from upwelling.web.footage.listing import loaded
from upwelling.web.footage.models import Shot
from upwelling.web.footage.pictures import make_thumbnails
from upwelling.web.footage.shots import bring_in, settle_encoding
from upwelling.web.measuring.models import CameraMeasurement
from upwelling.web.measuring.services import begin, save_encoding, say, work_out
from upwelling.web.productions.models import Production


def bring_in_the_last_day(production: Production, technician: User, folder: FilePath) -> None:
    """A raw run, a clip without tags, and the pictures of a rented camera; each only if it is not here yet."""
    here, studio = set(production.shots.values_list("name", flat=True)), Studio()
    if "R001 Colour store, raw run" not in here:
        places = write_raw_run(studio, folder / "R001")
        name = "R001 Colour store, raw run"
        bring_in(production, technician, places[0].name, places[0], name=name, registered=True, members=places)
    if OTHER_PHONE.name not in here:
        place = studio.write(OTHER_PHONE, folder)
        bring_in(production, technician, OTHER_PHONE.file, place, name=OTHER_PHONE.name, registered=True)
    if not production.measurements.exists():
        _measure(production, technician, folder, here)
    for shot in production.shots.filter(name__in=("R001 Colour store, raw run", OTHER_PHONE.name)):
        make_thumbnails(shot)


def _measure(production: Production, technician: User, folder: FilePath, here: set[str]) -> None:
    """The rented camera measured, and its pictures settled as what was found."""
    shots: list[Shot] = []
    for one in rented_pictures():
        if one.name in here:
            shots.append(production.shots.get(name=one.name))
            continue
        place = write_rented(one, folder)
        shots.append(bring_in(production, technician, one.file, place, name=one.name, registered=True))
        if one.target == "24":
            shots[-1].chart_corners = [list(corner) for corner in CORNERS]
            shots[-1].save(update_fields=["chart_corners"])
    row = begin(production, technician, [shot.pk for shot in shots], RENTED)
    say(row, _said(row))
    work_out(row)
    daylight, tungsten = (f"{RENTED} daylight", f"{RENTED} tungsten")
    save_encoding(row, technician, daylight, LIGHTS[0], "full")
    save_encoding(row, technician, tungsten, LIGHTS[1], "full")
    fresh = Production.objects.get(pk=production.pk)  # with the encodings that it has now
    camera = create_camera(fresh, RENTED)
    change_camera(camera, name=RENTED, encoding=daylight, code_range="full")
    assign(camera, loaded(fresh, [shot.pk for shot in shots]))
    settle_encoding(loaded(fresh, [shots[-1].pk])[0], tungsten, "full")


def _said(row: CameraMeasurement) -> dict[str, str]:
    """What a technician says of the pictures: the light of the last chart is another."""
    said = {"light": LIGHTS[0], "reflectance": "18"}
    names = dict(row.production.shots.values_list("pk", "name"))
    return said | {f"light-{n}": LIGHTS[1] for n, one in enumerate(row.pictures) if LIGHTS[1] in names[one["shot"]]}
