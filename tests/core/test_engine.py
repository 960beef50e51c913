"""The tile engine against the float64 reference, operation by operation and for whole paths."""

import shutil
from pathlib import Path as FilePath

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import upwelling.core
from upwelling.core import engine
from upwelling.core.colour.primaries import primaries
from upwelling.core.curves import CURVES
from upwelling.core.encodings import ENCODINGS, encoding
from upwelling.core.engine.registry import DECODED, ENCODED, OPERATIONS, SELECTIONS
from upwelling.core.engine.tile import run_tiles
from upwelling.core.kernels import cache_key
from upwelling.core.operations import (
    Affine,
    Decode,
    Encode,
    Matrix,
    Mixed,
    Saturate,
    SlopeOffsetPower,
    Tap,
    run_reference,
)
from upwelling.core.outputs import OUTPUTS
from upwelling.core.path import Display, Input, Layer, Path
from upwelling.core.rendering import Rise
from upwelling.core.steps import Exposure, Saturation, WhiteBalance
from upwelling.core.steps import SlopeOffsetPower as SopStep

RNG = np.random.default_rng(11)
CODES = RNG.uniform(0, 1, (5000, 3))
LIGHT = np.concatenate([RNG.uniform(-0.02, 1, (3000, 3)), np.exp2(RNG.uniform(-12, 6, (3000, 3)))])


def both(operations, values):
    values = np.asarray(values, dtype=np.float32)
    return engine.run(engine.compile_operations(operations), values), run_reference(
        operations, values.astype(np.float64)
    )


@pytest.mark.parametrize("name", CURVES)
def test_curves(name):
    top = 1.0 if name in ("PQ", "HLG") else 8.0
    light = LIGHT[(top >= LIGHT).all(axis=-1)]
    if name == "PQ":
        light = np.abs(light)
    fast, exact = both((Decode(CURVES[name], 1.5),), CODES)
    np.testing.assert_allclose(fast, exact, rtol=3e-5, atol=2e-6)
    fast, exact = both((Encode(CURVES[name], 1.5),), light)
    # PQ raises a float32 ratio to the power 78.8, so its rounding of 1.2e-7 arrives 79 times as large.
    np.testing.assert_allclose(fast, exact, rtol=0, atol=2e-5 if name == "PQ" else 1.2e-5)


@pytest.mark.parametrize(
    "operation",
    [
        Affine(1.7, -0.1),
        Matrix(((0.7, 0.2, 0.1), (-0.1, 1.2, -0.1), (0.0, -0.3, 1.3))),
        SlopeOffsetPower((1.1, 0.9, 1.0), (0.02, -0.05, 0.0), (1.2, 0.8, 1.0), False),
        SlopeOffsetPower((1.1, 0.9, 1.0), (0.02, -0.05, 0.0), (1.2, 0.8, 1.0), True),
        Saturate(1.6, False),
        Saturate(1.6, True),
    ],
    ids=lambda o: type(o).__name__,
)
def test_operations(operation):
    fast, exact = both((operation,), LIGHT)
    np.testing.assert_allclose(fast, exact, rtol=1e-5, atol=2e-6)


def test_mixing_in():
    fast, exact = both((Mixed((Affine(3.0),), 0.25),), CODES)
    np.testing.assert_allclose(fast, CODES * 1.5, rtol=1e-5)
    np.testing.assert_allclose(fast, exact, rtol=1e-5)


@pytest.mark.parametrize("deep", range(1, 6))
def test_mixing_within_mixing(deep):
    """By our own arithmetic: what lies deeper than a tile has slots for is mixed in between runs."""
    nested, factor = (Affine(4.0),), 4.0
    for _ in range(deep):
        nested, factor = (Affine(2.0), Mixed(nested, 0.5), Affine(0.5)), (1 + factor) / 2
    fast, exact = both(nested, CODES)
    np.testing.assert_allclose(fast, CODES * factor, rtol=1e-5)
    np.testing.assert_allclose(fast, exact, rtol=1e-5)


