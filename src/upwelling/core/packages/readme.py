"""The README of a package: what each table is, what it leaves out, and how it is set up and proved again."""

from __future__ import annotations

import datetime
from collections.abc import Sequence

from upwelling.core.packages.made import Made

SUMS = "SHA256SUMS"


def readme(title: str, production: str, who: str, made: Sequence[Made]) -> str:
    """The whole text."""
    lines = [
        title,
        "=" * len(title),
        "",
        *([f"Production: {production}"] if production else []),
        f"Made {datetime.datetime.now(datetime.UTC):%Y-%m-%d %H:%M} UTC by {who} with Upwelling",
        "",
    ]
    for one in made:
        lines += _table(one)
    problems = [one.problem for one in made if one.problem]
    if problems:
        lines += ["Not made:", *(f"  {text}" for text in problems), ""]
    lines += [
        "Setting up a receiver",
        "  test-pictures/ beside each table holds the 24-patch chart and a frame: 1 going in, 2 as it must come out, 3 "
        "as the modelled receiver",
        "  makes it. Send picture 1 through the device with the table loaded; what it shows must look like 2. A "
        "difference that is all over the",
        "  picture is a wrong range or interpolation; compare the settings above.",
        "",
        "Proving a table again",
        "  upwelling verify FILE   reads the certificate and frames beside it and tests the file anew.",
        f"  sha256sum -c {SUMS}   says whether every file is the one that was packed.",
        "",
    ]
    return "\n".join(lines)


def _table(one: Made) -> list[str]:
    if one.certificate is None:
        return []
    order = one.certificate.bake_order
    return [
        one.file,
        f"  for {one.receiver}: {one.certificate.summary}, {order.receiver.interpolation} interpolation",
        f"  takes {order.section.input_name(order.path)} code, {order.receiver.input_range} range; gives "
        f"{order.section.output_name(order.path)} code, {order.receiver.output_range} range",
        *(f"  leaves out {text}" for text in one.lost),
        f"  {one.certificate.verdict}: {one.certificate.metric} 99 % {one.certificate.overall.p99:.2f}, worst "
        f"place {one.certificate.hunted.delta_e:.2f}",
        *([f"  ◆ {one.note}"] if one.note else []),
        *(f"  ! {reason}" for reason in one.certificate.reasons_said),
        "",
    ]
