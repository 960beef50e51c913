"""What lists cost with a hundred shots and with ten times as many: pages as the server answers them, in turns in one
run, and the ratio, which is what counts on machines that drift.
"""

from __future__ import annotations

import os
import statistics
import tempfile
import time
from pathlib import Path as FilePath
from typing import Any

SIZES = (100, 1000)
TURNS = 9
PAGES = ("", "intake/", "looks/sheet/", "bakes/", "bakes/cdl/", "match/", "deliveries/", "record/", "handover/")


def filled(name: str, count: int) -> tuple[Any, str]:
    """A production with so many shots, each with content of its own, and a client that is signed in."""
    from django.contrib.auth.models import User
    from django.test import Client

    from upwelling.core.media import write_still
    from upwelling.core.simulate.camera import A_CAM
    from upwelling.core.simulate.kilnlight import gathering_room
    from upwelling.web.footage.models import Shot
    from upwelling.web.footage.shots import bring_in
    from upwelling.web.productions.services import create_production

    user = User.objects.create_user(name)
    production = create_production(user, name)
    still = FilePath(os.environ["UPWELLING_DATA"]) / f"{name}.dpx"
    write_still(still, A_CAM.shoot(gathering_room(96, 54, 2), seed=count), "10")
    first = bring_in(production, user, "a.dpx", still)
    copies = []
    for number in range(1, count):
        copy = Shot.objects.get(pk=first.pk)
        copy.pk, copy._state.adding = None, True
        copy.name, copy.sha256 = f"A{number:04d}", f"{count:08x}{number:056x}"
        copies.append(copy)
    Shot.objects.bulk_create(copies)
    client = Client(HTTP_HOST="localhost")
    client.force_login(user, backend="django.contrib.auth.backends.ModelBackend")
    return client, f"/p/{production.slug}/"


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        os.environ["UPWELLING_DATA"] = folder
        os.environ["DJANGO_SETTINGS_MODULE"] = "upwelling.web.settings"
        import django
        from django.core.management import call_command

        django.setup()
        call_command("migrate", verbosity=0)
        made = [filled(f"shots{count}", count) for count in SIZES]
        for page in PAGES:
            times: list[list[float]] = [[] for _ in made]
            for _ in range(TURNS + 1):
                for (client, place), one in zip(made, times, strict=True):
                    begun = time.perf_counter()
                    answer = client.get(place + page)
                    one.append((time.perf_counter() - begun) * 1000)
                    assert answer.status_code == 200, (page, answer.status_code)
            few, many = (statistics.median(one[1:]) for one in times)
            print(
                f"{page or 'shots':16} {SIZES[0]} shots {few:7.1f} ms   {SIZES[1]} {many:7.1f} ms   {many / few:5.2f} ×"
            )


if __name__ == "__main__":
    main()
