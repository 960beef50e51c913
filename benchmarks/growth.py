"""A production that has grown: 5,000 shots, 500 bakes of a table Look, 5,000 states and 200 Marks on one shot.

Prints for each page the server's time (median of three), the size of the answer and the number of queries.
`python benchmarks/growth.py [SHOTS]` builds it in a folder of its own.
"""

import os
import statistics
import sys
import tempfile
import time

SHOTS = int(sys.argv[1]) if len(sys.argv) > 1 else 5000
os.environ["UPWELLING_DATA"] = tempfile.mkdtemp(prefix="upwelling-growth-")
os.environ["UPWELLING_HOSTS"] = "testserver"
os.environ["DJANGO_SETTINGS_MODULE"] = "upwelling.web.settings"

import django  # noqa: E402

django.setup()

import numpy as np  # noqa: E402
from django.conf import settings  # noqa: E402
from django.contrib.auth.models import User  # noqa: E402
from django.core.management import call_command  # noqa: E402
from django.db import connection, transaction  # noqa: E402
from django.test import Client  # noqa: E402
from django.test.utils import CaptureQueriesContext  # noqa: E402

from upwelling.core.documents import sealed  # noqa: E402
from upwelling.core.lut import Lut3D, lattice  # noqa: E402
from upwelling.core.media import write_still  # noqa: E402
from upwelling.core.simulate.camera import A_CAM  # noqa: E402
from upwelling.core.steps import Exposure, LutStep  # noqa: E402
from upwelling.core.tables.files import write_lut  # noqa: E402
from upwelling.core.warm import warm  # noqa: E402
from upwelling.web.bakes.models import Bake  # noqa: E402
from upwelling.web.bakes.orders import order_for  # noqa: E402
from upwelling.web.bakes.services import perform_bake, start_bake  # noqa: E402
from upwelling.web.footage.look_services import create_look, give_to_all  # noqa: E402
from upwelling.web.footage.models import Camera, Mark, Shot, ShotState  # noqa: E402
from upwelling.web.footage.shot_settings import ShotSettings  # noqa: E402
from upwelling.web.footage.shots import bring_in  # noqa: E402
from upwelling.web.luts.services import bring_in_lut, declare  # noqa: E402
from upwelling.web.productions.services import create_production  # noqa: E402


def build():
    """The production, and one shot of it with a long history."""
    warm()
    call_command("migrate", verbosity=0)
    user = User.objects.create_user("tess")
    production = create_production(user, "Kilnlight")
    files = settings.FILES
    files.mkdir(parents=True)
    x = np.linspace(-6, 7.5, 320)[None, :, None]
    write_still(files / "a.dpx", A_CAM.shoot(0.18 * np.exp2(x) * np.ones((180, 1, 3))), "10")
    first = bring_in(production, user, "A000.dpx", files / "a.dpx", encoding_name="S-Log3/S-Gamut3.Cine")
    cameras = [Camera.objects.create(production=production, name=f"{letter}-cam") for letter in "ABCD"]
    write_lut(Lut3D(lattice(65).astype(np.float32) ** 1.01), files / "print.cube")
    table = bring_in_lut(production, user, "print.cube", files / "print.cube")
    declare(table, expects="ACEScct/AP1", expects_range="full", gives="ACEScct/AP1", gives_range="full",
            interpolation="tetrahedral")  # fmt: skip
    look = create_look(production, user, "Print", [LutStep(lut=table.declared)])
    give_to_all(production, look, 1.0)
    with transaction.atomic():
        for number in range(1, SHOTS):
            shot = Shot.objects.get(pk=first.pk)
            shot.pk, shot._state.adding = None, True
            shot.name = shot.original_name = f"{'ABCD'[number % 4]}{number:04d}"
            shot.sha256, shot.camera = f"{number:064x}", cameras[number % 4]
            shot.position = 1
            shot.save()
            body = ShotSettings().with_steps([Exposure(id="exposure", stops=0.001 * number)])
            for position, one in ((0, ShotSettings()), (1, body)):
                ShotState.objects.create(shot=shot, position=position, label="x", created_by=user,
                                         settings=sealed("shot settings", one.model_dump(mode="json")))  # fmt: skip
    long = Shot.objects.order_by("-pk")[0]
    with transaction.atomic():
        for position in range(2, 5000):
            ShotState.objects.create(shot=long, position=position, label=f"Exposure {position}", created_by=user,
                                     settings=sealed("shot settings", ShotSettings().with_steps(
                                         [Exposure(id="exposure", stops=0.0005 * position)]).model_dump(
                                         mode="json")))  # fmt: skip
        long.position = 4999
        long.save()
        for number in range(200):
            Mark.objects.create(shot=long, name=f"Mark {number}", created_by=user,
                                settings=sealed("shot settings", ShotSettings().model_dump(mode="json")))  # fmt: skip
    made = start_bake(first, user, order_for(Shot.objects.get(pk=first.pk), {"size": "17", "end": "display"}))
    perform_bake(made.pk)
    with transaction.atomic():
        for _ in range(499):
            copy = Bake.objects.get(pk=made.pk)
            copy.pk, copy._state.adding, copy.job = None, True, None
            copy.save()
    return user, production, long, made


def measure():
    user, production, long, made = build()
    client = Client()
    client.force_login(user)
    p = f"/p/{production.slug}/"
    camera, look, lut = production.cameras.all()[0], production.looks.all()[0], production.luts.all()[0]
    for address in (
        "/", p, p + "intake/", p + "intake/?state=settled", f"{p}cameras/{camera.pk}/", f"{p}bench/{long.pk}/",
        f"{p}bench/{long.pk}/share/", p + "looks/", f"{p}looks/{look.pk}/", p + "looks/sheet/", f"{p}luts/{lut.pk}/",
        p + "outputs/", f"{p}bench/{long.pk}/renderings/", f"{p}bench/{long.pk}/monitor/", p + "bakes/",
        f"{p}bakes/of/{long.pk}/", f"{p}bakes/{made.pk}/", p + "bakes/cdl/", p + "bakes/receivers/", p + "encodings/",
        p + "match/", p + "deliveries/", p + "record/", p + "handover/", p + "handover/file/",
    ):  # fmt: skip
        times = []
        for _ in range(3):
            with CaptureQueriesContext(connection) as queries:
                begun = time.perf_counter()
                answer = client.get(address)
                times.append(time.perf_counter() - begun)
        size = len(answer.content) / 1000
        print(f"{address:34s} {answer.status_code} {1000 * statistics.median(times):7.0f} ms {size:7.0f} kB "
              f"{len(queries):4d} queries", flush=True)  # fmt: skip
    body = {"settings": long.settings.model_dump(mode="json")}
    begun = time.perf_counter()
    answer = client.post(f"{p}bench/{long.pk}/marks/", body, "application/json")
    print(f"{'marks and history':34s} {answer.status_code} {1000 * (time.perf_counter() - begun):7.0f} ms "
          f"{len(answer.content) / 1000:7.0f} kB")  # fmt: skip
    database = settings.DATABASES["default"]["NAME"]
    print(f"database {database.stat().st_size / 1e6:.0f} MB")


if __name__ == "__main__":  # its tables are read in processes that begin by importing this file
    measure()
