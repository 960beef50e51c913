"""Prints, in one run, how fast the parts are beside a peer. Medians of interleaved repeats; read the ratios.

ffmpeg's lut3d runs through PyAV with two threads on the same float frame (its automatic thread count: the two cores);
colour-science and NumPy in float64.
"""

from __future__ import annotations

import itertools
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path as FilePath

import av
import colour
import numpy as np

from upwelling.core import engine
from upwelling.core.bake import BakeOrder, bake
from upwelling.core.bake.receivers import plain_receiver
from upwelling.core.curves import CURVES
from upwelling.core.lut import Lut3D, lattice
from upwelling.core.operations import Affine, Decode, Encode
from upwelling.core.path import Display, Input, Layer, Path
from upwelling.core.proof import FrameSample, frame_sample, verify
from upwelling.core.simulate.camera import A_CAM
from upwelling.core.simulate.shipped import shipped_at
from upwelling.core.steps import Exposure, SlopeOffsetPower, WhiteBalance
from upwelling.core.tables.files import write_lut

PATH = Path(
    input=Input(encoding="S-Log3/S-Gamut3.Cine"),
    trim=Layer(
        steps=(
            Exposure(stops=0.3),
            WhiteBalance(kelvin=5600),
            SlopeOffsetPower(slope=(1.02, 1, 0.98), power=(1, 1.05, 1), saturation=1.1),
        )
    ),
    display=Display(output="BT.709 BT.1886"),
)


def interleaved(repeats: int, **jobs: Callable[[], object]) -> dict[str, list[float]]:
    """Milliseconds of each job, taken in turns after one warm-up each."""
    times: dict[str, list[float]] = {name: [] for name in jobs}
    for round_number in range(repeats + 1):
        for name, job in jobs.items():
            start = time.perf_counter()
            job()
            if round_number:
                times[name].append((time.perf_counter() - start) * 1000)
    return times


def say(what: str, times: list[float], note: str = "") -> float:
    middle = statistics.median(times)
    print(f"{what:58} median {middle:8.1f} ms   95 % {np.percentile(times, 95):8.1f} ms   {note}")
    return middle


def lut_apply() -> None:
    """On a picture, and on random codes, where every pixel's cell has to come from memory."""
    frame = A_CAM.shoot(shipped_at("Gathering room", 960, 540), stops=0.6).astype(np.float32)
    pictures = {
        "a picture": np.ascontiguousarray(np.repeat(np.repeat(frame, 4, axis=0), 4, axis=1)),
        "random codes": np.random.default_rng(0).random((2160, 3840, 3)).astype(np.float32),
    }
    out = np.empty_like(pictures["a picture"])  # both sides write into memory they keep: ffmpeg has a pool of frames
    with tempfile.TemporaryDirectory() as folder:
        for size in (33, 65):
            lut = Lut3D((lattice(size) ** 1.2).astype(np.float32))
            write_lut(lut, FilePath(folder) / f"{size}.cube")
            for interpolation, (what, picture) in itertools.product(("tetrahedral", "trilinear"), pictures.items()):
                theirs = ffmpeg_lut(f"{folder}/{size}.cube", interpolation, picture)
                times = interleaved(
                    12,
                    ours=lambda i=interpolation, t=lut, p=picture: t.apply(p, i, out=out),
                    theirs=theirs,
                    copy=lambda p=picture: np.copyto(out, p),
                )
                ours = say(f"{interpolation.capitalize()} {size}, UHD float32, {what}: ours", times["ours"])
                peer = say(f"{interpolation.capitalize()} {size}, {what}: ffmpeg lut3d, 2 threads", times["theirs"])
                floor = statistics.median(times["copy"])
                print(
                    f"{'':58} ratio {peer / ours:.2f} × ffmpeg's speed; {ours / floor:.1f} × the time of a bare copy "
                    "on one thread"
                )


