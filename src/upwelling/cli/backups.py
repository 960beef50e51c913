"""Commands that keep the web application's data: backup and restore, run on the machine that holds it."""

from __future__ import annotations

import argparse
import os
from pathlib import Path as FilePath
from typing import Any


def add_commands(commands: Any) -> None:
    """Declares backup and restore."""
    backup = commands.add_parser("backup", help="copies the data folder while the server runs; each content once")
    backup.add_argument("folder", metavar="FOLDER", type=FilePath, help="where backups are kept")
    backup.set_defaults(run=_backup)
    restore = commands.add_parser("restore", help="lays a backup out in an empty data folder (UPWELLING_DATA)")
    restore.add_argument("backup", metavar="BACKUP", type=FilePath, help="one backup: FOLDER and the time it was made")
    restore.set_defaults(run=_restore)


def _settings() -> Any:
    os.umask(0o077)
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "upwelling.web.settings")
    from django.conf import settings

    return settings


def _backup(options: argparse.Namespace) -> int:
    settings = _settings()
    from upwelling.web.common.backup import back_up

    made = back_up(FilePath(settings.DATA), FilePath(settings.FILES), options.folder)
    print(f"{made.place}: {made.files} files, {made.size / 1e6:.1f} MB, {made.new} of them new.")
    return 0


def _restore(options: argparse.Namespace) -> int:
    data = FilePath(_settings().DATA)
    from upwelling.web.common.backup import restore

    # The settings make a secret of their own where they find none; the backup's takes its place.
    made = restore(options.backup, data)
    print(f"{made.place}: {made.files} files, {made.size / 1e6:.1f} MB, each as it was.")
    return 0