def test_every_opcode_is_known_and_what_has_none_is_refused():
    used = {code for registry in (OPERATIONS, DECODED, ENCODED, SELECTIONS) for code, _ in registry.values()}
    assert used <= set(engine.OPCODES)
    assert "rebuild_highlights" in {code.name for code in engine.OPCODES}, "warm() compiles it"
    for unknown in (Encode(object()), Decode(object()), object()):
        with pytest.raises(TypeError, match="has no code for object"):
            engine.compile_operations((unknown,))


def test_taps_hand_out_what_passes():
    values = CODES.astype(np.float32)
    taps = np.zeros((2, *values.shape), np.float32)
    out = np.empty_like(values)
    done = engine.run(
        engine.compile_operations((Affine(2.0), Tap(1), Affine(1.0, 0.5), Tap(0), Affine(3.0))), values, out, taps
    )
    assert done is out
    for picture, expected in ((taps[1], values * 2), (taps[0], values * 2 + 0.5), (out, values * 6 + 1.5)):
        np.testing.assert_allclose(picture, expected, rtol=1e-6)


def test_read_only_arrays_do_not_compile_again():
    """A second compilation takes most of a minute, during which every kernel waits."""
    values = CODES.astype(np.float32)
    program = engine.compile_operations((Affine(2.0),))
    engine.run(program, values)
    known = len(run_tiles.signatures)
    values.setflags(write=False)
    np.testing.assert_allclose(engine.run(program, values), CODES * 2, rtol=1e-6)
    assert len(run_tiles.signatures) == known == 1


def _path(name, target, **stages):
    return Path(input=Input(encoding=name), display=Display(output=target), **stages)


@pytest.mark.parametrize("target", OUTPUTS)
@pytest.mark.parametrize("name", ENCODINGS)
def test_whole_paths(name, target):
    """Display code, over the whole cube of codes: within a tenth of a 10-bit code, and a quarter at black."""
    path = _path(
        name,
        target,
        trim=Layer(
            steps=(
                Exposure(stops=0.4),
                WhiteBalance(kelvin=5200, duv=0.004),
                SopStep(slope=(1.05, 1, 0.97), power=(1, 1.1, 1), saturation=1.1),
            )
        ),
        look=Layer(steps=(SopStep(offset=(0.01, 0, -0.01)),), strength=0.6),
    )
    fast, exact = both(path.operations(), CODES)
    error = np.abs(fast - exact)
    assert error.max() < 2.5e-4
    assert np.percentile(error, 99) < 1e-4


def test_log2_and_exp2_everywhere():
    exponents = np.linspace(-100, 100, 30001)
    values = np.exp2(exponents)[:, None].repeat(3, axis=1)
    fast, _ = both((Encode(CURVES["ACEScct"]),), values[values[:, 0] > 0.01])
    np.testing.assert_allclose(fast[:, 0], (np.log2(values[values[:, 0] > 0.01][:, 0]) + 9.72) / 17.52, rtol=2e-6)


def test_cube_root_and_angle_everywhere():
    """Through a saturation that changes nothing but 1e-9, every colour of twelve orders of magnitude comes back."""
    light = np.abs(RNG.normal(1, 0.5, (4000, 3))) * np.exp2(RNG.uniform(-20, 20, (4000, 1)))
    step = Saturation(amount=1.0 + 1e-9)
    fast, exact = both(step.operations(primaries("AP1")), light)
    assert (np.abs(fast - exact) / light.max(axis=1, keepdims=True)).max() < 2e-5


@pytest.mark.parametrize("shape", [(3,), (1, 3), (7, 3), (1025, 3), (33, 65, 3)])
@pytest.mark.parametrize("dtype", [np.float32, np.float64])
def test_shapes_and_types(shape, dtype):
    values = RNG.uniform(0, 1, shape).astype(dtype)
    kept = values.copy()
    out = engine.run(engine.compile_operations((Affine(2.0, 1.0),)), values)
    assert out.shape == shape
    assert out.dtype == np.float32
    np.testing.assert_allclose(out, kept * 2 + 1, rtol=1e-6)
    np.testing.assert_array_equal(values, kept)


