"""Lists and tables as programs of the trade write them, odd ones too: read, or refused by line. Written out here from
the formats' definitions.

CMX 3600 lists and their ASC CDL comments (ASC CDL v1.2), the Common LUT Format (S-2014-006), and .cube (Adobe, 2013).
Curves beyond their ends.
"""

import numpy as np
import pytest

from upwelling.core import engine
from upwelling.core.curves import CURVES
from upwelling.core.encodings import ENCODINGS
from upwelling.core.errors import BadLut
from upwelling.core.lut.formats.clf import parse_clf
from upwelling.core.lut.formats.cube import parse_cube
from upwelling.core.lut.formats.edl import parse_edl
from upwelling.core.path import convert_operations

TIMES = " 01:00:00:00 01:00:02:00 00:00:00:00 00:00:02:00"
EVENT = "001  A001 V C" + TIMES + "\n"
SOP = "* ASC_SOP (1.1 1 1)(0 0 0)(1 1 1)\n"
EVENTS = {
    "plain": (EVENT, "A001"),
    "dots": (f"001  A001.C002_x V C{TIMES}\n", "A001.C002_x"),
    "spaces": (f"001  REEL 12 B V C{TIMES}\n", "REEL 12 B"),
    "dissolve": (f"002  AX V D 024{TIMES}\n", "AX"),
    "wipe": (f"002  AX V W001 024{TIMES}\n", "AX"),
    "video 2": (f"002  AX V2 C{TIMES}\n", "AX"),
    "both": (f"002  AX AA/V C{TIMES}\n", "AX"),
    "drop": (EVENT.replace(":00 ", ";00 "), "A001"),
    "dots in time": (EVENT.replace(":00 ", ".00 "), "A001"),
    "indented": ("   " + EVENT, "A001"),
    "tabs": (EVENT.replace(" ", "\t"), "A001"),
    "long number": ("000123" + EVENT[3:], "A001"),
    "100 frames": ("001 A001 V C 01:00:00:099 01:00:02:000 00:00:00:000 00:00:02:000\n", "A001"),
}
EVENTS_REFUSED = {
    "three times": f"001  A001 V C{TIMES[:-12]}\n",
    "no track": f"001  A001 C{TIMES}\n",
    "odd cut": f"001  A001 V Q{TIMES}\n",
    "seconds": EVENT.replace("00:02:00", "00:72:00"),
    "words": "002  some remark\n",
    "no reel": f"001 V C{TIMES}\n",
    "odd track": f"001  A001 X C{TIMES}\n",
}


@pytest.mark.slow
@pytest.mark.parametrize("name", EVENTS)
def test_event_lines(name):
    line, reel = EVENTS[name]
    events = parse_edl((EVENT.replace("A001", "BEFORE") + line + SOP).encode())
    assert [event.reel for event in events] == ["BEFORE", reel]
    assert (events[0].cdl, events[1].cdl.slope) == (None, (1.1, 1, 1))


@pytest.mark.slow
@pytest.mark.parametrize("name", EVENTS_REFUSED)
def test_an_event_that_is_not_understood_keeps_its_comments(name):
    """Its correction would fall on the event before: the list is refused, by line."""
    with pytest.raises(BadLut, match="line 2: an event should"):
        parse_edl((EVENT + EVENTS_REFUSED[name] + SOP).encode())


@pytest.mark.slow
@pytest.mark.parametrize(
    ("comment", "offset", "saturation"),
    [
        ("* ASC_SOP (1 1 1)(+0.02 -.5 1.)(1 1 1)\n* ASC_SAT 0.9", (0.02, -0.5, 1.0), 0.9),
        ("*asc_sop (1 1 1) (0.1,0.2,0.3) (1,1,1)\n*asc_sat 1e-1", (0.1, 0.2, 0.3), 0.1),
        ("ASC_SOP (1, 1, 1)(0.1, 0.2, 0.3)(1, 1, 1)", (0.1, 0.2, 0.3), 1.0),
        ("* ASC_SAT 0.5\n* ASC_SOP ( 1 1 1 )( 0 0 0 )( 1 1 1 )", (0.0, 0.0, 0.0), 0.5),
        ("*ASC_SOP:(1 1 1)(0 0 .1)(1 1 1)\n*ASC_SAT: 1", (0.0, 0.0, 0.1), 1.0),
        ("* ASC SOP (1 1 1)(0 0 .1)(1 1 1)", (0.0, 0.0, 0.1), 1.0),
    ],
)
def test_corrections_however_spelt(comment, offset, saturation):
    cdl = parse_edl((EVENT + comment).encode())[0].cdl
    assert (cdl.offset, cdl.saturation) == (offset, saturation)


