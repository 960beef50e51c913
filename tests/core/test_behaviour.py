"""What the exact path gives, frozen: every encoding, every output, every step, every rendering, and fingerprints of
paths.

No outside witness: those stand beside each formula. This table only says that a change meant to move files moved no
number. After a change of numbers on purpose, `python -m tests.core.test_behaviour` writes it anew, in the same commit
as the reason.
"""

import json
from pathlib import Path as FilePath

import numpy as np
import pytest

from tests.core.step_samples import BUSY, LATER, WARM
from upwelling.core.colour.primaries import primaries
from upwelling.core.encodings import ENCODINGS
from upwelling.core.operations import Place, run_reference
from upwelling.core.outputs import OUTPUTS
from upwelling.core.path import CameraFile, Display, Input, Layer, Path, RenderingStage, convert_operations
from upwelling.core.rendering import TONE_MAPS
from upwelling.core.steps import (
    STEPS,
    CalmNoise,
    Dust,
    Gate,
    Glow,
    Grain,
    Halation,
    Mist,
    Sharpen,
    Softness,
    Streaks,
    Vignette,
)

TABLE = FilePath(__file__).parents[1] / "data" / "behaviour.json"
CODES = np.array(
    [
        [0.0, 0.0, 0.0],
        [0.1, 0.1, 0.1],
        [0.41, 0.41, 0.41],
        [0.6, 0.45, 0.3],
        [0.2, 0.5, 0.7],
        [1.0, 1.0, 1.0],
        [-0.05, 0.4, 1.1],
    ]
)
LIGHT = np.array(
    [[0.18, 0.18, 0.18], [0.5, 0.2, 0.05], [0.01, 0.04, 0.1], [4.0, 3.0, 0.5], [-0.01, 0.3, 0.2], [20.0, 20.0, 20.0]]
)


PLACED = (
    Vignette(stops=-1.5, x=0.2, y=-0.1, size=0.3, falloff=0.7, stretch=1.4),
    CalmNoise(level=0.8, radius=0.03),
    Sharpen(radius=0.02, coarse=-0.4),
    Streaks(x=0.3, y=-0.2, threshold=1),
    Glow(size=0.1, threshold=0.5, tint=(1, 0.8, 0.6)),
    Halation(size=0.03, threshold=0.5),
    Grain(size=0.02, amount=0.3, seed=3),
    Softness(half=20, layers=(0.7, 1, 1.4)),
    Mist(size=0.05, veil=0.1),
    Gate(across=0.01, down=0.008, flicker=0.1),
    Dust(amount=60, size=0.05),
)
PICTURE = np.linspace(0.02, 3, 4 * 6 * 3).reshape(4, 6, 3)


def _path(**changes) -> Path:
    return Path(
        **{"input": Input(encoding="S-Log3/S-Gamut3.Cine"), "display": Display(output="BT.709 BT.1886"), **changes}
    )


def computed() -> dict:
    """Rows by name: lists of numbers, or a fingerprint."""
    ap1, found = primaries("AP1"), {}
    for name, member in ENCODINGS.items():
        for side in ("full", "legal"):
            there = convert_operations(
                member,
                ENCODINGS["linear/AP1"],
                "CAT02",
                source_range=side,
                target_range="full",
                source_depth=10,
                target_depth=16,
            )
            back = convert_operations(
                ENCODINGS["linear/AP1"],
                member,
                "Bradford",
                source_range="full",
                target_range=side,
                source_depth=16,
                target_depth=10,
            )
            found[f"encoding {name} {side}"] = [run_reference(there, CODES), run_reference(back, LIGHT)]
    for target in OUTPUTS.values():
        found[f"output {target.name}"] = [_path(display=Display(output=target.name)).apply(CODES)]
    for method in TONE_MAPS:
        for target in ("BT.709 BT.1886", "PQ 1000 BT.2020"):
            stage = RenderingStage(method=method())
            try:
                found[f"rendering {method().kind} {target}"] = [
                    _path(rendering=stage, display=Display(output=target)).apply(CODES)
                ]
            except Exception as error:  # a method that does not serve an output stays so
                found[f"rendering {method().kind} {target}"] = type(error).__name__
    for number, step in enumerate((*BUSY, *LATER)):
        for kind, made in (
            ("plain", step),
            ("half", step.model_copy(update={"strength": 0.5})),
            ("warm", step.model_copy(update={"limit": WARM})),
        ):
            found[f"step {number} {step.kind} {kind}"] = [run_reference(made.operations(ap1), LIGHT)]
    for number, step in enumerate(PLACED):
        for kind, made in (("whole", step), ("half", step.model_copy(update={"strength": 0.5}))):
            found[f"step placed {number} {step.kind} {kind}"] = [
                run_reference(made.at(7).operations(ap1), PICTURE, Place(1920, 1080, 40, 700, 31)).reshape(-1, 3)
            ]
    found["fingerprint placed"] = _path(trim=Layer(steps=PLACED[:1])).fingerprint
    found["fingerprint textures"] = _path(trim=Layer(steps=PLACED[1:7])).fingerprint
    found["fingerprint trim"] = _path(trim=Layer(steps=BUSY)).fingerprint
    found["fingerprint look"] = _path(
        look=Layer(steps=BUSY[:3], strength=0.5), camera=CameraFile(range="legal", depth=8)
    ).fingerprint
    found["fingerprint rest"] = _path().fingerprint
    return found


def test_every_step_has_its_sample():
    assert {type(step) for step in (*BUSY, *LATER, *PLACED)} == set(STEPS)


@pytest.fixture(scope="module")
def now():
    return computed()


def test_nothing_is_missing(now):
    assert sorted(now) == sorted(json.loads(TABLE.read_text()))


@pytest.mark.parametrize("kind", ["encoding", "output", "rendering", "step", "fingerprint"])
def test_numbers_are_as_they_were(now, kind):
    wrong = []
    for name, was in json.loads(TABLE.read_text()).items():
        if name.startswith(kind):
            same = (
                was == now[name]
                if isinstance(was, str)
                else all(np.allclose(a, b, rtol=1e-7, atol=1e-10) for a, b in zip(was, now[name], strict=True))
            )
            wrong += [] if same else [name]
    assert wrong == []


if __name__ == "__main__":
    rows = {
        name: row if isinstance(row, str) else [[[float(f"{v:.10g}") for v in rgb] for rgb in part] for part in row]
        for name, row in computed().items()
    }
    TABLE.write_text(
        "{\n"
        + ",\n".join(f"{json.dumps(name)}: {json.dumps(row, separators=(',', ':'))}" for name, row in rows.items())
        + "\n}\n"
    )