def ffmpeg_lut(place: str, interpolation: str, picture: np.ndarray) -> Callable[[], None]:
    """ffmpeg's lut3d on the same picture, as planar float."""
    graph = av.filter.Graph()
    source = graph.add_buffer(width=3840, height=2160, format=av.VideoFormat("gbrpf32le"), time_base=1)
    node, sink = graph.add("lut3d", f"file={place}:interp={interpolation}"), graph.add("buffersink")
    source.link_to(node)
    node.link_to(sink)
    graph.configure()
    frame = av.VideoFrame(3840, 2160, "gbrpf32le")
    for plane, channel in zip(frame.planes, (1, 2, 0), strict=True):
        rows = np.zeros((2160, plane.line_size // 4), np.float32)
        rows[:, :3840] = picture[..., channel]
        plane.update(rows.tobytes())

    def run_once() -> None:
        assert graph  # kept alive as long as its nodes are used
        source.push(frame)
        sink.pull()

    return run_once


def colour_science_path(code: np.ndarray) -> np.ndarray:
    """The peer: the same kind of work with colour-science in float64,
    with a plain S-curve in place of our rendering.
    """
    light = colour.models.log_decoding_SLog3(code)
    light = colour.RGB_to_RGB(light, "S-Gamut3.Cine", "ACEScg", chromatic_adaptation_transform="CAT02") * 2**0.3
    log = np.maximum(colour.models.log_encoding_ACEScct(light) * 1.02, 0) ** 1.05
    luma = log @ np.array([0.2126, 0.7152, 0.0722])
    light = colour.models.log_decoding_ACEScct(luma[..., None] + 1.1 * (log - luma[..., None]))
    raised = np.maximum(light, 0) ** 1.3
    light = colour.RGB_to_RGB(raised / (raised + 0.9), "ACEScg", "ITU-R BT.709", chromatic_adaptation_transform="CAT02")
    return colour.models.eotf_inverse_BT1886(np.clip(light, 0, 1))


def path() -> None:
    scene = shipped_at("Gathering room", 960, 540)
    code = A_CAM.shoot(scene, stops=0.6)
    program = engine.compile_operations(PATH.operations())
    # The limit: the path's own logarithms and powers alone (two log curves, the working log there and back, the
    # display's power), and a bare pass.
    slog, cct, power = CURVES["S-Log3"], CURVES["ACEScct"], PATH.target.curve
    alone = engine.compile_operations(
        (
            Decode(slog),
            Affine(1.01, 0.001),
            Encode(cct),
            Affine(1.01, 0.001),
            Decode(cct),
            Affine(1.01, 0.001),
            Encode(power),
        )
    )
    copy = engine.compile_operations((Affine(1.01, 0.001),))
    times = interleaved(
        8,
        engine=lambda: engine.run(program, code),
        alone=lambda: engine.run(alone, code),
        copy=lambda: engine.run(copy, code),
        reference=lambda: PATH.apply(code),
        colour=lambda: colour_science_path(code.astype(np.float64)),
    )
    fast = say("Exact path 960×540, gathering room: tile engine", times["engine"])
    floor = say("Its logarithms and powers alone, without the rendering's", times["alone"])
    say("A bare pass over the picture", times["copy"])
    print(f"{'':58} the path takes {fast / floor:.1f} × the time of those alone")
    say("Exact path 960×540: float64 reference", times["reference"])
    peer = say("960×540: colour-science float64, a simpler rendering", times["colour"])
    print(f"{'':58} ratio {peer / fast:.1f} × colour-science's speed")


def baking() -> None:
    frame = A_CAM.shoot(shipped_at("Gathering room", 960, 540), stops=0.6)
    with tempfile.TemporaryDirectory() as folder:
        for size in (33, 65):
            place = FilePath(folder) / "b.cube"
            order = BakeOrder(path=PATH, receiver=plain_receiver(size), size=size)
            frames = [frame_sample(order, "gathering room", frame)]

            def whole(o: BakeOrder = order, p: FilePath = place, f: list[FrameSample] = frames) -> None:
                write_lut(bake(o), p)
                verify(p, o, frames=f)

            times = interleaved(
                4, sample=lambda o=order: bake(o), write=lambda o=order, p=place: write_lut(bake(o), p), whole=whole
            )
            say(f"Bake {size}: sampling", times["sample"])
            say(f"Bake {size}: sampling and writing .cube text", times["write"])
            say(f"Bake {size}: all of it, and the full verification", times["whole"])


def preview() -> None:
    """End to end over HTTP handling: request, path, scopes, JPEG or PNG, trace; through Django's test client."""
    import os

    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "upwelling.web.settings")
    os.environ["UPWELLING_DATA"] = tempfile.mkdtemp()
    import django

    django.setup()
    from django.contrib.auth.models import User
    from django.core.management import call_command
    from django.test import Client

    from upwelling.core.media import write_still
    from upwelling.web.footage.shot_settings import ShotSettings
    from upwelling.web.footage.shots import bring_in
    from upwelling.web.productions.services import create_production, set_rules

    call_command("migrate", verbosity=0)
    user = User.objects.create_user("bench")
    production = create_production(user, "Kilnlight")
    set_rules(production, {"default_encoding": "S-Log3/S-Gamut3.Cine"})
    place = FilePath(tempfile.mkdtemp()) / "a.dpx"
    write_still(place, A_CAM.shoot(shipped_at("Gathering room", 1920, 1080), stops=0.6), "10")
    shot = bring_in(production, user, "a.dpx", place)
    client = Client(headers={"host": "localhost"})
    client.force_login(user)
    address = f"/p/kilnlight/bench/{shot.pk}/preview/"
    settings = ShotSettings().model_dump(mode="json")
    scopes = [{"kind": "parade"}, {"kind": "vectorscope"}]

    def ask(lossless: bool) -> None:
        ask.count += 1
        settings["steps"][0]["stops"] = (ask.count % 40) / 20
        body = {
            "settings": settings,
            "lossless": lossless,
            "point": {"x": 900, "y": 500},
            "scopes": scopes,
            "stage": "trim",
            "step": "exposure",
        }
        assert client.post(address, body, content_type="application/json").status_code == 200

    ask.count = 0
    times = interleaved(60, drag=lambda: ask(False), still=lambda: ask(True))
    say("Preview request 960×540, while dragging (JPEG, scopes)", times["drag"])
    say("Preview request 960×540, at rest (lossless PNG, scopes)", times["still"])


if __name__ == "__main__":
    for part in (lut_apply, path, baking, preview):
        part()
