"""What is read off the Bench: where figures hold, each channel at the ends, a region that fills its scope, and what the
step in hand makes worse.
"""

import itertools

import numpy as np
import pytest

from tests.web.test_shots import ask
from upwelling.core.media import read_still
from upwelling.core.scopes.spans import Region, box_of, region_spans, whole, within_box
from upwelling.core.steps import Contrast, Exposure, SlopeOffsetPower
from upwelling.web.bench.figures import DISPLAY, FILE, SCENE
from upwelling.web.footage.paths import path_of


def shown(client, shot, *steps, **more):
    settings = shot.settings.model_copy(update={"steps": tuple(steps)}).model_dump(mode="json")
    head, _, scopes = ask(client, shot, **{"settings": settings, "scopes": [], **more})
    return head, scopes


def test_each_figure_says_at_which_boundary_it_holds(shot, as_):
    head, _ = shown(as_("tess"), shot, region={"left": 0.2, "top": 0.2, "right": 0.5, "bottom": 0.6})
    rows = {row["name"]: row["at"] for row in [*head["numbers"], *head["region"]]}
    assert set(rows.values()) <= {SCENE, DISPLAY, FILE}
    assert rows["Below 0"] == rows["From mid grey"] == SCENE
    assert rows["At peak"] == rows["Mean R G B"] == rows["From skin line"] == DISPLAY
    assert rows["Clipped in camera"] == FILE


@pytest.mark.parametrize(
    "step",
    [
        SlopeOffsetPower(id="s", offset=(-0.4, -0.35, -0.3)),
        SlopeOffsetPower(id="s", slope=(2.4, 2, 1.6)),
        Exposure(id="s", stops=5),
    ],
)
def test_what_stands_at_the_ends_is_told_for_each_channel(shot, as_, step):
    """Against the exact path's signal of the file, counted in NumPy."""
    head, _ = shown(as_("tess"), shot, step)
    path = path_of(shot, shot.settings.model_copy(update={"steps": (step,)}))
    signal, half = path.apply(read_still(shot.disk_path).code).reshape(-1, 3), 0.5 / 1023
    rows = {before["name"]: row["value"] for before, row in itertools.pairwise(head["numbers"]) if "red" in row["name"]}
    for name, counted in (("At black", signal <= half), ("At peak", signal >= 1 - half)):
        shares = 100 * counted.mean(axis=0)
        assert (name in rows) == bool(shares.max())
        if name in rows:
            found = [float(part.strip("<")) for part in rows[name].removesuffix(" %").split()]
            np.testing.assert_allclose(found, shares, atol=0.11)


@pytest.mark.parametrize(
    ("region", "height", "width"),
    [
        (Region(left=0.25, top=0.5, right=0.75, bottom=0.9), 40, 80),
        (Region(kind="ellipse", left=0.1, top=0.1, right=0.3, bottom=0.4), 60, 100),
        (Region(left=0.5, top=0.5, right=0.5, bottom=0.5), 40, 80),
    ],
)
def test_a_box_holds_what_is_measured_and_no_more(region, height, width):
    spans = region_spans(height, width, region)
    box = box_of(spans)
    inside = np.zeros((height, width), bool)
    for y, (a, b) in enumerate(spans):
        inside[y, a:b] = True
    cut = np.zeros_like(inside[box])
    for y, (a, b) in enumerate(within_box(spans, box)):
        cut[y, a:b] = True
    assert (cut == inside[box]).all()
    assert cut.sum() == inside.sum()
    assert cut.any(axis=0).all()
    assert box_of(whole(0, 4)) == (slice(None), slice(None))


@pytest.mark.parametrize("kind", ["parade", "waveform"])
def test_a_regions_levels_fill_the_scope_and_it_says_so(shot, as_, kind):
    scopes = [{"kind": kind, "boundary": "display"}]
    region = {"left": 0.4, "top": 0.3, "right": 0.6, "bottom": 0.6}
    for more, words in (({"region": region}, "the region across"), ({}, "")):
        head, shades = shown(as_("tess"), shot, scopes=scopes, **more)
        (scope,) = head["scopes"]
        assert words in scope["unit"]
        columns = shades.reshape(scope["planes"], scope["levels"], scope["columns"]).any(axis=1)
        # The picture is 96 wide, and the region 19: a column of either is as wide as so many of the scope.
        assert columns[..., :14].any()
        assert columns[..., -14:].any(), "from the left to the right"
    few, _ = shown(as_("tess"), shot, scopes=scopes, region={"left": 0.5, "top": 0.5, "right": 0.505, "bottom": 0.505})
    assert "pixels only" in few["scopes"][0]["unit"]


@pytest.mark.parametrize(
    ("step", "words"),
    [
        (Exposure(id="e", stops=6), "to the display’s peak"),
        (SlopeOffsetPower(id="e", offset=(-0.4, -0.4, -0.4)), "to the display’s black"),
        (Contrast(id="e", contrast=3.0), "steps of code lie wide apart"),
        (Exposure(id="e", stops=0.02), ""),
    ],
)
def test_what_a_step_makes_worse_stands_beside_it(shot, as_, step, words):
    head, _ = shown(as_("tess"), shot, step, stage="trim", step="e")
    said = " ".join(head["says"]["tones"])
    worse = ("display’s", "may band")
    assert words in said
    assert words or not any(part in said for part in worse)
    bare, _ = shown(as_("tess"), shot, step, stage="trim", step="none")
    assert bare["says"] is None
