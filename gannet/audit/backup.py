"""Backup while running: the database as at one moment, every file it names, and a manifest.

A backup is a folder, or one file that ends in `.tar` with the same in it:

    gannet.sqlite3   the database
    files/…          attachments and pictures of articles, by the names that the database has
    heads.jsonl      the signed heads of the event log, if there are any
    manifest.json    what there is, with sizes and SHA-256; written last

What has no manifest is no backup. No key is in it: keep those apart.
"""

import io
import json
import shutil
import sqlite3
import tarfile
from collections.abc import Iterator
from contextlib import closing
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

from django.conf import settings
from django.utils import timezone

from gannet.audit.heads import heads_file
from gannet.audit.safely import copied, digest_of, folder_to_disk, written
from gannet.web.database import database_file

FORMAT = "gannet-backup/1"
DATABASE, FILES, HEADS, MANIFEST = "gannet.sqlite3", "files", "heads.jsonl", "manifest.json"


class BackupError(Exception):
    """A backup that cannot be made, read or believed, in a sentence."""


@dataclass(frozen=True)
class Piece:
    """One file of a backup."""

    name: str
    bytes: int
    sha256: str


@dataclass(frozen=True)
class Manifest:
    """What a backup holds."""

    made_at: str
    events: int
    last_hash: str
    database: Piece
    files: list[Piece] = field(default_factory=list)
    heads: Piece | None = None
    # Named by the database and no longer there when they were to be copied: removed meanwhile.
    missing: list[str] = field(default_factory=list)
    migrations: dict[str, str] = field(default_factory=dict)

    def as_json(self) -> bytes:
        return json.dumps({"format": FORMAT, **asdict(self)}, indent=1).encode()

    @classmethod
    def from_json(cls, text: bytes) -> "Manifest":
        try:
            said = json.loads(text)
            if said.pop("format") != FORMAT:
                raise BackupError("This backup is of another format than this version reads.")
            return cls(
                **{
                    **said,
                    "database": Piece(**said["database"]),
                    "files": [Piece(**one) for one in said["files"]],
                    "heads": Piece(**said["heads"]) if said["heads"] else None,
                }
            )
        except (ValueError, KeyError, TypeError) as error:
            raise BackupError("Its manifest cannot be read.") from error

    def pieces(self) -> Iterator[Piece]:
        yield self.database
        yield from self.files
        if self.heads is not None:
            yield self.heads


def backup(target: str) -> str:
    """Make a backup in a new folder, or a file that ends in `.tar`; says what it holds."""
    goal = Path(target).absolute()
    if goal.exists() and not (goal.is_dir() and not any(goal.iterdir())):
        raise BackupError(f"{target} exists already: name another, so that nothing is lost.")
    work = goal.with_name(f"{goal.name}.making") if goal.suffix == ".tar" else goal
    is_ours = not work.exists()
    try:
        manifest = _fill(work)
        if goal.suffix == ".tar":
            written(goal, lambda part: _pack(work, part))
    except OSError as error:
        if is_ours:
            shutil.rmtree(work, ignore_errors=True)
        raise BackupError(f"The backup could not be made: {error.strerror or error}.") from error
    if goal.suffix == ".tar":
        shutil.rmtree(work)
    missing = f", {len(manifest.missing)} removed meanwhile" if manifest.missing else ""
    return f"Kept in {target}: {manifest.events} events, {len(manifest.files)} files{missing}."


def _fill(folder: Path) -> Manifest:
    folder.mkdir(parents=True, exist_ok=True)
    _snapshot(folder / DATABASE)
    about = about_database(folder / DATABASE)
    files, missing = [], []
    for name in about["files"]:
        source = Path(settings.MEDIA_ROOT) / name
        try:
            with source.open("rb") as content:
                size, digest = copied(content, folder / FILES / name)
        except FileNotFoundError:
            missing.append(name)
            continue
        files.append(Piece(f"{FILES}/{name}", size, digest))
    heads = None
    if heads_file().is_file():
        with heads_file().open("rb") as content:
            heads = Piece(HEADS, *copied(content, folder / HEADS))
    manifest = Manifest(
        made_at=timezone.now().isoformat(timespec="seconds"),
        events=about["events"],
        last_hash=about["last_hash"],
        database=Piece(DATABASE, *digest_of(folder / DATABASE)),
        files=files,
        heads=heads,
        missing=missing,
        migrations=about["migrations"],
    )
    with io.BytesIO(manifest.as_json()) as content:
        copied(content, folder / MANIFEST)
    folder_to_disk(folder)
    return manifest


def _snapshot(target: Path) -> None:
    """Copy the running database as it is at one moment.

    All pages in one step: while a step reads, writers go on in the write-ahead log. Several
    steps would begin again whenever somebody writes, and never end while many do.
    """
    source = database_file()
    live, copy = sqlite3.connect(source, timeout=60), sqlite3.connect(target)
    with closing(live), closing(copy):
        live.backup(copy, pages=-1)
        copy.execute("PRAGMA journal_mode=DELETE")


def about_database(file: Path) -> dict[str, Any]:
    """What a database holds; `BackupError` when it is damaged."""
    try:
        with closing(sqlite3.connect(f"file:{file}?mode=ro", uri=True)) as read:
            (found,) = read.execute("PRAGMA integrity_check").fetchone()
            if found != "ok":
                raise BackupError(f"{file.name} is damaged: {found}")
            last = read.execute("SELECT id, hash FROM audit_event ORDER BY id DESC LIMIT 1")
            number, last_hash = last.fetchone() or (0, "")
            files = {*read.execute("SELECT file FROM tickets_attachment WHERE file <> ''")}
            # Before 0.12.0 articles had no pictures.
            tables = read.execute("SELECT name FROM sqlite_master WHERE type = 'table'")
            if ("knowledge_articlepicture",) in tables.fetchall():
                files |= {*read.execute("SELECT file FROM knowledge_articlepicture")}
            applied = read.execute("SELECT app, max(name) FROM django_migrations GROUP BY app")
            return {
                "events": number,
                # Before 0.7.0 it was kept as text.
                "last_hash": last_hash.hex() if isinstance(last_hash, bytes) else last_hash,
                "files": sorted(name for (name,) in files),
                "migrations": dict(applied.fetchall()),
            }
    except sqlite3.DatabaseError as error:
        raise BackupError(f"{file.name} is damaged: {error}") from error


def _pack(folder: Path, target: Path) -> None:
    """Everything in one file, the manifest last: a file that was cut has none."""
    with tarfile.open(target, "w", format=tarfile.PAX_FORMAT) as tar:
        names = sorted(path for path in folder.rglob("*") if path.is_file())
        for path in sorted(names, key=lambda one: one.name == MANIFEST):
            tar.add(path, path.relative_to(folder).as_posix())
