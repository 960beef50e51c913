"""A list of process nodes, as the Common LUT Format holds it, and how each is evaluated (float64; tables in float32).

Source: Academy/ASC, "A Common File Format for Look-Up Tables", S-2014-006, version 3.0: the formulas are those of its
clauses on Matrix, Range, Log, Exponent and ASC_CDL, written down from memory and held by hand-computed values and by
the ASC CDL v1.2 arithmetic elsewhere.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, Literal, Protocol, get_args

import numpy as np

from upwelling.core.arrays import Float32, Float64, as_rgb
from upwelling.core.lut.table import Interpolation, Lut1D, Lut3D, Triple

TINY = 1.175494e-38
"""The least argument of a logarithm: the smallest normal float32."""
LUMA = np.array([0.2126, 0.7152, 0.0722])
HALFS = 65536
"""Entries of a table over the half domain: one for each pattern of 16 bits."""


class Node(Protocol):
    """One process node, on values scaled so that 1.0 is full scale of any integer depth."""

    def apply(self, rgb: Float64, interpolation: Interpolation) -> Float64: ...


@dataclass(frozen=True)
class MatrixNode:
    """Rows of three coefficients and an offset."""

    rows: tuple[tuple[float, float, float, float], ...]

    def apply(self, rgb: Float64, interpolation: Interpolation) -> Float64:
        matrix = np.array(self.rows)
        return np.asarray(rgb @ matrix[:, :3].T + matrix[:, 3])


@dataclass(frozen=True)
class RangeNode:
    """Maps low_in…high_in to low_out…high_out, and holds the result there unless ``clamp`` is off. None:
    no such end.
    """

    low_in: float | None
    high_in: float | None
    low_out: float | None
    high_out: float | None
    clamp: bool = True

    def apply(self, rgb: Float64, interpolation: Interpolation) -> Float64:
        value = rgb
        if (
            self.low_in is not None
            and self.high_in is not None
            and self.low_out is not None
            and self.high_out is not None
        ):
            scale = (self.high_out - self.low_out) / (self.high_in - self.low_in)
            value = (rgb - self.low_in) * scale + self.low_out
        if not self.clamp:
            return value
        with_low = value if self.low_out is None else np.maximum(value, self.low_out)
        return np.asarray(with_low if self.high_out is None else np.minimum(with_low, self.high_out))


LogStyle = Literal["log10", "antiLog10", "log2", "antiLog2", "linToLog", "logToLin", "cameraLinToLog", "cameraLogToLin"]
LOG_STYLES = get_args(LogStyle)


@dataclass(frozen=True)
class LogParams:
    """One channel's constants; the break and the slope of its straight part belong to the camera styles."""

    base: float = 2.0
    log_slope: float = 1.0
    log_offset: float = 0.0
    lin_slope: float = 1.0
    lin_offset: float = 0.0
    break_lin: float | None = None
    toe_slope: float | None = None

    def toe(self) -> tuple[float, float, float]:
        """Slope and offset of the straight part, and the code where it meets the logarithm."""
        at = self.break_lin or 0.0
        inner = self.lin_slope * at + self.lin_offset
        code = self.log_slope * math.log(inner, self.base) + self.log_offset
        slope = (
            self.log_slope * self.lin_slope / (inner * math.log(self.base))
            if self.toe_slope is None
            else self.toe_slope
        )
        return slope, code - slope * at, code

    def forward(self, x: Float64, camera: bool) -> Float64:
        inner = np.maximum(self.lin_slope * x + self.lin_offset, TINY)
        log = self.log_slope * np.log(inner) / math.log(self.base) + self.log_offset
        if not camera:
            return np.asarray(log)
        slope, offset, _ = self.toe()
        return np.where(x > (self.break_lin or 0.0), log, slope * x + offset)

    def back(self, y: Float64, camera: bool) -> Float64:
        power = np.minimum((y - self.log_offset) / self.log_slope * math.log(self.base), 700.0)
        light = (np.exp(power) - self.lin_offset) / self.lin_slope
        if not camera:
            return np.asarray(light)
        slope, offset, code = self.toe()
        return np.where(y > code, light, (y - offset) / slope)


