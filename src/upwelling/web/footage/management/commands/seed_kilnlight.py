"""Makes the demo: the accounts, the Kilnlight production and its footage, if they are not there yet."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.core.management.base import BaseCommand

from upwelling.core.media import write_still
from upwelling.core.simulate.camera import A_CAM, B_CAM, SimulatedCamera
from upwelling.core.simulate.kilnlight import SCENES
from upwelling.web.footage.services import apply_settings, bring_in
from upwelling.web.footage.shot_settings import read_settings
from upwelling.web.productions.models import Member, Production
from upwelling.web.productions.services import create_production, set_rules

ACCOUNTS = (("technician", "kilnlight-demo", "technician"), ("viewer", "kilnlight-demo", "viewer"))
# Scene, shot name, camera, file, exposure error in stops, gains on the camera's channels.
SHOTS: tuple[tuple[str, str, SimulatedCamera, str, float, tuple[float, float, float]], ...] = (
    ("Gathering room", "A012 Gathering room", A_CAM, "A012.dpx", 0.6, (1.0, 1.0, 1.0)),
    ("Gathering room", "A014 Gathering room, under", A_CAM, "A014.dpx", -1.5, (1.06, 1.0, 0.90)),
    ("Gathering room", "B007 Gathering room", B_CAM, "B007.tif", 0.8, (0.92, 1.0, 1.12)),
    ("Colour store", "A021 Colour store", A_CAM, "A021.dpx", 0.0, (1.0, 1.0, 1.0)),
    ("Colour store", "B011 Colour store, over", B_CAM, "B011.tif", 1.0, (1.05, 1.0, 0.94)),
)
# What a technician would have set by now, by shot name.
TRIMS: dict[str, dict[str, Any]] = {
    "A014 Gathering room, under": {
        "exposure": {"stops": 2.1}, "white_balance": {"kelvin": 7600.0, "duv": 0.002},
        "slope_offset_power": {"slope": (1.02, 1.0, 0.99), "saturation": 1.08},
    },
    "B011 Colour store, over": {"exposure": {"stops": -0.9}, "white_balance": {"kelvin": 6100.0}},
}


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        users = {}
        for name, password, _role in ACCOUNTS:
            user, created = User.objects.get_or_create(username=name)
            if created:
                user.set_password(password)
                user.save()
            users[name] = user
        production = Production.objects.filter(slug="kilnlight").first()
        if production is None:
            production = create_production(users["technician"], "Kilnlight", "A short documentary in a glass-blowing workshop.")
            Member.objects.create(production=production, user=users["viewer"], role=Member.Role.VIEWER)
            set_rules(production, {"default_encoding": A_CAM.encoding_name})
        missing = [row for row in SHOTS if not production.shots.filter(name=row[1]).exists()]
        scenes: dict[str, Any] = {}
        folder = Path(settings.FILES) / "incoming"
        folder.mkdir(parents=True, exist_ok=True)
        for number, (scene, name, camera, file, stops, gains) in enumerate(missing, 1):
            if scene not in scenes:
                self.stdout.write(f"Rendering the {scene.lower()} at 1920 × 1080 …")
                scenes[scene] = SCENES[scene]()
            self.stdout.write(f"Shooting {name} ({number} of {len(missing)})")
            code = camera.shoot(scenes[scene], stops=stops, gains=gains, seed=number)
            with tempfile.TemporaryDirectory(dir=folder) as temporary:
                place = Path(temporary) / file
                write_still(place, code, "10" if file.endswith(".dpx") else "16")
                own = "" if camera is A_CAM else camera.encoding_name
                shot = bring_in(production, users["technician"], file, place, name=name, encoding_name=own)
            if name in TRIMS:
                apply_settings(shot, users["technician"], read_settings(TRIMS[name]), version=0, label="trim")
        self.stdout.write("Kilnlight is ready.")
