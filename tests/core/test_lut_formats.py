"""Common LUT Format, Hald images, ASC CDL and edit lists: evaluated by hand, exchanged with others, and broken on
purpose.
"""

import contextlib
import math
import tracemalloc

import av
import colour
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.test_lut import bent
from tests.core.witness import ffmpeg_lut3d
from upwelling.core.errors import BadLut
from upwelling.core.lut import Lut1D, Lut3D, ProcessList, lattice
from upwelling.core.lut.formats.cdl import CdlCorrection, format_cdl, parse_cdl
from upwelling.core.lut.formats.clf import parse_clf
from upwelling.core.lut.formats.clf_write import format_clf
from upwelling.core.lut.formats.cube import format_cube, parse_cube
from upwelling.core.lut.formats.edl import CdlEvent, format_edl, parse_edl
from upwelling.core.lut.process import CdlNode, ExponentNode, LogNode, LogParams, MatrixNode, RangeNode, TableNode
from upwelling.core.media.hald import hald_bytes
from upwelling.core.tables.facts import measure
from upwelling.core.tables.files import read_lut, write_lut

RNG = np.random.default_rng(6)


def clf(body, version="3"):
    return (
        f'<?xml version="1.0"?><ProcessList xmlns="urn:AMPAS:CLF:v3.0" id="t" compCLFversion="{version}">\n'
        f"{body}\n</ProcessList>"
    ).encode()


def node(kind, inside, attributes="", low="32f", high="32f"):
    return clf(f'<{kind} inBitDepth="{low}" outBitDepth="{high}" {attributes}>{inside}</{kind}>')


SOP = (
    "<SOPNode><Slope>1.2 1 0.8</Slope><Offset>0.1 0 -0.1</Offset><Power>1 2 0.5</Power></SOPNode><SatNode>"
    "<Saturation>0.5</Saturation></SatNode>"
)
CAMERA = (
    '<LogParams base="10" logSideSlope="0.25" logSideOffset="0.5" linSideSlope="5" linSideOffset="0.1" '
    'linSideBreak="0.01"/>'
)


def camera_log(x):
    """S-2014-006, cameraLinToLog, written out for the constants above."""
    inner = 5 * 0.01 + 0.1
    slope = 0.25 * 5 / (inner * math.log(10))
    return (
        0.25 * math.log10(5 * x + 0.1) + 0.5 if x > 0.01 else slope * x + 0.25 * math.log10(inner) + 0.5 - slope * 0.01
    )


