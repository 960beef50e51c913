"""Tables: our kernels against each other, colour-science, ffmpeg's lut3d and Pillow; the .cube format in and out."""

import itertools

import colour
import numpy as np
import pytest
from colour.algebra import table_interpolation_tetrahedral, table_interpolation_trilinear
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image, ImageFilter

from tests.core.witness import ffmpeg_lut3d
from upwelling.core.errors import BadLut, UnwritableFile
from upwelling.core.lut import Domain, Lut1D, Lut3D, lattice
from upwelling.core.lut.formats.cube import format_cube, parse_cube
from upwelling.core.lut.table import CACHED
from upwelling.core.tables.files import read_lut, write_lut

RNG = np.random.default_rng(21)


def bent(size):
    """A table with cross-talk and curvature, so that a swapped axis or a wrong corner shows."""
    x = lattice(size)
    mixed = x @ np.array([[0.8, 0.15, 0.05], [0.1, 0.7, 0.2], [0.02, 0.08, 0.9]]).T
    return Lut3D((mixed ** np.array([0.7, 1.0, 1.4]) + 0.02 * RNG.random(x.shape)).astype(np.float32), title="bent")


@pytest.mark.parametrize("size", [2, 3, 17, 33, 65])
@pytest.mark.parametrize("count", [1, 255, 256, 257, 511, 4097])
@pytest.mark.parametrize("interpolation", ["tetrahedral", "trilinear"])
def test_fast_kernel_against_the_plain_one(size, count, interpolation):
    lut = bent(size)
    values = np.concatenate([RNG.uniform(-0.2, 1.2, (count, 3)), np.repeat(RNG.random((count, 1)), 3, axis=1)])[
        :count
    ].astype(np.float32)
    ours, plain = lut.apply(values, interpolation), lut.apply(values, interpolation, plain=True)
    np.testing.assert_allclose(ours, plain, atol=1e-6)


