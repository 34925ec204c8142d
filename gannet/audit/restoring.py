"""Putting a backup in place: proved first, then in one step, with what was there kept whole."""

import json
import os
import shutil
import sqlite3
import tarfile
import tempfile
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from datetime import datetime
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import connection, connections
from django.db.migrations.loader import MigrationLoader
from django.utils import timezone

from gannet.audit.backup import (
    DATABASE,
    FILES,
    MANIFEST,
    BackupError,
    Manifest,
    about_database,
)
from gannet.audit.heads import note_restored
from gannet.audit.log import verify_rows
from gannet.audit.models import Event
from gannet.audit.running import InUse, using_data
from gannet.audit.safely import copied, digest_of, folder_to_disk
from gannet.web.database import database_file

_BEGINS = b"SQLite format 3\0"
_ROOM_TO_SPARE = 16 * 1024 * 1024


def check(source: str) -> str:
    """Prove a backup: every file by its digest, the database, the chain of its event log."""
    with _opened(source) as (folder, manifest):
        _prove(folder, manifest)
        chain = _chain_words(folder, manifest)
    made = datetime.fromisoformat(manifest.made_at)
    count = len(manifest.missing)
    missing = f" {count} were removed while it was made." if count else ""
    return (
        f"The backup of {made:%d %B %Y %H:%M} UTC is whole: {manifest.events} events{chain}, "
        f"{len(manifest.files)} files.{missing}"
    )


def restore(source: str) -> str:
    """Put a proved backup in place; what was there is kept beside it.

    Nothing is touched before everything that can fail has been done: the database is
    swapped in one step, and a crash before or after it leaves a whole one.
    """
    target = database_file()
    try:
        with using_data(alone=True), _opened(source) as (folder, manifest):
            _prove(folder, manifest)
            chain = _chain_words(folder, manifest)
            _check_room(folder, manifest, target)
            connections.close_all()
            incoming = target.with_name(f"{target.name}.incoming")
            with (folder / DATABASE).open("rb") as content:
                copied(content, incoming)
            try:
                kept = _set_aside(target)
                _bring_files(folder, manifest)
            except BaseException:
                incoming.unlink(missing_ok=True)
                raise
            incoming.replace(target)
            folder_to_disk(target.parent)
            note_restored(manifest.events, manifest.last_hash, timezone.now())
    except InUse as error:
        raise BackupError(str(error)) from error
    except OSError as error:
        raise BackupError(
            f"Nothing was changed: {error.strerror or error}. What was there is in place."
        ) from error
    was = f" What was there is in {kept.name}." if kept else ""
    return f"Restored {manifest.events} events{chain} and {len(manifest.files)} files.{was}"


@contextmanager
def _opened(source: str) -> Iterator[tuple[Path, Manifest]]:
    """The folder of a backup, unpacked beside it when it is one file."""
    path = Path(source).absolute()
    if path.is_dir():
        yield path, _manifest(path)
        return
    if not path.is_file():
        raise BackupError(f"There is no backup {source}.")
    if not tarfile.is_tarfile(path):
        raise BackupError(f"{source} is no backup of this version: it has no manifest.")
    folder = Path(tempfile.mkdtemp(prefix=".restore-", dir=path.parent))
    try:
        try:
            with tarfile.open(path) as tar:
                tar.extractall(folder, filter="data")
        except (tarfile.TarError, EOFError, OSError) as error:
            raise BackupError(f"{source} cannot be unpacked: {error}") from error
        yield folder, _manifest(folder)
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _manifest(folder: Path) -> Manifest:
    file = folder / MANIFEST
    if not file.is_file():
        raise BackupError("It has no manifest: it was not finished, or is no backup.")
    return Manifest.from_json(file.read_bytes())


def _prove(folder: Path, manifest: Manifest) -> None:
    for piece in manifest.pieces():
        file = folder / piece.name
        if not file.resolve().is_relative_to(folder.resolve()):
            raise BackupError(f"{piece.name} leads out of the backup.")
        if not file.is_file():
            raise BackupError(f"{piece.name} is missing from the backup.")
        if digest_of(file) != (piece.bytes, piece.sha256):
            raise BackupError(f"{piece.name} is not as it was when the backup was made.")
    about = about_database(folder / DATABASE)
    if (about["events"], about["last_hash"]) != (manifest.events, manifest.last_hash):
        raise BackupError("Its database is another one than its manifest tells of.")
    here = {piece.name.removeprefix(f"{FILES}/") for piece in manifest.files}
    lost = set(about["files"]) - here - set(manifest.missing)
    if lost:
        raise BackupError(f"{len(lost)} files that its database names are not in it.")


