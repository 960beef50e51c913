"""The scenes of Kilnlight, an invented glass-blowing workshop. Colours are scene-linear AP1, 1.0 = diffuse white."""

from __future__ import annotations

import numpy as np

from upwelling.core.arrays import Float32
from upwelling.core.simulate.turning_bust import COLD_BENCH_EYE, COLD_BENCH_TARGET, COLD_BENCH_VIEW

from . import tracer
from .scene import Scene

FURNACE = (30.0, 10.5, 2.1)
"""The furnace mouth: its brightest channel is 30 times white."""


def gathering_room(width: int = 1920, height: int = 1080, samples: int = 10) -> Float32:
    """The furnace and its glow, dark corners, a cool window behind the camera, a grey card and the chart."""
    s = Scene(ambient=((0.030, 0.030, 0.032), (0.085, 0.095, 0.115)), glow=0.05)
    brick = s.material((0.30, 0.17, 0.11), texture=tracer.BRICK)
    plaster = s.material((0.36, 0.34, 0.31))
    floor = s.material((0.16, 0.145, 0.13), gloss=0.15, texture=tracer.PLANK)
    wood = s.material((0.24, 0.15, 0.085), gloss=0.1, texture=tracer.PLANK)
    iron = s.material((0.30, 0.30, 0.31), tracer.METAL, gloss=0.22)
    bright_iron = s.material((0.62, 0.60, 0.58), tracer.METAL, gloss=0.06)
    dark = s.material((0.03, 0.03, 0.032), gloss=0.25)
    card, chart = s.material((0.18, 0.18, 0.18)), s.material((0, 0, 0), texture=tracer.CHART)
    clear = s.material((0.93, 0.95, 0.94), tracer.GLASS)
    amber = s.material((0.86, 0.42, 0.07), tracer.GLASS)
    teal = s.material((0.12, 0.62, 0.60), tracer.GLASS)
    plum = s.material((0.42, 0.08, 0.40), tracer.GLASS)
    fire = s.material((0, 0, 0), tracer.LIGHT, emission=FURNACE, casts=(55.0, 20.4, 4.9))
    ember = s.material((0, 0, 0), tracer.LIGHT, emission=(7.0, 1.9, 0.22))
    hot = s.material((0.95, 0.60, 0.22), tracer.GLASS, emission=(3.2, 0.85, 0.08))
    sky = s.material((0, 0, 0), tracer.LIGHT, emission=(1.6, 2.0, 2.7), casts=(12.0, 14.8, 18.8))

    s.box((-9, -0.1, -9), (9, 0, 9), floor)
    s.box((-9, 0, 3.6), (9, 5, 3.9), plaster)
    s.box((-5.4, 0, -9), (-5.1, 5, 9), plaster)
    # The furnace: four blocks around a mouth, fire inside, an iron frame and a sill.
    s.box((1.1, 0, 2.2), (3.9, 0.85, 3.6), brick)
    s.box((1.1, 1.95, 2.2), (3.9, 3.1, 3.6), brick)
    s.box((1.1, 0.85, 2.2), (1.95, 1.95, 3.6), brick)
    s.box((3.05, 0.85, 2.2), (3.9, 1.95, 3.6), brick)
    s.rectangle((2.5, 1.4, 2.75), (0.56, 0, 0), (0, 0.56, 0), fire, lamp=True)
    s.box((1.9, 0.80, 2.10), (3.1, 0.88, 2.3), iron)
    s.capsule((1.93, 0.88, 2.15), (1.93, 1.98, 2.15), 0.035, iron)
    s.capsule((3.07, 0.88, 2.15), (3.07, 1.98, 2.15), 0.035, iron)
    s.capsule((1.93, 1.98, 2.15), (3.07, 1.98, 2.15), 0.035, iron)
    for x in (2.15, 2.42, 2.78):
        s.sphere((x, 0.90, 2.24), 0.035, ember)
    s.capsule((3.3, 3.1, 3.0), (3.3, 5.0, 3.0), 0.28, iron)
    # A gather on its pipe, resting on a stand.
    s.capsule((-0.25, 1.42, 0.55), (1.35, 1.30, 1.75), 0.022, bright_iron)
    s.sphere((1.47, 1.29, 1.84), 0.17, hot)
    s.capsule((0.35, 0, 1.0), (0.35, 1.36, 1.0), 0.03, iron)
    # The bench with finished pieces, tools, card and chart.
    s.box((-3.3, 0.74, 0.55), (-0.75, 0.82, 1.55), wood)
    for x in (-3.15, -0.9):
        for z in (0.68, 1.42):
            s.box((x - 0.05, 0, z - 0.05), (x + 0.05, 0.74, z + 0.05), wood)
    s.sphere((-1.15, 1.04, 1.10), 0.22, clear)
    s.sphere((-1.62, 0.98, 1.28), 0.16, amber)
    s.sphere((-1.50, 0.93, 0.82), 0.11, teal)
    s.sphere((-1.02, 0.92, 0.72), 0.10, plum)
    s.capsule((-2.35, 0.84, 0.70), (-1.85, 0.84, 0.66), 0.014, bright_iron)
    s.capsule((-2.35, 0.84, 0.76), (-1.85, 0.84, 0.82), 0.014, bright_iron)
    s.rectangle((-2.72, 1.13, 1.16), (0.44, 0, 0.04), (0.03, 0.30, 0.05), chart)
    s.rectangle((-2.02, 1.03, 1.24), (0.15, 0, 0.015), (0.01, 0.20, 0.03), card)
    # Dark corner: a rack of pipes and a bucket that only the fire finds.
    for i in range(7):
        s.capsule((-4.7 + 0.17 * i, 0.05, 3.3), (-4.62 + 0.17 * i, 2.3, 3.5), 0.022, iron)
    s.capsule((-0.35, 0.22, 2.6), (-0.35, 0.42, 2.6), 0.22, dark)
    s.rectangle((-2.6, 3.4, -4.2), (1.6, 0, 0), (0, 0.9, 0.7), sky, lamp=True)
    return s.render(width, height, eye=(-0.55, 1.62, -3.3), target=(0.0, 1.22, 1.5), half_height=0.44, samples=samples)


