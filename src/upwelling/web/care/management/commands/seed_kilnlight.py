"""Makes the demo: the accounts, the Kilnlight production, its footage by every camera, and what a technician would have
done by now.
"""

from __future__ import annotations

import tempfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path as FilePath
from typing import Any

import numpy as np
from django.contrib.auth.models import User
from django.core.management.base import BaseCommand

from upwelling.core import engine
from upwelling.core.lut import Lut3D, lattice
from upwelling.core.path import Path as SignalPath
from upwelling.core.simulate import kilnlight_set
from upwelling.core.simulate.chart import CORNERS
from upwelling.core.simulate.kilnlight_set import TAKES, Studio, Take
from upwelling.core.simulate.turning_bust import COVERED, face_at
from upwelling.core.steps import (
    AnyStep,
    Contrast,
    Density,
    Exposure,
    FilmNegative,
    Glow,
    Grain,
    Ladder,
    LutStep,
    Matte,
    Saturation,
    SlopeOffsetPower,
    WhiteBalance,
)
from upwelling.core.steps.selections import Ellipse, LinearGradient
from upwelling.core.steps.track import Track
from upwelling.core.tables.files import write_lut
from upwelling.core.warm import warm
from upwelling.web.bakes.orders import order_for
from upwelling.web.bakes.packages import start_package
from upwelling.web.bakes.services import perform_bake, start_bake
from upwelling.web.bench.following import FollowWish, found
from upwelling.web.care.example import begin_example, filling, the_example
from upwelling.web.care.kilnlight_later import bring_in_the_last_day
from upwelling.web.care.kilnlight_review import say_things, show_the_cut
from upwelling.web.cuts.services import bring_in_cut
from upwelling.web.footage.cameras import accept_proposal, change_camera, proposals
from upwelling.web.footage.history import apply_settings, set_mark
from upwelling.web.footage.layer_content import LayerContent, LayerUse
from upwelling.web.footage.layer_services import layer_for, save_layer
from upwelling.web.footage.look_services import create_look, give_to_all, make_group
from upwelling.web.footage.models import Shot
from upwelling.web.footage.pictures import make_thumbnails
from upwelling.web.footage.shot_settings import ShotSettings
from upwelling.web.footage.shots import AlreadyHere, accept, bring_in
from upwelling.web.footage.torture_chart import add_torture_chart
from upwelling.web.luts.services import bring_in_lut, declare
from upwelling.web.productions.accounts import user_named
from upwelling.web.productions.models import Member, Production, Rights
from upwelling.web.productions.services import define_encoding, define_output, set_rules

ACCOUNTS = (("technician", "kilnlight-demo", "technician"), ("viewer", "kilnlight-demo", "viewer"))
# What a technician would have set by now, by shot name.
TRIMS: dict[str, tuple[AnyStep, ...]] = {
    "A014 Gathering room, under": (
        Exposure(stops=2.1),
        WhiteBalance(kelvin=7600.0, duv=0.002),
        Ladder(rungs=((-6.0, 0.4), (-3.0, 0.25), (0.0, 0.0), (3.0, -0.2), (6.0, -0.6))),
        SlopeOffsetPower(slope=(1.02, 1.0, 0.99), saturation=1.08),
        Glow(name="Furnace glow", amount=0.25, size=0.05, threshold=3.0),
    ),
    "A041 Yard, two and a half over": (
        Exposure(stops=-2.3),
        Exposure(
            name="Evening sky",
            stops=-1.2,
            limit=Matte(selections=(LinearGradient(name="Sky", y=-0.22, feather_in=0.1, feather_out=0.3),)),
        ),
    ),
    "B011 Colour store, over": (Exposure(stops=-0.9), WhiteBalance(kelvin=6100.0)),
}
FACE = "A037 Cold bench, a bust goes by"
MARKED = "A014 Gathering room, under", "Exposure only"
LOOKS: dict[str, tuple[tuple[AnyStep, ...], str]] = {
    "Kiln warm": (
        (
            SlopeOffsetPower(
                slope=(1.03, 1.0, 0.955), offset=(0.004, 0.0, -0.006), power=(1.0, 1.02, 1.06), saturation=1.06
            ),
            Contrast(contrast=1.08),
        ),
        "Furnace light over everything",
    ),
    "Cold bench": (
        (
            SlopeOffsetPower(slope=(0.975, 1.0, 1.03), saturation=0.86),
            Ladder(rungs=((-6.0, -0.3), (-2.0, 0.1), (0.0, 0.0), (3.0, -0.15), (6.0, -0.5))),
        ),
        "North light, quieter colour",
    ),
    "Furnace door": (
        (
            FilmNegative(interlayer=0.25, layer_latitude=(0.0, -0.3, -1.5), shoulder=1.4),
            Density(richness=1.15, depth=0.5, red=1.3, yellow=1.2, blue=0.6, spare_skin=0.5),
        ),
        "Film whose highlights go warm; rich colours grow darker",
    ),
    "Annealer": (
        (
            FilmNegative(gamma=0.55, toe=1.2, flash=0.012, layer_gamma=(0.98, 1.0, 1.04)),
            Density(richness=0.9, depth=0.3, spare_neutral=0.3),
        ),
        "Soft, flashed film: open shadows that lean to blue, thin colour",
    ),
    "Cold shop": (
        (
            FilmNegative(interlayer=0.1, layer_gamma=(1.04, 1.0, 0.97), layer_latitude=(-0.8, 0.0, 0.3)),
            Density(richness=1.3, depth=1.0, cyan=1.4, blue=1.5, red=0.6, spare_skin=0.8),
        ),
        "Film of dense blues and highlights that stay cool",
    ),
    "Fine grain": ((Grain(amount=0.1),), "Film's unevenness, new on every frame; no table can carry it"),
}


