"""No rendering jumps: a hunt over S-Log3 codes for the largest step between neighbours, and for bends that do not
smooth out.
"""

from functools import lru_cache

import numpy as np
import pytest

from upwelling.core.colour.primaries import primaries, rgb_to_rgb
from upwelling.core.encodings import encoding
from upwelling.core.errors import BadValue
from upwelling.core.measure.judge import Judge
from upwelling.core.operations import Matrix, decode_operations, run_reference
from upwelling.core.outputs import OUTPUTS, output
from upwelling.core.rendering import TONE_MAPS, Rise

AP1, LOG = primaries("AP1"), encoding("S-Log3/S-Gamut3.Cine")
BEFORE = (*decode_operations(LOG), Matrix.of(rgb_to_rgb(LOG.primaries, AP1, "CAT02")))
STEP = 2e-5
# Rise is the one built to be followed by tables. BT.2446 A has steps in its printed pieces; white to white and the clip
# meet the gamut with light that is cut off
# there; on PQ what has no dark end of its own meets black as steeply as PQ does.


@lru_cache
def display(method, name):
    target = output(name)
    return (*BEFORE, *method.operations(AP1, target, "CAT02"), *target.encode_operations()), Judge(target, ())


def hunt(measure, rounds=14, samples=12_000, keep=60, seed=1):
    """The largest ``measure(codes, directions)`` found: random places first, then ever nearer around the worst."""
    rng = np.random.default_rng(seed)
    code, way = rng.random((samples, 3)), rng.normal(size=(samples, 3))
    way /= np.linalg.norm(way, axis=1, keepdims=True)
    found = measure(code, way)
    best = np.argsort(found)[::-1][:keep]
    code, way, found, reach = code[best], way[best], found[best], 0.02
    for _ in range(rounds):
        near = np.clip(np.repeat(code, 8, axis=0) + reach * rng.normal(size=(keep * 8, 3)), 0, 1)
        ways = np.repeat(way, 8, axis=0) + 0.3 * rng.normal(size=(keep * 8, 3))
        ways /= np.linalg.norm(ways, axis=1, keepdims=True)
        tried = measure(near, ways).reshape(keep, 8)
        place = np.arange(keep) * 8 + tried.argmax(axis=1)
        better = tried.max(axis=1) > found
        code, way = (np.where(better[:, None], new[place], old) for new, old in ((near, code), (ways, way)))
        found = np.where(better, tried.max(axis=1), found)
        reach *= 0.75
    return float(found.max())


def seen(method, name, code):
    operations, judge = display(method, name)
    return judge.seen(np.clip(run_reference(operations, code), 0, 1)) * (
        720 * np.array([1, 0.5, 1]) if judge.target.is_hdr else 1.0
    )


@pytest.mark.parametrize("name", ["BT.709 BT.1886", "P3-D65 gamma 2.6", "Display P3", "BT.2100 PQ 1000"])
@pytest.mark.parametrize("kind", TONE_MAPS, ids=lambda k: k.__name__)
def test_neighbouring_codes_look_alike(kind, name, capsys):
    method = kind()
    try:
        display(method, name)
    except BadValue:
        pytest.skip("this method maps HDR to SDR only")
    largest = hunt(
        lambda code, way: np.linalg.norm(seen(method, name, code + STEP * way) - seen(method, name, code), axis=1)
    )
    with capsys.disabled():
        print(f"\n{method.title} on {name}: largest step {largest:.3f} ΔE over 2e-5 of code", end="")
    assert largest < kind.largest_step[output(name).is_hdr]


@pytest.mark.parametrize("name", [n for n in OUTPUTS if not output(n).is_hdr])
def test_rise_bends_without_a_corner(name):
    """The change of slope between neighbours falls with their distance: at a corner it would stay, at a jump it would
    grow tenfold.
    """

    def change(h):
        return hunt(
            lambda code, way: (
                np.linalg.norm(
                    seen(Rise(), name, code + h * way)
                    - 2 * seen(Rise(), name, code)
                    + seen(Rise(), name, code - h * way),
                    axis=1,
                )
                / h
            )
        )

    wide, near, nearest = (change(h) for h in (1e-3, 1e-4, 1e-5))
    assert near < 0.5 * wide
    assert nearest < 0.25 * near


def test_the_hunt_finds_a_corner_and_a_jump():
    """The measure itself, on functions that have them."""
    corner = [
        hunt(
            lambda c, w, h=h: (
                np.abs(np.abs(c + h * w - 0.4).sum(1) - 2 * np.abs(c - 0.4).sum(1) + np.abs(c - h * w - 0.4).sum(1)) / h
            )
        )
        for h in (1e-3, 1e-5)
    ]
    assert corner[1] > 0.05 * corner[0]  # a smooth function: 0.01
    assert (
        hunt(lambda c, w: np.abs((c + STEP * w > 0.37).sum(1) - (c > 0.37).sum(1)).astype(float), samples=200_000) >= 1
    )