def test_wrong_shapes_and_unknown_operations_are_refused():
    with pytest.raises(ValueError, match="R, G, B"):
        engine.run(engine.compile_operations(()), np.zeros((4, 4)))
    with pytest.raises(TypeError, match="no code for object"):
        engine.compile_operations((object(),))


@given(st.lists(st.tuples(*[st.floats(-0.5, 1.5)] * 3), min_size=1, max_size=40))
@settings(max_examples=60, deadline=None)
def test_engine_follows_the_reference_outside_the_usual(codes):
    path = _path("S-Log3/S-Gamut3.Cine", "sRGB")
    fast, exact = both(path.operations(), codes)
    np.testing.assert_allclose(fast, exact, atol=1e-3)


def test_encoding_scale_is_used():
    member = encoding("PQ/BT.2020")
    fast, _ = both((Decode(member.curve, member.linear_scale),), [[0.5806888810416109] * 3])
    np.testing.assert_allclose(fast, 1.0, rtol=1e-4)


@pytest.mark.parametrize(
    ("kernels", "name", "constant"),
    [
        ("engine/rise_kernel.py", "rendering/root_space.py", "KNEE = "),
        ("engine/scale_kernel.py", "curves/hlg.py", "LUMINANCE = "),
        ("engine/rise_kernel.py", "arrays.py", "MID_GREY = "),
        ("engine/colour_kernel.py", "colour/oklab.py", "_XYZ_TO_LMS = "),
        ("scopes/kernel.py", "kernels/fastmath.py", "TINY = "),
        ("engine/number_opcodes.py", "engine/layout.py", "TILE = "),
        ("engine/scale_kernel.py", "engine/read_kernel.py", "ZERO = "),
        ("engine/scale_kernel.py", "kernels/vectors.py", "INTERLEAVED = "),
        ("lut/simd.py", "kernels/vector_code.py", "F32, I32, I64 = "),
        ("lut/kernels.py", "kernels/declare.py", "KERNEL_LOCK = "),
    ],
)
def test_an_edited_constant_leaves_no_stale_kernel(tmp_path, kernels, name, constant):
    """The folder of a file's compiled kernels is another one as soon as anything that they freeze is edited, wherever
    it stands.
    """
    core = tmp_path / "core"
    shutil.copytree(FilePath(upwelling.core.__file__).parent, core, ignore=shutil.ignore_patterns("__pycache__"))
    before, apart = cache_key(core / kernels, core), cache_key(core / "media/ycbcr_kernel.py", core)
    text = (core / name).read_text()
    assert constant in text
    (core / name).write_text(text.replace(constant, constant + "1.0 * ", 1))
    assert cache_key(core / kernels, core) != before
    if not name.startswith("kernels/"):
        assert cache_key(core / "media/ycbcr_kernel.py", core) == apart  # what is not touched is not compiled anew
    (core / name).write_text(text)
    assert cache_key(core / kernels, core) == before


@pytest.mark.parametrize("name", OUTPUTS)
def test_rise_at_random_light_of_every_kind(name):
    """Within 2e-5 of code of the reference, with light far outside the locus and far below 0 too."""
    rng = np.random.default_rng(12)
    light = np.concatenate(
        [
            rng.random((20_000, 3)) * 3,
            np.exp2(rng.uniform(-12, 8, (20_000, 3))),
            rng.normal(size=(20_000, 3)) * 0.5,
            np.repeat(np.exp2(rng.uniform(-14, 8, (3000, 1))), 3, axis=1),
            np.zeros((1, 3)),
            np.full((1, 3), -1e6),
            np.full((1, 3), 1e9),
        ]
    )
    fast, exact = both(
        (*Rise().operations(primaries("AP1"), OUTPUTS[name], "CAT02"), *OUTPUTS[name].encode_operations()), light
    )
    np.testing.assert_allclose(fast, exact, rtol=0, atol=3e-5)
