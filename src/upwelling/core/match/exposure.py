"""Exposure and balance alone: one scene by one kind of camera, in another exposure or another light.

Where both pictures show the scene in the same framing, areas at the same place correspond. Otherwise the shift of the
histograms of log cone ratios tells the light, and that of log brightness the exposure; so nothing but the scene need be
the same, but a framing that leaves half of it out is told less surely.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from scipy.ndimage import gaussian_filter

from upwelling.core.arrays import MID_GREY, Float64
from upwelling.core.match.light import CannotMatch, Match, MatchFigures, Picture, Space, correlation, to_grey
from upwelling.core.match.models import apply, steps_of
from upwelling.core.match.robust import Samples, fit

GRID = 24
"""Areas along the picture's height."""
ALIKE = 0.8
"""Correlation of the areas' log brightness from which two pictures count as one framing."""
LEAST_AREAS = 24
BINS_A_STOP, SPAN, BRIGHTNESS = 16, 4.0, (-14.0, 8.0)
LEAST_OVERLAP = 0.55
"""Overlap of the histograms, 0…1, below which they are of different scenes."""
FEWEST_PIXELS = 400
CHANNELS = ("red", "green", "blue")
Logs = tuple[Float64, Float64, Float64]


def match(source: Picture, reference: Picture, space: Space) -> Match:
    """The stops and the light that bring ``source`` to ``reference``."""
    pairs = same_framing(source, reference, space)
    remarks: tuple[str, ...] = ()
    if pairs is not None:
        mine, its = pairs
        found = fit(Samples(mine, its, space), models=("exposure", "balance"), least="balance", folds=2)
        values, kind = found.values, "the same places of both"
    else:
        logs = _logs(source, space), _logs(reference, space)
        values, overlap = by_histograms(*logs)
        kind = "the light of both as a whole"
        remarks = (
            f"The framing differs, so exposure and light come from the whole pictures (overlap {overlap * 100:.0f} %): "
            "a starting point. Mark pairs to be sure.",
        )
        mine, its = (_quantiles(y) for y, *_ in logs)
    scale = to_grey(its, space)
    made = apply("balance", values, mine, space)[0]
    before, after = space.delta_e(mine * scale, its * scale), space.delta_e(made * scale, its * scale)
    figures = MatchFigures(
        float(np.median(before)), float(np.median(after)), float(np.percentile(after, 95)), len(np.atleast_1d(after))
    )
    return Match(
        "exposure",
        "balance",
        steps_of("balance", values, space),
        figures,
        (*remarks, *lost(source)),
        facts={"from": kind},
    )


def lost(source: Picture) -> tuple[str, ...]:
    """What no correction brings back: the share that was clipped."""
    gone = [
        f"{share * 100:.1f} % of {name}" for name, share in zip(CHANNELS, source.clipped, strict=True) if share > 5e-4
    ]
    return (f"Clipped in camera, and no correction brings it back: {', '.join(gone)}.",) if gone else ()


def same_framing(source: Picture, reference: Picture, space: Space) -> tuple[Float64, Float64] | None:
    """Means of areas at the same places, (N, 3) each, where both pictures have one shape and look alike; else None."""
    shape, other = source.rgb.shape[:2], reference.rgb.shape[:2]
    if abs(shape[1] / shape[0] - other[1] / other[0]) > 0.01:
        return None
    columns = round(GRID * shape[1] / shape[0])
    (mine, good), (its, fine) = (_areas(p, GRID, columns) for p in (source, reference))
    both = good & fine
    if both.sum() < LEAST_AREAS:
        return None
    a, b = (np.log2(np.maximum(rgb[both] @ space.luminance, 1e-5)) for rgb in (mine, its))
    return (mine[both], its[both]) if correlation(a, b) >= ALIKE else None


def _areas(picture: Picture, rows: int, columns: int) -> tuple[Float64, Any]:
    """Mean light (rows, columns, 3) of areas and which are usable as a whole."""
    size = (columns, rows)
    mean = cv2.resize(np.asarray(picture.rgb, np.float32), size, interpolation=cv2.INTER_AREA)
    share = cv2.resize(np.asarray(picture.usable, np.float32), size, interpolation=cv2.INTER_AREA)
    return np.asarray(mean, dtype=np.float64), (share > 0.999) & (mean > 1e-4).all(axis=-1)


