"""Everything of a bench as one file, checked when it is written and before it replaces anything.

A zip with the whole database (pictures and logs lie in it) and a manifest with its digest and its schema. It is written
beside the running bench (SQLite's online backup), and restored into it likewise, after the bench as it stands was kept.
"""

from __future__ import annotations

import json
import sqlite3
import tempfile
import zipfile
from collections.abc import Callable, Iterable
from contextlib import closing
from datetime import datetime
from hashlib import sha256
from pathlib import Path
from typing import BinaryIO

FORMAT = "hermotrope-backup/1"
DATABASE, MANIFEST = "bench.sqlite3", "manifest.json"
PHONES = "phones_phone"
"""The table of paired phones."""
FOLDER = "backups"
KEPT = 5
"""Backups that are made by themselves; older ones are removed."""
LARGEST_BYTES = 20_000_000_000
CHUNK = 1 << 20
CHECKED_BYTES = 500_000_000
"""A larger database is only opened at the start, not read through."""


class BackupError(Exception):
    """A backup that cannot be written, or a file that is none; the message says what to do."""


def write(database: Path, target: Path) -> None:
    """Put the whole bench into one file and read it back. Raises `BackupError`; a file that was there stays then."""
    if not database.exists():
        raise BackupError(f"there is no bench in {database.parent}")
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryDirectory(dir=target.parent) as folder:
            copy, made = Path(folder) / DATABASE, Path(folder) / "backup.zip"
            with closing(sqlite3.connect(database, timeout=60)) as now, closing(sqlite3.connect(copy)) as there:
                now.backup(there)
                there.execute("PRAGMA journal_mode=DELETE")
            manifest = {
                "format": FORMAT,
                "made_at": datetime.now().astimezone().isoformat(timespec="seconds"),
                "sha256": _digest(copy),
                "schema": sorted(schema(copy)),
            }
            with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED, compresslevel=6) as packed:
                packed.write(copy, DATABASE)
                packed.writestr(MANIFEST, json.dumps(manifest, indent=1))
            with closing(sqlite3.connect(copy)) as there:
                _sound(there)
            unpack(made, Path(folder) / "again.sqlite3")
            made.replace(target)
    except (OSError, sqlite3.Error) as error:
        raise BackupError(f"the backup was not written: {error}") from None


def unpack(source: Path | BinaryIO, target: Path) -> set[tuple[str, str]]:
    """Take the database out of a backup and check it; its schema. Raises `BackupError`."""
    try:
        with zipfile.ZipFile(source) as packed:
            names = {one.filename: one.file_size for one in packed.infolist()}
            if set(names) != {DATABASE, MANIFEST} or names[MANIFEST] > CHUNK or names[DATABASE] > LARGEST_BYTES:
                raise BackupError("that file is no backup of a bench")
            manifest = json.loads(packed.read(MANIFEST))
            if not isinstance(manifest, dict) or manifest.get("format") != FORMAT:
                raise BackupError(f"that file is no {FORMAT}")
            with packed.open(DATABASE) as stored, target.open("wb") as out:
                while chunk := stored.read(CHUNK):
                    out.write(chunk)
        if _digest(target) != manifest.get("sha256"):
            raise BackupError("the backup is damaged: its contents are not what was written")
        with closing(sqlite3.connect(target)) as there:
            _sound(there)
        return schema(target)
    except (OSError, zipfile.BadZipFile, ValueError, KeyError, EOFError, NotImplementedError, RuntimeError) as error:
        raise BackupError(f"that file is no backup of a bench, or it is damaged ({error})") from None
    except sqlite3.Error as error:
        raise BackupError(f"the bench in that backup is damaged: {error}") from None


def restore(source: Path | BinaryIO, database: Path, known: Iterable[tuple[str, str]]) -> Path | None:
    """Replace the bench by the one in a backup; the bench as it stood is kept, and its file is given back.

    `known` is the schema of this program: a backup of a newer one is refused. Raises `BackupError`; nothing is changed
    then. Phones that were paired when it was made are strangers: one that was ended since does not come back by it.
    """
    database.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=database.parent) as folder:
        copy = Path(folder) / DATABASE
        newer = unpack(source, copy) - set(known)
        if newer:
            raise BackupError(f"that backup was made by a newer Hermotrope ({_listed(newer)}): update this one first")
        _without_phones(copy)
        kept = None
        if database.exists():
            kept = name_for(database, "before-restore")
            try:
                write(database, kept)
            except BackupError:  # what stands is damaged: it is put aside as it is
                kept = kept.with_suffix(".damaged")
                kept.parent.mkdir(parents=True, exist_ok=True)
                database.replace(kept)
                for end in ("-wal", "-shm"):
                    Path(f"{database}{end}").unlink(missing_ok=True)
        try:
            with closing(sqlite3.connect(copy)) as there, closing(sqlite3.connect(database, timeout=60)) as now:
                there.backup(now)
        except sqlite3.Error as error:
            raise BackupError(f"the bench was not replaced: {error}") from None
    return kept


