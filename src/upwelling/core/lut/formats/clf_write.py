"""The Common LUT Format, written. Its source stands with its reader, in clf.py."""

from __future__ import annotations

from xml.sax.saxutils import escape, quoteattr

from upwelling.core.lut.formats.clf import NAMESPACE, VERSION
from upwelling.core.lut.formats.cube import rows_text
from upwelling.core.lut.process import (
    CdlNode,
    ExponentNode,
    LogNode,
    LogParams,
    MatrixNode,
    Node,
    ProcessList,
    RangeNode,
    TableNode,
)
from upwelling.core.lut.table import Lut1D


def format_clf(process: ProcessList) -> str:
    """The XML text of a process list, all depths 32f."""
    about = "".join(f"  <Description>{escape(line)}</Description>\n" for line in process.comments)
    about += "".join(
        f"  <{kind}>{escape(text)}</{kind}>\n"
        for kind, text in (
            ("InputDescriptor", process.input_descriptor),
            ("OutputDescriptor", process.output_descriptor),
        )
        if text
    )
    body = "".join(_node_text(node) for node in process.nodes)
    return (
        f'<?xml version="1.0" encoding="UTF-8"?>\n<ProcessList xmlns="{NAMESPACE}" '
        f"id={quoteattr(process.identifier or 'upwelling')} "
        f'name={quoteattr(process.title or "table")} compCLFversion="{VERSION}">\n{about}{body}</ProcessList>\n'
    )


def _open(kind: str, attributes: str = "") -> str:
    return f'  <{kind} inBitDepth="32f" outBitDepth="32f"{attributes}>\n'


def _spelled(*values: float) -> str:
    return " ".join(f"{v:.10g}" for v in values)


def _spelled_9(values: list[float]) -> str:
    return " ".join(f"{v:.9g}" for v in values)


def sop_text(node: CdlNode, indent: str) -> str:
    """SOPNode and SatNode, as CLF and ASC CDL files hold them."""
    return (
        f"{indent}<SOPNode>\n{indent}  <Slope>{_spelled(*node.slope)}</Slope>\n{indent}  "
        f"<Offset>{_spelled(*node.offset)}</Offset>\n"
        f"{indent}  <Power>{_spelled(*node.power)}</Power>\n{indent}</SOPNode>\n"
        f"{indent}<SatNode>\n{indent}  <Saturation>{_spelled(node.saturation)}</Saturation>\n{indent}</SatNode>\n"
    )


def _node_text(node: Node) -> str:
    match node:
        case MatrixNode():
            offsets = any(row[3] for row in node.rows)
            rows = "".join("      " + _spelled(*(row if offsets else row[:3])) + "\n" for row in node.rows)
            return _open("Matrix") + f'    <Array dim="3 {4 if offsets else 3}">\n{rows}    </Array>\n  </Matrix>\n'
        case RangeNode():
            ends = zip(
                ("minInValue", "maxInValue", "minOutValue", "maxOutValue"),
                (node.low_in, node.high_in, node.low_out, node.high_out),
                strict=True,
            )
            body = "".join(f"    <{key}>{_spelled(value)}</{key}>\n" for key, value in ends if value is not None)
            return _open("Range", "" if node.clamp else ' style="noClamp"') + body + "  </Range>\n"
        case LogNode():
            return (
                _open("Log", f' style="{node.style}"')
                + "".join(_log_text(p, c) for c, p in zip("RGB", node.params, strict=True) if "To" in node.style)
                + "  </Log>\n"
            )
        case ExponentNode():
            rows = "".join(
                f'    <ExponentParams channel="{c}" exponent="{g:.10g}"'
                + (f' offset="{o:.10g}"' if node.style.startswith("mon") else "")
                + "/>\n"
                for c, g, o in zip("RGB", node.exponents, node.offsets, strict=True)
            )
            return _open("Exponent", f' style="{node.style}"') + rows + "  </Exponent>\n"
        case CdlNode():
            return _open("ASC_CDL", f' style="{node.style}"') + sop_text(node, "    ") + "  </ASC_CDL>\n"
        case TableNode():
            return _table_text(node)
    raise TypeError(f"No element for {type(node).__name__}.")


def _log_text(p: LogParams, channel: str) -> str:
    camera = (
        ""
        if p.break_lin is None
        else f' linSideBreak="{p.break_lin:.12g}"'
        + ("" if p.toe_slope is None else f' linearSlope="{p.toe_slope:.12g}"')
    )
    return (
        f'    <LogParams channel="{channel}" base="{p.base:.10g}" logSideSlope="{p.log_slope:.12g}" '
        f'logSideOffset="{p.log_offset:.12g}" '
        f'linSideSlope="{p.lin_slope:.12g}" linSideOffset="{p.lin_offset:.12g}"{camera}/>\n'
    )


def _table_text(node: TableNode) -> str:
    table = node.lut.table
    if isinstance(node.lut, Lut1D):
        if node.half:  # nine digits: entries for the smallest halfs are as small
            alike = bool((table == table[:, :1]).all())
            rows = "".join(f"{_spelled_9(row)}\n" for row in (table[:, :1] if alike else table).tolist())
            return (
                _open("LUT1D", ' halfDomain="true"')
                + f'    <Array dim="{node.lut.size} {1 if alike else 3}">\n{rows}    </Array>\n  </LUT1D>\n'
            )
        return (
            _open("LUT1D", ' interpolation="linear"')
            + f'    <Array dim="{node.lut.size} 3">\n{rows_text(table)}    </Array>\n  </LUT1D>\n'
        )
    n = node.lut.size
    return (
        _open("LUT3D", f' interpolation="{node.interpolation or "trilinear"}"')
        + f'    <Array dim="{n} {n} {n} 3">\n{rows_text(table.reshape(-1, 3))}    </Array>\n  </LUT3D>\n'
    )
