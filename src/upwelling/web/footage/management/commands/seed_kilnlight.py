"""Makes the demo: the accounts, the Kilnlight production, its footage by every camera, and what a technician would have done by now."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.core.management.base import BaseCommand

from upwelling.core.simulate.chart import CORNERS
from upwelling.core.simulate.kilnlight_set import TAKES, Studio
from upwelling.core.steps import AnyStep, Exposure, Ladder, SlopeOffsetPower, WhiteBalance
from upwelling.web.footage.cameras import accept_proposal, change_camera, proposals
from upwelling.web.footage.models import Shot
from upwelling.web.footage.pictures import make_thumbnails
from upwelling.web.footage.services import AlreadyHere, accept, apply_settings, bring_in, set_mark
from upwelling.web.footage.shot_settings import ShotSettings
from upwelling.web.footage.torture_chart import add_torture_chart
from upwelling.web.productions.models import Member, Production
from upwelling.web.productions.services import create_production, define_encoding, define_output, set_rules

ACCOUNTS = (("technician", "kilnlight-demo", "technician"), ("viewer", "kilnlight-demo", "viewer"))
# What a technician would have set by now, by shot name.
TRIMS: dict[str, tuple[AnyStep, ...]] = {
    "A014 Gathering room, under": (
        Exposure(stops=2.1), WhiteBalance(kelvin=7600.0, duv=0.002), Ladder(rungs=((-6.0, 0.4), (-3.0, 0.25), (0.0, 0.0), (3.0, -0.2), (6.0, -0.6))),
        SlopeOffsetPower(slope=(1.02, 1.0, 0.99), saturation=1.08)),
    "B011 Colour store, over": (Exposure(stops=-0.9), WhiteBalance(kelvin=6100.0)),
}
MARKED = "A014 Gathering room, under", "Exposure only"
CAMERAS = {"A-cam": "S-Log3/S-Gamut3.Cine", "B-cam": "V-Log/V-Gamut", "Phone": "HLG/BT.2020", "Gimbal": "D-Log/D-Gamut"}
ACCEPTED = ("A012 Gathering room", "A014 Gathering room, under", "B007 Gathering room", "A021 Colour store", "B011 Colour store, over",
            "A031 Cold bench", "A099 Chart", "B099 Chart", "G099 Chart")


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
        self._shoot(production, users["technician"])
        if not production.cameras.exists():
            self._settle(production, users["technician"])
        if not production.own_encodings.exists():
            self._define(production, users["technician"])
        if not production.own_outputs.exists():
            self._deliver(production, users["technician"])
        self.stdout.write("Kilnlight is ready.")

    def _shoot(self, production: Production, technician: User) -> None:
        """Writes each take's file under the media folder and registers it, if that was not done before."""
        folder = Path(settings.MEDIA_FOLDER).resolve() / "kilnlight"
        folder.mkdir(parents=True, exist_ok=True)
        studio = Studio()
        here = set(production.shots.values_list("original_name", flat=True))
        missing = [take for take in TAKES if take.file not in here]
        for number, take in enumerate(missing, 1):
            self.stdout.write(f"Shooting {take.name} ({number} of {len(missing)})")
            place = folder / take.file
            if not place.exists():
                studio.write(take, folder)
            try:
                shot = bring_in(production, technician, take.file, place, name=take.name, registered=True)
            except AlreadyHere:
                continue
            if take.scene == "Chart":
                shot.chart_corners = [list(corner) for corner in CORNERS]
                shot.save(update_fields=["chart_corners"])

    def _deliver(self, production: Production, technician: User) -> None:
        """HDR and web beside television, an invented festival screen, and the torture chart to try them on."""
        define_output(production, technician, {
            "name": "Workshop screen", "note": "Invented LED wall of the festival hall", "curve": "gamma 2.4", "primaries": "P3-D65", "peak_nits": 180.0,
            "black_nits": 0.05, "mid_grey_nits": 16.0, "white_nits": 180.0, "surround": "dark"})
        set_rules(production, {"deliveries": [{"output": "BT.2100 PQ 1000, P3", "range": "full", "depth": 10}, {"output": "sRGB", "range": "full", "depth": 8},
                                              {"output": "Workshop screen", "range": "full", "depth": 10}]})
        make_thumbnails(add_torture_chart(production, technician))

    def _define(self, production: Production, technician: User) -> None:
        """An invented rental camera that no list has, from its data sheet."""
        define_encoding(production, technician, {
            "name": "Emberlog", "note": "Invented data sheet of a rental body, page 4", "primaries": {
                "red": [0.72, 0.28], "green": [0.17, 0.86], "blue": [0.11, -0.03], "white": [0.3127, 0.3290]},
            "form": {"kind": "log", "base": 10, "log_slope": 0.262, "log_offset": 0.401, "linear_slope": 5.1, "linear_offset": 0.061,
                     "break_linear": 0.012}})

    def _settle(self, production: Production, technician: User) -> None:
        for proposal in proposals(production, production.shots.all()):
            if proposal.model:
                camera = accept_proposal(production, proposal.key)
                encoding = CAMERAS.get(proposal.model, "")
                change_camera(camera, name="Stills" if not encoding else proposal.model, encoding=encoding, code_range="")
        for shot in Shot.objects.filter(production=production).select_related("camera", "production"):
            if shot.name in ACCEPTED:
                accept(shot)
            if shot.name in TRIMS and not shot.states.exists():
                steps = TRIMS[shot.name]
                if shot.name == MARKED[0]:
                    set_mark(shot, technician, MARKED[1], ShotSettings().with_steps(steps[:1]))
                apply_settings(shot, technician, ShotSettings().with_steps(steps), version=shot.version, label="trim")
        for shot in Shot.objects.filter(production=production).select_related("camera", "production"):
            make_thumbnails(shot)
