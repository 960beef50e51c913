"""What layers cost: a drag in the camera's layer beside one in the shot's trim, and saving one that 2,000 shots follow.

A server's views are asked in this process, one after the other in turns, on one 1920×1080 shot; ratios within one run
count. Prints JSON lines.
"""

from __future__ import annotations

import json
import os
import statistics
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path as FilePath
from typing import Any

import numpy as np

TURNS, SHOTS = 60, 2000
os.environ.setdefault("UPWELLING_DATA", tempfile.mkdtemp(prefix="upwelling-layers-"))
os.environ["DJANGO_SETTINGS_MODULE"] = "upwelling.web.settings"


def main() -> None:
    import django

    django.setup()
    from django.contrib.auth.models import User
    from django.core.management import call_command
    from django.test import Client

    from upwelling.core.media import write_still
    from upwelling.core.simulate.camera import A_CAM
    from upwelling.core.simulate.shipped import shipped_at
    from upwelling.core.warm import warm
    from upwelling.web.footage.cameras import assign, create_camera
    from upwelling.web.footage.models import Shot
    from upwelling.web.footage.shots import bring_in
    from upwelling.web.productions.services import create_production, set_rules

    warm()
    call_command("migrate", verbosity=0)
    user = User.objects.create_user("bench", password="gather-and-blow")
    production = create_production(user, "Kilnlight")
    set_rules(production, {"default_encoding": "S-Log3/S-Gamut3.Cine"})
    place = FilePath(tempfile.mkdtemp()) / "a.dpx"
    write_still(place, A_CAM.shoot(shipped_at("gathering-room", 1920, 1080)), "10")
    shot = bring_in(production, user, "a.dpx", place)
    camera = create_camera(production, "B-cam")
    assign(camera, [shot])
    client = Client(headers={"Host": "localhost"})
    client.force_login(user)
    at = f"/p/kilnlight/bench/{shot.pk}/"
    settings = Shot.objects.get(pk=shot.pk).settings.model_dump(mode="json")
    exposure = {"kind": "exposure", "id": "exposure", "stops": 0.0}
    times: dict[str, list[float]] = {"trim": [], "camera_trim": []}
    for turn in range(TURNS):
        for kind, spent in times.items():
            stops = 0.5 + 0.01 * turn
            body = json.loads(json.dumps(settings))
            held = {"steps": [{**exposure, "stops": stops}], "groups": [], "strength": 1, "on": True}
            if kind == "trim":
                body["steps"][0]["stops"] = stops
            else:
                body["camera_trim"]["own"] = held
            wish = {"settings": body, "stage": kind, "step": "exposure", "drafts": [kind], "raw": True}
            begun = time.perf_counter()
            answer = client.post(f"{at}preview/", wish, content_type="application/json")
            spent.append(time.perf_counter() - begun)
            assert answer.status_code == 200, answer.content[:200]
    medians = {kind: 1000 * statistics.median(spent[5:]) for kind, spent in times.items()}
    ratio = medians["camera_trim"] / medians["trim"]
    print(json.dumps({"what": "drag, ms", **{k: round(v, 1) for k, v in medians.items()}, "ratio": round(ratio, 3)}))
    rows = [Shot.objects.get(pk=shot.pk) for _ in range(SHOTS - 1)]
    for n, row in enumerate(rows):
        row.pk, row.name, row.sha256 = None, f"copy {n}", f"{n:064x}"
    Shot.objects.bulk_create(rows)
    saved = []
    for number in range(8):
        content = {"steps": [{**exposure, "stops": 0.1 + np.round(0.1 * number, 2)}], "groups": []}
        body = {"kind": "camera_trim", "output": "", "content": content, "number": number, "label": "drag"}
        saved.append(
            _write_lock(lambda body=body: client.post(f"{at}layers/save/", body, content_type="application/json"))
        )
    print(
        json.dumps(
            {"what": f"write lock of a save for {SHOTS} shots, ms", "median": round(statistics.median(saved), 1)}
        )
    )


def _write_lock(ask: Callable[[], Any]) -> float:
    """Milliseconds for which a request held the write lock at the longest: from a first write to its commit."""
    from django.db import connection, transaction

    held: list[float] = []
    open_since: list[float] = []

    def watched(execute: Any, sql: str, params: Any, many: bool, context: Any) -> Any:
        if sql.split(" ", 1)[0] in ("INSERT", "UPDATE", "DELETE") and not open_since:
            open_since.append(time.perf_counter())
            transaction.on_commit(lambda: held.append(time.perf_counter() - open_since.pop()))
        return execute(sql, params, many, context)

    with connection.execute_wrapper(watched):
        answer = ask()
    assert answer.status_code == 200, answer.content[:200]
    return 1000 * max(held)


if __name__ == "__main__":
    sys.exit(main())
