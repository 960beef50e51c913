"""Colour difference: CIELAB and CIEDE2000, ICtCp and ΔE ITP."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.curves.pq import PQ

_EPSILON, _KAPPA = 216 / 24389, 24389 / 27  # CIE 15:2018, 8.2.1.1


def xyz_to_lab(xyz: Any, white_xyz: Any) -> Float64:
    """CIELAB of XYZ (…, 3) relative to a white (3,); CIE 15:2018, equations 8.3…8.9."""
    ratio = np.asarray(xyz, dtype=np.float64) / np.asarray(white_xyz, dtype=np.float64)
    f = np.where(ratio > _EPSILON, np.cbrt(ratio), (_KAPPA * ratio + 16) / 116)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], axis=-1)


def delta_e_2000(lab_1: Any, lab_2: Any) -> Any:
    """CIEDE2000 of CIELAB pairs (…, 3), k_L = k_C = k_H = 1.

    Sharma, Wu, Dalal, "The CIEDE2000 color-difference formula: implementation notes, supplementary test data, and
    mathematical observations", Color Research & Application 30 (2005); the numbers in brackets are its equations.
    """
    l1, a1, b1 = np.moveaxis(np.asarray(lab_1, dtype=np.float64), -1, 0)
    l2, a2, b2 = np.moveaxis(np.asarray(lab_2, dtype=np.float64), -1, 0)
    c_mean = (np.hypot(a1, b1) + np.hypot(a2, b2)) / 2  # [2, 3]
    g = 0.5 * (1 - np.sqrt(c_mean**7 / (c_mean**7 + 25.0**7)))  # [4]
    a1, a2 = (1 + g) * a1, (1 + g) * a2  # [5]
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)  # [6]
    h1 = np.degrees(np.arctan2(b1, a1)) % 360  # [7]
    h2 = np.degrees(np.arctan2(b2, a2)) % 360
    grey = c1 * c2 == 0
    dh = h2 - h1  # [10]
    dh = np.where(dh > 180, dh - 360, np.where(dh < -180, dh + 360, dh))
    dh = np.where(grey, 0.0, dh)
    d_l, d_c = l2 - l1, c2 - c1  # [8, 9]
    d_h = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(dh) / 2)  # [11]
    l_mean, c_mean = (l1 + l2) / 2, (c1 + c2) / 2  # [12, 13]
    total, apart = h1 + h2, np.abs(h1 - h2)
    h_mean = np.where(apart <= 180, total / 2, np.where(total < 360, (total + 360) / 2, (total - 360) / 2))  # [14]
    h_mean = np.where(grey, total, h_mean)
    t = (
        1
        - 0.17 * np.cos(np.radians(h_mean - 30))
        + 0.24 * np.cos(np.radians(2 * h_mean))
        + 0.32 * np.cos(np.radians(3 * h_mean + 6))
        - 0.20 * np.cos(np.radians(4 * h_mean - 63))
    )  # [15]
    turn = 30 * np.exp(-(((h_mean - 275) / 25) ** 2))  # [16]
    r_c = 2 * np.sqrt(c_mean**7 / (c_mean**7 + 25.0**7))  # [17]
    off = (l_mean - 50) ** 2
    s_l = 1 + 0.015 * off / np.sqrt(20 + off)  # [18]
    s_c = 1 + 0.045 * c_mean  # [19]
    s_h = 1 + 0.015 * c_mean * t  # [20]
    r_t = -np.sin(np.radians(2 * turn)) * r_c  # [21]
    l_part, c_part, h_part = d_l / s_l, d_c / s_c, d_h / s_h
    return np.sqrt(np.maximum(l_part**2 + c_part**2 + h_part**2 + r_t * c_part * h_part, 0.0))  # [22]


# ITU-R BT.2100-2, table 7: crosstalked cone responses of BT.2020 light, and ICtCp of their PQ signals, over 4096.
RGB_TO_LMS = np.array([[1688, 2146, 262], [683, 2951, 462], [99, 309, 3688]]) / 4096
LMS_TO_ICTCP = np.array([[2048, 2048, 0], [6610, -13613, 7003], [17933, -17390, -543]]) / 4096


def ictcp(nits_2020: Any) -> Float64:
    """ICtCp of absolute BT.2020 light (…, 3) in cd/m²; light below 0 counts as none."""
    light = np.maximum(np.asarray(nits_2020, dtype=np.float64), 0.0) / 10000
    return np.asarray(PQ.from_linear(light @ RGB_TO_LMS.T) @ LMS_TO_ICTCP.T)


def delta_e_itp(ictcp_1: Any, ictcp_2: Any) -> Any:
    """ΔE ITP of ICtCp pairs (…, 3); Recommendation ITU-R BT.2124-0, annex 1: 720·√(ΔI² + ΔT² + ΔP²) with T = 0.5·Ct and
    P = Cp.

    The halving of Ct is squared with it: libraries that write 0.5·ΔCt² differ. 1 is about a just noticeable difference
    in the most critical state of adaptation.
    """
    first, second = np.asarray(ictcp_1, dtype=np.float64), np.asarray(ictcp_2, dtype=np.float64)
    i, t, p = np.moveaxis(first - second, -1, 0)
    return 720 * np.sqrt(i**2 + (0.5 * t) ** 2 + p**2)
