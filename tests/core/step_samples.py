"""One busy setting and more of every step that needs no picture, and what brings a new one to rest."""

from upwelling.core.steps import (
    ColourCurves,
    ColourMatrix,
    ColourRange,
    Contrast,
    Density,
    Exposure,
    FilmNegative,
    Highlights,
    Ladder,
    Matte,
    PrinterLight,
    RootMatrix,
    Saturation,
    SlopeOffsetPower,
    ToneCurve,
    TurnColours,
    WhiteBalance,
    ZoneBalance,
)

BUSY = (
    Exposure(stops=0.7),
    WhiteBalance(kelvin=4300, duv=0.006),
    PrinterLight(points=(3, -2, 6)),
    Contrast(contrast=1.3, pivot=-1),
    Ladder(rungs=((-6, 1.5), (-2, 0.4), (0, 0), (3, -0.8), (6, -2.5))),
    Ladder(rungs=((-4, -1), (4, 1)), norm="luminance"),
    Ladder(rungs=((-4, -1), (4, 1)), norm="largest channel"),
    SlopeOffsetPower(slope=(1.1, 1, 0.9), power=(1, 1.2, 1), saturation=1.3),
    ToneCurve(master=((0.1, 0.05), (0.4, 0.42), (0.7, 0.8)), blue=((0.1, 0.15), (0.7, 0.68))),
    Saturation(amount=1.6),
    Saturation(amount=0.4, spare_skin=0.8, spare_saturated=0.6),
    ColourCurves(
        hue_by_hue=((30, 20), (150, -10), (270, 0)),
        saturation_by_hue=((40, 1.4), (200, 0.6)),
        brightness_by_hue=((60, 0.5), (240, -0.7)),
        saturation_by_saturation=((0, 1.3), (0.4, 0.9)),
        saturation_by_brightness=((-4, 0.5), (0, 1), (4, 0.7)),
    ),
    ColourMatrix(green_into_red=0.15, blue_into_green=-0.08, red_into_blue=0.04),
    RootMatrix(green_into_red=0.1, red_green_into_red=-0.06, green_blue_into_blue=0.08, red_blue_into_green=0.05),
    ColourCurves(
        hue_by_hue=((30, 60), (150, 40), (270, 60)),
        hue_by_saturation=((0, -20), (0.2, 55), (0.6, 60)),
        hue_by_brightness=((-6, 0), (0, 60), (6, -60)),
        brightness_by_saturation=((0, 0), (0.1, -0.4), (0.5, -1.5)),
        brightness_by_brightness=((-6, 1), (0, 0), (6, -1)),
    ),
    Highlights(clip=(3, 2, 1.5), light=(1.4, 0.9, 0.7), channels="S-Gamut3.Cine"),
    Highlights(clip=(3, 0, 1.5), way="calm", begins=0.8),
)
LATER = (
    TurnColours(turn=40, saturation=1.3, lift=-0.4),
    ZoneBalance(
        stops=(0.6, -0.2, -0.9), saturation=(0.7, 1.2, 1.5), push=(0.3, 0.05, 0.4), hue=(220, 90, 35), norm="luminance"
    ),
    ZoneBalance(stops=(-1, 0, 1.5), borders=(-3, 4), softness=(0.5, 1), push=(0.4, 0, 0), keep_luminance="let go"),
    Density(richness=1.5, depth=1.2, red=1.4, cyan=0.5, spare_neutral=0.3, spare_skin=0.5),
    FilmNegative(layer_gamma=(1.05, 1, 0.95), layer_latitude=(0, 0, -1), flash=0.01),
)
"""Kinds that came after the frozen samples of numbers; they have rows of their own there."""
ALWAYS = ("film_negative", "softness")
"""Kinds that have no setting at rest; their strength has."""
WARM = Matte(selections=(ColourRange(hue=60, hue_width=80, saturation_low=0.05, stops_low=-3),))
RESTING = {
    "vignette": {"stops": 0},
    "calm_noise": {"brightness": 0, "colour": 0},
    "sharpen": {"fine": 0, "medium": 0},
    **{kind: {"strength": 0} for kind in ALWAYS},
    "gate": {"across": 0, "down": 0},
    "mist": {"amount": 0, "veil": 0},
    **{kind: {"amount": 0} for kind in ("streaks", "glow", "halation", "grain", "dust")},
}
"""What brings a new step of these kinds to rest: it acts as it is made, so that it is seen."""