_RODS = (
    (0.92, 0.05, 0.03),
    (0.95, 0.32, 0.02),
    (0.95, 0.78, 0.04),
    (0.35, 0.80, 0.05),
    (0.03, 0.60, 0.16),
    (0.02, 0.62, 0.58),
    (0.04, 0.30, 0.85),
    (0.05, 0.06, 0.80),
    (0.36, 0.04, 0.78),
    (0.80, 0.05, 0.55),
    (0.90, 0.86, 0.80),
    (0.55, 0.28, 0.10),
)


def colour_store(width: int = 1920, height: int = 1080, samples: int = 10) -> Float32:
    """Racks of saturated glass rods before a bright window: hard cases for gamut and tone mapping."""
    s = Scene(ambient=((0.10, 0.10, 0.098), (0.27, 0.28, 0.29)), glow=0.03)
    wall = s.material((0.42, 0.41, 0.39))
    wood = s.material((0.33, 0.22, 0.13), gloss=0.12, texture=tracer.PLANK)
    iron = s.material((0.35, 0.35, 0.36), tracer.METAL, gloss=0.2)
    card, chart = s.material((0.18, 0.18, 0.18)), s.material((0, 0, 0), texture=tracer.CHART)
    pane = s.material((0, 0, 0), tracer.LIGHT, emission=(5.2, 6.0, 7.0), casts=(6.0, 6.9, 8.0))
    lamp = s.material((0, 0, 0), tracer.LIGHT, emission=(9.0, 7.4, 5.2), casts=(15.0, 12.8, 9.8))
    tube = s.material((0, 0, 0), tracer.LIGHT, emission=(0.5, 0.25, 14.0))
    rods = [s.material(c, tracer.GLASS) for c in _RODS]
    solid = [s.material(tuple(0.92 * v for v in c), gloss=0.7) for c in _RODS]  # type: ignore[arg-type]

    s.box((-6, -0.1, -6), (6, 0, 6), wood)
    s.box((-6, 0, 2.7), (-2.05, 4, 2.9), wall)
    s.box((2.05, 0, 2.7), (6, 4, 2.9), wall)
    s.box((-2.05, 0, 2.7), (2.05, 0.82, 2.9), wall)
    s.box((-2.05, 2.55, 2.7), (2.05, 4, 2.9), wall)
    s.rectangle((0, 1.68, 3.0), (2.05, 0, 0), (0, 0.87, 0), pane, lamp=True)
    for x in (-0.69, 0.69):
        s.box((x - 0.03, 0.82, 2.72), (x + 0.03, 2.55, 2.86), wood)
    s.box((-2.05, 1.66, 2.72), (2.05, 1.71, 2.86), wood)
    # Two shelves of standing rods before the window, and a counter in front.
    for shelf, y in enumerate((0.80, 1.70)):
        s.box((-2.0, y - 0.04, 1.75), (2.0, y, 2.25), wood)
        s.capsule((-1.95, y + 0.16, 1.78), (1.95, y + 0.16, 1.78), 0.012, iron)
        for i in range(36):
            x = -1.82 + i * 0.104
            tall = 0.50 + 0.22 * float(np.sin(i * 2.1 + shelf) ** 2)
            lean = 0.03 * float(np.sin(i * 5.7 + shelf))
            s.capsule((x, y + 0.03, 2.0), (x + lean, y + tall, 1.95), 0.030, rods[(i // 3 + 5 * shelf) % len(rods)])
    s.box((-2.6, 0.60, 0.2), (2.6, 0.66, 1.15), wood)
    for i in range(12):
        s.capsule((-1.05 + 0.19 * i, 0.70, 0.50), (-1.02 + 0.19 * i, 0.70, 1.0), 0.042, solid[i])
    for i, x in enumerate((-0.35, 0.25, 0.85, 1.45)):
        s.sphere((x, 0.80, 0.34), 0.14, solid[(7, 0, 4, 2)[i]])
    s.sphere((2.0, 0.88, 0.62), 0.22, rods[6])
    s.rectangle((-1.78, 0.93, 0.62), (0.44, 0, -0.05), (0.0, 0.28, 0.07), chart)
    s.rectangle((-1.10, 0.83, 0.34), (0.13, 0, -0.01), (0.0, 0.17, 0.04), card)
    s.capsule((2.35, 1.0, 1.3), (2.35, 2.3, 1.3), 0.03, tube)
    s.rectangle((-0.6, 3.4, -1.2), (0.9, 0, 0), (0, 0, 0.5), lamp, lamp=True)
    return s.render(width, height, eye=(0.12, 1.42, -2.35), target=(0.05, 1.17, 1.0), half_height=0.42, samples=samples)


def cold_room() -> Scene:
    """A north window over the cutting wheel, glass, the chart and the card; nobody in it yet."""
    s = Scene(ambient=((0.07, 0.075, 0.08), (0.17, 0.185, 0.205)), glow=0.025)
    wall = s.material((0.46, 0.46, 0.45))
    floor = s.material((0.20, 0.19, 0.18), gloss=0.1, texture=tracer.PLANK)
    wood = s.material((0.30, 0.21, 0.14), gloss=0.1, texture=tracer.PLANK)
    iron = s.material((0.40, 0.40, 0.41), tracer.METAL, gloss=0.18)
    stone = s.material((0.38, 0.36, 0.33))
    card, chart = s.material((0.18, 0.18, 0.18)), s.material((0, 0, 0), texture=tracer.CHART)
    clear, green = s.material((0.90, 0.95, 0.93), tracer.GLASS), s.material((0.20, 0.66, 0.34), tracer.GLASS)
    cobalt, rose = s.material((0.05, 0.12, 0.66), tracer.GLASS), s.material((0.86, 0.30, 0.38), tracer.GLASS)
    pane = s.material((0, 0, 0), tracer.LIGHT, emission=(3.4, 4.1, 5.0), casts=(30.0, 34.5, 39.5))
    water = s.material((0.10, 0.10, 0.11), tracer.METAL, gloss=0.03)

    s.box((-7, -0.1, -7), (7, 0, 7), floor)
    s.box((-7, 0, 2.6), (7, 5, 2.8), wall)
    s.rectangle((-3.4, 2.1, 0.6), (0.0, 0, 1.3), (0, 1.0, 0), pane, lamp=True)
    for z in (-0.35, 0.6, 1.55):
        s.box((-3.36, 1.05, z - 0.03), (-3.30, 3.15, z + 0.03), wood)
    s.box((-2.6, 0.72, 0.5), (2.7, 0.80, 1.7), wood)
    # The cutting wheel: a stone disc on its axle above a trough of water.
    s.box((1.15, 0.80, 0.85), (2.25, 0.98, 1.45), iron)
    s.box((1.22, 0.982, 0.92), (2.18, 0.985, 1.38), water)
    for i in range(31):
        across = (i - 15) / 15.5 * 0.34
        tall = float(np.sqrt(0.34**2 - across**2))
        s.box((1.69 + across - 0.012, 1.36 - tall, 1.10), (1.69 + across + 0.012, 1.36 + tall, 1.22), stone)
    s.capsule((1.69, 1.36, 0.95), (1.69, 1.36, 1.40), 0.05, iron)
    s.box((1.63, 0.80, 1.30), (1.75, 1.36, 1.40), iron)
    s.sphere((-0.05, 0.93, 0.72), 0.12, clear)
    s.sphere((0.28, 0.90, 0.66), 0.09, green)
    s.sphere((0.52, 0.89, 0.72), 0.08, cobalt)
    s.sphere((0.75, 0.90, 0.64), 0.09, rose)
    s.rectangle((-1.72, 1.13, 1.02), (0.46, 0, -0.05), (0.0, 0.30, 0.08), chart)
    s.rectangle((-1.10, 0.97, 0.82), (0.13, 0, -0.02), (0.0, 0.17, 0.05), card)
    return s


def cold_bench(width: int = 1920, height: int = 1080, samples: int = 10) -> Float32:
    """The cold bench with a grey bust and two busts of skin tones on it."""
    s = cold_room()
    grey, light_skin, dark_skin = (
        s.material(albedo) for albedo in ((0.18, 0.18, 0.18), (0.46, 0.27, 0.20), (0.15, 0.082, 0.055))
    )
    for x, skin in ((-0.72, grey), (-0.10, light_skin), (0.52, dark_skin)):
        s.sphere((x, 1.32, 1.15), 0.19, skin)
        s.capsule((x, 0.92, 1.20), (x, 1.20, 1.18), 0.085, skin)
        s.capsule((x - 0.17, 0.88, 1.22), (x + 0.17, 0.88, 1.22), 0.085, skin)
    return s.render(
        width, height, eye=COLD_BENCH_EYE, target=COLD_BENCH_TARGET, half_height=COLD_BENCH_VIEW, samples=samples
    )


def yard_at_dusk(width: int = 1920, height: int = 1080, samples: int = 10) -> Float32:
    """A bright sky over the roof, a dark doorway with a lamp deep inside, and crates of finished glass."""
    s = Scene(ambient=((0.035, 0.033, 0.036), (0.34, 0.37, 0.47)), glow=0.04)
    brick = s.material((0.27, 0.155, 0.11), texture=tracer.BRICK)
    ground = s.material((0.14, 0.135, 0.13), gloss=0.2)
    wood = s.material((0.25, 0.17, 0.11), texture=tracer.PLANK)
    dark = s.material((0.025, 0.024, 0.025))
    roof = s.material((0.07, 0.075, 0.09))
    iron = s.material((0.30, 0.30, 0.31), tracer.METAL, gloss=0.2)
    card, chart = s.material((0.18, 0.18, 0.18)), s.material((0, 0, 0), texture=tracer.CHART)
    sky = s.material((0, 0, 0), tracer.LIGHT, emission=(7.5, 5.6, 4.6))
    upper = s.material((0, 0, 0), tracer.LIGHT, emission=(4.4, 4.1, 4.4))
    high_sky = s.material((0, 0, 0), tracer.LIGHT, emission=(3.0, 3.6, 5.4), casts=(4.2, 4.7, 6.2))
    bulb = s.material((0, 0, 0), tracer.LIGHT, emission=(14.0, 7.4, 2.3))
    inside = s.material((0, 0, 0), tracer.LIGHT, emission=(2.4, 0.9, 0.2), casts=(3.0, 1.2, 0.3))
    amber, teal = s.material((0.88, 0.45, 0.06), tracer.GLASS), s.material((0.10, 0.60, 0.58), tracer.GLASS)
    clear = s.material((0.93, 0.95, 0.94), tracer.GLASS)

    s.box((-12, -0.1, -12), (12, 0, 12), ground)
    s.rectangle((0, 2.2, 14), (20, 0, 0), (0, 2.2, 0), sky)
    s.rectangle((0, 9.4, 14.5), (24, 0, 0), (0, 5.0, 0), upper)
    s.rectangle((0, 9.5, -2), (9, 0, 0), (0, 0, 7), high_sky, lamp=True)
    # The workshop's wall with its doorway, and a lower shed beside it.
    s.box((-4.2, 0, 3.0), (-0.65, 3.0, 3.4), brick)
    s.box((0.65, 0, 3.0), (2.2, 3.0, 3.4), brick)
    s.box((-0.65, 2.15, 3.0), (0.65, 3.0, 3.4), brick)
    s.box((-4.4, 3.0, 2.8), (2.4, 3.15, 6.5), roof)
    s.box((-0.75, 0, 6.2), (0.75, 2.4, 6.4), dark)
    s.box((-1.6, 0, 3.4), (-0.75, 3.0, 6.4), dark)
    s.box((0.75, 0, 3.4), (1.6, 3.0, 6.4), dark)
    s.rectangle((0.25, 1.05, 6.1), (0.28, 0, 0), (0, 0.25, 0), inside, lamp=True)
    s.box((2.2, 0, 3.6), (4.6, 1.7, 5.2), brick)
    s.box((2.1, 1.7, 3.5), (4.7, 1.8, 5.3), roof)
    s.capsule((0.95, 2.35, 2.85), (0.95, 2.35, 3.0), 0.03, iron)
    s.sphere((0.95, 2.28, 2.80), 0.075, bulb)
    s.capsule((-3.2, 0, 2.2), (-3.2, 4.2, 2.2), 0.06, wood)
    s.box((-2.2, 0, 1.2), (-1.0, 0.5, 1.9), wood)
    s.box((1.2, 0, 0.9), (2.2, 0.42, 1.6), wood)
    s.sphere((-1.85, 0.66, 1.5), 0.16, amber)
    s.sphere((-1.40, 0.63, 1.45), 0.13, teal)
    s.sphere((1.55, 0.58, 1.2), 0.16, clear)
    s.sphere((1.90, 0.54, 1.15), 0.12, amber)
    s.box((-0.72, 0.0, 0.72), (0.52, 0.36, 1.0), wood)
    s.rectangle((-0.30, 0.62, 0.70), (0.40, 0, 0), (0, 0.26, 0.09), chart)
    s.rectangle((0.33, 0.56, 0.66), (0.13, 0, 0), (0, 0.17, 0.06), card)
    return s.render(width, height, eye=(-0.1, 1.45, -2.9), target=(0.05, 1.45, 3.0), half_height=0.46, samples=samples)


SCENES = {
    "Gathering room": gathering_room,
    "Colour store": colour_store,
    "Cold bench": cold_bench,
    "Yard at dusk": yard_at_dusk,
}
