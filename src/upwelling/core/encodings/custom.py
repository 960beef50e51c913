"""User-defined encodings: a data sheet's constants, a table of pairs, primaries by xy, or a maker's LUT."""

from __future__ import annotations

import base64
import math
import zlib
from functools import lru_cache
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field, ValidationError

from upwelling.core.colour.primaries import Primaries, primaries
from upwelling.core.curves import CURVES, curve
from upwelling.core.curves.base import Curve
from upwelling.core.curves.camera_log import CameraLog
from upwelling.core.curves.table import TableCurve
from upwelling.core.encodings.base import Encoding, Range
from upwelling.core.errors import BadValue
from upwelling.core.frozen import Frozen

_SOURCE = "Given by the production's technician"


class NamedCurve(Frozen):
    """One of the built-in curves."""

    kind: Literal["curve"] = "curve"
    name: str

    def curve(self) -> Curve:
        return curve(self.name)


class LogForm(Frozen):
    """The general camera log form of the Common LUT Format (Academy/ASC S-2014-006, Log, cameraLinToLog).

    code = log_slope·log_base(linear_slope·x + linear_offset) + log_offset above ``break_linear``; below it a straight
    line, by default the tangent at the break.
    """

    kind: Literal["log"] = "log"
    base: float = Field(2.0, gt=1, le=100)
    log_slope: float
    log_offset: float
    linear_slope: float = Field(gt=0)
    linear_offset: float
    break_linear: float
    toe_slope: float | None = Field(None, title="slope of the straight part")

    def curve(self) -> Curve:
        slope = self.log_slope / math.log2(self.base)
        inner = self.linear_slope * self.break_linear + self.linear_offset
        if slope <= 0:
            raise BadValue("The log side slope must be above 0, or the code would fall as the light rises.")
        if inner <= 0:
            raise BadValue(
                f"At the break ({self.break_linear:g}) the logarithm's inside is {inner:g}; it must be above 0. "
                "Raise the break or the linear side offset."
            )
        break_code = slope * math.log2(inner) + self.log_offset
        toe = slope * self.linear_slope / (inner * math.log(2)) if self.toe_slope is None else self.toe_slope
        if toe <= 0:
            raise BadValue(
                "The slope of the straight part must be above 0, or codes there could not be turned back to light."
            )
        return CameraLog(
            name="own curve",
            explanation="Camera log form with constants given by hand.",
            source=_SOURCE,
            log_slope=slope,
            log_offset=self.log_offset,
            linear_slope=self.linear_slope,
            linear_offset=self.linear_offset,
            break_linear=self.break_linear,
            break_code=break_code,
            toe_slope=toe,
            toe_offset=break_code - toe * self.break_linear,
        )


class TableForm(Frozen):
    """Pairs of code (0…1) and linear light; see TableCurve for interpolation and extrapolation."""

    kind: Literal["table"] = "table"
    code: tuple[float, ...] = Field(min_length=4, max_length=65536)
    light: tuple[float, ...] = Field(min_length=4, max_length=65536)

    def curve(self) -> Curve:
        return TableCurve(
            "own curve",
            "Monotone cubic through given pairs; beyond them straight on in arcsinh(light / 0.01).",
            _SOURCE,
            code=self.code,
            light=self.light,
        )


class MakerLut(Frozen):
    """A maker's LUT from the camera's code to a declared encoding. ``data`` is base64 of zlib of float32 entries."""

    kind: Literal["lut"] = "lut"
    dimensions: Literal[1, 3]
    size: int = Field(ge=2, le=65536)
    low: tuple[float, float, float] = (0.0, 0.0, 0.0)
    high: tuple[float, float, float] = (1.0, 1.0, 1.0)
    data: str = Field(repr=False)
    expects: Range = "full"
    gives: str
    gives_range: Range = "full"

    @classmethod
    def pack(cls, table: Any) -> str:
        """The ``data`` of a float32 table."""
        return base64.b64encode(zlib.compress(np.ascontiguousarray(table, dtype="<f4").tobytes(), 6)).decode()

    def table(self) -> Any:
        """The entries, (size, 3) or (size, size, size, 3) float32."""
        return _unpack(self.data, self.dimensions, self.size)


@lru_cache(maxsize=8)
def _unpack(data: str, dimensions: int, size: int) -> Any:
    shape = (size, 3) if dimensions == 1 else (size, size, size, 3)
    try:
        raw = zlib.decompressobj().decompress(base64.b64decode(data, validate=True), 4 * math.prod(shape) + 1)
        table = np.frombuffer(raw, "<f4").reshape(shape).astype(np.float32)
    except (ValueError, zlib.error):
        raise BadValue("The LUT of this encoding is damaged. Load the LUT file again.") from None
    table.setflags(write=False)
    return table


