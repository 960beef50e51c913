"""Shapes and mattes: areas, distances, joins, the engine against the reference, tracks, and what old recipes said."""

import itertools

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from upwelling.core import engine
from upwelling.core.colour.primaries import primaries
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.errors import PlaceNeeded
from upwelling.core.operations import Matte as MatteOperation
from upwelling.core.operations import Place, ShowMatte, run_reference
from upwelling.core.operations.grow import grow_fast, grow_reference
from upwelling.core.operations.mixed import LEAST_LIGHT
from upwelling.core.path import Display, Input, Layer, Path
from upwelling.core.steps import SELECTIONS, ColourRange, Exposure, Matte, SlopeOffsetPower
from upwelling.core.steps.base import MIXES, luminance_of
from upwelling.core.steps.group import StepGroup
from upwelling.core.steps.selections import Ellipse, LinearGradient, Polygon, RadialGradient, Rectangle
from upwelling.core.steps.selections.polygon import BETWEEN, smooth_outline
from upwelling.core.steps.track import Track

AP1 = primaries("AP1")
RNG = np.random.default_rng(10)
FULL = Place.whole(1920, 1080)
PICTURE = np.exp2(RNG.normal(-2, 2, (90, 160, 3)))
SMALL = Place.whole(1920, 1080, 90)
SHAPES = (
    Ellipse(width=0.8, height=0.3, angle=20, x=0.1, feather_in=0.1),
    Rectangle(angle=-30, corners=0.4, invert=True),
    LinearGradient(angle=10, y=-0.2),
    RadialGradient(width=1.2, scale=0.7),
    Polygon(scale=1.5, angle=15, feather_out=0.1),
    Polygon(line="straight", feather_in=0, feather_out=0),
)


def weight(shape, place=FULL):
    rows = round(place.height / place.step)
    return shape.operation(AP1).weight(np.zeros((rows, round(place.width / place.step), 3)), place)


def by_engine(matte, picture=PICTURE, place=SMALL):
    operations = (ShowMatte(matte.operation(AP1)),)
    return engine.run(engine.compile_operations(operations), picture, place=place)[..., 0]


