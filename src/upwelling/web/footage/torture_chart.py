"""The torture chart as a shot: light that is hard to render, in every production that asks for it."""

from __future__ import annotations

import tempfile
from pathlib import Path as FilePath
from typing import Any

from upwelling.core.charts.torture import torture_chart
from upwelling.core.colour.primaries import primaries
from upwelling.core.media import write_still
from upwelling.web.footage.models import Shot
from upwelling.web.footage.shots import AlreadyHere, bring_in
from upwelling.web.productions.models import Production

NAME, FILE = "Torture chart", "torture-chart.exr"


def add_torture_chart(production: Production, user: Any) -> Shot:
    """Brings the chart in, scene-linear AP1; the one that is here already is given as it is."""
    with tempfile.TemporaryDirectory() as folder:
        place = FilePath(folder) / FILE
        write_still(place, torture_chart(primaries("AP1"), 1600, 900), "float", {"primaries": primaries("AP1")})
        try:
            return bring_in(production, user, place.name, place, name=NAME, encoding_name="linear/AP1")
        except AlreadyHere as error:
            return error.shot