# Each by the standard's formula, by hand: file, input, output.
@pytest.mark.parametrize(
    ("data", "given_in", "out"),
    [
        (node("Matrix", '<Array dim="3 3">1 0 0.5 0 2 0 0 0 1</Array>'), (0.2, 0.3, 0.4), (0.4, 0.6, 0.4)),
        (node("Matrix", '<Array dim="3 4">1 0 0 0.1 0 1 0 0.2 0 0 1 0</Array>'), (0.2, 0.3, 0.4), (0.3, 0.5, 0.4)),
        (
            node("Matrix", '<Array dim="3 3 3">4 0 0 0 4 0 0 0 4</Array>', low="10i", high="12i"),
            (0.5, 0.25, 1),
            (0.5 * 4 * 1023 / 4095, 0.25 * 4 * 1023 / 4095, 4 * 1023 / 4095),
        ),
        (
            node(
                "Range",
                "<minInValue>64</minInValue><maxInValue>940</maxInValue><minOutValue>0</minOutValue><maxOutValue>1</maxOutValue>",
                low="10i",
            ),
            (64 / 1023, 502 / 1023, 1),
            (0, 0.5, 1),
        ),
        (
            node(
                "Range",
                "<minInValue>0.1</minInValue><maxInValue>0.9</maxInValue><minOutValue>0</minOutValue><maxOutValue>1</maxOutValue>",
                'style="noClamp"',
            ),
            (0.0, 0.5, 1.7),
            (-0.125, 0.5, 2.0),
        ),
        (node("Range", "<minInValue>0</minInValue><minOutValue>0</minOutValue>"), (-1, 0.5, 3), (0, 0.5, 3)),
        (node("Log", "", 'style="log10"'), (0.1, 10, 100), (-1, 1, 2)),
        (node("Log", "", 'style="antiLog2"'), (0, 1, 3), (1, 2, 8)),
        (
            node(
                "Log",
                '<LogParams base="10" logSideSlope="0.3" logSideOffset="0.6" linSideSlope="1.1" linSideOffset="0.05"/>',
                'style="linToLog"',
            ),
            (0, 0.18, 1),
            tuple(0.3 * math.log10(1.1 * x + 0.05) + 0.6 for x in (0, 0.18, 1)),
        ),
        (
            node("Log", CAMERA, 'style="cameraLinToLog"'),
            (-0.01, 0.005, 0.18),
            tuple(camera_log(x) for x in (-0.01, 0.005, 0.18)),
        ),
        (
            node("Log", CAMERA, 'style="cameraLogToLin"'),
            tuple(camera_log(x) for x in (-0.01, 0.005, 0.18)),
            (-0.01, 0.005, 0.18),
        ),
        (node("Exponent", '<ExponentParams exponent="2"/>', 'style="basicFwd"'), (-0.5, 0.5, 2), (0, 0.25, 4)),
        (
            node("Exponent", '<ExponentParams exponent="2"/>', 'style="basicMirrorRev"'),
            (-0.25, 0.25, 4),
            (-0.5, 0.5, 2),
        ),
        (
            node("Exponent", '<ExponentParams exponent="2"/>', 'style="basicPassThruFwd"'),
            (-0.5, 0.5, 2),
            (-0.5, 0.25, 4),
        ),
        (
            node("Exponent", '<ExponentParams exponent="2.4" offset="0.055"/>', 'style="monCurveFwd"'),
            (0.02, 0.5, 1),
            (0.02 * 1.4 / 0.055 * (0.055 * 2.4 / (1.4 * 1.055)) ** 2.4, ((0.5 + 0.055) / 1.055) ** 2.4, 1),
        ),
        (
            node("Exponent", '<ExponentParams channel="G" exponent="2"/>', 'style="basicFwd"'),
            (0.5, 0.5, 0.5),
            (0.5, 0.25, 0.5),
        ),
        (node("ASC_CDL", SOP, 'style="FwdNoClamp"'), (0.5, 0.5, 0.5), None),
        (node("ASC_CDL", SOP, 'style="Fwd"'), (1.2, 0.5, 0.05), None),
        (node("LUT1D", '<Array dim="3 1">0 0.2 1</Array>'), (0.25, 0.5, 0.75), (0.1, 0.2, 0.6)),
        (node("LUT1D", '<Array dim="2 3">0 0 0 1023 512 0</Array>', high="10i"), (0.5, 1, 1), (0.5, 512 / 1023, 0)),
        (
            node(
                "LUT3D",
                '<Array dim="2 2 2 3">'
                + " ".join(f"{r} {g} {b}" for r in (0, 1) for g in (0, 1) for b in (0, 1))
                + "</Array>",
            ),
            (0.2, 0.5, 0.9),
            (0.2, 0.5, 0.9),
        ),
        (
            node(
                "LUT3D",
                '<Array dim="2 2 2 3">'
                + " ".join(f"{b} {g} {r}" for r in (0, 1) for g in (0, 1) for b in (0, 1))
                + "</Array>",
                'interpolation="tetrahedral"',
            ),
            (0.2, 0.5, 0.9),
            (0.9, 0.5, 0.2),
        ),
    ],
)
def test_nodes_by_hand(data, given_in, out):
    if out is None:  # ASC CDL v1.2, written out
        clamp = b'"Fwd"' in data
        hold = (lambda v: np.clip(v, 0, 1)) if clamp else (lambda v: v)
        base = hold(np.array(given_in) * [1.2, 1, 0.8] + [0.1, 0, -0.1])
        raised = np.where(base > 0, np.abs(base) ** np.array([1, 2, 0.5]), base)
        luma = raised @ [0.2126, 0.7152, 0.0722]
        out = hold(luma + 0.5 * (raised - luma))
    np.testing.assert_allclose(parse_clf(data).apply(np.array(given_in)), out, atol=2e-7)


def test_a_lists_size_is_its_cubes():
    assert (ALL_KINDS.size, ProcessList(ALL_KINDS.nodes[:-1]).size) == (5, 0)


def test_what_is_passed_over_is_said():
    lut = parse_clf(node("LUT1D", '<Array dim="2 1">0 1</Array>', 'colour="green" interpolation="linear"'))
    assert lut.notes == ("Line 2: “colour” of LUT1D is not of this format and was passed over.",)
    assert measure(lut).notes == lut.notes