@dataclass(frozen=True)
class LogNode:
    """A logarithm or its inverse, with constants per channel."""

    style: LogStyle
    params: tuple[LogParams, LogParams, LogParams] = (LogParams(), LogParams(), LogParams())

    def apply(self, rgb: Float64, interpolation: Interpolation) -> Float64:
        match self.style:
            case "log10":
                return np.asarray(np.log10(np.maximum(rgb, TINY)))
            case "log2":
                return np.asarray(np.log2(np.maximum(rgb, TINY)))
            case "antiLog10":
                return np.asarray(10.0 ** np.minimum(rgb, 308.0))
            case "antiLog2":
                return np.asarray(np.exp2(np.minimum(rgb, 1023.0)))
        camera = self.style.startswith("camera")
        forward = self.style.endswith("ToLog")
        return np.stack(
            [(p.forward if forward else p.back)(rgb[..., c], camera) for c, p in enumerate(self.params)], axis=-1
        )


ExponentStyle = Literal[
    "basicFwd",
    "basicRev",
    "basicMirrorFwd",
    "basicMirrorRev",
    "basicPassThruFwd",
    "basicPassThruRev",
    "monCurveFwd",
    "monCurveRev",
    "monCurveMirrorFwd",
    "monCurveMirrorRev",
]
EXPONENT_STYLES = get_args(ExponentStyle)


@dataclass(frozen=True)
class ExponentNode:
    """A power, plain or with a straight part near black, with exponent and offset per channel."""

    style: ExponentStyle
    exponents: Triple
    offsets: Triple = (0.0, 0.0, 0.0)

    def apply(self, rgb: Float64, interpolation: Interpolation) -> Float64:
        return np.stack([self._channel(rgb[..., c], self.exponents[c], self.offsets[c]) for c in range(3)], axis=-1)

    def _channel(self, x: Float64, g: float, offset: float) -> Float64:
        forward, mirror = self.style.endswith("Fwd"), "Mirror" in self.style
        value = np.abs(x) if mirror else x
        if self.style.startswith("basic"):
            power = np.maximum(value, 0.0) ** (g if forward else 1 / g)
            out = np.where(value < 0, value, power) if "PassThru" in self.style else power
        else:
            out = self._with_toe(value, g, offset, forward)
        return np.asarray(np.sign(x) * out if mirror else out)

    @staticmethod
    def _with_toe(x: Float64, g: float, offset: float, forward: bool) -> Float64:
        if offset <= 0 or g <= 1:
            return np.asarray(np.maximum(x, 0.0) ** (g if forward else 1 / g))
        at_break = (offset * g / ((g - 1) * (1 + offset))) ** g
        slope = (g - 1) / offset * at_break
        if forward:
            return np.where(x >= offset / (g - 1), ((np.maximum(x, 0.0) + offset) / (1 + offset)) ** g, x * slope)
        return np.where(x >= at_break, (1 + offset) * np.maximum(x, 0.0) ** (1 / g) - offset, x / slope)


CdlStyle = Literal["Fwd", "Rev", "FwdNoClamp", "RevNoClamp"]
CDL_STYLES = get_args(CdlStyle)