@pytest.mark.slow
@pytest.mark.parametrize(
    "comment",
    [
        "* ASC_SOP (1 1)(0 0 0)(1 1 1)",
        "* ASC_SOP (1,0 1,0 1,0)(0 0 0)(1 1 1)",
        "* ASC_SOP 1 1 1 0 0 0 1 1 1",
        "* ASC_SAT",
        "* ASC_SAT 1_0",
        "* ASC_SOP (1 1 1)(0 0 0)(1 1 1)(2 2 2)",
        "* ASC_SAT inf",
        "* ASC_SOP (1 1 1)(0 0 nan)(1 1 1)",
        "* ASC_SOP (-1 1 1)(0 0 0)(1 1 1)",
        "* GRADE ASC_SOP (1 1 1)(0 0 0)(1 1 1)",
    ],
)
def test_corrections_refused_by_line(comment):
    with pytest.raises(BadLut, match="line 2"):
        parse_edl((EVENT + comment).encode())


@pytest.mark.slow
def test_a_correction_before_any_event():
    with pytest.raises(BadLut, match="line 1: ASC_SOP stands before the first event"):
        parse_edl((SOP + EVENT).encode())


def clf(body: str) -> bytes:
    return ('<ProcessList id="a" compCLFversion="3">' + body + "</ProcessList>").encode()


BITS = 'inBitDepth="32f" outBitDepth="32f"'
ROWS = "0 0 0\n1 1 1\n"
HALF = "\n".join(["0"] * 65536)
CLF_REFUSED = {
    "misspelt log": (f'<Log {BITS} style="linToLog"><LogParams bsae="10"/></Log>', "bsae"),
    "misspelt exponent": (
        f'<Exponent {BITS} style="basicFwd"><ExponentParams exponent="2" ofset="1"/></Exponent>',
        "ofset",
    ),
    "array": (f'<LUT1D {BITS}><Array dim="2 3" interpolation="x">{ROWS}</Array></LUT1D>', "interpolation"),
    "sop": (f'<ASC_CDL {BITS}><SOPNode><Slope clamp="1">1 1 1</Slope></SOPNode></ASC_CDL>', "clamp"),
    "half": (f'<LUT1D {BITS} halfDomain="TRUE"><Array dim="65536 1">{HALF}</Array></LUT1D>', "true or false"),
    "raw": (f'<LUT1D {BITS} rawHalfs="yes"><Array dim="2 3">{ROWS}</Array></LUT1D>', "true or false"),
    "one end": (
        f'<Range {BITS} style="noClamp"><minInValue>0</minInValue><minOutValue>0</minOutValue></Range>',
        "all four",
    ),
    "turned": (
        f"<Range {BITS}><minInValue>0</minInValue><maxInValue>1</maxInValue>"
        "<minOutValue>1</minOutValue><maxOutValue>0</maxOutValue></Range>",
        "below minOutValue",
    ),
    "mon": (
        f'<Exponent {BITS} style="monCurveFwd"><ExponentParams exponent="0.5" offset="0.1"/></Exponent>',
        "at least 1",
    ),
    "cubic": (f'<LUT1D {BITS} interpolation="cubic"><Array dim="2 3">{ROWS}</Array></LUT1D>', "linear"),
    "3d": (
        f'<LUT3D {BITS} interpolation="prism"><Array dim="2 2 2 3">{ROWS * 4}</Array></LUT3D>',
        "trilinear or tetrahedral",
    ),
    "GB": (
        f'<Exponent {BITS} style="basicFwd"><ExponentParams exponent="2" channel="GB"/></Exponent>',
        "channel is R, G or B",
    ),
    "empty": (
        f'<Exponent {BITS} style="basicFwd"><ExponentParams exponent="2" channel=""/></Exponent>',
        "channel is R, G or B",
    ),
    "twice": (
        f'<Exponent {BITS} style="basicFwd"><ExponentParams exponent="2" channel="R"/><ExponentParams exponent="3" '
        'channel="R"/></Exponent>',
        "two",
    ),
    "underline": (f'<Exponent {BITS} style="basicFwd"><ExponentParams exponent="1_0"/></Exponent>', "number"),
    "underlined array": (f'<Matrix {BITS}><Array dim="3 3">1 0 0 0 1_0 0 0 0 1</Array></Matrix>', "entry 5"),
}