@pytest.mark.parametrize("scale", [1, 2, 4])
@pytest.mark.parametrize(
    ("shape", "area"),
    [
        (Ellipse(width=0.8, height=0.3, angle=33), np.pi * 0.4 * 0.15),
        (Rectangle(width=0.6, height=0.4, corners=0, angle=12, x=0.2), 0.24),
        (Rectangle(width=0.6, height=0.4, corners=1, angle=70), 0.24 - (4 - np.pi) * 0.04),
        (Polygon(points=((-0.4, -0.3), (0.5, -0.1), (0.1, 0.4)), line="straight"), 0.265),
        (LinearGradient(x=0.1, y=0.2), (0.5 + 0.2) * 16 / 9),
    ],
    ids=lambda v: v.kind if hasattr(v, "kind") else "",
)
def test_coverage_is_the_area(shape, area, scale):
    """Hard edges, against the area by geometry, within 0.2 %, at every size of the frame."""
    hard = shape.model_copy(update={"feather_in": 0.0, "feather_out": 0.0})
    place = Place.whole(1920, 1080, 1080 // scale)
    assert weight(hard, place).sum() * place.pixel**2 == pytest.approx(area, rel=0.002)


def test_the_distance_to_an_ellipse_is_that_of_its_nearest_point():
    """Against the nearest of ten thousand points of the edge."""
    op = Ellipse(width=1.2, height=0.5).operation(AP1)
    t = np.linspace(0, 2 * np.pi, 10_000)
    edge = np.stack([0.6 * np.cos(t), 0.25 * np.sin(t)], axis=1)
    points = RNG.uniform(-1, 1, (500, 2))
    nearest = np.hypot(*(points[:, None] - edge[None]).transpose(2, 0, 1)).min(axis=1)
    np.testing.assert_allclose(np.abs(op.distance(points[:, 0], points[:, 1])), nearest, atol=2e-3)


def test_a_polygons_distance_is_opencvs():
    shape = Polygon(points=tuple(map(tuple, RNG.uniform(-0.5, 0.5, (9, 2)))), line="straight")
    star = Polygon(points=tuple((np.cos(a), np.sin(a)) for a in np.arange(7) * 2 * np.pi / 7), line="straight")
    for one in (shape, star):
        corners = (one.outline() * 1000).astype(np.float32)[:, None]
        points = RNG.uniform(-0.7, 0.7, (300, 2))
        witness = [cv2.pointPolygonTest(corners, (float(x), float(y)), True) for x, y in points * 1000]
        np.testing.assert_allclose(one.operation(AP1).distance(*points.T) * 1000, witness, atol=0.01)


def test_a_smooth_outline_goes_through_its_points():
    points = np.array(Polygon().points)
    curve = smooth_outline(points)
    np.testing.assert_allclose(curve[::BETWEEN], points, atol=1e-12)
    turns = np.diff(np.vstack([curve, curve[:1]]), axis=0)
    cosines = (turns * np.roll(turns, 1, axis=0)).sum(axis=1) / np.prod(np.hypot(*turns.T)[[0]])
    assert np.isfinite(cosines).all()


@pytest.mark.parametrize("shape", SHAPES, ids=lambda s: s.kind)
def test_engine_and_reference_agree_on_shapes(shape):
    for place, picture in (
        (SMALL, PICTURE),
        (Place(1920, 1080, 700, 300, 3), PICTURE[:41, :77]),
        (Place(1920, 1080, 960, 540), PICTURE[:1, :1]),
    ):
        found = by_engine(Matte(selections=(shape,), gamma=1.3), picture, place)
        expected = Matte(selections=(shape,), gamma=1.3).operation(AP1).weight(picture, place)
        np.testing.assert_allclose(found, expected, atol=2e-4)


@pytest.mark.parametrize("shape", SHAPES, ids=lambda s: s.kind)
def test_a_part_is_the_whole_there_and_feather_is_half_at_the_edge(shape):
    whole = shape.operation(AP1).weight(PICTURE, SMALL)
    part = shape.operation(AP1).weight(PICTURE[20:50, 33:99], SMALL.part(20, 33))
    np.testing.assert_allclose(part, whole[20:50, 33:99], atol=1e-12)
    opposite = shape.model_copy(update={"invert": not shape.invert}).operation(AP1).weight(PICTURE, SMALL)
    np.testing.assert_allclose(whole + opposite, 1, atol=1e-12)
    with pytest.raises(PlaceNeeded):
        shape.operation(AP1).weight(PICTURE[0])


@pytest.mark.parametrize("joins", list(itertools.product(("and", "or", "without"), repeat=2)))
def test_joins_follow_their_rule(joins):
    parts = [ColourRange(hue_width=90), Ellipse(join=joins[0]), Rectangle(join=joins[1], x=0.3)]
    a, b, c = (one.operation(AP1).weight(PICTURE, SMALL) for one in parts)
    rule = {"and": lambda p, q: p * q, "or": lambda p, q: p + q - p * q, "without": lambda p, q: p * (1 - q)}
    expected = rule[joins[1]](rule[joins[0]](a, b), c)
    np.testing.assert_allclose(Matte(selections=parts).operation(AP1).weight(PICTURE, SMALL), expected, atol=1e-12)
    np.testing.assert_allclose(by_engine(Matte(selections=parts)), expected, atol=3e-3)


@pytest.mark.parametrize("softened", [{}, {"gamma": 1.7}, {"blur": 0.02, "grow": 0.02, "clean": 0.01, "gamma": 0.8}])
def test_the_whole_inverted_is_what_is_left_of_it(softened):
    """However it was joined and softened; a step on it and one on the rest together are the step everywhere."""
    matte = Matte(
        selections=(ColourRange(hue_width=120), Ellipse(join="or"), Rectangle(join="without", x=0.3)), **softened
    )
    inverse = matte.model_copy(update={"inverted": True})
    weight, rest = (one.operation(AP1).weight(PICTURE, SMALL) for one in (matte, inverse))
    np.testing.assert_allclose(weight + rest, 1, atol=1e-12)
    np.testing.assert_allclose(by_engine(inverse), rest, atol=3e-3)
    assert inverse.summary() == f"all but {matte.summary()}"
    marks = {SlopeOffsetPower(limit=m).limit.numbers(m.model_dump()).get("inverted") for m in (matte, inverse)}
    assert marks == {None, True}, "one that is not inverted keeps the fingerprint it had"


@pytest.mark.parametrize("mix", list(MIXES))
@pytest.mark.parametrize("strength", [1.0, 0.6])
@pytest.mark.parametrize(
    "matte",
    [
        None,
        Matte(selections=(SHAPES[0],)),
        Matte(selections=SHAPES[:2], blur=0.02, grow=0.02, clean=0.01),
        Matte(selections=SHAPES[:2], inverted=True),
    ],
    ids=["everywhere", "shape", "softened", "inverted"],
)
def test_engine_and_reference_agree_on_every_mix(mix, strength, matte):
    step = SlopeOffsetPower(slope=(1.4, 0.9, 1.2), mix=mix, strength=strength, limit=matte)
    fast = engine.run(engine.compile_operations(step.operations(AP1)), PICTURE, place=SMALL)
    np.testing.assert_allclose(fast, run_reference(step.operations(AP1), PICTURE, SMALL), rtol=2e-3, atol=1e-5)


def test_mixing_keeps_what_it_says():
    plain = SlopeOffsetPower(slope=(1.3, 0.8, 1.1))
    full, light = (run_reference(s.operations(AP1), PICTURE, SMALL) for s in (plain, Exposure()))
    weights = np.array(luminance_of(AP1))
    made = {mix: run_reference(plain.model_copy(update={"mix": mix}).operations(AP1), PICTURE, SMALL) for mix in MIXES}
    np.testing.assert_allclose(made["lighten"], np.maximum(full, light), rtol=1e-9)
    np.testing.assert_allclose(made["darken"], np.minimum(full, light), rtol=1e-9)
    bright = (PICTURE @ weights > LEAST_LIGHT * 100) & (full @ weights > LEAST_LIGHT * 100)
    np.testing.assert_allclose((made["luminance"] @ weights)[bright], (full @ weights)[bright], rtol=1e-6)
    share = made["luminance"] / (made["luminance"] @ weights)[..., None]
    np.testing.assert_allclose(share[bright], (PICTURE / (PICTURE @ weights)[..., None])[bright], rtol=1e-6)
    np.testing.assert_allclose((made["colour"] @ weights)[bright], (PICTURE @ weights)[bright], rtol=1e-6)


def test_a_matte_is_softened_in_order_and_alike_at_every_size():
    matte = Matte(selections=(Ellipse(width=0.5, height=0.5, feather_in=0, feather_out=0),), grow=0.03)
    grown = matte.operation(AP1).weight(np.zeros((540, 960, 3)), Place.whole(1920, 1080, 540))
    assert grown.sum() * (1 / 540) ** 2 == pytest.approx(np.pi * 0.28**2, rel=0.01)
    holes = (RNG.random((200, 300)) > 0.002).astype(np.float64)
    place, soft = Place(300, 200), MatteOperation((), clean=0.01)
    np.testing.assert_allclose(soft.soften(holes.astype(np.float32), place), 1.0)
    for radius in (2.0, -3.0, 1.5):
        plane = RNG.random((40, 60))
        np.testing.assert_allclose(
            grow_fast(plane.astype(np.float32), radius), grow_reference(plane, radius), atol=1e-6
        )
    blurred = Matte(selections=(SHAPES[1], SHAPES[4]), blur=0.03, grow=-0.01, clean=0.004)
    np.testing.assert_allclose(by_engine(blurred), blurred.operation(AP1).weight(PICTURE, SMALL), atol=0.01)


def test_a_margin_of_the_reach_makes_a_part_the_whole():
    matte = Matte(selections=SHAPES[:2], blur=0.01, grow=0.01).operation(AP1)
    frame = RNG.random((200, 320, 3))
    place = Place(320, 200)
    whole = matte.weight(frame, place)
    reach = matte.reach(place.pixel)
    cut = matte.weight(frame[100 - reach : 130 + reach, 90 - reach : 160 + reach], place.part(100 - reach, 90 - reach))
    np.testing.assert_allclose(cut[reach:-reach, reach:-reach], whole[100:130, 90:160], atol=1e-9)


OLD = ColourRange(hue=40, hue_width=60).model_dump(mode="json")


def test_a_limit_from_before_there_were_shapes_is_a_matte_of_it():
    """Recipes, stored settings and certificates hold a lone colour range; its numbers and fingerprint stay."""
    old = {
        key: value for key, value in OLD.items() if key not in ("tracks", "id", "name", "link", "kind", "on", "join")
    }
    step = Exposure.model_validate({"stops": 1, "limit": old})
    assert step.limit == Matte(selections=(ColourRange(id="colourran", hue=40, hue_width=60),))
    assert step.limit.numbers(step.limit.model_dump(mode="json")) == old
    assert Exposure(limit=ColourRange(hue=40)).limit == Matte(selections=(ColourRange(hue=40),))
    path = Path(
        input=Input(encoding="ACEScct/AP1"), display=Display(output="BT.709 BT.1886"), trim=Layer(steps=(step,))
    )
    other = step.model_copy(update={"limit": Matte(selections=(*step.limit.selections, Ellipse(id="off", on=False)))})
    same = path.with_layers(trim=Layer(steps=(other,)))
    assert same.fingerprint == path.fingerprint
    assert Path.from_recipe(same.to_recipe()) == same
    text = path.to_recipe().replace('"upwelling_recipe": 2', '"upwelling_recipe": 1')
    assert Path.from_recipe(text) == path


def test_tracks_move_shapes_and_every_parameter_between_its_keys():
    points = tuple(v for pair in Polygon().points for v in pair)
    shape = Polygon(
        tracks=(
            Track(parameter="x", keys=((10, -0.5), (20, 0.5))),
            Track(parameter="points", keys=((0, points), (8, tuple(2 * v for v in points)))),
        )
    )
    step = Exposure(id="e", stops=1, limit=Matte(selections=(shape,)))
    assert step.moves
    assert not step.fits_in_lut
    assert "moving" in step.summary()
    assert " at " not in step.summary(), "where it is changes"
    still = step.at(15).limit.selections[0]
    assert (still.x, still.tracks) == (0.0, ())
    assert still.points[0] == pytest.approx((-0.4, -0.4))
    assert not step.at(15).moves
    for wrong, words in (
        (lambda: Polygon(tracks=(Track(parameter="points", keys=((0, points), (3, points[:8]))),)), "number of points"),
        (lambda: Ellipse(tracks=(Track(parameter="x", keys=((0, points),)),)), "not of its kind"),
        (lambda: Ellipse(tracks=(Track(parameter="join", keys=((0, 0.0),)),)), "cannot change"),
        (lambda: Polygon(tracks=(Track(parameter="x", keys=((0, 5.0),)),)), "outside"),
        (lambda: Matte(selections=(Ellipse(id="a"), Ellipse(id="a"))), "id of its own"),
    ):
        with pytest.raises(ValueError, match=words):
            wrong()


@given(frame=st.floats(-5, 40), keys=st.lists(st.tuples(st.integers(0, 30), st.floats(-1, 1)), min_size=1, max_size=6))
def test_points_never_leave_their_keys(frame, keys):
    keys = sorted(dict(keys).items())
    track = Track(parameter="points", keys=tuple((at, (v, -v, v / 2, 0.0, 1.0, v)) for at, v in keys))
    found = np.array(track.at(frame))
    rows = np.array([(v, -v, v / 2, 0.0, 1.0, v) for _, v in keys])
    assert (found >= rows.min(axis=0) - 1e-9).all()
    assert (found <= rows.max(axis=0) + 1e-9).all()


def test_every_selection_documents_itself():
    for kind in SELECTIONS:
        assert kind.title
        assert kind.explanation
        assert kind().summary()
        read = Matte.model_validate({"selections": [{"kind": kind().kind}] * 2}).selections
        assert [one.model_copy(update={"id": ""}) for one in read] == [kind()] * 2
        assert len({one.id for one in read}) == 2
    assert Matte().operation(AP1) is None
    assert Matte(selections=(Ellipse(on=False),)).operation(AP1) is None


def test_the_kernels_log_curve_is_the_cores():
    from upwelling.core.operations.log_light import to_log

    light = np.array([-0.1, 0.0, 0.0078, 0.008, 0.18, 1, 100.0])
    np.testing.assert_allclose(to_log(light.astype(np.float32)), ACESCCT.from_linear(light), atol=2e-6)


# --- groups
def grouped(*steps, **group):
    groups = (StepGroup(id="g", name="Sky", **group),)
    trim = Layer(steps=steps, groups=groups)
    return Path(input=Input(encoding="linear/AP1"), display=Display(output="BT.709 BT.1886"), trim=trim)


UP, DOWN = Exposure(id="u", stops=2, group="g"), SlopeOffsetPower(id="d", slope=(1.2, 1, 0.8), group="g")


def test_a_group_is_switched_and_mixed_in_together():
    light = np.exp2(RNG.normal(-2, 1.5, (50, 3)))
    plain, rest = grouped(UP, DOWN), grouped()
    operations = {
        name: path.segments()["trim"] for name, path in (("all", plain), ("half", grouped(UP, DOWN, strength=0.5)))
    }
    full, half = (run_reference(operations[name], light) for name in ("all", "half"))
    codes = [np.asarray(ACESCCT.from_linear(v)) for v in (light, half, full)]
    np.testing.assert_allclose(codes[1], (codes[0] + codes[2]) / 2, atol=1e-9)
    assert grouped(UP, DOWN, on=False).segments()["trim"] == ()
    assert grouped(UP, DOWN, on=False).fingerprint == grouped(UP, DOWN, strength=0).fingerprint == rest.fingerprint
    loose = Path(
        input=plain.input,
        display=plain.display,
        trim=Layer(steps=tuple(step.model_copy(update={"group": ""}) for step in (UP, DOWN))),
    )
    assert loose.fingerprint == plain.fingerprint != grouped(UP, DOWN, strength=0.5).fingerprint
    assert Path.from_recipe(plain.to_recipe()) == plain
    fast = engine.run(engine.compile_operations(operations["half"]), light.reshape(1, -1, 3))
    np.testing.assert_allclose(fast.reshape(-1, 3), half, rtol=1e-4)


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda: grouped(UP, Exposure(id="x"), DOWN), "must stand together"),
        (lambda: grouped(UP.model_copy(update={"group": "other"})), "not there"),
        (lambda: Layer(groups=(StepGroup(id="a"), StepGroup(id="a"))), "id of its own"),
    ],
)
def test_groups_that_cannot_be_are_refused(make, words):
    with pytest.raises(ValueError, match=words):
        make()
