"""Backup and restore: whole or not at all, whoever writes meanwhile and wherever it stops."""

import errno
import json
import os
import shutil
import sqlite3
import subprocess
import sys
import tarfile
import threading
import time
from collections import namedtuple
from collections.abc import Callable, Iterator
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection, connections

from gannet.audit import backup as backup_module
from gannet.audit import restoring
from gannet.audit.backup import MANIFEST, BackupError, backup
from gannet.audit.heads import Head, check_heads, heads_file, key_file, note_restored, sign_head
from gannet.audit.log import verify
from gannet.audit.models import Event
from gannet.audit.restoring import check, restore
from gannet.audit.running import InUse, using_data
from gannet.tickets import actions
from gannet.tickets.files import keep_upload
from gannet_core.instants import seconds_of
from tests.conftest import NOW

Usage = namedtuple("Usage", "total used free")
pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def place(northmere: None, settings: Any, tmp_path: Path) -> Iterator[Path]:
    """A data folder of its own, with the database that the test has."""
    settings.DATABASES["default"]["NAME"], before = (
        str(connection.settings_dict["NAME"]),
        settings.DATABASES["default"]["NAME"],
    )
    yield tmp_path
    settings.DATABASES["default"]["NAME"] = before


@pytest.fixture
def kept(place: Path, log: Any, by: Any, person: Any) -> Path:
    """A backup of a ticket with a file."""
    ticket = log("Maeve", "Boarding gates")
    file = keep_upload(SimpleUploadedFile("a.txt", b"words of a file"), person("Signe"), NOW)
    actions.note(ticket.pk, by("Signe"), "see", [file.pk])
    assert "1 files" in backup(str(place / "kept"))
    return place / "kept"


@pytest.fixture
def elsewhere(kept: Path, settings: Any, tmp_path: Path) -> Iterator[Path]:
    """Where the backup is restored: another installation, with a database in use before."""
    home = tmp_path / "home"
    home.mkdir()
    live = home / "gannet.sqlite3"
    before = settings.DATABASES["default"]["NAME"]
    settings.DATABASES["default"]["NAME"] = str(live)
    settings.MEDIA_ROOT = home / "files"
    settings.CHAIN_HEADS_FILE = home / "heads.jsonl"
    with closing(sqlite3.connect(live)) as made:
        made.execute("PRAGMA journal_mode=WAL")
        made.execute("CREATE TABLE acknowledged (n)")
        made.commit()
    yield live
    settings.DATABASES["default"]["NAME"] = before


def acknowledged(file: Path) -> int:
    with closing(sqlite3.connect(file)) as read:
        return int(read.execute("SELECT count(*) FROM acknowledged").fetchone()[0])


def leave_in_log(live: Path, count: int) -> None:
    """Writes that are acknowledged and stand in the write-ahead log only, as after a kill."""
    code = """if True:
        import os, sqlite3, sys
        made = sqlite3.connect(sys.argv[1])
        made.execute("PRAGMA wal_autocheckpoint=0")
        for n in range(int(sys.argv[2])):
            made.execute("INSERT INTO acknowledged VALUES (?)", [n])
            made.commit()
        os._exit(0)
    """
    subprocess.run([sys.executable, "-c", code, str(live), str(count)], check=True)
    assert Path(f"{live}-wal").stat().st_size > 0


def before_restore(live: Path) -> Path:
    (found,) = live.parent.glob("*.before-restore-*.sqlite3")
    return found


# Backup


def test_a_backup_holds_the_database_and_every_file_it_names(kept: Path) -> None:
    manifest = json.loads((kept / MANIFEST).read_text())
    assert manifest["format"] == "gannet-backup/1" and manifest["events"] == Event.objects.count()
    (file,) = manifest["files"]
    assert (kept / file["name"]).read_bytes() == b"words of a file"
    assert "is whole" in check(str(kept)) and "whose chain holds" in check(str(kept))


