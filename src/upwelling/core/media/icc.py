"""What an ICC profile in a picture says, measured by driving it (imagecodecs' Little CMS), as primaries and a curve
that are known here.

Source: ICC.1:2022; colorants are compared in its connection space, XYZ under D50, each known white brought there by
Bradford.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import imagecodecs
import numpy as np

from upwelling.core.colour.primaries import PRIMARIES, adaptation_matrix, rgb_to_xyz
from upwelling.core.curves import CURVES
from upwelling.core.media.tags import ColourTags

D50 = (0.3457, 0.3585)
_CURVES = ("sRGB", "gamma 2.2", "gamma 2.4", "gamma 2.6", "BT.709", "linear", "PQ", "HLG")
LARGEST = 4 * 2**20
NEAR_XYZ, NEAR_LIGHT = 4e-3, 3e-3
"""How near colorants and curve must be to be called by name; profiles are written in 16 bit, with whites rounded in
several ways. Ours.
"""


@dataclass(frozen=True)
class Profile:
    """A profile's own name, and the primaries and curve it has, empty where they are none that is known here."""

    title: str
    primaries: str = ""
    curve: str = ""
    problem: str = ""

    @property
    def tags(self) -> ColourTags:
        """What it says as tags; nothing unless primaries and curve are both known."""
        return ColourTags(self.primaries, self.curve, "RGB", "full") if self.primaries and self.curve else ColourTags()

    def sentence(self) -> str:
        """What it says in one line."""
        name = f"ICC profile “{self.title}”" if self.title else "ICC profile"
        if self.problem:
            return f"{name}: {self.problem}"
        return (
            f"{name}: {self.primaries or 'primaries'} {'' if self.primaries else 'not known here '}with "
            f"{self.curve or 'a curve not known here'}"
        )


def read_profile(data: bytes) -> Profile:
    """The profile in bytes; one that cannot be used says so in ``problem``."""
    title = _title(data)
    if len(data) > LARGEST or len(data) < 132:
        return Profile(title, problem="its size is not a profile's; it is not used.")
    if data[16:20] != b"RGB ":
        return Profile(title, problem=f"it is for {data[16:20].decode('latin-1').strip()}, not RGB; it is not used.")
    try:
        xyz = _driven(data)
    except Exception:  # the library raises its own kinds on damaged profiles
        return Profile(title, problem="it is damaged; it is not used.")
    colorants, neutral = xyz[:3].T, xyz[3:]
    if np.abs(colorants.sum(axis=1) - neutral[-1]).max() > 0.01:
        return Profile(title, problem="it is made of tables, not of a matrix and curves; it is not used.")
    return Profile(title, _primaries(colorants), _curve(neutral[:, 1]))


def _driven(data: bytes) -> Any:
    """XYZ under D50 of full red, green, blue and of 65 neutral codes, through the profile."""
    ramp = np.linspace(0, 1, 65)
    codes = np.concatenate([np.eye(3), np.repeat(ramp[:, None], 3, axis=1)])[None]
    out = imagecodecs.cms_transform(
        codes,
        data,
        imagecodecs.cms_profile("xyz"),
        colorspace="rgb",
        outcolorspace="xyz",
        outdtype="f8",
        intent=imagecodecs.CMS.INTENT.RELATIVE_COLORIMETRIC,
    )
    return np.asarray(out, dtype=np.float64)[0]


def _primaries(colorants: Any) -> str:
    best, name = NEAR_XYZ, ""
    for member in PRIMARIES.values():
        wanted = adaptation_matrix(member.white, D50, "Bradford") @ rgb_to_xyz(member)
        error = float(np.abs(colorants - wanted).max())
        if error < best:
            best, name = error, member.name
    return name


def _curve(light: Any) -> str:
    codes = np.linspace(0, 1, len(light))
    best, found = NEAR_LIGHT, ""
    for name in _CURVES:
        wanted = np.asarray(CURVES[name].to_linear(codes))
        error = float(np.abs(light - wanted / wanted[-1]).max())
        if error < best:
            best, found = error, name
    return found


def _title(data: bytes) -> str:
    """The text of the “desc” tag, of either kind (ICC.1:2022 10.15; ICC.1:2001-04 6.5.17)."""
    try:
        for i in range(min(int.from_bytes(data[128:132], "big"), 100)):
            entry = data[132 + 12 * i : 144 + 12 * i]
            if entry[:4] != b"desc":
                continue
            at, size = int.from_bytes(entry[4:8], "big"), int.from_bytes(entry[8:12], "big")
            body = data[at : at + min(size, 4096)]
            if body[:4] == b"desc":
                return body[12 : 12 + int.from_bytes(body[8:12], "big")].split(b"\0")[0].decode("latin-1").strip()[:80]
            length, start = int.from_bytes(body[20:24], "big"), int.from_bytes(body[24:28], "big")
            return body[start : start + length].decode("utf-16-be", "ignore").strip("\0 ")[:80]
    except (ValueError, IndexError):
        pass
    return ""
