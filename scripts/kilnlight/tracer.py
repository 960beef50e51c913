"""A small ray tracer: spheres, boxes, capsules and rectangles, area lights, soft shadows, glass and metal.

It makes the demo's scenes as scene-linear light of known value. Shapes are rows of ``shapes`` (N, 16): kind, ten
numbers of geometry, material. Materials are rows of ``materials`` (M, 12): albedo RGB, emission RGB, kind, gloss,
texture.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import prange

from upwelling.core.kernels import inline, parallel

SPHERE, BOX, CAPSULE, RECTANGLE = range(4)
MATTE, GLASS, METAL, LIGHT = range(4)
PLAIN, BRICK, CHART, PLANK = range(4)
FAR = 1e9


@inline
def _random(state: Any) -> Any:
    """The next of a small xorshift; state is uint32 (1,)."""
    x = state[0]
    x ^= (x << np.uint32(13)) & np.uint32(0xFFFFFFFF)
    x ^= x >> np.uint32(17)
    x ^= (x << np.uint32(5)) & np.uint32(0xFFFFFFFF)
    state[0] = x
    return x * 2.3283064e-10


@inline
def _hit(s: Any, o: Any, d: Any, normal: Any) -> Any:
    """Distance to one shape along a ray, FAR if missed; writes the outward normal."""
    kind = int(s[0])
    if kind == 0:
        x, y, z = o[0] - s[1], o[1] - s[2], o[2] - s[3]
        b = x * d[0] + y * d[1] + z * d[2]
        h = b * b - (x * x + y * y + z * z - s[4] * s[4])
        if h < 0:
            return FAR
        h = np.sqrt(h)
        t = -b - h
        if t < 1e-4:
            t = -b + h
        if t < 1e-4:
            return FAR
        normal[0], normal[1], normal[2] = (x + t * d[0]) / s[4], (y + t * d[1]) / s[4], (z + t * d[2]) / s[4]
        return t
    if kind == 1:
        near, far, axis = -FAR, FAR, 0
        for a in range(3):
            v = d[a] if abs(d[a]) > 1e-12 else 1e-12
            t0, t1 = (s[1 + a] - o[a]) / v, (s[4 + a] - o[a]) / v
            low, high = min(t0, t1), max(t0, t1)
            if low > near:
                near, axis = low, a
            far = min(far, high)
        if near > far or near < 1e-4:
            return FAR
        normal[0], normal[1], normal[2] = 0.0, 0.0, 0.0
        normal[axis] = -1.0 if d[axis] > 0 else 1.0
        return near
    if kind == 2:
        bx, by, bz = s[4] - s[1], s[5] - s[2], s[6] - s[3]
        ox, oy, oz = o[0] - s[1], o[1] - s[2], o[2] - s[3]
        baba = bx * bx + by * by + bz * bz
        bard = bx * d[0] + by * d[1] + bz * d[2]
        baoa = bx * ox + by * oy + bz * oz
        rdoa = d[0] * ox + d[1] * oy + d[2] * oz
        oaoa = ox * ox + oy * oy + oz * oz
        a = baba - bard * bard
        b = baba * rdoa - baoa * bard
        c = baba * oaoa - baoa * baoa - s[7] * s[7] * baba
        h = b * b - a * c
        if h < 0:
            return FAR
        t = (-b - np.sqrt(h)) / a
        y = baoa + t * bard
        if not 0 < y < baba:
            ex, ey, ez = (ox, oy, oz) if y <= 0 else (o[0] - s[4], o[1] - s[5], o[2] - s[6])
            b = d[0] * ex + d[1] * ey + d[2] * ez
            h = b * b - (ex * ex + ey * ey + ez * ez - s[7] * s[7])
            if h < 0:
                return FAR
            t = -b - np.sqrt(h)
            y = 0.0 if y <= 0 else baba
        if t < 1e-4:
            return FAR
        k = y / baba
        normal[0] = (ox + t * d[0] - bx * k) / s[7]
        normal[1] = (oy + t * d[1] - by * k) / s[7]
        normal[2] = (oz + t * d[2] - bz * k) / s[7]
        return t
    ux, uy, uz, vx, vy, vz = s[4], s[5], s[6], s[7], s[8], s[9]
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    size = np.sqrt(nx * nx + ny * ny + nz * nz)
    nx, ny, nz = nx / size, ny / size, nz / size
    slope = nx * d[0] + ny * d[1] + nz * d[2]
    if abs(slope) < 1e-9:
        return FAR
    t = (nx * (s[1] - o[0]) + ny * (s[2] - o[1]) + nz * (s[3] - o[2])) / slope
    if t < 1e-4:
        return FAR
    px, py, pz = o[0] + t * d[0] - s[1], o[1] + t * d[1] - s[2], o[2] + t * d[2] - s[3]
    u = (px * ux + py * uy + pz * uz) / (ux * ux + uy * uy + uz * uz)
    v = (px * vx + py * vy + pz * vz) / (vx * vx + vy * vy + vz * vz)
    if abs(u) > 1 or abs(v) > 1:
        return FAR
    sign = -1.0 if slope > 0 else 1.0
    normal[0], normal[1], normal[2] = nx * sign, ny * sign, nz * sign
    return t


@inline
def _passes(bounds: Any, o: Any, d: Any, reach: Any) -> Any:
    """True if a ray meets a box (2…8 of a group row) nearer than ``reach``."""
    near, far = 0.0, reach
    for a in range(3):
        v = d[a] if abs(d[a]) > 1e-12 else 1e-12
        t0, t1 = (bounds[2 + a] - o[a]) / v, (bounds[5 + a] - o[a]) / v
        near, far = max(near, min(t0, t1)), min(far, max(t0, t1))
    return near <= far


@inline
def _nearest(shapes: Any, groups: Any, o: Any, d: Any, normal: Any, trial: Any) -> Any:
    best, index = FAR, -1
    for q in range(groups.shape[0]):
        if not _passes(groups[q], o, d, best):
            continue
        for i in range(int(groups[q, 0]), int(groups[q, 1])):
            t = _hit(shapes[i], o, d, trial)
            if t < best:
                best, index = t, i
                normal[0], normal[1], normal[2] = trial[0], trial[1], trial[2]
    return best, index


@inline
def _shadow(shapes: Any, groups: Any, materials: Any, o: Any, d: Any, reach: Any, trial: Any, through: Any) -> None:
    """What share of light comes ``reach`` far along a ray, per channel: glass tints it, matter stops it."""
    through[0], through[1], through[2] = 1.0, 1.0, 1.0
    for q in range(groups.shape[0]):
        if not _passes(groups[q], o, d, reach):
            continue
        for i in range(int(groups[q, 0]), int(groups[q, 1])):
            m = materials[int(shapes[i, 11])]
            if m[6] == 3:
                continue
            if _hit(shapes[i], o, d, trial) < reach:
                if m[6] != 1:
                    through[0], through[1], through[2] = 0.0, 0.0, 0.0
                    return
                for c in range(3):
                    through[c] *= 0.35 + 0.6 * m[c]


@inline
def _noise(x: Any, y: Any) -> Any:
    """A value in 0…1 that only depends on two whole numbers."""
    v = np.sin(x * 127.1 + y * 311.7) * 43758.5453
    return v - np.floor(v)


@inline
def _albedo(m: Any, s: Any, p: Any, n: Any, chart: Any, out: Any) -> None:
    texture = int(m[8])
    out[0], out[1], out[2] = m[0], m[1], m[2]
    if texture == 1:
        across = p[0] if abs(n[2]) > 0.5 else p[2]
        row = np.floor(p[1] / 0.16)
        column = across / 0.42 + 0.5 * (row % 2)
        fx, fy = column - np.floor(column), p[1] / 0.16 - row
        shade = 0.65 + 0.6 * _noise(np.floor(column), row)
        if fx < 0.05 or fy < 0.11:
            out[0], out[1], out[2] = 0.20, 0.19, 0.18
        else:
            for c in range(3):
                out[c] *= shade
    elif texture == 3:
        grain = 0.82 + 0.3 * _noise(np.floor(p[0] * 3.0), np.floor(p[2] * 120.0)) * _noise(np.floor(p[2] * 31.0), 7.0)
        for c in range(3):
            out[c] *= grain
    elif texture == 2:
        px, py, pz = p[0] - s[1], p[1] - s[2], p[2] - s[3]
        u = 0.5 + 0.5 * (px * s[4] + py * s[5] + pz * s[6]) / (s[4] ** 2 + s[5] ** 2 + s[6] ** 2)
        v = 0.5 - 0.5 * (px * s[7] + py * s[8] + pz * s[9]) / (s[7] ** 2 + s[8] ** 2 + s[9] ** 2)
        fx, fy = u * 6.3 - 0.15, v * 4.3 - 0.15
        cx, cy = int(np.floor(fx)), int(np.floor(fy))
        if 0 <= cx < 6 and 0 <= cy < 4 and 0.07 < fx - cx < 0.93 and 0.07 < fy - cy < 0.93:
            for c in range(3):
                out[c] = chart[cy * 6 + cx, c]
        else:
            out[0], out[1], out[2] = 0.03, 0.03, 0.03


@parallel
def trace(shapes: Any, groups: Any, materials: Any, lights: Any, chart: Any, camera: Any, ambient: Any, samples: Any, image: Any) -> None:
    """Fills image (H, W, 3) float32 with scene-linear light.

    groups (G, 8): first and last + 1 shape, and the box around them. lights: row numbers of emissive rectangles that
    are sampled; camera (13,): position, right, up, forward, half height. ambient (6,): light from below RGB, from above
    RGB.
    """
    height, width = image.shape[0], image.shape[1]
    for y in prange(height):
        o, d, n, trial = np.zeros(3), np.zeros(3), np.zeros(3), np.zeros(3)
        p, ld, albedo, through, through2 = np.zeros(3), np.zeros(3), np.zeros(3), np.zeros(3), np.zeros(3)
        state = np.zeros(1, np.uint32)
        for x in range(width):
            state[0] = np.uint32((y * 9781 + x * 6271 + 26699) * 2654435 % 4294967291 + 1)
            for _ in range(4):
                _random(state)
            total_r, total_g, total_b = 0.0, 0.0, 0.0
            for sample in range(samples):
                jx = (sample % 4 + _random(state)) / 4 if samples >= 16 else _random(state)
                jy = ((sample // 4) % 4 + _random(state)) / 4 if samples >= 16 else _random(state)
                sx = (2 * (x + jx) - width) / height * camera[12]
                sy = (height - 2 * (y + jy)) / height * camera[12]
                size = np.sqrt(sx * sx + sy * sy + 1)
                for c in range(3):
                    o[c] = camera[c]
                    d[c] = (sx * camera[3 + c] + sy * camera[6 + c] + camera[9 + c]) / size
                through[0], through[1], through[2] = 1.0, 1.0, 1.0
                r, g, b = 0.0, 0.0, 0.0
                for _bounce in range(6):
                    t, index = _nearest(shapes, groups, o, d, n, trial)
                    if index < 0:
                        k = 0.5 + 0.5 * d[1]
                        r += through[0] * (ambient[0] + k * (ambient[3] - ambient[0]))
                        g += through[1] * (ambient[1] + k * (ambient[4] - ambient[1]))
                        b += through[2] * (ambient[2] + k * (ambient[5] - ambient[2]))
                        break
                    s = shapes[index]
                    m = materials[int(s[11])]
                    kind = int(m[6])
                    if kind == 3:
                        r += through[0] * m[3]
                        g += through[1] * m[4]
                        b += through[2] * m[5]
                        break
                    for c in range(3):
                        p[c] = o[c] + t * d[c]
                    facing = d[0] * n[0] + d[1] * n[1] + d[2] * n[2]
                    fresnel = 0.04 + 0.96 * (1 - min(abs(facing), 1.0)) ** 5
                    if kind == 1:
                        if _random(state) < fresnel:
                            for c in range(3):
                                d[c] -= 2 * facing * n[c]
                        else:
                            # A thin body: light bends towards the axis and is tinted by the way it goes through.
                            way = 0.25 + 1.3 * abs(facing)
                            bend = 0.16 * (1 - abs(facing))
                            length = 0.0
                            for c in range(3):
                                through[c] *= max(m[c], 1e-4) ** way
                                d[c] -= bend * n[c] * (-1.0 if facing < 0 else 1.0)
                                length += d[c] * d[c]
                            length = np.sqrt(length)
                            r += through[0] * m[3]
                            g += through[1] * m[4]
                            b += through[2] * m[5]
                            for c in range(3):
                                d[c] /= length
                        for c in range(3):
                            o[c] = p[c] + 2e-3 * d[c]
                        continue
                    if kind == 2:
                        for c in range(3):
                            d[c] += -2 * facing * n[c] + m[7] * (_random(state) - 0.5)
                            through[c] *= m[c]
                        size = np.sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
                        for c in range(3):
                            d[c] /= size
                            o[c] = p[c] + 1e-3 * n[c]
                        continue
                    _albedo(m, s, p, n, chart, albedo)
                    for c in range(3):
                        o[c] = p[c] + 1e-3 * n[c]
                    # Light that comes from everywhere, less what stands close by.
                    length = 0.0
                    for c in range(3):
                        ld[c] = n[c] + 0.95 * (2 * _random(state) - 1)
                        length += ld[c] * ld[c]
                    length = np.sqrt(length)
                    for c in range(3):
                        ld[c] /= length
                    open_sky = 1.0
                    near, _found = _nearest(shapes, groups, o, ld, trial, through2)
                    if near < 1.2:
                        open_sky = 0.25 + 0.75 * near / 1.2
                    k = 0.5 + 0.5 * n[1]
                    er = open_sky * (ambient[0] + k * (ambient[3] - ambient[0]))
                    eg = open_sky * (ambient[1] + k * (ambient[4] - ambient[1]))
                    eb = open_sky * (ambient[2] + k * (ambient[5] - ambient[2]))
                    for q in range(lights.shape[0]):
                        light = shapes[lights[q]]
                        lm = materials[int(light[11])]
                        u, v = 2 * _random(state) - 1, 2 * _random(state) - 1
                        reach = 0.0
                        for c in range(3):
                            ld[c] = light[1 + c] + u * light[4 + c] + v * light[7 + c] - o[c]
                            reach += ld[c] * ld[c]
                        reach = np.sqrt(reach)
                        cosine, back = 0.0, 0.0
                        nx = light[5] * light[9] - light[6] * light[8]
                        ny = light[6] * light[7] - light[4] * light[9]
                        nz = light[4] * light[8] - light[5] * light[7]
                        area = np.sqrt(nx * nx + ny * ny + nz * nz)
                        for c in range(3):
                            ld[c] /= reach
                            cosine += ld[c] * n[c]
                        back = abs(ld[0] * nx + ld[1] * ny + ld[2] * nz) / area
                        if cosine <= 0:
                            continue
                        _shadow(shapes, groups, materials, o, ld, reach - 1e-3, trial, through2)
                        weight = cosine * back * 4 * area / (np.pi * reach * reach + area)
                        er += weight * lm[9] * through2[0]
                        eg += weight * lm[10] * through2[1]
                        eb += weight * lm[11] * through2[2]
                        if m[7] > 0:
                            half, size = 0.0, 0.0
                            for c in range(3):
                                hc = ld[c] - d[c]
                                half += hc * n[c]
                                size += hc * hc
                            shine = m[7] * (max(half, 0.0) / np.sqrt(size + 1e-9)) ** 60 * weight * 3
                            r += through[0] * shine * lm[9] * through2[0]
                            g += through[1] * shine * lm[10] * through2[1]
                            b += through[2] * shine * lm[11] * through2[2]
                    r += through[0] * albedo[0] * er
                    g += through[1] * albedo[1] * eg
                    b += through[2] * albedo[2] * eb
                    break
                total_r += r
                total_g += g
                total_b += b
            image[y, x, 0] = total_r / samples
            image[y, x, 1] = total_g / samples
            image[y, x, 2] = total_b / samples