def test_one_file_holds_the_same_as_a_folder(kept: Path, place: Path) -> None:
    assert "events" in backup(str(place / "all.tar"))
    with tarfile.open(place / "all.tar") as tar:
        names = tar.getnames()
    assert names[-1] == MANIFEST, "what was cut short has none"
    assert set(names) == {p.relative_to(kept).as_posix() for p in kept.rglob("*") if p.is_file()}
    assert "is whole" in check(str(place / "all.tar"))
    assert not list(place.glob("all.tar.*"))


def test_a_backup_never_overwrites(kept: Path) -> None:
    before = (kept / MANIFEST).read_bytes()
    with pytest.raises(BackupError, match="exists already"):
        backup(str(kept))
    assert (kept / MANIFEST).read_bytes() == before


def test_a_backup_ends_while_others_write_without_a_pause(place: Path, log: Any) -> None:
    """Page by page it would begin again with every write, and never end."""
    live = str(connection.settings_dict["NAME"])
    stop = threading.Event()
    written = [0]

    def write() -> None:
        with closing(sqlite3.connect(live, timeout=30, isolation_level=None)) as made:
            made.execute("CREATE TABLE IF NOT EXISTS busy (n INTEGER, filler TEXT)")
            while not stop.is_set():
                made.execute("INSERT INTO busy VALUES (?, ?)", [written[0], "x" * 500])
                written[0] += 1

    threads = [threading.Thread(target=write) for _ in range(2)]
    for thread in threads:
        thread.start()
    try:
        while written[0] < 200:
            time.sleep(0.01)
        begun, at = time.monotonic(), written[0]
        backup(str(place / "busy"))
        assert time.monotonic() - begun < 20 and written[0] > at, "they went on writing"
    finally:
        stop.set()
        for thread in threads:
            thread.join()
        with closing(sqlite3.connect(live, timeout=30)) as made:
            made.execute("DROP TABLE busy")
    assert "is whole" in check(str(place / "busy"))


def test_a_file_that_is_removed_meanwhile_is_said_and_no_failure(kept: Path, place: Path) -> None:
    (name,) = json.loads((kept / MANIFEST).read_text())["files"]
    source = Path(connection.settings_dict["NAME"]).parent / "files"
    (source / name["name"].removeprefix("files/")).unlink()
    assert "1 removed meanwhile" in backup(str(place / "second"))
    assert "1 were removed" in check(str(place / "second"))