def _without_phones(database: Path) -> None:
    with closing(sqlite3.connect(database)) as there, there:
        if there.execute("SELECT 1 FROM sqlite_master WHERE name = ?", (PHONES,)).fetchone():
            there.execute(f"DELETE FROM {PHONES}")  # our own name


def by_itself(database: Path, why: str) -> Path:
    """A backup beside the bench, before something that may go wrong; the last few of them are kept."""
    made = name_for(database, why)
    write(database, made)
    for old in kept_by_itself(database)[KEPT:]:
        old.unlink(missing_ok=True)
    return made


def kept_by_itself(database: Path) -> list[Path]:
    """Backups beside the bench, the newest first."""
    found = (database.parent / FOLDER).glob("*.zip")
    return sorted(found, key=lambda one: (one.stat().st_mtime_ns, one.name), reverse=True)


def name_for(database: Path, why: str) -> Path:
    """A file for a backup that is made by itself, by its moment."""
    stamp = datetime.now().strftime("%Y%m%d-%H%M%S")
    wanted = database.parent / FOLDER / f"{stamp}-{why}.zip"
    number = 1
    while wanted.exists():
        number += 1
        wanted = wanted.with_name(f"{stamp}-{why}-{number}.zip")
    return wanted


def schema(database: Path) -> set[tuple[str, str]]:
    """The migrations that a database has. Raises sqlite3.Error for what is no bench."""
    with closing(sqlite3.connect(database)) as there:
        return set(there.execute("SELECT app, name FROM django_migrations"))


def examined(database: Path, known: Iterable[tuple[str, str]]) -> None:
    """Look at a bench before it is opened. Raises `BackupError` with the way back where it is damaged, or too new."""
    if not database.exists() or database.stat().st_size == 0:
        return
    try:
        with closing(sqlite3.connect(database, timeout=20)) as there:
            if database.stat().st_size <= CHECKED_BYTES:
                _sound(there)
            has = {row[0] for row in there.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
        newer = schema(database) - set(known) if "django_migrations" in has else set()
    except sqlite3.OperationalError as error:
        if "locked" in str(error) or "unable to open" in str(error):
            raise BackupError(f"the bench in {database} cannot be opened: {error}") from None
        raise BackupError(_way_back(database, error)) from None
    except sqlite3.Error as error:
        raise BackupError(_way_back(database, error)) from None
    if newer:
        raise BackupError(
            f"the bench in {database.parent} was kept by a newer Hermotrope ({_listed(newer)}): update this one"
        )


def _way_back(database: Path, error: Exception) -> str:
    last = next(iter(kept_by_itself(database)), None)
    way = f"./hermotrope restore {last}" if last else "./hermotrope restore FILE, if there is a backup elsewhere"
    last_line = str(error).splitlines()[-1] if str(error) else "unreadable"
    return f"the bench in {database} is damaged ({last_line}). The way back: {way}; the damaged one is kept beside it."


def _sound(there: sqlite3.Connection) -> None:
    told = [row[0] for row in there.execute("PRAGMA quick_check(3)")]
    if told != ["ok"]:
        raise sqlite3.DatabaseError("; ".join(told))


def _digest(file: Path) -> str:
    made = sha256()
    with file.open("rb") as there:
        while chunk := there.read(CHUNK):
            made.update(chunk)
    return made.hexdigest()


def _listed(rows: Iterable[tuple[str, str]]) -> str:
    return ", ".join(f"{app} {name}" for app, name in sorted(rows)[:3])


Migrate = Callable[[], None]


def upgraded(database: Path, migrate: Migrate) -> Path:
    """Keep a backup, then bring the schema up to date. Raises `BackupError` where that fails; nothing changed then."""
    made = by_itself(database, "before-upgrade")
    try:
        migrate()
    except Exception as error:
        with tempfile.TemporaryDirectory(dir=database.parent) as folder:
            copy = Path(folder) / DATABASE
            unpack(made, copy)
            with closing(sqlite3.connect(copy)) as there, closing(sqlite3.connect(database, timeout=60)) as now:
                there.backup(now)
        raise BackupError(f"the bench was not upgraded, and is as it was ({error}); its copy is {made}") from error
    return made
