"""Commands that keep the web application's data: backup, restore and doctor, run on the machine that holds it."""

from __future__ import annotations

import argparse
import os
from pathlib import Path as FilePath
from typing import Any

from upwelling.core.count_of import count_of


def add_commands(commands: Any) -> None:
    """Declares backup, restore and doctor."""
    backup = commands.add_parser("backup", help="copies the data folder while the server runs; each content once")
    backup.add_argument("folder", metavar="FOLDER", type=FilePath, help="where backups are kept")
    backup.set_defaults(run=_backup)
    restore = commands.add_parser("restore", help="lays a backup out in an empty data folder (UPWELLING_DATA)")
    restore.add_argument("backup", metavar="BACKUP", type=FilePath, help="one backup: FOLDER and the time it was made")
    restore.set_defaults(run=_restore)
    doctor = commands.add_parser("doctor", help="examines the data folder and says what is wrong and what to do")
    doctor.add_argument("--hashes", action="store_true", help="reads every file that is kept, to tell changed ones")
    doctor.set_defaults(run=_doctor)


def _settings() -> Any:
    os.umask(0o077)
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "upwelling.web.settings")
    from django.conf import settings

    return settings


def _backup(options: argparse.Namespace) -> int:
    settings = _settings()
    from upwelling.web.common.backup import back_up

    made = back_up(FilePath(settings.DATA), FilePath(settings.FILES), options.folder)
    print(f"{made.place}: {count_of(made.files, 'file')}, {made.size / 1e6:.1f} MB, {made.new} of them new.")
    return 0


def _restore(options: argparse.Namespace) -> int:
    data = FilePath(_settings().DATA)
    from upwelling.web.common.backup import restore

    # The settings make a secret of their own where they find none; the backup's takes its place.
    made = restore(options.backup, data)
    print(f"{made.place}: {count_of(made.files, 'file')}, {made.size / 1e6:.1f} MB, each as it was.")
    return 0


def _doctor(options: argparse.Namespace) -> int:
    """Exit 0: nothing is wrong; 1: something to know of; 2: something is in danger or gone."""
    _settings()
    import django

    django.setup()
    from upwelling.web.care.doctor import examine

    found = list(examine(hashes=options.hashes))
    for one in found:
        print(f"{'▲' if one.grave else '◆'} {one.what}\n  {one.do}")
    if not found:
        print("Nothing is wrong." + ("" if options.hashes else " With --hashes, every file is read as well."))
    return 2 if any(one.grave for one in found) else 1 if found else 0