def test_half_domain():
    """Entry k belongs to the float16 whose bits are k: a table of squares over the half domain, and values between
    halfs.
    """
    halfs = np.arange(65536, dtype=np.uint16).view(np.float16).astype(float)
    values = np.nan_to_num(np.clip(halfs, -100, 100))
    data = node(
        "LUT1D", f'<Array dim="65536 1">{" ".join(f"{v * v:.9g}" for v in values)}</Array>', 'halfDomain="true"'
    )
    x = np.array([[0.5, -3.0, 0.333333], [0.0, 7.0003, 90.0]])
    np.testing.assert_allclose(parse_clf(data).apply(x), x * x, rtol=1e-3, atol=1e-6)


PARAMS = LogParams(2.0, 0.1, 0.6, 1.0, 0.0, 0.01)
ALL_KINDS = ProcessList(
    (
        MatrixNode(((1.1, 0.0, 0.0, 0.01), (0.0, 0.9, 0.05, 0.0), (0.1, 0.0, 1.0, 0.0))),
        LogNode("cameraLinToLog", (PARAMS,) * 3),
        LogNode("log2"),
        ExponentNode("monCurveRev", (2.4, 2.2, 2.0), (0.05, 0.1, 0.099)),
        CdlNode((1.1, 1, 1), (0, 0.01, 0), (1, 1.1, 1), 0.9, "RevNoClamp"),
        RangeNode(-1.0, 2.0, 0.0, 1.0),
        TableNode(Lut1D(np.linspace(0, 1, 7)[:, None].repeat(3, 1).astype(np.float32) ** 2)),
        TableNode(bent(5), "tetrahedral"),
    ),
    "every kind",
    ("one", "two & three"),
    "in",
    "out",
    "id-1",
)


def test_what_is_written_is_read_back():
    again = parse_clf(format_clf(ALL_KINDS).encode())
    assert again.kinds == ALL_KINDS.kinds
    assert (again.title, again.comments, again.input_descriptor, again.identifier) == (
        "every kind",
        ("one", "two & three"),
        "in",
        "id-1",
    )
    values = RNG.uniform(0.05, 1, (200, 3))
    np.testing.assert_allclose(again.apply(values), ALL_KINDS.apply(values), atol=1e-6)


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "not well-formed"),
        (b"<a>", "not well-formed"),
        (b"LUT_3D_SIZE 2", "line 1: this is not well-formed"),
        (b"<a/>", "should be ProcessList"),
        (clf("", "9"), "compCLFversion"),
        (clf(""), "no process node"),
        (clf("<Blur/>"), "line 2: “Blur” is no process node"),
        (node("Matrix", "", low="11i"), "inBitDepth"),
        (node("Matrix", ""), "no Array"),
        (node("Matrix", '<Array dim="3 3">1 2</Array>'), "should hold 9 numbers, found 2"),
        (node("Matrix", '<Array dim="2 2">1 2 3 4</Array>'), "dim 3 3 or 3 4"),
        (node("Matrix", '<Array dim="3 3">1 0 0 0 x 0 0 0 1</Array>'), "entry 5 of Array"),
        (node("Matrix", '<Array dim="3 3">1 0 0 0 nan 0 0 0 1</Array>'), "entry 5 of Array is not a finite"),
        (node("LUT3D", '<Array dim="999 999 999 3">0</Array>'), "2 to 256"),
        (node("LUT3D", '<Array dim="2 2 2 3">0 1</Array>'), "24 numbers, found 2"),
        (node("Log", "", 'style="ln"'), "has style"),
        (node("Log", "", 'style="linToLog"'), "needs LogParams"),
        (node("Log", '<LogParams base="1"/>', 'style="linToLog"'), "make no curve"),
        (node("Exponent", '<ExponentParams exponent="0"/>', 'style="basicFwd"'), "within 0.01"),
        (node("Range", "<minInValue>0</minInValue>"), "needs minInValue with minOutValue"),
        (node("ASC_CDL", SOP.replace("1.2", "-1")), "below 0"),
        (
            node(
                "Range",
                "<minInValue>1</minInValue><maxInValue>0</maxInValue><minOutValue>0</minOutValue><maxOutValue>1</maxOutValue>",
            ),
            "not above",
        ),
        (
            b'<!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]><ProcessList id="1" '
            b'compCLFversion="3">&b;</ProcessList>',
            "DOCTYPE",
        ),
        (b'<!DOCTYPE x SYSTEM "file:///etc/passwd"><ProcessList id="1" compCLFversion="3"/>', "DOCTYPE"),
        (b"<a>" * 200, "deeper"),
        (node("LUT1D", '<IndexMap dim="2">0@0 1@1</IndexMap><Array dim="2 1">0 1</Array>'), "“IndexMap” in a LUT1D"),
        (node("LUT1D", '<Array dim="2 1">0 1</Array>', 'hueAdjust="dw3"'), "hueAdjust"),
        (
            clf(
                '<Range inBitDepth="32f" '
                'outBitDepth="10i"><minInValue>0</minInValue><minOutValue>0</minOutValue></Range><Log inBitDepth="32f" '
                'outBitDepth="32f" style="log2"/>'
            ),
            "the node before gives 10i",
        ),
    ],
)
def test_broken_clf_is_refused_with_its_place(data, words):
    with pytest.raises(BadLut, match=words):
        parse_clf(data)