@pytest.mark.parametrize("name", CLF_REFUSED)
def test_clf_refused(name):
    body, words = CLF_REFUSED[name]
    with pytest.raises(BadLut, match=words):
        parse_clf(clf(body))


@pytest.mark.parametrize(
    ("flag", "is_half"), [("true", True), ("1", True), ("false", False), ("0", False), (" 1 ", True)]
)
def test_clf_booleans(flag, is_half):
    """XML Schema's boolean has four spellings."""
    (node,) = parse_clf(clf(f'<LUT1D {BITS} halfDomain="{flag}"><Array dim="65536 1">{HALF}</Array></LUT1D>')).nodes
    assert node.half is is_half


CUBE = "LUT_3D_SIZE 2\n" + "0 0 0\n" * 8


@pytest.mark.slow
@pytest.mark.parametrize(
    ("head", "title"),
    [
        ('TITLE "A # B"\n', "A # B"),
        ('TITLE "A" # note\n', "A"),
        ("TITLE plain # note\n", "plain"),
        ('TITLE "caf\xe9"\n', "café"),
    ],
)
def test_cube_titles(head, title):
    assert parse_cube((head + CUBE).encode("latin-1")).title == title


@pytest.mark.slow
@pytest.mark.parametrize(
    "text",
    [
        CUBE.replace("0 0 0\n", "1_0 0 0\n", 1),
        "LUT_3D_SIZE 0_2\n" + "0 0 0\n" * 8,
        "DOMAIN_MAX 1_0 1 1\n" + CUBE,
        CUBE.replace("0 0 0\n", "inf 0 0\n", 1),
        CUBE.replace("0 0 0\n", "０ 0 0\n", 1),
    ],
)
def test_cube_numbers_refused(text):
    with pytest.raises(BadLut):
        parse_cube(text.encode())


EXTREMES = np.array([np.inf, -np.inf, np.nan, 1.98, 1.99, 2.0, -2.0, 1e6, -1e6, 3e38, -3e38, 1e300])


@pytest.mark.slow
@pytest.mark.parametrize("name", CURVES)
def test_curves_give_finite_values_whatever_comes_in(name):
    """What is not a number counts as 0, what is infinite as 1e12; no curve falls as its input rises."""
    curve = CURVES[name]
    for function in (curve.to_linear, curve.from_linear):
        for kind in (np.float64, np.float32):
            with np.errstate(over="ignore"):
                values = function(EXTREMES.astype(kind))
            assert np.isfinite(values).all()
            assert np.abs(values).max() <= 1e30
            assert values[2] == function(np.zeros(1, kind))[0]
        assert (
            np.diff(
                function(np.array([-1e300, -1e6, -2.0, -1.0, 0.0, 0.5, 1.0, 1.9, 1.98, 1.99, 2.0, 1e3, 1e6, 1e300]))
            )
            >= 0
        ).all()


@pytest.mark.slow
@pytest.mark.parametrize("name", ENCODINGS)
def test_the_engine_is_finite_too(name):
    """Half's largest values and far codes through the float32 engine: finite, and of the reference's sign."""
    program = engine.compile_operations(
        convert_operations(
            ENCODINGS[name],
            ENCODINGS["linear/AP1"],
            "CAT02",
            source_range="full",
            target_range="full",
            source_depth=10,
            target_depth=16,
        )
    )
    code = np.array([[[v] * 3 for v in (-65504.0, -2.0, -0.5, 0.0, 1.0, 1.5, 1.99, 2.0, 65504.0)]], np.float32)
    assert np.isfinite(engine.run(program, code)).all()
