"""The whole Kilnlight set: every take, by which camera, into which file, with which faults."""

from __future__ import annotations

import itertools
import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path as FilePath
from typing import Any

import numpy as np

from upwelling.core.media import ColourTags, dng, write_still
from upwelling.core.media.movie_write import write_movie
from upwelling.core.path import Display, Input, Layer
from upwelling.core.path import Path as SignalPath
from upwelling.core.simulate.camera import A_CAM, B_CAM, GIMBAL, PHONE, STILLS, SimulatedCamera
from upwelling.core.simulate.chart import chart_frame
from upwelling.core.simulate.shipped import HEIGHT, MOVING, WIDTH, shipped, shipped_frames
from upwelling.core.simulate.turning_bust import FRAMES as BUST_FRAMES
from upwelling.core.steps import Exposure

Gains = tuple[float, float, float]
FRAMES = 24
MAKER = "Kilnlight Rentals"
"""The invented maker in every file's metadata."""


@dataclass(frozen=True)
class Take:
    """One file. ``codec`` empty: a still by the file's ending. ``fault`` names what was done wrong on purpose."""

    name: str
    file: str
    scene: str
    camera: str
    stops: float = 0.0
    gains: Gains = (1.0, 1.0, 1.0)
    codec: str = ""
    kelvin: float = 5200.0
    fault: str = ""
    sidecar: dict[str, str] = field(default_factory=dict)
    frames: int = FRAMES
    timecode: str = ""


CAMERAS: dict[str, SimulatedCamera] = {"A-cam": A_CAM, "B-cam": B_CAM, "Phone": PHONE, "Gimbal": GIMBAL}
_S3 = {"CaptureGammaEquation": "s-log3", "CaptureColorPrimaries": "s-gamut3-cine"}
_V = {"gamma": "V-Log", "gamut": "V-Gamut"}
CHART = "Chart"
TAKES: tuple[Take, ...] = (
    Take("A012 Gathering room", "A012.dpx", "Gathering room", "A-cam", 0.6),
    Take("A014 Gathering room, under", "A014.dpx", "Gathering room", "A-cam", -1.5, (1.06, 1.0, 0.90)),
    Take(
        "A016 Gathering room, pan",
        "A016.mov",
        "Gathering room",
        "A-cam",
        0.3,
        codec="prores-4444",
        sidecar=_S3,
        timecode="10:16:04:12",
    ),
    Take("B007 Gathering room", "B007.tif", "Gathering room", "B-cam", 0.8, (0.92, 1.0, 1.12)),
    Take("P003 Gathering room", "P003.mp4", "Gathering room", "Phone", 0.2, codec="h265-10"),
    Take("A021 Colour store", "A021.dpx", "Colour store", "A-cam"),
    Take("B011 Colour store, over", "B011.tif", "Colour store", "B-cam", 1.0, (1.05, 1.0, 0.94)),
    Take("P004 Colour store", "P004.mp4", "Colour store", "Phone", codec="h265-10", fault="untagged"),
    Take("S0102 Colour store", "S0102.dng", "Colour store", "Stills", kelvin=4800),
    Take("A031 Cold bench", "A031.dpx", "Cold bench", "A-cam", 0.4),
    Take("A033 Cold bench, viewing", "A033.mov", "Cold bench", "A-cam", 0.4, codec="prores-422", fault="burned in"),
    Take(
        "B015 Cold bench, pan",
        "B015.mov",
        "Cold bench",
        "B-cam",
        0.5,
        (1.03, 1.0, 0.97),
        codec="prores-4444",
        sidecar=_V,
        timecode="14:15:31:06",
    ),
    Take("G005 Cold bench", "G005.mp4", "Cold bench", "Gimbal", 0.3, codec="h264-8"),
    Take("S0101 Cold bench", "S0101.dng", "Cold bench", "Stills", kelvin=6200),
    Take("A041 Yard, two and a half over", "A041.dpx", "Yard at dusk", "A-cam", 2.5),
    Take("G007 Yard, barred", "G007.mp4", "Yard at dusk", "Gimbal", codec="h264-8", fault="letterboxed"),
    Take("P006 Yard", "P006.mp4", "Yard at dusk", "Phone", codec="h265-10"),
    Take("S0107 Yard", "S0107.dng", "Yard at dusk", "Stills", -1.0, kelvin=7000),
    Take(
        "A090 Reel of three scenes",
        "A090.mov",
        "Cold bench",
        "A-cam",
        codec="prores-422",
        fault="flattened",
        sidecar=_S3,
        frames=20,
    ),
    Take("A099 Chart", "A099.dpx", CHART, "A-cam"),
    Take("B099 Chart", "B099.tif", CHART, "B-cam"),
    Take("P099 Chart", "P099.mp4", CHART, "Phone", codec="h265-10", frames=6),
    Take("G099 Chart", "G099.mp4", CHART, "Gimbal", codec="h264-8", frames=6),
    Take("S0199 Chart", "S0199.dng", CHART, "Stills", kelvin=5200),
    Take(
        "A037 Cold bench, a bust goes by",
        "A037.mov",
        MOVING,
        "A-cam",
        0.4,
        codec="prores-422",
        sidecar=_S3,
        frames=BUST_FRAMES,
        timecode="14:37:20:00",
    ),
)
_TAGS = {
    "Phone": ColourTags("BT.2020", "HLG", "BT.2020", "legal"),
    "Gimbal": ColourTags("BT.709", "BT.709", "BT.709", "legal"),
    "A-cam": ColourTags("BT.709", "BT.709", "BT.709", "legal"),
    "B-cam": ColourTags("BT.709", "", "BT.709", "legal"),
}
_MATRIX = {"Phone": "BT.2020"}