_WHOLE = format_clf(ProcessList((ALL_KINDS.nodes[0], ALL_KINDS.nodes[4], TableNode(bent(3))), "t")).encode()
_CUBE = format_cube(bent(3)).encode()
_CDL = format_cdl([CdlCorrection("a", CdlNode((1.1, 1, 1)))], ".ccc").encode()
_EDL = format_edl("t", [CdlEvent(1, "A001", "clip", 0, 48, CdlNode())]).encode()


@given(st.sampled_from([(parse_clf, _WHOLE), (parse_cube, _CUBE), (parse_cdl, _CDL), (parse_edl, _EDL)]), st.data())
@settings(max_examples=250, deadline=2000)
def test_damaged_files_are_read_or_refused(pair, data):
    """Bytes changed, cut out, doubled or cut off: a table comes out or a BadLut does, and nothing else."""
    parse, whole = pair
    body = bytearray(whole)
    for _ in range(data.draw(st.integers(1, 4))):
        place = data.draw(st.integers(0, len(body) - 1))
        match data.draw(st.integers(0, 3)):
            case 0:
                body[place] = data.draw(st.integers(0, 255))
            case 1:
                del body[place : place + data.draw(st.integers(1, 40))]
            case 2:
                body[place:place] = body[place : place + data.draw(st.integers(1, 60))]
            case 3:
                del body[max(place, 1) :]
        if not body:
            return
    with contextlib.suppress(BadLut):
        parse(bytes(body))


def test_raised_digits_are_no_event_number():
    """“²” counts as a digit for Python's isdigit and is none for int."""
    with pytest.raises(BadLut):
        parse_edl(_EDL.replace(b"001  A001", "²001  A001".encode()))


@pytest.mark.parametrize(
    ("parse", "data"),
    [
        (parse_cube, b"LUT_3D_SIZE 256\n0 0 0\n"),
        (parse_clf, node("LUT3D", '<Array dim="256 256 256 3">0 1</Array>')),
        (parse_clf, b"<a>" * 100_000),
        (parse_cube, b"9" * 3_000_000),
        (parse_cube, b"LUT_3D_SIZE 2\n" + b"0 0 0 " * 500_000),
        (parse_edl, b"* ASC_SOP (" * 100_000),
    ],
)
def test_a_file_takes_no_more_memory_than_it_could_fill(parse, data):
    tracemalloc.start()
    with pytest.raises(BadLut):
        parse(data)
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert peak < 30 * len(data) + 4_000_000


@pytest.mark.parametrize("level", [2, 3, 4])
def test_hald_layout_is_ffmpegs(level, tmp_path):
    """Our identity is the picture that ffmpeg's haldclutsrc draws, and what its haldclut makes of our table is what our
    table gives.
    """
    graph = av.filter.Graph()
    source, sink = graph.add("haldclutsrc", f"level={level}"), graph.add("buffersink")
    form = graph.add("format", "rgb24")
    source.link_to(form)
    form.link_to(sink)
    graph.configure()
    frame = sink.pull()
    theirs = frame.to_ndarray(format="rgb24").astype(float)
    write_lut(Lut3D(lattice(level * level).astype(np.float32)), tmp_path / "identity.png")
    still = read_lut(tmp_path / "identity.png")
    np.testing.assert_allclose(still.table, lattice(level * level), atol=1e-5)
    from upwelling.core.media import png

    np.testing.assert_allclose(
        np.floor(png.read(tmp_path / "identity.png").code * 255 + 1e-3), theirs, atol=0
    )  # its 8 bit are cut off, not rounded


def test_hald_back_and_refused(tmp_path):
    lut = Lut3D(np.clip(bent(16).table, 0, 1))
    write_lut(lut, tmp_path / "a.png")
    np.testing.assert_allclose(read_lut(tmp_path / "a.png").table, lut.table, atol=0.51 / 65535)
    with pytest.raises(BadLut, match="points a side"):
        hald_bytes(bent(33))
    from upwelling.core.media import write_still

    write_still(tmp_path / "b.png", np.zeros((40, 40, 3), np.float32), "8")
    with pytest.raises(BadLut, match="square with a side of"):
        read_lut(tmp_path / "b.png")


