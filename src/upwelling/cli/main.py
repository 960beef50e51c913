"""The command line: a thin layer over core. Exit 0: done or holds; 1: does not hold; 2: cannot be done or told."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence

from upwelling.cli import accounts, backups, cuts, deliver, footage, luts, matching, pictures
from upwelling.core.errors import UpwellingError


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> None:  # type: ignore[override]
        self.exit(2, f"upwelling: {message} (see `{self.prog} --help`)\n")


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(
        prog="upwelling",
        description="From camera file to proved lookup table.",
        epilog="Names of encodings and outputs are listed by `upwelling encodings`, and matched in any case.",
    )
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND", parser_class=_Parser)
    luts.add_commands(commands)
    pictures.add_commands(commands)
    matching.add_commands(commands)
    footage.add_commands(commands)
    cuts.add_commands(commands)
    deliver.add_commands(commands)
    deliver.add_others(commands)
    accounts.add_commands(commands)
    backups.add_commands(commands)
    return parser


def main(arguments: Sequence[str] | None = None) -> int:
    """Runs one command and gives its exit code; every known error is one line on stderr."""
    options = _parser().parse_args(arguments)
    try:
        return int(options.run(options))
    except (UpwellingError, OSError) as error:
        sys.stderr.write(f"upwelling: {' '.join(str(error).split())}\n")
        return 2
    except KeyboardInterrupt:
        sys.stderr.write("upwelling: stopped; nothing half-written is left.\n")
        return 2


if __name__ == "__main__":
    raise SystemExit(main())