class Studio:
    """Shoots takes of the scenes that ship."""

    def __init__(self) -> None:
        self._scenes: dict[str, Any] = {}

    def scene(self, name: str) -> Any:
        """Scene-linear AP1 light of a scene, or of the chart frame."""
        if name not in self._scenes:
            self._scenes[name] = chart_frame(WIDTH // 2, HEIGHT // 2) if name == CHART else shipped(name)
        return self._scenes[name]

    def write(self, take: Take, folder: FilePath) -> FilePath:
        """Shoots a take into its file and sidecar."""
        place = folder / take.file
        seed = TAKES.index(take) + 1 if take in TAKES else 0
        if take.camera == "Stills":
            values, profile = STILLS.shoot(self.scene(take.scene), kelvin=take.kelvin, stops=take.stops, seed=seed)
            dng.write(
                place,
                values,
                profile,
                black=STILLS.black,
                white=STILLS.white,
                metadata={"make": MAKER, "model": "Lumen 1"},
            )
            return place
        camera = CAMERAS[take.camera]
        if not take.codec:
            code = camera.shoot(self.scene(take.scene), stops=take.stops, gains=take.gains, seed=seed)
            write_still(place, code, "10" if place.suffix == ".dpx" else "16", {"make": MAKER, "model": take.camera})
            return place
        tags = None if take.fault == "untagged" else _TAGS[take.camera]
        said = {} if take.fault == "untagged" else {"make": MAKER, "model": take.camera}
        if take.fault == "burned in":
            said["comment"] = "monitor look workshop_v2.cube"
        if take.timecode:
            said["timecode"] = take.timecode
        write_movie(
            place,
            self._frames(take, camera, seed),
            take.codec,
            tags=tags,
            matrix=_MATRIX.get(take.camera, "BT.709"),
            metadata=said,
            options={"crf": "12"} if take.camera == "Gimbal" else None,
        )
        self._sidecar(take, place)
        return place

    def _frames(self, take: Take, camera: SimulatedCamera, seed: int) -> Iterator[Any]:
        if take.scene == MOVING:
            for index, light in enumerate(itertools.islice(shipped_frames(), take.frames)):
                yield camera.shoot(light, stops=take.stops, gains=take.gains, seed=seed * 1000 + index)
            return
        scenes = ["Cold bench", "Gathering room", "Yard at dusk"] if take.fault == "flattened" else [take.scene]
        change: Callable[[Any], Any] = {"burned in": self._viewing, "letterboxed": _barred}.get(
            take.fault, lambda code: code
        )
        for name in scenes:
            wide = self.scene(name)
            width = wide.shape[1] if take.scene == CHART else wide.shape[1] // 2 // 4 * 4
            height = wide.shape[0] if take.scene == CHART else wide.shape[0] // 2 // 4 * 4
            top = (wide.shape[0] - height) // 2
            for code in camera.roll(
                wide[top : top + height], take.frames, stops=take.stops, gains=take.gains, seed=seed, width=width
            ):
                yield change(code)

    def _viewing(self, code: Any) -> Any:
        """The signal after a viewing transform that someone recorded by mistake."""
        path = SignalPath(
            input=Input(encoding=A_CAM.encoding_name),
            layers=(Layer(steps=(Exposure(stops=0.6),)),),
            display=Display(output="BT.709 BT.1886"),
        )
        from upwelling.core import engine

        return engine.run(engine.compile_operations(path.operations()), code)

    def _sidecar(self, take: Take, place: FilePath) -> None:
        if not take.sidecar:
            return
        if take.camera == "B-cam":
            place.with_suffix(".json").write_text(json.dumps({"clip": take.file, "picture": take.sidecar}, indent=1))
            return
        items = "".join(f'<Item name="{key}" value="{value}"/>' for key, value in take.sidecar.items())
        (place.parent / f"{place.stem}M01.XML").write_text(
            f'<?xml version="1.0"?><ClipRecord><Group name="CameraUnit">{items}</Group></ClipRecord>'
        )


def _barred(code: Any) -> Any:
    """Black bars above and below, at the code of black."""
    barred = np.array(code)
    rows = code.shape[0] // 8
    barred[:rows] = barred[-rows:] = 0.0
    return barred