def ember_table() -> Lut3D:
    """An invented print house's look within ACEScct: warm highlights, cool and lifted shadows, softer saturation."""
    code = lattice(33)
    luma = (code @ np.array([0.27, 0.67, 0.06]))[..., None]
    bent = code + 0.03 * np.sin(np.pi * (code - 0.1)) * np.array([1.0, 0.2, -0.9]) * (luma - 0.35) * 4
    return Lut3D(np.clip(luma + 0.9 * (bent - luma), 0, 1).astype(np.float32), title="Ember print")


def house_conversion() -> Lut3D:
    """An invented festival's conversion from S-Log3 to television, by a published tone map and a cooler white: what
    arrives without a note.
    """
    path = SignalPath.checked(
        {
            "input": {"encoding": "S-Log3/S-Gamut3.Cine"},
            "rendering": {"method": {"kind": "reinhard"}},
            "display": {"output": "BT.709 BT.1886"},
        }
    )
    code = engine.run(engine.compile_operations(path.operations()), lattice(33))
    return Lut3D(np.clip(code * np.array([0.985, 1.0, 1.01]), 0, 1).astype(np.float32), title="festival v3")


CUT = FilePath(kilnlight_set.__file__).with_name("kilnlight_cut.edl")
"""The editor's third cut: twelve events, one of a card that has not come, one longer than its file."""
CAMERAS = {"A-cam": "S-Log3/S-Gamut3.Cine", "B-cam": "V-Log/V-Gamut", "Phone": "HLG/BT.2020", "Gimbal": "D-Log/D-Gamut"}
ACCEPTED = (
    "A012 Gathering room",
    "A014 Gathering room, under",
    "B007 Gathering room",
    "A021 Colour store",
    "B011 Colour store, over",
    "A031 Cold bench",
    "A099 Chart",
    "B099 Chart",
    "G099 Chart",
)


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("--owner", default="", help="an account that has it as an example, beside other work")

    def handle(self, *args: Any, **options: Any) -> None:
        owner = options["owner"]
        if self._is_done(beside_others=bool(owner)):
            self.stdout.write("Kilnlight is ready.")
            return
        if not Production.objects.exists():
            self.stdout.write("Compiling what computes; on a new machine that takes most of a minute")
            warm()
        users = self._owned_by(owner) if owner else self._accounts()
        production = the_example()
        if production is None:
            production = begin_example(users["technician"], whole_media=not owner)
            if not owner:
                Member.objects.create(production=production, user=users["viewer"], role=Member.Role.VIEWER)
                Rights.objects.update_or_create(
                    user=users["technician"], defaults={"may_create": True, "may_administer": True}
                )
        with filling(production) as folder:
            self._work(production, users, folder)
        self.stdout.write("Kilnlight is ready.")

    def _work(self, production: Production, users: dict[str, User], folder: FilePath) -> None:
        """What would have been done by now; what is here already is left as it is."""
        self._shoot(production, users["technician"], folder)
        if not production.cameras.exists():
            self._settle(production, users["technician"])
        if not production.own_encodings.exists():
            self._define(production, users["technician"])
        if not production.own_outputs.exists():
            self._deliver(production, users["technician"])
        bring_in_the_last_day(production, users["technician"], folder)
        if not production.looks.exists():
            self._look(production, users["technician"])
        if not production.cuts.exists():
            bring_in_cut(production, users["technician"], CUT.name, CUT)
        if not production.remarks.exists():
            say_things(production, users["technician"], users["viewer"])
        if not production.showings.exists():
            show_the_cut(production, users["technician"])
        if not production.bakes.exists():
            self._bake(production, users["technician"])

    def _accounts(self) -> dict[str, User]:
        users = {}
        for name, password, _role in ACCOUNTS:
            user, created = User.objects.get_or_create(username=name)
            if created:
                user.set_password(password)
                user.save()
            users[name] = user
        return users

    def _owned_by(self, name: str) -> dict[str, User]:
        """Every part is played by one account, which is there already: no demo account comes onto a server at work."""
        return dict.fromkeys((role for _, _, role in ACCOUNTS), user_named(name))

    def _is_done(self, *, beside_others: bool = False) -> bool:
        """Whether the demonstration was seeded once, or other work is here: accounts and shots never come back.

        One that was broken off in the middle goes on.
        """
        kilnlight = the_example()
        if kilnlight is None:
            return not beside_others and (User.objects.exists() or Production.objects.exists())
        return kilnlight.packages.exists()

    def _look(self, production: Production, technician: User) -> None:
        """Looks, one of them by an invented table; a conversion table nobody has declared yet; a group that has a
        Look.
        """
        with tempfile.TemporaryDirectory() as folder:
            write_lut(ember_table(), FilePath(folder) / "Ember print 33.cube")
            write_lut(house_conversion(), FilePath(folder) / "festival_v3.cube")
            for name in ("Ember print 33.cube", "festival_v3.cube"):
                row = bring_in_lut(production, technician, name, FilePath(folder) / name)
                if name.startswith("Ember"):
                    declare(
                        row,
                        expects="ACEScct/AP1",
                        expects_range="full",
                        gives="ACEScct/AP1",
                        gives_range="full",
                        interpolation="tetrahedral",
                    )
        looks = {name: create_look(production, technician, name, steps, note) for name, (steps, note) in LOOKS.items()}
        ember = production.luts.get(name="Ember print 33.cube")
        create_look(
            production,
            technician,
            "Ember print",
            [LutStep(lut=ember.declared, strength=0.8)],
            "The table of the invented print house",
        )
        shots = [
            shot
            for shot in production.shots.select_related("camera")
            if "Gathering room" in shot.name and shot.settled.is_settled
        ]
        group = make_group(production, "Gathering room", [shot.pk for shot in shots])
        give_to_all(production, looks["Kiln warm"], 0.7, group)
        for shot in shots:
            shot.production = production
            make_thumbnails(shot)

    def _bake(self, production: Production, technician: User) -> None:
        """A bake for a program and one for a monitor box; a package of two cameras is made by the worker meanwhile."""
        shot = production.shots.select_related("camera").get(name="A021 Colour store")
        shot.production = production
        for wish in (
            {"receiver": "Grading or editing program", "format": "cube", "size": 65},
            {"receiver": "Monitor box", "size": 33},
            {"receiver": "Grading or editing program", "format": "clf", "size": 33, "end": "input"},
        ):
            perform_bake(start_bake(shot, technician, order_for(shot, dict(wish))).pk)
            self.stdout.write(f"Baked for the {wish['receiver']}")
        start_package(
            production,
            technician,
            output="",
            receivers=["Grading or editing program", "Camera"],
            cameras=["A-cam", "B-cam"],
        )

    def _shoot(self, production: Production, technician: User, folder: FilePath) -> None:
        """Writes each take's file under the media folder and registers it, if that was not done before."""
        studio = Studio()
        here = set(production.shots.values_list("original_name", flat=True))
        missing = [take for take in TAKES if take.file not in here]

        def written(take: Take) -> FilePath:
            place = folder / take.file
            return place if place.exists() else studio.write(take, folder)

        with ThreadPoolExecutor(max_workers=2) as pool:  # takes are written ahead of being brought in
            for number, (take, place) in enumerate(zip(missing, pool.map(written, missing), strict=True), 1):
                self.stdout.write(f"Shooting {take.name} ({number} of {len(missing)})")
                self._bring_in(production, technician, take, place)

    def _bring_in(self, production: Production, technician: User, take: Take, place: FilePath) -> None:
        try:
            shot = bring_in(production, technician, take.file, place, name=take.name, registered=True)
        except AlreadyHere:
            return
        if take.scene == "Chart":
            shot.chart_corners = [list(corner) for corner in CORNERS]
            shot.save(update_fields=["chart_corners"])

    def _deliver(self, production: Production, technician: User) -> None:
        """HDR and web beside television, an invented festival screen, and the torture chart to try them on."""
        define_output(
            production,
            technician,
            {
                "name": "Workshop screen",
                "note": "Invented LED wall of the festival hall",
                "curve": "gamma 2.4",
                "primaries": "P3-D65",
                "peak_nits": 180.0,
                "black_nits": 0.05,
                "mid_grey_nits": 16.0,
                "white_nits": 180.0,
                "surround": "dark",
            },
        )
        set_rules(
            production,
            {
                "deliveries": [
                    {"output": "BT.2100 PQ 1000, P3", "range": "full", "depth": 10},
                    {"output": "sRGB", "range": "full", "depth": 8},
                    {"output": "Workshop screen", "range": "full", "depth": 10},
                ]
            },
        )
        make_thumbnails(add_torture_chart(production, technician))

    def _define(self, production: Production, technician: User) -> None:
        """An invented rental camera that no list has, from its data sheet."""
        define_encoding(
            production,
            technician,
            {
                "name": "Emberlog",
                "note": "Invented data sheet of a rental body, page 4",
                "primaries": {
                    "red": [0.72, 0.28],
                    "green": [0.17, 0.86],
                    "blue": [0.11, -0.03],
                    "white": [0.3127, 0.3290],
                },
                "form": {
                    "kind": "log",
                    "base": 10,
                    "log_slope": 0.262,
                    "log_offset": 0.401,
                    "linear_slope": 5.1,
                    "linear_offset": 0.061,
                    "break_linear": 0.012,
                },
            },
        )

    def _settle(self, production: Production, technician: User) -> None:
        for proposal in proposals(production):
            if proposal.model:
                camera = accept_proposal(production, proposal.key)
                encoding = CAMERAS.get(proposal.model, "")
                change_camera(
                    camera, name="Stills" if not encoding else proposal.model, encoding=encoding, code_range=""
                )
        for shot in Shot.objects.filter(production=production).select_related("camera", "production"):
            if shot.name in ACCEPTED:
                accept(shot)
            if shot.name in TRIMS and not shot.states.exists():
                steps = TRIMS[shot.name]
                if shot.name == MARKED[0]:
                    set_mark(shot, technician, MARKED[1], ShotSettings().with_steps(steps[:1]))
                apply_settings(shot, technician, ShotSettings().with_steps(steps), version=shot.version, label="trim")
            if shot.name == FACE and not shot.states.exists():
                apply_settings(shot, technician, self._follow(shot), version=shot.version, label="follow face")
        self._share(production, technician)
        for shot in Shot.objects.filter(production=production).select_related("camera", "production"):
            make_thumbnails(shot)

    def _share(self, production: Production, technician: User) -> None:
        """B-cam's trim, for all its shots, which one of them takes at a part."""
        shots = list(production.shots.filter(camera__name="B-cam").order_by("name"))
        if not shots or production.layers.exists():
            return
        quiet = Saturation(id="saturation", name="Quieter reds", amount=0.92, spare_skin=0.5)
        content = LayerContent(steps=(Exposure(id="exposure", stops=0.12), quiet))
        layer = layer_for(shots[0], "camera_trim")
        save_layer(layer, technician, content, number=0, label="a little brighter, quieter reds")
        settings = shots[-1].settings.model_copy(update={"camera_trim": LayerUse(strength=0.6)})
        apply_settings(shots[-1], technician, settings, version=shots[-1].version, label="B-cam’s trim at 60 %")

    def _follow(self, shot: Shot) -> ShotSettings:
        """A room made darker around a face that goes by: followed until a board covers it, and again from behind it."""
        face = Ellipse(id="face", name="Face", width=0.22, height=0.3, feather_in=0.02, feather_out=0.1, invert=True)
        names = ("x", "y", "scale", "angle")
        keys: dict[str, list[tuple[int, float]]] = {name: [] for name in names}
        begun = (shot.first_frame, COVERED[-1] + 1)
        for first in begun:
            x, y = face_at(first)
            placed = face.model_copy(update={"x": round(x, 3), "y": round(y, 3)})
            for one in found(shot, FollowWish(placed, list(range(first, shot.last_frame + 1)), "turn")):
                for name in names if "frame" in one else ():
                    keys[name].append((one["frame"], one[name]))
        tracks = tuple(Track(parameter=name, keys=tuple(rows)) for name, rows in keys.items())
        moving = face.model_copy(update={"tracks": tracks, "by_hand": begun})
        room = Exposure(id="room", name="Quieter room", stops=-1.1, limit=Matte(selections=(moving,)))
        return ShotSettings().with_steps((room,))