@dataclass(frozen=True)
class CdlNode:
    """Slope, offset, power and saturation, ASC CDL v1.2."""

    slope: Triple = (1.0, 1.0, 1.0)
    offset: Triple = (0.0, 0.0, 0.0)
    power: Triple = (1.0, 1.0, 1.0)
    saturation: float = 1.0
    style: CdlStyle = "Fwd"

    def apply(self, rgb: Float64, interpolation: Interpolation) -> Float64:
        clamp = not self.style.endswith("NoClamp")
        slope, offset, power = np.array(self.slope), np.array(self.offset), np.array(self.power)

        def held(value: Float64) -> Float64:
            return np.clip(value, 0.0, 1.0) if clamp else value

        def raised(value: Float64, exponent: Float64) -> Float64:
            return np.where(value > 0, np.maximum(value, 1e-300) ** exponent, value)

        def saturated(value: Float64, amount: float) -> Float64:
            luma = (value @ LUMA)[..., None]
            return np.asarray(luma + amount * (value - luma))

        if self.style.startswith("Fwd"):
            return held(saturated(raised(held(rgb * slope + offset), power), self.saturation))
        value = held(saturated(held(rgb), 1 / self.saturation))
        return held((raised(value, 1 / power) - offset) / slope)


@dataclass(frozen=True, eq=False)
class TableNode:
    """A LUT1D or LUT3D; ``interpolation`` empty: as the receiver does it.

    ``half`` 1D tables are indexed by float16 bit patterns.
    """

    lut: Lut1D | Lut3D
    interpolation: Interpolation | None = None
    half: bool = False

    def apply(self, rgb: Float64, interpolation: Interpolation) -> Float64:
        if self.half:
            return self._by_half(rgb)
        return np.asarray(self.lut.apply(rgb, self.interpolation or interpolation), dtype=np.float64)

    def _by_half(self, rgb: Float64) -> Float64:
        value = np.clip(np.nan_to_num(rgb), -65504.0, 65504.0)
        near = value.astype(np.float16)
        away = np.where(value > near, np.inf, -np.inf).astype(np.float16)
        far = np.nextafter(near, away)
        far = np.where(np.isfinite(far), far, near)
        table = np.asarray(self.lut.table, dtype=np.float64)
        a = np.take_along_axis(table, near.view(np.uint16).reshape(-1, 3).astype(np.int64), axis=0).reshape(value.shape)
        b = np.take_along_axis(table, far.view(np.uint16).reshape(-1, 3).astype(np.int64), axis=0).reshape(value.shape)
        wide = far.astype(np.float64) - near.astype(np.float64)
        share = np.where(wide == 0, 0.0, (value - near.astype(np.float64)) / np.where(wide == 0, 1.0, wide))
        return np.asarray(a + share * (b - a))


@dataclass(frozen=True, eq=False)
class ProcessList:
    """Nodes in order, with what the file says of itself. ``title``, ``comments`` and ``size`` are as the other tables
    have them.

    ``notes``: what was passed over in reading it.
    """

    nodes: tuple[Node, ...]
    title: str = ""
    comments: tuple[str, ...] = ()
    input_descriptor: str = ""
    output_descriptor: str = ""
    identifier: str = ""
    notes: tuple[str, ...] = ()

    @property
    def size(self) -> int:
        """Points a side of the first cube, or 0 where there is none."""
        return next(
            (node.lut.size for node in self.nodes if isinstance(node, TableNode) and isinstance(node.lut, Lut3D)), 0
        )

    @property
    def kinds(self) -> tuple[str, ...]:
        """The nodes by their names in the format."""
        names = {MatrixNode: "Matrix", RangeNode: "Range", LogNode: "Log", ExponentNode: "Exponent", CdlNode: "ASC_CDL"}
        return tuple(
            ("LUT1D" if isinstance(node.lut, Lut1D) else "LUT3D") if isinstance(node, TableNode) else names[type(node)]
            for node in self.nodes
        )

    def apply(self, rgb: Any, interpolation: Interpolation = "trilinear", *, plain: bool = False) -> Float32:
        """Output of input (…, 3), float32. A LUT3D that names its interpolation keeps it."""
        value = as_rgb(rgb, dtype=np.float64)
        for node in self.nodes:
            value = node.apply(value, interpolation)
        return np.asarray(value, dtype=np.float32)