def test_a_full_disk_leaves_no_half_backup(
    place: Path, log: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(*given: Any) -> Any:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(backup_module, "_snapshot", full)
    for goal in ("half", "half.tar"):
        with pytest.raises(BackupError, match="No space left"):
            backup(str(place / goal))
    assert list(place.iterdir()) == []


# A backup is proved


SPOILED: list[tuple[str, Callable[[Path], object], str]] = [
    ("a byte changed in the database", lambda k: _spoil(k / "gannet.sqlite3"), "not as it was"),
    ("a byte changed in a file", lambda k: _spoil(next((k / "files").rglob("*.txt"))), "not as it was"),
    ("a file is missing", lambda k: next((k / "files").rglob("*.txt")).unlink(), "is missing"),
    ("no manifest", lambda k: (k / MANIFEST).unlink(), "no manifest"),
    ("a manifest of something else", lambda k: (k / MANIFEST).write_text("{}"), "cannot be read"),
    ("another format", lambda k: _say(k, format="gannet-backup/9"), "another format"),
    ("another database", lambda k: _say(k, events=99), "another one"),
    ("a name that leads out", lambda k: _escape(k), "leads out"),
    ("a file left out of the manifest", lambda k: _say(k, files=[]), "not in it"),
]  # fmt: skip


def _spoil(file: Path) -> None:
    content = bytearray(file.read_bytes())
    content[len(content) // 2] ^= 1
    file.write_bytes(content)


def _say(folder: Path, **changes: Any) -> None:
    said = json.loads((folder / MANIFEST).read_text())
    (folder / MANIFEST).write_text(json.dumps({**said, **changes}))


def _escape(folder: Path) -> None:
    (folder.parent / "outside").write_bytes(b"")
    empty = "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855"
    _say(folder, files=[{"name": "files/../../outside", "bytes": 0, "sha256": empty}])


@pytest.mark.parametrize(("why", "spoil", "says"), SPOILED, ids=[row[0] for row in SPOILED])
def test_what_is_not_whole_is_not_believed_and_not_restored(
    elsewhere: Path, kept: Path, why: str, spoil: Callable[[Path], object], says: str
) -> None:
    spoil(kept)
    for attempt in (check, restore):
        with pytest.raises(BackupError, match=says):
            attempt(str(kept))
    assert acknowledged(elsewhere) == 0 and not list(elsewhere.parent.glob("*before*"))


def test_a_history_that_was_rewritten_is_not_restored(elsewhere: Path, kept: Path) -> None:
    with closing(sqlite3.connect(kept / "gannet.sqlite3")) as made:
        made.execute("UPDATE audit_event SET text = 'nothing happened' WHERE text <> ''")
        made.commit()
    size, digest = restoring.digest_of(kept / "gannet.sqlite3")
    _say(kept, database={"name": "gannet.sqlite3", "bytes": size, "sha256": digest})
    with pytest.raises(BackupError, match="breaks at event"):
        restore(str(kept))


@pytest.mark.parametrize("content", [b"", b"SQLite format 3\0", os.urandom(2_000)])
def test_a_file_that_is_no_backup_is_refused(
    elsewhere: Path, tmp_path: Path, content: bytes
) -> None:
    (tmp_path / "x.tar").write_bytes(content)
    with pytest.raises(BackupError):
        restore(str(tmp_path / "x.tar"))
    with pytest.raises(BackupError, match="no backup"):
        restore(str(tmp_path / "nothing"))


# Restore


@pytest.mark.parametrize("form", ["folder", "file"])
def test_a_restore_puts_everything_in_place_and_keeps_what_was_there(
    elsewhere: Path, kept: Path, tmp_path: Path, form: str
) -> None:
    leave_in_log(elsewhere, 5)
    source = kept
    if form == "file":
        source = tmp_path / "kept.tar"
        backup_module._pack(kept, source)
    assert "Restored" in restore(str(source))
    assert acknowledged(before_restore(elsewhere)) == 5, "all five acknowledged writes"
    with closing(sqlite3.connect(elsewhere)) as read:
        assert read.execute("SELECT count(*) FROM tickets_ticket").fetchone()[0] == 1
    (file,) = (elsewhere.parent / "files").rglob("*.txt")
    assert file.read_bytes() == b"words of a file"
    assert not Path(f"{elsewhere}-wal").exists() and not elsewhere.with_suffix(".incoming").exists()


def test_into_an_empty_place(elsewhere: Path, kept: Path) -> None:
    elsewhere.unlink()
    assert "Restored" in restore(str(kept)) and elsewhere.exists()


def test_a_damaged_database_is_kept_as_it_is(elsewhere: Path, kept: Path) -> None:
    for ending in ("-wal", "-shm"):
        Path(f"{elsewhere}{ending}").write_bytes(b"log")
    elsewhere.write_bytes(b"what was there" * 100)
    restore(str(kept))
    aside = before_restore(elsewhere)
    assert aside.read_bytes() == b"what was there" * 100
    assert Path(f"{aside}-wal").read_bytes() == b"log"


def _full_when(what: str) -> Callable[..., Any]:
    real = restoring.copied

    def copied(source: Any, target: Path) -> Any:
        if what in str(target):
            target.with_name(f"{target.name}.part").write_bytes(b"half")
            target.with_name(f"{target.name}.part").unlink()
            raise OSError(errno.ENOSPC, "No space left on device")
        return real(source, target)

    return copied


@pytest.mark.parametrize("where", ["incoming", "files"])
def test_a_full_disk_half_way_changes_nothing(
    elsewhere: Path, kept: Path, monkeypatch: pytest.MonkeyPatch, where: str
) -> None:
    leave_in_log(elsewhere, 5)
    monkeypatch.setattr(restoring, "copied", _full_when(where))
    with pytest.raises(BackupError, match="Nothing was changed"):
        restore(str(kept))
    assert acknowledged(elsewhere) == 5 and not list(elsewhere.parent.glob("*.incoming*"))


def test_without_enough_room_it_does_not_begin(
    elsewhere: Path, kept: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(shutil, "disk_usage", lambda path: Usage(100, 99, 1))
    with pytest.raises(BackupError, match="not enough room"):
        restore(str(kept))
    assert acknowledged(elsewhere) == 0


def test_it_refuses_while_gannet_runs_or_anything_has_the_database_open(
    elsewhere: Path, kept: Path
) -> None:
    with using_data(), pytest.raises(BackupError, match="is running"):
        restore(str(kept))
    with closing(sqlite3.connect(elsewhere)) as other:
        other.execute("SELECT count(*) FROM acknowledged").fetchone()
        with pytest.raises(BackupError, match="has the database open"):
            restore(str(kept))
        assert other.execute("SELECT count(*) FROM acknowledged").fetchone() == (0,)
    assert "Restored" in restore(str(kept))


def test_nothing_starts_while_a_restore_is_under_way(elsewhere: Path) -> None:
    with using_data(alone=True):
        with pytest.raises(InUse, match="restore is under way"), using_data():
            pass
        with pytest.raises(InUse), using_data(alone=True):
            pass
    with using_data(), using_data():
        pass  # servers and workers share it


# Signed heads


@pytest.fixture
def heads(settings: Any, tmp_path: Path) -> Path:
    settings.CHAIN_KEY_FILE, settings.CHAIN_HEADS_FILE = tmp_path / "key.pem", tmp_path / "heads"
    return tmp_path / "heads"


def rewritten() -> None:
    """The whole history made anew by somebody who may write the database: the chain holds."""
    from gannet.audit.log import _GENESIS, _digest, _hash

    before = _GENESIS
    for row in Event.objects.order_by("id"):
        if row.text:
            row.text = "nothing happened"
        row.digest = _digest(row.salt, row.values, row.text)
        row.hash = before = _hash(before, row)
        row.save()


def test_a_history_written_anew_does_not_meet_what_was_signed(
    northmere: None, heads: Path, log: Any
) -> None:
    log("Maeve", "Boarding gates")
    assert sign_head(NOW) is not None and check_heads().met == 1
    rewritten()
    assert verify()[1] is None, "the chain alone does not tell"
    assert "is not the one that was signed" in check_heads().problem


def test_a_head_is_signed_each_hour_when_there_is_something_new(
    northmere: None, heads: Path, log: Any, at: Any
) -> None:
    assert sign_head(at.now) is None, "there is no event yet"
    log("Maeve", "Boarding gates")
    assert sign_head(at.now) is not None
    assert sign_head(at.later(hours=2)) is None, "nothing is new"
    log("Maeve", "Boarding gates")
    assert sign_head(at.now) is not None
    log("Maeve", "Boarding gates")
    assert sign_head(at.later(minutes=30)) is None, "not within the hour"
    assert sign_head(at.later(minutes=31)) is not None
    assert check_heads().met == 3 and key_file().stat().st_mode & 0o077 == 0


@pytest.mark.parametrize(
    ("tamper", "says"),
    [
        (lambda lines: lines[1:], "a line is missing"),
        (lambda lines: [lines[0], lines[2]], "a line is missing"),
        (lambda lines: [lines[1], lines[0], lines[2]], "a line is missing"),
        (lambda lines: [*lines[:2], lines[2].replace(b'"event": ', b'"event": 1')], "not signed"),
        (lambda lines: [*lines, b"{}"], "not signed"),
        (lambda lines: [*lines, b"nonsense"], "not signed"),
        (lambda lines: lines[:2], ""),
    ],
)  # fmt: skip
def test_heads_that_were_tampered_with(
    northmere: None, heads: Path, log: Any, at: Any, tamper: Any, says: str
) -> None:
    for _ in range(3):
        log("Maeve", "Boarding gates")
        sign_head(at.later(hours=2))
    lines = heads.read_bytes().splitlines()
    found = check_heads(tamper(lines))
    assert says in found.problem if says else (found.problem, found.met) == ("", 2)


def test_another_key_signs_nothing(northmere: None, heads: Path, log: Any) -> None:
    log("Maeve", "Boarding gates")
    sign_head(NOW)
    key_file().unlink()
    assert "not signed by this key" in check_heads().problem


def test_events_that_are_gone_are_missed(northmere: None, heads: Path, log: Any) -> None:
    log("Maeve", "Boarding gates")
    sign_head(NOW)
    last = Event.objects.order_by("-id")[0]
    Event.objects.filter(pk=last.pk).delete()
    assert verify()[1] is None
    assert f"event {last.pk} is gone" in check_heads().problem


def test_a_restore_is_said_in_the_heads_and_no_rewriting(
    northmere: None, heads: Path, log: Any, at: Any
) -> None:
    """The log goes back to an earlier event on purpose; other events get those numbers."""
    log("Maeve", "Boarding gates")
    sign_head(at.now)
    kept = Event.objects.order_by("-id")[0]
    log("Maeve", "Boarding gates", title="after the backup")
    sign_head(at.later(hours=2))
    Event.objects.filter(pk__gt=kept.pk).delete()
    assert "is gone" in check_heads().problem
    note_restored(kept.pk, kept.hash, at.now)
    found = check_heads()
    assert (found.problem, found.met, found.passed_over) == ("", 2, 1)
    log("Maeve", "Boarding gates", title="after the restore")
    sign_head(at.later(hours=2))
    assert check_heads().problem == "" and check_heads().met == 3
    rewritten()
    assert check_heads().problem


def test_a_line_that_a_crash_cut_short_is_taken_away(
    northmere: None, heads: Path, log: Any, at: Any
) -> None:
    log("Maeve", "Boarding gates")
    sign_head(at.now)
    heads.write_bytes(heads.read_bytes() + b'{"what": "head", "eve')
    log("Maeve", "Boarding gates")
    assert sign_head(at.later(hours=2)) is not None
    assert check_heads().met == 2


def test_the_heads_of_a_restored_place_go_on(elsewhere: Path, kept: Path) -> None:
    line = Head("head", 1, "0" * 64, seconds_of(NOW), "", "key", "x")
    heads_file().write_text(json.dumps(line.__dict__) + "\n")
    restore(str(kept))
    last = json.loads(heads_file().read_text().splitlines()[-1])
    assert last["what"] == "restored" and last["event"] == Event.objects.count()


def test_commands_answer_in_a_sentence(
    northmere: None, heads: Path, log: Any, tmp_path: Path, capsys: Any
) -> None:
    from gannet import cli

    log("Maeve", "Boarding gates")
    asked = [
        (["verify"], 0, "No head has been signed"),
        (["restore", str(tmp_path / "none")], 1, "There is no backup"),
        (["restore", "--check", str(tmp_path / "none")], 1, "There is no backup"),
        (["backup", str(tmp_path)], 1, "exists already"),
    ]
    (tmp_path / "something").touch()
    for arguments, code, says in asked:
        assert cli.main(arguments) == code, arguments
        out = capsys.readouterr()
        assert says in out.out + out.err
    sign_head(NOW)
    assert cli.main(["verify"]) == 0 and "meets 1 signed heads" in capsys.readouterr().out
    cli.main(["heads", "--public-key"])
    (tmp_path / "public.pem").write_text(capsys.readouterr().out)
    cli.main(["heads"])
    (tmp_path / "copy").write_text(capsys.readouterr().out)
    copies = ["verify", "--heads", str(tmp_path / "copy"), "--key", str(tmp_path / "public.pem")]
    assert cli.main(copies) == 0
    rewritten()
    assert cli.main(copies) == 1 and "written anew" in capsys.readouterr().err
    connections.close_all()
