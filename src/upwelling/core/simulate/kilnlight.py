"""The scenes of Kilnlight, an invented glass-blowing workshop. Colours are scene-linear AP1, 1.0 = diffuse white."""

from __future__ import annotations

import numpy as np

from upwelling.core.arrays import Float32
from upwelling.core.simulate import tracer
from upwelling.core.simulate.scene import Scene

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


_RODS = ((0.92, 0.05, 0.03), (0.95, 0.32, 0.02), (0.95, 0.78, 0.04), (0.35, 0.80, 0.05), (0.03, 0.60, 0.16),
         (0.02, 0.62, 0.58), (0.04, 0.30, 0.85), (0.05, 0.06, 0.80), (0.36, 0.04, 0.78), (0.80, 0.05, 0.55),
         (0.90, 0.86, 0.80), (0.55, 0.28, 0.10))


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


SCENES = {"Gathering room": gathering_room, "Colour store": colour_store}