def _chain_words(folder: Path, manifest: Manifest) -> str:
    """What is to be said of the chain of a backup's event log; `BackupError` when it breaks."""
    loader = MigrationLoader(None)
    here = max(name for app, name in loader.disk_migrations if app == "audit")
    if manifest.migrations.get("audit") != here:
        return " (of another version: migrate it, then let verify check its chain)"
    _check_chain(folder / DATABASE)
    return " whose chain holds"


_FIELDS = tuple(Event._meta.concrete_fields)


def _check_chain(database: Path) -> None:
    """Read the event log of a database that is not the application's, and check its chain."""
    with closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as read:
        names = ", ".join(f'"{field.column}"' for field in _FIELDS)
        rows = read.execute(f"SELECT {names} FROM audit_event ORDER BY id")  # noqa: S608
        redacted = read.execute("SELECT id, facts FROM audit_event WHERE kind = 'redacted'")
        pairs = {(number, json.loads(facts).get("event")) for number, facts in redacted}
        _, broken = verify_rows((_event(row) for row in rows), pairs)
    if broken is not None:
        raise BackupError(f"Its event log breaks at event {broken.event_id}: {broken.because}.")


def _event(row: tuple[Any, ...]) -> Event:
    """An event as its model reads it from a row."""
    read = {}
    for field, value in zip(_FIELDS, row, strict=True):
        convert = getattr(field, "from_db_value", None)
        read[field.attname] = convert(value, None, connection) if convert else value
    return Event(**read)


def _check_room(folder: Path, manifest: Manifest, target: Path) -> None:
    root = Path(settings.MEDIA_ROOT)
    fresh = [one.bytes for one in manifest.files if not (root / _under(one.name)).exists()]
    needed = manifest.database.bytes + sum(fresh) + _ROOM_TO_SPARE
    free = shutil.disk_usage(target.parent).free
    if free < needed:
        raise BackupError(
            f"There is not enough room: {needed // 2**20:,} MB are needed and "
            f"{free // 2**20:,} MB are free. Nothing was changed."
        )


def _under(name: str) -> str:
    return name.removeprefix(f"{FILES}/")


def _set_aside(target: Path) -> Path | None:
    """A whole copy of the database that is replaced, its write-ahead log included."""
    if not target.exists():
        return None
    stamp = f"{timezone.now():%Y%m%d-%H%M%S}"
    kept = target.with_name(f"{target.stem}.before-restore-{stamp}{target.suffix}")
    try:
        # What is no database is not opened: that would throw its log away.
        with target.open("rb") as content:
            if content.read(len(_BEGINS)) != _BEGINS:
                raise sqlite3.DatabaseError("file is not a database")
        _take_in_log(target)
    except sqlite3.DatabaseError as error:
        if "locked" in str(error) or "busy" in str(error):
            raise BackupError(
                "Something else has the database open: close it first. Nothing was changed."
            ) from error
        # Damaged: it is kept as it is, with its log.
        for ending in ("-wal", "-shm"):
            with suppress(FileNotFoundError):
                Path(f"{target}{ending}").rename(f"{kept}{ending}")
    try:
        os.link(target, kept)
    except OSError:
        with target.open("rb") as content:
            copied(content, kept)
    folder_to_disk(target.parent)
    return kept


def _take_in_log(target: Path) -> None:
    """Bring what is in the write-ahead log into the database, and see that nobody has it open.

    Leaving WAL mode needs the database alone; it does both, or fails and changes nothing.
    """
    with closing(sqlite3.connect(target, timeout=2, isolation_level=None)) as live:
        live.execute("PRAGMA busy_timeout = 2000")
        (mode,) = live.execute("PRAGMA journal_mode=DELETE").fetchone()
        if mode != "delete":
            raise sqlite3.OperationalError("database is locked")


def _bring_files(folder: Path, manifest: Manifest) -> None:
    """Files are only added: their names are never used twice, and no other is touched."""
    root = Path(settings.MEDIA_ROOT)
    for piece in manifest.files:
        target = root / _under(piece.name)
        if target.exists() and digest_of(target) == (piece.bytes, piece.sha256):
            continue
        with (folder / piece.name).open("rb") as content:
            copied(content, target)
        target.chmod(0o600)