@pytest.mark.parametrize("interpolation", ["tetrahedral", "trilinear"])
@pytest.mark.parametrize("shift", [0, 1])
def test_a_picture_larger_than_the_cache_is_as_its_parts(interpolation, shift):
    """Stored past the cache where the result begins at 16 bytes."""
    values = RNG.uniform(-0.1, 1.1, (CACHED // 12 + 301, 3)).astype(np.float32)
    lut, memory = bent(33), np.empty(values.size + 8, np.float32)
    first = -memory.ctypes.data // 4 % 4 + shift
    whole = lut.apply(values, interpolation, out=memory[first : first + values.size].reshape(-1, 3))
    for start in (0, 5_000, len(values) // 2, len(values) - 400):
        part = slice(start, start + 400)
        np.testing.assert_allclose(whole[part], lut.apply(values[part], interpolation, plain=True), atol=1e-6)
    np.testing.assert_array_equal(whole[-256:], lut.apply(values[-256:], interpolation))


@pytest.mark.parametrize("size", [2, 17, 33])
def test_against_colour_science(size):
    lut, values = bent(size), RNG.random((4000, 3))
    np.testing.assert_allclose(lut.apply(values), table_interpolation_tetrahedral(values, lut.table), atol=2e-6)
    np.testing.assert_allclose(
        lut.apply(values, "trilinear"), table_interpolation_trilinear(values, lut.table), atol=2e-6
    )


@pytest.mark.parametrize("interpolation", ["tetrahedral", "trilinear"])
def test_against_ffmpeg(tmp_path, interpolation):
    write_lut(bent(33), tmp_path / "bent.cube")
    lut = read_lut(tmp_path / "bent.cube")
    picture = RNG.uniform(-0.1, 1.1, (64, 96, 3)).astype(np.float32)
    np.testing.assert_allclose(
        lut.apply(picture, interpolation), ffmpeg_lut3d(tmp_path / "bent.cube", picture, interpolation), atol=2e-5
    )


def test_against_pillow():
    """Pillow interpolates trilinearly in 8 bit; half a code of its rounding and a little of its fixed point."""
    lut = bent(17)
    table = lut.table.transpose(2, 1, 0, 3).reshape(-1, 3)
    picture = RNG.integers(0, 256, (40, 50, 3), dtype=np.uint8)
    theirs = np.asarray(
        Image.fromarray(picture).filter(ImageFilter.Color3DLUT(17, [tuple(map(float, row)) for row in table]))
    )
    ours = np.clip(lut.apply(picture / np.float32(255), "trilinear"), 0, 1) * 255
    assert np.abs(ours - theirs).max() < 0.6


def test_into_a_buffer():
    lut, values = bent(9), RNG.random((40, 3)).astype(np.float32)
    kept = np.empty_like(values)
    assert lut.apply(values, out=kept) is kept
    np.testing.assert_array_equal(kept, lut.apply(values))
    for wrong in (values, np.empty((40, 3)), np.empty((20, 3), np.float32)):
        with pytest.raises(ValueError, match="out must be"):
            lut.apply(values, out=wrong)


def test_ends_and_values_that_are_no_numbers():
    lut = bent(9)
    for count, interpolation in itertools.product((20, 300), ("tetrahedral", "trilinear")):
        out = lut.apply(np.array([[np.nan, -np.inf, np.inf]] * count, np.float32), interpolation)
        np.testing.assert_allclose(out, np.broadcast_to(lut.table[0, 0, 8], out.shape), atol=1e-6)
        beyond, held = (
            lut.apply(np.array([row] * count), interpolation) for row in ([-5.0, 0.5, 9.0], [0.0, 0.5, 1.0])
        )
        np.testing.assert_array_equal(beyond, held)


@pytest.mark.parametrize(
    "lut",
    [
        bent(5),
        Lut1D(RNG.random((33, 3)).astype(np.float32)),
        Lut3D(bent(4).table - 0.5, Domain((-0.5, 0, 0), (2, 1, 1.5)), "low “end”", ("one", "two")),
        Lut3D(bent(3).table * 40),
    ],
)
def test_written_and_read_back(tmp_path, lut):
    write_lut(lut, tmp_path / "t.cube")
    again = read_lut(tmp_path / "t.cube")
    assert type(again) is type(lut)
    np.testing.assert_allclose(again.table, lut.table, atol=1e-6, rtol=1e-6)
    assert again.domain == lut.domain or again.domain.low == lut.domain.low
    assert again.comments == lut.comments
    theirs = colour.read_LUT(str(tmp_path / "t.cube"))
    np.testing.assert_allclose(
        theirs.table if lut.table.ndim == 4 else theirs.table.reshape(-1, 3), again.table, atol=1e-6
    )
    values = RNG.random((50, 3)) * (np.array(lut.domain.high) - lut.domain.low) + lut.domain.low
    if lut.table.ndim == 4:
        np.testing.assert_allclose(again.apply(values, "trilinear"), theirs.apply(values), atol=3e-5)
    else:
        np.testing.assert_allclose(again.apply(values), theirs.apply(values), atol=1e-5)


def test_reads_what_colour_science_writes(tmp_path):
    lut = bent(6)
    colour.write_LUT(colour.LUT3D(lut.table, "theirs", comments=["written elsewhere"]), str(tmp_path / "t.cube"))
    np.testing.assert_allclose(read_lut(tmp_path / "t.cube").table, lut.table, atol=1e-6)


ROWS = "0 0 0\n1 0 0\n0 1 0\n1 1 0\n0 0 1\n1 0 1\n0 1 1\n1 1 1\n"


@pytest.mark.parametrize(
    "text",
    [
        "LUT_3D_SIZE 2\n" + ROWS,
        "\ufeff".lstrip("\ufeff") + '# hello\r\nTITLE "x"\r\n\r\nlut_3d_size   2\r\n' + ROWS.replace("\n", "\r\n"),
        "LUT_3D_SIZE\t2\nDOMAIN_MIN 0 0 0\nDOMAIN_MAX 1.0 1 1\n\n" + ROWS.replace(" ", "   "),
        "LUT_3D_SIZE 2\nLUT_3D_INPUT_RANGE 0.0 1.0\n" + ROWS,
        "LUT_3D_SIZE 2\n" + ROWS.replace("1 1 0\n", "1 1 0 # corner\n\n"),
        "LUT_3D_SIZE 2\n" + ROWS.replace("0 0 1", "-0.0 +0e0 1.0E+0").rstrip(),
    ],
)
def test_tolerant_of_spacing(text):
    np.testing.assert_allclose(parse_cube(text.encode()).table, lattice(2), atol=1e-9)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "no LUT_1D_SIZE"),
        ("LUT_3D_SIZE 2\n" + ROWS[:-6], "expected 8 rows"),
        ("LUT_3D_SIZE 2\n" + ROWS + "1 1 1\n", "found 9"),
        ("LUT_3D_SIZE 2\n" + ROWS.replace("1 1 0", "1 1"), "line 5: expected three numbers, found 2"),
        ("LUT_3D_SIZE 2\n" + ROWS.replace("0 0 0\n1 0 0", "0 0\n0 1 0 0"), "line 2: expected three"),
        ("LUT_3D_SIZE 2\n" + ROWS.replace("1 1 0", "1 x 0"), "line 5"),
        ("LUT_3D_SIZE 2\n" + ROWS.replace("1 1 0", "1 nan 0"), "finite"),
        ("LUT_3D_SIZE 2\n" + ROWS.replace("1 1 1", "1 1 1e99"), "finite"),
        ("LUT_3D_SIZE 2\n" + ROWS[:-1] + " junk\n", "line 9"),
        ("LUT_3D_SIZE two\n", "line 1: the size should be a whole number"),
        ("LUT_3D_SIZE 1\n", "2 to 256"),
        ("LUT_3D_SIZE 9999\n", "2 to 256"),
        ("LUT_1D_SIZE 2\nLUT_3D_SIZE 2\n", "line 2: a second size"),
        ("MESH 3\n", "line 1: “MESH”"),
        ("DOMAIN_MIN 0 0\n", "expected 3 numbers"),
        ("LUT_3D_SIZE 2\nDOMAIN_MIN 1 1 1\n" + ROWS, "DOMAIN_MAX"),
    ],
)
def test_strict_about_the_rest(text, words):
    with pytest.raises(BadLut, match=words):
        parse_cube(text.encode())


