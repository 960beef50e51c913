"""Backups while the server runs: the database as it stood at one moment, and every file by its hash.

A folder of backups holds ``objects`` (each content once) and one folder for each backup: the database, the secret, and
``manifest.json`` with every file's name, size and SHA-256. Registered footage stays where it lies and is not in it.
Source: SQLite's online backup API (sqlite.org/backup.html), which copies a consistent state beside writers.
"""

from __future__ import annotations

import datetime
import json
import shutil
import sqlite3
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path as FilePath

from upwelling.core.errors import BadValue
from upwelling.core.files import digest_of, whole_file
from upwelling.core.strict_json import BadJson, read_json

VERSION = 1
DATABASE, SECRET, MANIFEST = "upwelling.sqlite3", "secret", "manifest.json"
LEFT_OUT = ("working", "thumbnails")
"""Folders of files that are made again when they are wanted."""
LARGEST, MOST = 512 * 2**20, 10_000_000
"""Bytes and values of a manifest."""


@dataclass(frozen=True)
class Backup:
    """What one backup holds."""

    place: FilePath
    files: int
    new: int
    size: int


def back_up(data: FilePath, files: FilePath, target: FilePath) -> Backup:
    """Makes a backup of a data folder under ``target``; raises BadValue, or OSError where the disk has no room."""
    if not (data / DATABASE).exists():
        raise BadValue(f"There is no database in {data}; set UPWELLING_DATA to the folder that holds it.")
    if target.resolve().is_relative_to(files.resolve()):
        raise BadValue("A backup cannot lie among the files that it copies.")
    name = f"{datetime.datetime.now(datetime.UTC):%Y-%m-%d %H%M%S.%f}"
    unfinished, place = target / f".part-{name}", target / name
    (target / "objects").mkdir(mode=0o700, parents=True, exist_ok=True)
    unfinished.mkdir(mode=0o700)
    try:
        _copy_database(data / DATABASE, unfinished / DATABASE)
        if (data / SECRET).exists():
            shutil.copyfile(data / SECRET, unfinished / SECRET)
        listed, new, size = _copy_files(files, target / "objects")
        manifest = {"upwelling_backup": VERSION, "made": name, "files": listed}
        (unfinished / MANIFEST).write_text(json.dumps(manifest, indent=1), encoding="utf-8")
        unfinished.rename(place)
    finally:
        shutil.rmtree(unfinished, ignore_errors=True)
    return Backup(place, len(listed), new, size)


def _copy_database(source: FilePath, target: FilePath) -> None:
    with closing(sqlite3.connect(source, timeout=60)) as live, closing(sqlite3.connect(target)) as copy:
        live.backup(copy)
        (said,) = copy.execute("PRAGMA quick_check").fetchone()
        copy.execute("PRAGMA journal_mode=DELETE")
    if said != "ok":
        raise BadValue(f"The database is damaged ({said}); restore the last backup that was not.")


def _copy_files(files: FilePath, objects: FilePath) -> tuple[dict[str, list[object]], int, int]:
    """Every file that is not half-written, copied where its content is new; files come before the rows that name them,
    so the database copied first names none that is missing.
    """
    listed: dict[str, list[object]] = {}
    new = size = 0
    for place in _kept(files):
        try:
            digest, length = digest_of([place])
            target = objects / digest[:2] / digest
            if not target.exists():
                target.parent.mkdir(mode=0o700, exist_ok=True)
                with whole_file(target) as temporary:
                    shutil.copyfile(place, temporary)
                new += 1
        except FileNotFoundError:
            continue  # removed meanwhile, with its row
        listed[place.relative_to(files).as_posix()] = [length, digest]
        size += length
    return listed, new, size


def _kept(files: FilePath) -> Iterator[FilePath]:
    for place in sorted(files.rglob("*")) if files.is_dir() else ():
        inside = place.relative_to(files).parts
        if inside[0] not in LEFT_OUT and not any(part.startswith(".part-") for part in inside) and place.is_file():
            yield place


def restore(backup: FilePath, data: FilePath) -> Backup:
    """Lays a backup out in an empty data folder, each file checked against its hash; raises BadValue and leaves the
    folder as it was.
    """
    if (data / DATABASE).exists():
        raise BadValue(f"{data} holds a database already. Restore into an empty folder, or move that one away.")
    try:
        manifest = read_json((backup / MANIFEST).read_bytes(), largest=LARGEST, most=MOST)
        listed = {str(name): (int(entry[0]), str(entry[1])) for name, entry in manifest["files"].items()}
    except (OSError, BadJson, KeyError, TypeError, ValueError, AttributeError, IndexError) as error:
        raise BadValue(f"{backup} is no backup: its {MANIFEST} cannot be read ({error}).") from None
    if manifest.get("upwelling_backup") != VERSION:
        raise BadValue(f"{backup} is of another version ({manifest.get('upwelling_backup')}); this reads {VERSION}.")
    data.mkdir(mode=0o700, parents=True, exist_ok=True)
    size = 0
    for name, (length, digest) in listed.items():
        place = (data / "files" / name).resolve()
        if not place.is_relative_to((data / "files").resolve()) or not digest.isalnum():
            raise BadValue(f"{backup} names a file outside its folder ({name[:80]}); it was tampered with.")
        place.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        source = backup.parent / "objects" / digest[:2] / digest
        try:
            with whole_file(place) as temporary:
                shutil.copyfile(source, temporary)
                found = digest_of([temporary])
        except FileNotFoundError:
            raise BadValue(f"{name} is missing from the backup’s objects.") from None
        if found != (digest, length):
            raise BadValue(f"{name} is not what was backed up: its hash differs. Take another backup.")
        size += length
    if (backup / SECRET).exists():
        with whole_file(data / SECRET) as temporary:
            shutil.copyfile(backup / SECRET, temporary)
    with whole_file(data / DATABASE) as temporary:  # last: a folder with a database is a whole one
        shutil.copyfile(backup / DATABASE, temporary)
    return Backup(data, len(listed), len(listed), size)