def by_histograms(source: Logs, reference: Logs) -> tuple[Float64, float]:
    """Gains of the three cones in stops (3,), and how much the shifted histograms overlap, 0…1."""
    (ya, ra, ba), (yb, rb, bb) = reference, source
    n = int(2 * SPAN * BINS_A_STOP)

    def chroma(r: Float64, b: Float64) -> Float64:
        return np.asarray(gaussian_filter(np.histogram2d(r, b, bins=n, range=[[-SPAN, SPAN]] * 2)[0], 2.0) + 1e-9)

    def tone(y: Float64) -> Float64:
        bins = int((BRIGHTNESS[1] - BRIGHTNESS[0]) * BINS_A_STOP)
        return np.asarray(gaussian_filter(np.histogram(y, bins=bins, range=BRIGHTNESS)[0].astype(float), 3.0) + 1e-9)

    (dr, db), alike = _shift(chroma(ra, ba), chroma(rb, bb), n // 3)
    (dy,), tones = _shift(tone(ya), tone(yb), 9 * BINS_A_STOP)
    stops = _between_quantiles(ya, yb, dy / BINS_A_STOP)
    overlap = float(min(alike, tones))
    if overlap < LEAST_OVERLAP:
        raise CannotMatch(
            f"The two pictures hold different light (overlap {overlap * 100:.0f} %): they hardly show one scene. "
            "Mark pairs of places that belong together, or use the statistics for an unrelated reference."
        )
    width = 1 / BINS_A_STOP
    return stops + np.array([dr * width, 0.0, db * width]), overlap


def _logs(picture: Picture, space: Space) -> Logs:
    """Stops of the middle cone, log2 of the outer cones over it, of every usable pixel that holds light."""
    lms = np.asarray(picture.rgb, dtype=np.float64).reshape(-1, 3) @ space.cones.T
    lms = lms[(lms > 2e-4).all(axis=-1) & np.asarray(picture.usable).ravel()]
    if len(lms) < FEWEST_PIXELS:
        raise CannotMatch("One of the pictures holds no light that could be compared: it is black, or clipped wholly.")
    long, middle, short = np.log2(lms).T
    return middle - np.log2(MID_GREY), long - middle, short - middle


def _between_quantiles(ya: Float64, yb: Float64, stops: float) -> float:
    """The exposure from quantiles of the tones that both show; what is clipped in one is left out of the other."""
    for _ in range(4):
        cut = min(float(np.max(ya)), float(np.max(yb)) + stops)
        low = max(float(np.quantile(ya, 0.02)), float(np.quantile(yb, 0.02)) + stops)
        qa, qb = ya[(ya < cut) & (ya > low)], yb[(yb + stops < cut) & (yb + stops > low)]
        if min(len(qa), len(qb)) < 200:
            break
        q = np.linspace(0.1, 0.9, 33)
        stops += float(np.median(np.quantile(qa, q) - np.quantile(qb, q) - stops))
    return stops


def _shift(a: Float64, b: Float64, reach: int) -> tuple[tuple[float, ...], float]:
    """Bins by which histogram ``b`` must move to lie best on ``a``, and the overlap there (Bhattacharyya, by FFT)."""
    ra, rb = np.sqrt(a / a.sum()), np.sqrt(b / b.sum())
    size = [2 * n for n in a.shape]
    over = tuple(range(a.ndim))
    turned = np.fft.rfftn(ra, size, over) * np.conj(np.fft.rfftn(rb, size, over))
    like = np.fft.irfftn(turned, size, over)
    axes = [np.r_[0 : reach + 1, n - reach : n] for n in size]
    part = like[np.ix_(*axes)]
    best = np.unravel_index(int(np.argmax(part)), part.shape)
    at = [int(axis[i]) for axis, i in zip(axes, best, strict=True)]
    shift = []
    for axis, n in enumerate(size):
        low, mid, high = (
            float(like[tuple((place + (d if k == axis else 0)) % size[k] for k, place in enumerate(at))])
            for d in (-1, 0, 1)
        )
        bend = low - 2 * mid + high
        whole = at[axis] if at[axis] <= reach else at[axis] - n
        shift.append(whole + (0.5 * (low - high) / bend if bend < 0 else 0.0))
    return tuple(shift), float(part.max())


def _quantiles(stops: Float64) -> Float64:
    """Greys (17, 3) at even shares of a picture's brightness, for figures where nothing else corresponds."""
    return np.asarray(MID_GREY * np.exp2(np.quantile(stops, np.linspace(0.1, 0.9, 17)))[:, None] * np.ones(3))