def test_files_that_are_no_tables(tmp_path):
    (tmp_path / "b.cube").write_bytes(bytes(range(256)))
    with pytest.raises(BadLut, match="not a text file"):
        read_lut(tmp_path / "b.cube")
    with pytest.raises(BadLut, match="cannot be read"):
        read_lut(tmp_path / "none.cube")
    with pytest.raises(BadLut, match="cannot be read; use"):
        read_lut(tmp_path / "x.lut")
    with pytest.raises(UnwritableFile):
        write_lut(bent(2), tmp_path / "x.lut")
    assert [p.name for p in tmp_path.iterdir()] == ["b.cube"]


@given(st.lists(st.tuples(*[st.floats(-3, 12, width=32)] * 3), min_size=8, max_size=8))
@settings(max_examples=80, deadline=None)
def test_any_table_survives_its_text(rows):
    table = np.array(rows, np.float32).reshape(2, 2, 2, 3)
    np.testing.assert_allclose(parse_cube(format_cube(Lut3D(table)).encode()).table, table, atol=1e-7, rtol=1e-6)


@pytest.mark.parametrize("interpolation", ["tetrahedral", "trilinear"])
@pytest.mark.parametrize("shift", [0, 1])
def test_results_stored_past_the_cache_are_the_same_bit_for_bit(interpolation, shift):
    """A picture larger than ``CACHED``, no multiple of sixteen pixels, at and off the 16 bytes, against its halves."""
    picture = np.random.default_rng(1).random((CACHED // 12 + 1003, 3), dtype=np.float32)
    lut = Lut3D((lattice(17) ** 1.3).astype(np.float32))
    room = np.empty(picture.size + 4, np.float32)
    first = (-room.ctypes.data // 4) % 4 + shift
    out = lut.apply(picture, interpolation, out=room[first : first + picture.size].reshape(picture.shape))
    half = len(picture) // 32 * 16
    np.testing.assert_array_equal(out[:half], lut.apply(picture[:half], interpolation))
    np.testing.assert_array_equal(out[half:], lut.apply(picture[half:], interpolation))