@pytest.mark.parametrize("interpolation", ["tetrahedral", "trilinear"])
@pytest.mark.parametrize("size", [17, 65])
def test_both_kernels_against_ffmpeg_and_their_oracles(tmp_path, size, interpolation):
    write_lut(bent(size), tmp_path / "b.cube")
    lut, picture = read_lut(tmp_path / "b.cube"), RNG.uniform(-0.1, 1.1, (32, 48, 3)).astype(np.float32)
    np.testing.assert_allclose(
        lut.apply(picture, interpolation), ffmpeg_lut3d(tmp_path / "b.cube", picture, interpolation), atol=2e-5
    )
    np.testing.assert_allclose(
        lut.apply(picture, interpolation), lut.apply(picture, interpolation, plain=True), atol=1e-6
    )


def test_cube_files_exchanged_with_colour_science(tmp_path):
    ours = bent(9)
    colour.write_LUT(colour.LUT3D(ours.table.astype(float), "theirs"), str(tmp_path / "theirs.cube"), decimals=8)
    np.testing.assert_allclose(read_lut(tmp_path / "theirs.cube").table, ours.table, atol=1e-7)
    write_lut(ours, tmp_path / "ours.cube")
    np.testing.assert_allclose(colour.read_LUT(str(tmp_path / "ours.cube")).table, ours.table, atol=1e-7)


@pytest.mark.parametrize("values", [[-0.25, 1.5, 12345.678], [0, 1, 0.0000001], [-0.00000004, 0.99999996, 3.0]])
def test_text_rows_are_what_python_writes(values):
    table = np.array(values, np.float32)[None].repeat(2, 0)
    rows = [line for line in format_cube(Lut1D(table)).splitlines() if line[0] in "-0123456789"]
    expected = " ".join(f"{v:.7f}" for v in table[0].astype(float)).replace("-0.0000000", "0.0000000")
    assert rows == [expected] * 2


@given(
    st.lists(st.floats(-(2.0**100), 2.0**100, width=32), min_size=6, max_size=6),
    st.sampled_from(["{:.9g}", "{:.7f}", "{:e}", "{:.3E}"]),
)
def test_numbers_are_read_as_python_reads_them(values, form):
    text = "LUT_1D_SIZE 2\n" + "\n".join(" ".join(form.format(v) for v in values[k : k + 3]) for k in (0, 3)) + "\n"
    np.testing.assert_allclose(
        parse_cube(text.encode()).table.ravel(),
        np.array([float(form.format(v)) for v in values], np.float32),
        rtol=2e-7,
        atol=1e-44,
    )


@pytest.mark.parametrize("ending", [".cc", ".ccc", ".cdl"])
def test_cdl_files_round_trip(ending):
    corrections = [
        CdlCorrection("a & b", CdlNode((1.1, 1, 0.9), (0.01, -0.02, 0), (1, 1.2, 0.8), 0.85), "warm <side>"),
        CdlCorrection("two"),
    ][: 1 if ending == ".cc" else 2]
    back = parse_cdl(format_cdl(corrections, ending).encode())
    assert back == corrections


def test_edit_list_round_trip_and_others_spelling():
    events = [
        CdlEvent(1, "A001C003", "A001 gathering", 100, 148, CdlNode((1.1, 1, 0.9), (0, 0.01, -0.02), (1, 1, 1.1), 0.9)),
        CdlEvent(2, "B004", "no grade", 0, 24),
    ]
    back = parse_edl(format_edl("Kilnlight", events).encode())
    assert [(e.reel, e.clip, e.source_in, e.source_out, e.cdl) for e in back] == [
        (e.reel, e.clip, e.source_in, e.source_out, e.cdl) for e in events
    ]
    other = (
        b"TITLE: X\r\n001  A1 V C 01:00:00:00 01:00:02:00 00:00:00:00 00:00:02:00\r\n*ASC_SOP (1.0 1.0 "
        b"1.0)(-.01 0 0)(1 1 1)\r\n* ASC_SAT .9\r\n"
    )
    assert parse_edl(other)[0].cdl == CdlNode(offset=(-0.01, 0, 0), saturation=0.9)
    with pytest.raises(BadLut, match="line 2: ASC_SOP should hold"):
        parse_edl(other.split(b"\r\n")[1] + b"\n* ASC_SOP (1 1)\n")