class OwnPrimaries(Frozen):
    """Primaries and white point by CIE 1931 xy."""

    red: tuple[float, float]
    green: tuple[float, float]
    blue: tuple[float, float]
    white: tuple[float, float]

    def primaries(self) -> Primaries:
        """Raises BadValue when no matrix follows from them."""
        (rx, ry), (gx, gy), (bx, by) = self.red, self.green, self.blue
        area = (gx - rx) * (by - ry) - (bx - rx) * (gy - ry)
        if abs(area) < 1e-4:
            raise BadValue(
                "The three primaries lie on one line, so no colour could be told from its RGB. Check the xy values."
            )
        if any(xy[1] == 0 for xy in (self.red, self.green, self.blue)) or self.white[1] <= 0:
            raise BadValue("A primary or the white point has y = 0, which no matrix can be made of.")
        inside = [
            ((q[0] - p[0]) * (self.white[1] - p[1]) - (q[1] - p[1]) * (self.white[0] - p[0])) * area > 0
            for p, q in ((self.red, self.green), (self.green, self.blue), (self.blue, self.red))
        ]
        if not all(inside):
            raise BadValue(
                "The white point lies outside the triangle of the primaries. Check the order red, green, blue."
            )
        return Primaries("own primaries", self.red, self.green, self.blue, self.white, _SOURCE)


CurveForm = Annotated[NamedCurve | LogForm | TableForm | MakerLut, Field(discriminator="kind")]


class CustomEncoding(Frozen):
    """A whole user-defined encoding, fit to travel inside a recipe."""

    name: str = Field(min_length=1, max_length=60)
    note: str = Field("", max_length=300)
    form: CurveForm
    primaries: str | OwnPrimaries = "BT.709"
    default_range: Range = "full"

    @classmethod
    def checked(cls, body: Any) -> CustomEncoding:
        """From plain data; raises BadValue with one sentence."""
        made = super().checked(body)
        made.report()
        return made

    @classmethod
    def refused(cls, error: ValidationError) -> str:
        first = error.errors()[0]
        place = [str(part).replace("_", " ") for part in first["loc"] if part not in ("form", "log", "table", "lut")]
        return f"{' '.join(place).capitalize() or 'Encoding'}: {first['msg'].removeprefix('Value error, ')}."

    def encoding(self) -> Encoding:
        """As an Encoding. A maker's LUT gives the encoding that its output is declared to be."""
        from upwelling.core.encodings import encoding

        if isinstance(self.form, MakerLut):
            return encoding(self.form.gives)
        space = primaries(self.primaries) if isinstance(self.primaries, str) else self.primaries.primaries()
        return Encoding(
            self.name,
            "own curve",
            space.name,
            self.note or "Defined in this production.",
            _SOURCE,
            default_range=self.default_range,
            own_curve=self.form.curve(),
            own_primaries=space,
        )

    def report(self) -> str:
        """The round trip as one sentence; raises BadValue when the definition cannot be used."""
        if isinstance(self.form, MakerLut):
            return _check_lut(self.form)
        made = self.encoding()
        codes = np.linspace(0, 1, 4097)
        light = made.curve.to_linear(codes)
        steps = np.diff(light)
        worst = int(np.argmin(steps))
        if not np.isfinite(light).all():
            raise BadValue("The curve gives values that are not finite within the code range. Check the constants.")
        if steps[worst] < -1e-4 * max(abs(float(light[worst])), 1e-3):
            raise BadValue(
                f"The light falls as the code rises at code {round(codes[worst] * 1023)} of 1023, so the curve cannot "
                "be turned round. Check the break point and the constants."
            )
        back = np.abs(made.curve.from_linear(light) - codes)
        place = int(np.argmax(back))
        if back[place] > 1e-3:
            raise BadValue(
                f"Code {round(codes[place] * 1023)} of 1023 comes back {back[place] * 1023:.1f} codes away after "
                "the round "
                "trip: the two parts of the curve do not meet at the break. Check break point and straight part."
            )
        worst_code = back[place] * 1023
        return "Round trip over the code range: " + (
            f"at most {worst_code:.2g} of a 10-bit code away."
            if worst_code > 1e-3
            else "within a thousandth of a 10-bit code."
        )


def _check_lut(form: MakerLut) -> str:
    from upwelling.core.encodings import encoding

    encoding(form.gives)
    table = form.table()
    if not np.isfinite(table).all():
        raise BadValue("The LUT holds values that are not numbers.")
    diagonal = table if form.dimensions == 1 else table[(np.arange(form.size),) * 3]
    mean = diagonal.mean(axis=1)
    steps = np.diff(mean)
    place = int(np.argmin(steps))
    if steps[place] < -1e-4:
        raise BadValue(
            f"Along neutral grey the LUT falls from entry {place + 1} to {place + 2}: brighter light would come out "
            "darker. This is not a camera's conversion; check that it is the right file."
        )
    if mean[-1] - mean[0] < 1e-3:
        raise BadValue("The LUT gives the same value from black to white.")
    flat = float(np.mean(steps < 1e-6))
    return f"Rises along neutral grey from {mean[0]:.4f} to {mean[-1]:.4f}" + (
        f"; {100 * flat:.0f} % of its entries repeat the one before, so light there is lost." if flat > 0.02 else "."
    )


__all__ = ["CURVES", "CustomEncoding", "LogForm", "MakerLut", "NamedCurve", "OwnPrimaries", "TableForm"]
